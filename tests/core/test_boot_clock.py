"""The clocks of a boot: how old it is, since when nobody looks, and when time alone changes what is said."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from mintseed.core.boot.band import NOT_LOOKED, Band, judge_boot
from mintseed.core.boot.run import BootClock, RunFacts
from mintseed.core.find.naming import NAME_WITHIN_S

BAND = Band(35, 120, 300, 600)
ON = datetime(2026, 11, 25, 20, 0, tzinfo=UTC)
RUN = RunFacts(1, ON)


def clock(after_s: float, zone: str = "UTC", looked_s: float | None = None, **run: object) -> BootClock:
    """Return the clocks `after_s` seconds after power-on. `looked_s`: seconds after it when somebody last looked, just now if not given."""
    now = ON + timedelta(seconds=after_s)
    looked = now if looked_s is None else ON + timedelta(seconds=looked_s)
    return BootClock(replace(RUN, looked_at=looked, **run), BAND, now, zone)  # type: ignore[arg-type]


def test_without_a_run_nothing_runs() -> None:
    none = BootClock(None, BAND, ON, "UTC")
    assert (none.elapsed_s, none.unseen_since, none.judged_s, none.at(30), none.again_at(name_answers=False)) == (
        0,
        None,
        0,
        None,
        None,
    )
    assert BootClock(RUN, None, ON, "UTC").again_at(name_answers=False) is None


def test_how_old_it_is() -> None:
    assert clock(41).elapsed_s == 41
    assert clock(41, pace=4.0).elapsed_s == 164
    assert clock(-3).elapsed_s == 0, "a bench's clock may be behind"
    assert clock(500, off_at=ON + timedelta(seconds=90)).elapsed_s == 90
    assert clock(500, off_at=ON + timedelta(seconds=90), lasted_s=88.0).elapsed_s == 88
    assert clock(10, pace=4.0).at(100) == ON + timedelta(seconds=25)


def test_time_in_which_nobody_looks_makes_no_boot_late() -> None:
    looks = NOT_LOOKED.total_seconds()
    assert clock(400, looked_s=400 - looks).unseen_since is None
    unseen = clock(400, looked_s=30, pace=2.0)
    assert unseen.unseen_since == ON + timedelta(seconds=30)
    assert unseen.judged_s == 60
    assert unseen.elapsed_s == 800
    assert clock(400, looked_s=-20).judged_s == 0, "nobody looked since it was powered"
    for over in ({"off_at": ON + timedelta(seconds=40)}, {"joined_after_s": 20.0}):
        assert clock(400, looked_s=30, **over).unseen_since is None


def test_it_is_judged_again_at_the_next_mark_of_its_band_or_when_nobody_looked() -> None:
    """The next second in which a look could be missed comes first, unless a mark is nearer."""
    falls_silent = ON + timedelta(seconds=10) + NOT_LOOKED
    assert clock(10).again_at(name_answers=False) == falls_silent
    for mark in (35, 120, 300, 600):
        assert clock(mark - 1).again_at(name_answers=False) == ON + timedelta(seconds=mark)
        assert clock(mark).again_at(name_answers=False) == ON + timedelta(seconds=mark) + NOT_LOOKED
    assert clock(17, pace=2.0).again_at(name_answers=False) == ON + timedelta(seconds=17.5)
    assert clock(700).again_at(name_answers=False) == ON + timedelta(seconds=700) + NOT_LOOKED
    assert clock(700, off_at=ON + timedelta(seconds=650)).again_at(name_answers=False) is None


def test_where_nobody_looks_only_the_next_day_changes_it() -> None:
    """Moments that were said by the clock alone are yesterday's then, where the site is."""
    assert clock(400, looked_s=30).again_at(name_answers=False) == datetime(2026, 11, 26, tzinfo=UTC)
    there = clock(400, "Pacific/Auckland", looked_s=30).again_at(name_answers=False)
    assert there == datetime(2026, 11, 26, 11, tzinfo=UTC)
    # Right before midnight, midnight comes first.
    late = BootClock(replace(RUN, powered_at=datetime(2026, 11, 25, 23, 50, tzinfo=UTC), looked_at=datetime(2026, 11, 25, 23, 59, 58, tzinfo=UTC)), BAND,
                     datetime(2026, 11, 25, 23, 59, 58, tzinfo=UTC), "UTC")  # fmt: skip
    assert late.again_at(name_answers=False) == datetime(2026, 11, 26, tzinfo=UTC)


def test_once_it_joined_only_its_name_is_waited_for() -> None:
    joined = clock(100, joined_after_s=41.0)
    assert joined.again_at(name_answers=False) == ON + timedelta(seconds=41 + NAME_WITHIN_S)
    assert joined.again_at(name_answers=True) is None
    assert clock(41 + NAME_WITHIN_S - 1, joined_after_s=41.0).again_at(name_answers=False) is not None
    assert clock(41 + NAME_WITHIN_S, joined_after_s=41.0).again_at(name_answers=False) is None


@pytest.mark.parametrize(("zone", "moment", "text"), [
    ("UTC", ON, "20:00:00"), ("UTC", ON - timedelta(days=1), "24 Nov 20:00:00"), ("Pacific/Auckland", ON, "09:00:00"),
    ("Pacific/Auckland", ON - timedelta(hours=10), "25 Nov 23:00:00"), ("Europe/Berlin", ON - timedelta(hours=21, minutes=1), "24 Nov 23:59:00"),
])  # fmt: skip
def test_a_moment_as_a_clock_at_the_site_shows_it(zone: str, moment: datetime, text: str) -> None:
    assert BootClock(RUN, BAND, ON, zone).clock_text(moment) == text


def test_a_boot_that_was_ended_is_said_by_whether_it_was_late() -> None:
    early, late = judge_boot(BAND, 299, None, run=2, off=True), judge_boot(BAND, 300, None, run=2, off=True)
    assert (early.code, late.code) == ("boot.cut-short", "boot.failed-run")
    assert early.title == "Run 2: powered for 4 min 59 s, never on the network"
    assert "switched off before it was late" in early.detail
    assert "switched off before it was late" not in late.detail
    assert "causes" in late.fix
    assert "causes" not in early.fix


def test_what_follows_once_it_joined_is_said() -> None:
    bare = judge_boot(BAND, 50, 41)
    assert (bare.code, bare.title, bare.detail) == ("boot.joined", "On the network after 41 s", BAND.usual)
    with_page = judge_boot(replace(BAND, page_after_s=15, prepares_s=(60, 600)), 50, 41)
    assert "Its page follows within 15 s." in with_page.detail
    assert "It prepares itself for 1 min to 10 min more; leave the power on." in with_page.detail
    assert "called late after 5 min" in judge_boot(BAND, 400, 300).detail
    assert "called late" not in judge_boot(BAND, 400, 299).detail
    assert judge_boot(BAND, 400, 41, off=True).code == "boot.joined"


@pytest.mark.parametrize(("elapsed_s", "code"), [
    (0, "boot.waiting"), (299, "boot.waiting"), (300, "boot.late"), (599, "boot.late"), (600, "boot.hopeless"),
])  # fmt: skip
def test_a_running_boot_is_late_and_hopeless_at_its_marks(elapsed_s: float, code: str) -> None:
    assert judge_boot(BAND, elapsed_s, None).code == code
    # Times that nobody said give nothing up.
    assert judge_boot(replace(BAND, assumed=True), elapsed_s, None).code == code.replace("hopeless", "late")
