"""How each station stands and what to do there next, from the few facts that decide it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mintseed.core.boot.band import Band, BootState, state_at
from mintseed.core.findings import Finding, Severity, verdict, worst_first
from mintseed.core.line import StationState
from mintseed.core.setup.steps import StepResult
from mintseed.core.units import clock, duration


def _stopped(findings: Sequence[Finding], button: str = "Fix") -> StationState | None:
    """Return the state of a station that a finding stops, or None when nothing does."""
    worst = worst_first(findings)
    if not worst or worst[0].severity is not Severity.STOP:
        return None
    return StationState(False, Severity.STOP, next_step=worst[0].title, next_detail=worst[0].fix, button=button)


def plan_state(findings: Sequence[Finding], *, complete: bool) -> StationState:
    """`complete` says whether everything that must be chosen is chosen."""
    if stopped := _stopped(findings):
        return stopped
    missing = next((f for f in findings if f.severity is Severity.YET), None)
    if not complete:
        return StationState(
            False, next_step="Say what goes together", next_detail=missing.title if missing else "", button="Plan it"
        )
    if missing is not None:
        # It can go on without; that something is left open stays said.
        return StationState(True, Severity.CHECK, note=missing.title.removesuffix(" yet").lower())
    return StationState(True, verdict(findings), note="fits")


def image_state(findings: Sequence[Finding], *, chosen: bool, read: bool, reading: bool) -> StationState:
    """`chosen`: a file is picked; `read`: its X-ray is there; `reading`: a job reads it now."""
    if not chosen:
        return StationState(False, next_step="Choose the image", next_detail="from the library", button="Choose")
    if reading:
        return StationState(
            False, running=True, next_step="Reading the image", next_detail="it is unpacked once", button="Watch"
        )
    if not read:
        return StationState(
            False, next_step="Read the image", next_detail="nothing is known about this file yet", button="Read it"
        )
    if stopped := _stopped(findings):
        return stopped
    return StationState(
        True, verdict(findings), note="whole, right board" if verdict(findings) is Severity.OK else "look at it"
    )


FROM_THE_NETWORK = StationState(True, note="over the network")
"""an image that nobody chooses here"""

BLANK_CARD = StationState(True, note="a blank card")
"""a card that nothing is written to before"""


def settings_state(findings: Sequence[Finding], *, agreed: bool, files: int) -> StationState:
    """`agreed`: the person looked at the filled files and went on; `files`: how many are filled."""
    if stopped := _stopped(findings):
        return stopped
    if not agreed:
        return StationState(
            False, verdict(findings), next_step="Look over the settings", next_detail="filled from the site, nothing written yet",
            button="Look",
        )  # fmt: skip
    return StationState(True, verdict(findings), note=f"{files} file{'s' * (files != 1)}")


@dataclass(frozen=True, slots=True)
class CardFacts:
    """`writing`: a job is at it; `trouble`: how the last one ended, empty when well; `current`: the proven card holds
    exactly what settings and image say now; `void_why`: what ended an earlier proof."""

    writing: bool
    trouble: str
    proven: bool
    current: bool
    void_why: str = ""


def card_state(facts: CardFacts) -> StationState:
    """Only a card that was read back and compared is done."""
    if facts.writing:
        return StationState(
            False, running=True, next_step="Writing the card", next_detail="leave it in the reader", button="Watch"
        )
    if facts.trouble:
        return StationState(
            False, Severity.STOP, next_step="Write the card again", next_detail=facts.trouble, button="Fix"
        )
    if facts.proven and not facts.current:
        return StationState(
            False, Severity.CHECK, next_step="Write the card again", next_detail="the settings or the image changed since it was written",
            button="Continue",
        )  # fmt: skip
    if not facts.proven and facts.void_why:
        return StationState(
            False, Severity.CHECK, next_step="Write the card again", next_detail=facts.void_why, button="Continue"
        )
    if not facts.proven:
        return StationState(False, next_step="Write the card", next_detail="put a card in the reader")
    return StationState(True, note="proven")


@dataclass(frozen=True, slots=True)
class BootFacts:
    """`until` is the clock time at which this boot is late, `since` that of power-on, as text; empty when it is not
    powered. `failed_run` is the number of the last run when it ended without the board joining, else 0."""

    powered: bool
    elapsed_s: float
    """at which it is judged"""
    joined_after_s: float | None
    until: str = ""
    since: str = ""
    failed_run: int = 0
    likeliest: str = ""
    unseen_since: str = ""
    """clock time since which nobody looks, empty while somebody does"""


def boot_state(facts: BootFacts, band: Band | None) -> StationState:
    """A boot is done when the board was seen on the network."""
    if facts.joined_after_s is not None:
        return StationState(True, note=duration(facts.joined_after_s))
    if facts.failed_run:
        why = f"; likeliest: {facts.likeliest}" if facts.likeliest else ""
        return StationState(
            False, Severity.CHECK, next_step=f"Run {facts.failed_run} did not join: see what it showed",
            next_detail=f"powered for {duration(facts.elapsed_s)}, never on the network{why}", button="See why",
        )  # fmt: skip
    if not facts.powered or band is None:
        return StationState(False, next_step="Put it together and power it", next_detail="card first, supply last")
    state = state_at(band, facts.elapsed_s, None)
    if state in (BootState.LATE, BootState.HOPELESS):
        severity = Severity.STOP if state is BootState.HOPELESS else Severity.CHECK
        return StationState(
            False, severity, next_step="See why it is late",
            next_detail=f"powered since {facts.since}, and not on the network", button="See why",
        )  # fmt: skip
    if facts.unseen_since:
        return StationState(
            False, Severity.CHECK, next_step=f"Not looked at since {facts.unseen_since}",
            next_detail="its bench does not look, so how the boot goes is not known", button="See",
        )  # fmt: skip
    word = "assumed" if band.assumed else "usual"
    usual = f"{word} {clock(band.usual_from_s)} to {clock(band.usual_to_s)}"
    return StationState(
        False, running=True, next_step=f"Give it until {facts.until}",
        next_detail=f"powered on at {facts.since}; {usual}", button="Watch",
    )  # fmt: skip


def find_state(
    findings: Sequence[Finding], *, claimed: str, seen_at: str, page_answers: bool, powered: bool
) -> StationState:
    """`claimed`: the address a person said is it; `seen_at`: the address that looks like it."""
    if claimed:
        return StationState(True, note=claimed)
    if not powered:
        return StationState(
            False, next_step="Power it on to find it", next_detail="nothing is looked for while it is off"
        )
    if seen_at:
        detail = f"{seen_at} answers" if page_answers else f"{seen_at} is new; its page does not answer yet"
        return StationState(False, next_step="Open its page, then claim it", next_detail=detail)
    return StationState(
        False,
        verdict(findings),
        next_step="Look for it on the network",
        next_detail="leases, names and pages",
        button="Look",
    )


def setup_state(results: Sequence[StepResult]) -> StationState:
    """Done when every step is."""
    left = [r for r in results if r.state != "done"]
    if not left:
        return StationState(True, note=f"{len(results)} steps")
    failed = next((r for r in left if r.state == "failed"), None)
    if failed is not None and failed.finding is not None:
        return StationState(
            False, failed.finding.severity, next_step=failed.step.title, next_detail=failed.finding.title, button="Fix"
        )
    count = len(results)
    return StationState(
        False, next_step=left[0].step.title, next_detail=f"step {results.index(left[0]) + 1} of {count}"
    )


def keep_state(*, kept: bool) -> StationState:
    """Done when the label was taken and the record closed."""
    if kept:
        return StationState(
            True, note="on record", next_step="In service", next_detail="the record is kept", button="Open"
        )
    return StationState(False, next_step="Print its label", next_detail="then it is in service")
