"""How every command answers: plain text for people, one JSON object for scripts, the exit status either way."""

from __future__ import annotations

import sys
from collections.abc import Iterable, Mapping
from dataclasses import asdict
from typing import TYPE_CHECKING, Any

from mintseed.core.errors import MintSeedError
from mintseed.core.findings import Finding, Severity, verdict, worst_first
from mintseed.core.units import binary_size
from mintseed.core.visible import one_line

if TYPE_CHECKING:
    from mintseed.core.card.progress import Progress

EXIT = {Severity.OK: 0, Severity.NOTE: 0, Severity.YET: 0, Severity.CHECK: 1, Severity.STOP: 2}
SIGNS = {
    Severity.OK: "ok   ",
    Severity.NOTE: "note ",
    Severity.YET: "yet  ",
    Severity.CHECK: "CHECK",
    Severity.STOP: "STOP ",
}


def tell(findings: Iterable[Finding], facts: Mapping[str, Any], *, as_json: bool) -> int:
    """Print findings and facts, and return the exit status: 0, 1 for a check, 2 for a stop."""
    found = worst_first(findings)
    if as_json:
        print(_json({"findings": findings_as_json(found), **facts}))
        return EXIT[verdict(found)]
    for name, value in facts.items():
        if isinstance(value, (list, tuple)):
            print(f"{name}:")
            for item in value:
                print(f"  {_line(item)}")
        elif value not in ("", None):
            print(f"{name}: {_line(value)}")
    for finding in found:
        print(f"{SIGNS[finding.severity]} {finding.title}")
        for text in (finding.detail, finding.fix):
            if text:
                print(f"      {text}")
    return EXIT[verdict(found)]


def _json(told: Mapping[str, Any]) -> str:
    import json  # only where it is asked for

    return json.dumps(told, indent=1, default=str)


def tell_error(error: MintSeedError) -> None:
    """Print `error` as the one JSON object a script waits for."""
    said = {"code": error.code, "sentence": error.sentence(), "found": error.found, "expected": error.expected, "where": error.where,
            "next_step": error.next_step}  # fmt: skip
    print(_json({"findings": [], "error": said}))


def tell_progress(progress: Progress) -> None:
    """Say on a terminal how far a card is; nothing where nobody watches."""
    if sys.stderr.isatty():
        done, total = binary_size(progress.done_bytes), binary_size(progress.total_bytes)
        print(f"\r{progress.phase}: {done} of {total}        ", end="", file=sys.stderr)


def findings_as_json(findings: Iterable[Finding]) -> list[dict[str, Any]]:
    return [_plain(f) for f in findings]


def _plain(finding: Finding) -> dict[str, Any]:
    keys = ("code", "severity", "title", "detail", "fix", "where", "source")
    return {k: v for k, v in asdict(finding).items() if k in keys}


def _line(value: Any) -> str:
    if isinstance(value, dict):
        return one_line(", ".join(f"{k} {v}" for k, v in value.items() if v not in ("", None, [], ())))
    return one_line(str(value))
