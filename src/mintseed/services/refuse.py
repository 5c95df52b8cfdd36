"""Turn a finding that stops into a refusal."""

from __future__ import annotations

from collections.abc import Iterable

from mintseed.core.errors import RefusedError
from mintseed.core.findings import Finding, Severity


def refuse_stops(found: Iterable[Finding]) -> None:
    """Raise RefusedError for the first finding of `found` that stops."""
    stop = next((f for f in found if f.severity is Severity.STOP), None)
    if stop is not None:
        raise RefusedError(stop.title, where=stop.where.part or stop.where.file or stop.where.field, next_step=stop.fix)
