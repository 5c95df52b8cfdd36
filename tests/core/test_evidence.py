"""What the other stations found, as evidence about a late boot: nothing is claimed that nobody looked at."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest

from mintseed import wiring
from mintseed.core.boot import causes
from mintseed.core.boot.causes import BootEvidence
from mintseed.core.boot.console import ConsoleFacts, Heard
from mintseed.core.boot.evidence import gather
from mintseed.core.boot.run import RunFacts
from mintseed.core.codes import CODES
from mintseed.core.findings import Finding, Severity
from mintseed.core.settings.fill import FilledFile
from tests.core.settings.test_values import values

POWERED = datetime(2026, 11, 28, 9, 30, tzinfo=UTC)
RUN = RunFacts(
    1,
    POWERED,
    key_is_sites=False,
    joined_same=2,
    joined_other=3,
    console=ConsoleFacts(wrong=(Heard("key", 4.0, "handshake failed"),)),
)


def finding(code: str, severity: Severity, title: str = "") -> Finding:
    return Finding(code, severity, title or CODES[code].titles[0])


def file(*severities: Severity, country: bool = False) -> FilledFile:
    return FilledFile(
        "device.conf", "", "plain", b"", (), tuple(Finding("x.some", s, "Some") for s in severities), country
    )


def gathered(
    run: RunFacts | None = RUN, *, plan: tuple[Finding, ...] = (), image: tuple[Finding, ...] = (), filled: tuple[FilledFile, ...] = (),
    proven_at: datetime | None = None,
) -> BootEvidence:  # fmt: skip
    return gather(values(), run, wiring.boards()["sprig"], plan=plan, image=image, filled=filled, proven_at=proven_at)


def test_what_is_known_of_a_run_and_of_what_was_chosen() -> None:
    assert gathered(proven_at=POWERED - timedelta(seconds=90)) == BootEvidence(
        way="wifi", network="Quay House 2G", passphrase_is_sites=False, joined_with_same_key=2, joined_with_other_key=3, country="GB",
        board_name=wiring.boards()["sprig"].name, card_proven_ago_s=90.0, console_wrong={"key": "handshake failed"},
    )  # fmt: skip


def test_without_a_run_or_a_proof_nothing_is_known_of_them() -> None:
    none = gathered(None, proven_at=POWERED)
    assert (none.passphrase_is_sites, none.joined_with_same_key, none.joined_with_other_key) == (None, 0, 0)
    assert (none.card_proven_ago_s, dict(none.console_wrong)) == (None, {})
    assert gathered().card_proven_ago_s is None
    assert gather(values(way="cable"), None, None, plan=(), image=(), filled=(), proven_at=None).board_name == ""


@pytest.mark.parametrize(("filled", "sound", "country"), [
    ((), None, None),
    ((file(),), True, False),
    ((file(Severity.OK, Severity.NOTE),), True, False),
    ((file(Severity.OK), file(Severity.CHECK)), False, False),
    ((file(Severity.STOP), file(country=True)), False, True),
    ((file(), file(country=True)), True, True),
])  # fmt: skip
def test_files_are_sound_where_some_were_filled_and_read_well(
    filled: tuple[FilledFile, ...], sound: bool | None, country: bool | None
) -> None:
    found = gathered(filled=filled)
    assert (found.files_sound, found.country_in_file) == (sound, country)


def test_of_files_that_nobody_filled_nothing_is_said(monkeypatch: pytest.MonkeyPatch) -> None:
    """A device that is set by hand, or whose image nobody described, has no files that were filled and read well."""
    monkeypatch.setattr(causes, "SHOWN", 99)
    for filled, said in (((), ()), ((file(),), ("the image's own files were filled and read well",))):
        [found] = [c for c in causes.rank_causes(gathered(None, filled=filled)) if c.code == "boot.cause-file"]
        assert (found.speaks_for, found.speaks_against) == ((), said)


THIN, WEAK, DRAWN = (
    "Thin leaves few volts",
    "Block is weak for this",
    "The USB sockets of Sprig give too little for this",
)
TWO = "Block and Cap would both feed the board"


@pytest.mark.parametrize(("plan", "carries", "doubts"), [
    ((), None, ()),
    ((finding("plan.board-fits", Severity.OK),), None, ()),
    ((finding("plan.supply-fits", Severity.OK),), True, ()),
    ((finding("plan.supply-tight", Severity.NOTE),), True, ()),
    ((finding("plan.feeder-carries", Severity.OK),), True, ()),
    ((finding("plan.supply-fits", Severity.OK), finding("plan.cable-drop-near", Severity.CHECK, THIN)), False, (THIN,)),
    ((finding("plan.supply-weak", Severity.CHECK, WEAK), finding("plan.usb-overdrawn", Severity.CHECK, DRAWN)), False, (WEAK, DRAWN)),
    ((finding("plan.two-supplies", Severity.STOP, TWO), finding("x.other", Severity.STOP, "Other")), False, (TWO,)),
    ((finding("x.supply-unknown", Severity.NOTE, "Nobody knows"),), None, ()),
])  # fmt: skip
def test_what_the_plan_says_of_power(plan: tuple[Finding, ...], carries: bool | None, doubts: tuple[str, ...]) -> None:
    found = gathered(plan=plan)
    assert (found.supply_carries, found.supply_doubts) == (carries, doubts)


@pytest.mark.parametrize(("image", "known"), [
    ((), None),
    ((finding("image.sha256-matches", Severity.OK),), None),
    ((finding("plan.board-fits", Severity.OK),), True),
    ((finding("plan.board-not-in-image", Severity.STOP),), False),
    ((finding("plan.image-other-processor", Severity.STOP),), False),
    ((finding("plan.board-newer-than-release", Severity.STOP), finding("plan.board-fits", Severity.OK)), False),
])  # fmt: skip
def test_what_the_image_says_of_the_board(image: tuple[Finding, ...], known: bool | None) -> None:
    assert gathered(image=image).board_in_image is known
