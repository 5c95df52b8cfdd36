"""Say which address is the device, with the evidence there is for it."""

from __future__ import annotations

from dataclasses import dataclass

from mintseed.core.findings import Finding, Severity
from mintseed.core.walk import Walk
from mintseed.services.refuse import refuse_stops


@dataclass(frozen=True, slots=True)
class Claimed:
    address: str
    mac: str
    evidence: tuple[str, ...]
    log_text: str


def check(walk: Walk, address: str) -> tuple[Finding, ...]:
    """Return why `address` may not be claimed; nothing when it may be."""
    run = walk.inputs.run
    if run is None or not run.powered:
        return (
            Finding("find.not-powered", Severity.STOP, "The board is not powered", fix="Power it under First boot."),
        )
    if not any(c.address == address for c in run.candidates):
        return (
            Finding(
                "find.not-seen", Severity.STOP, f"{address} was not seen", fix="Look again and pick one from the list."
            ),
        )
    return ()


def execute(walk: Walk, address: str) -> Claimed:
    """Return the claim. Raises RefusedError for an address nobody saw."""
    refuse_stops(check(walk, address))
    assert walk.inputs.run is not None
    candidate = next(c for c in walk.inputs.run.candidates if c.address == address)
    evidence = tuple(e.text for e in candidate.evidence)
    return Claimed(
        candidate.address, candidate.mac, evidence, f"Claimed {candidate.address}: {', '.join(evidence) or 'by hand'}"
    )
