"""End a boot run, and say how it ended."""

from __future__ import annotations

from dataclasses import dataclass

from mintseed.core.boot.causes import Cause
from mintseed.core.findings import Finding, Severity
from mintseed.core.units import duration
from mintseed.core.walk import Walk
from mintseed.services.refuse import refuse_stops


@dataclass(frozen=True, slots=True)
class PoweredOff:
    """`ended`: `joined`, `late` or `early`; `causes` as judged at this moment, kept with the run."""

    ended: str
    lasted_s: float
    causes: tuple[Cause, ...]
    log_text: str


def check(walk: Walk) -> tuple[Finding, ...]:
    """Return why there is nothing to switch off; nothing when there is."""
    if walk.inputs.run is None or not walk.inputs.run.powered:
        return (Finding("boot.not-powered", Severity.STOP, "It is not powered", fix="There is nothing to switch off."),)
    return ()


def execute(walk: Walk, *, by_hand: bool) -> PoweredOff:
    """Return how the run of `walk` ended. Raises RefusedError when none runs."""
    refuse_stops(check(walk))
    run, band = walk.inputs.run, walk.band
    assert run is not None
    late = band is not None and walk.clock.judged_s >= band.late_after_s
    ended = "joined" if run.joined_after_s is not None else "late" if late else "early"
    causes = walk.causes
    said = {
        "joined": "it had joined",
        "late": f"late; likeliest: {causes[0].title}" if causes else "late",
        "early": "before it was late",
    }[ended]
    where = "card still in the board" if by_hand else "card back in the reader"
    return PoweredOff(
        ended, walk.clock.elapsed_s, causes, f"Powered off after {duration(walk.clock.elapsed_s)}, {said}; {where}"
    )
