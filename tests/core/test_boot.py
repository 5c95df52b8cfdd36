"""The time band and the causes of a late boot."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from mintseed import wiring
from mintseed.core.boot.assembly import assembly_steps
from mintseed.core.boot.band import (
    MOST_BETWEEN_S,
    TURN_S,
    Band,
    BootState,
    band_for,
    judge_boot,
    look_every_s,
    not_looked_at,
    state_at,
    waiting_since,
)
from mintseed.core.boot.causes import SHOWN, BootEvidence, rank_causes
from mintseed.core.boot.run import RunFacts
from mintseed.core.findings import Severity
from mintseed.core.plan.plan import PlannedPart
from mintseed.core.stations import Station
from mintseed.core.walk import Walk, WalkInputs
from tests.core.settings.test_values import values

BAND = Band(35, 120, 300, 600)


@pytest.mark.parametrize(
    ("elapsed_s", "state"),
    [
        (0, BootState.EARLY), (34.9, BootState.EARLY), (35, BootState.USUAL), (120, BootState.SLOW), (299.9, BootState.SLOW),
        (300, BootState.LATE), (599, BootState.LATE), (600, BootState.HOPELESS),
    ],
)  # fmt: skip
def test_where_a_boot_stands(elapsed_s: float, state: BootState) -> None:
    assert state_at(BAND, elapsed_s, None) is state
    assert state_at(BAND, elapsed_s, 41.0) is BootState.JOINED


def test_the_finding_says_what_to_do() -> None:
    assert judge_boot(BAND, 41, 41).severity is Severity.OK
    assert judge_boot(BAND, 41, None).severity is Severity.NOTE
    late = judge_boot(BAND, 372, None)
    assert late.severity is Severity.CHECK
    assert late.title == "Late: over 5 min, and not on the network"
    assert "0:35 to 2:00" in late.detail
    assert judge_boot(BAND, 700, None).severity is Severity.STOP


def test_a_slow_board_takes_longer_and_a_fast_one_less() -> None:
    recipe = wiring.recipes()["platen"]
    assert band_for(recipe, wiring.boards()["sprig"]).late_after_s == 480
    assert band_for(recipe, wiring.boards()["larkspur-r"]).late_after_s == 300
    assert band_for(recipe, wiring.boards()["tansy"]).late_after_s == 240


KNOWN_GOOD = BootEvidence(
    way="wifi", network="Quay House 2G", passphrase_is_sites=True, joined_with_same_key=2, country="GB", country_in_file=True, files_sound=True,
    board_in_image=True, board_name="Larkspur R", supply_carries=True, card_proven_ago_s=60,
)  # fmt: skip


def first(evidence: BootEvidence) -> str:
    return rank_causes(evidence)[0].code


def test_without_evidence_the_passphrase_comes_first() -> None:
    # Common practice: the usual order of causes.
    assert first(BootEvidence(way="wifi")) == "boot.cause-passphrase"


def test_a_passphrase_unlike_the_sites_is_named_with_its_reason() -> None:
    cause = rank_causes(replace(KNOWN_GOOD, passphrase_is_sites=False, joined_with_same_key=0))[0]
    assert cause.code == "boot.cause-passphrase"
    assert cause.speaks_for == ("the one on the card is not the one the site keeps for Quay House 2G",)
    assert cause.what_to_try
    assert (cause.action.station, cause.action.field) == ("settings", "passphrase")


def test_evidence_moves_the_order() -> None:
    assert first(KNOWN_GOOD) == "boot.cause-network"
    assert first(replace(KNOWN_GOOD, board_in_image=False)) == "boot.cause-image"
    assert first(replace(KNOWN_GOOD, supply_carries=False)) == "boot.cause-supply"


def test_over_the_cable_radio_is_no_cause() -> None:
    found = rank_causes(replace(KNOWN_GOOD, way="cable"))
    assert found[0].code == "boot.cause-cable"
    assert not any("passphrase" in c.code for c in found)


def test_three_are_shown_and_each_sends_somewhere() -> None:
    found = rank_causes(KNOWN_GOOD)
    assert len(found) == SHOWN
    assert all(c.action.station and c.what_to_try for c in found)
    assert not hasattr(found[0], "share")  # nobody measured how often each is the true one


def test_a_passphrase_changed_after_others_joined_with_the_old_one_stays_first() -> None:
    changed = replace(KNOWN_GOOD, joined_with_same_key=0, joined_with_other_key=3)
    assert first(changed) == "boot.cause-passphrase"
    assert "3 other boards joined Quay House 2G with another one" in rank_causes(changed)[0].speaks_for[0]


def test_a_country_that_no_file_takes_is_said_so() -> None:
    evidence = replace(KNOWN_GOOD, country_in_file=False, board_in_image=None, supply_carries=None)
    country = next(c for c in rank_causes(evidence) if c.code == "boot.cause-country")
    assert country.speaks_for == ("no file of this image takes a country",)
    assert country.speaks_against == ()


def test_a_run_that_ended_without_joining_is_told_as_it_was() -> None:
    late = judge_boot(BAND, 372, None, run=1, off=True)
    assert (late.code, late.severity) == ("boot.failed-run", Severity.CHECK)
    assert late.title == "Run 1: powered for 6 min 12 s, never on the network"
    assert "same card" in late.fix
    early = judge_boot(BAND, 40, None, run=2, off=True)
    assert early.code == "boot.cut-short"
    assert "before it was late" in early.detail


def test_pulling_the_card_is_called_safe_only_when_that_was_measured() -> None:
    board = wiring.boards()["larkspur-r"]
    assert "pulling it out is safe" in assembly_steps(board, None, "cable", released=True)[0].why
    assert "safe" not in assembly_steps(board, None, "cable", released=False)[0].why


def test_the_supply_comes_last_and_the_card_first() -> None:
    steps = assembly_steps(wiring.boards()["larkspur-r"], None, "cable", released=True)
    assert "card" in steps[0].title
    assert "cable" in steps[2].title
    assert "5.1 V" in steps[-1].title


def walk_of(elapsed_s: float, looked_s: float | None, noted_s: float = 0.0) -> Walk:
    """A walk with a board powered `elapsed_s` ago and last looked at `looked_s` after power-on."""
    began = datetime(2026, 11, 25, 14, 0, tzinfo=UTC)
    run = RunFacts(1, began, looked_at=None if looked_s is None else began + timedelta(seconds=looked_s),
                   noted_at=began + timedelta(seconds=noted_s))  # fmt: skip
    return Walk(WalkInputs(recipe=wiring.recipes()["platen"], host_name="press", values=values(), now=began + timedelta(seconds=elapsed_s),
                           board=wiring.boards()["larkspur-r"], way="wifi", run=run))  # fmt: skip


@pytest.mark.parametrize(
    ("elapsed_s", "looked_s", "code"),
    [
        (100, 99, "boot.waiting"),
        (301, 300.5, "boot.late"),
        (601, 600.5, "boot.hopeless"),
        (700, 50, "boot.not-looked-at"),  # nobody looked for eleven minutes: no boot is hopeless by that
        (700, None, "boot.not-looked-at"),
        (3600, 320, "boot.late"),  # it was late when it was last looked at, and got no worse since
        (3600, 3599, "boot.hopeless"),
    ],
)
def test_no_boot_gets_worse_by_time_in_which_nobody_looked(elapsed_s: float, looked_s: float | None, code: str) -> None:
    walk = walk_of(elapsed_s, looked_s)
    assert walk.boot_finding is not None
    assert walk.boot_finding.code == code
    if looked_s is not None and elapsed_s - looked_s > 5:
        assert "Not looked at since" in walk.boot_finding.title + walk.boot_finding.detail
        # Time alone makes it no worse; only the day from which a moment's date is to be said.
        assert walk.again_at == datetime(2026, 11, 26, tzinfo=UTC)
    assert bool(walk.causes) is (code in ("boot.late", "boot.hopeless"))


@pytest.mark.parametrize(
    ("zone", "said"),
    [("UTC", "powered since 25 Nov 14:00:00"), ("Asia/Tokyo", "powered since 25 Nov 23:00:00"), ("Pacific/Kiritimati", "powered since 04:00:00")],
)  # fmt: skip
def test_a_moment_of_another_day_at_the_site_is_said_with_its_day(zone: str, said: str) -> None:
    """UTC, Japan (UTC+9) and the Line Islands (UTC+14) all year; IANA time zone database."""
    twelve_hours = walk_of(12 * 3600, 12 * 3600 - 1).inputs
    late = replace(twelve_hours, time_zone=zone)
    assert said in Walk(late).states[Station.BOOT].next_detail


def test_a_board_said_to_be_powered_ten_minutes_ago_is_not_unseen_at_once() -> None:
    assert walk_of(600, None, noted_s=599).clock.unseen_since is None
    assert walk_of(610, None, noted_s=599).clock.unseen_since is not None


def test_add_ons_go_on_before_the_card_and_the_case_is_closed_after_it() -> None:
    """Common practice: header and flat cables on the bare board, the card, then the case, plugs, and the supply last."""
    parts = wiring.parts()
    planned = [PlannedPart(parts[p], p) for p in ("larkspur-case", "kiln-probes", "gull-camera", "drift-drive")]
    steps = assembly_steps(wiring.boards()["larkspur-r"], None, "cable", released=True, parts=planned)
    order = ["kiln-probes onto the header", "flat cable of gull-camera", "Take the card", "into the board", "Close larkspur-case",
             "Plug in drift-drive", "network cable", "supply"]  # fmt: skip
    assert [next(w for w in order if w in s.title) for s in steps] == order


def test_a_part_that_feeds_the_board_is_the_only_supply() -> None:
    fed = PlannedPart(wiring.parts()["kiln-probes-fed"], "the probes")
    steps = assembly_steps(wiring.boards()["larkspur-r"], None, "cable", released=True, parts=[fed])
    assert steps[-1].title == "Plug in the supply of the probes"
    assert sum("supply" in s.title for s in steps) == 1


def titles(*parts: str, **more: bool) -> list[str]:
    known = wiring.parts()
    planned = [PlannedPart(known[p], p) for p in parts]
    return [
        s.title
        for s in assembly_steps(wiring.boards()["larkspur-r"], None, "wifi", released=True, parts=planned, **more)
    ]


def test_what_waits_for_a_bare_board_that_works_comes_after_the_first_boot() -> None:
    """Common practice: boot, shut down, fit; else nobody knows what is to blame."""
    steps = titles("chorus")
    supply = next(n for n, t in enumerate(steps) if "supply" in t and t.startswith("Plug in"))
    fitted = next(n for n, t in enumerate(steps) if "chorus onto the header" in t)
    assert supply < fitted
    assert steps[fitted - 1].startswith("Wait until it is on the network, then shut it down")
    assert steps[-1] == "Power it again"
    cased = titles("chorus", "larkspur-case")
    assert cased.index("Close larkspur-case") > next(n for n, t in enumerate(cased) if "chorus onto the header" in t)


def test_a_printers_cable_is_plugged_once_in_the_setup() -> None:
    assert not [t for t in titles("printer-cable") if "printer" in t]
    assert any("printer's USB cable" in s.do for s in wiring.recipes()["platen"].setup)


def test_what_transmits_gets_its_antenna_before_any_power() -> None:
    with_antenna = titles("reed-modem", "whip", transmits=True)
    assert with_antenna.index("Screw whip on") < next(n for n, t in enumerate(with_antenna) if "supply" in t)
    assert "Screw its antenna on" in titles("reed-modem", transmits=True)
    assert not [t for t in titles("chorus") if "antenna" in t]


def test_times_are_those_people_know() -> None:
    """Common practice: a hub answers within 5 minutes, after which something is wrong, and prepares itself 7 to 20 minutes more; a first
    update takes about 10; a middle board is on the network after 30 to 35 s."""
    lintel, board = wiring.recipes()["lintel"], wiring.boards()["larkspur-r"]
    band = band_for(lintel, board)
    assert (band.late_after_s, band.prepares_s) == (300, (420, 1200))
    assert lintel.boot.first_update_s == 600
    assert wiring.recipes()["cinderwick"].boot.usual_from_s == 30
    said = judge_boot(band, 100, 100.0)
    assert "prepares itself for 7 min to 20 min more" in said.detail


def test_a_boot_that_joins_after_it_was_late_says_both() -> None:
    band = band_for(wiring.recipes()["platen"], wiring.boards()["larkspur-r"])
    late = judge_boot(band, 2100, 2100.0)
    assert "35 min" in late.title
    assert "It was called late after 5 min" in late.detail
    assert "late" not in judge_boot(band, 60, 60.0).detail


def test_a_board_that_is_late_for_long_is_looked_at_less_often() -> None:
    late = datetime(2026, 11, 28, 12, tzinfo=UTC)
    for seconds, between_s in ((0, 0), (60, 3), (86_400, MOST_BETWEEN_S)):
        assert look_every_s(late, late + timedelta(seconds=seconds)) == between_s
    assert look_every_s(None, late) == 0
    assert waiting_since(late, 10.0, 300.0, late) == late + timedelta(seconds=30), "it came after all"
    assert waiting_since(late, 1.0, None, late) == late
    assert waiting_since(late, 1.0, None, None) is None
    seen = late + timedelta(hours=2)
    assert not not_looked_at(seen, seen + timedelta(seconds=MOST_BETWEEN_S + TURN_S - 1), late)
    assert not_looked_at(seen, seen + timedelta(seconds=MOST_BETWEEN_S + TURN_S + 1), late)
    assert not_looked_at(seen, seen + timedelta(seconds=10))


def test_a_thin_cable_speaks_for_a_weak_supply() -> None:
    evidence = BootEvidence(way="cable", supply_carries=False, supply_doubts=("Too few volts arrive over the cable",))
    supply = next(c for c in rank_causes(evidence) if c.code == "boot.cause-supply")
    assert supply.speaks_for == ("too few volts arrive over the cable",)
