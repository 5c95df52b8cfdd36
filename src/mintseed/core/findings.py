"""Findings: every judgement the program makes, with its reason and its cure."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from mintseed.core.visible import one_line, visible

COMMON_PRACTICE = "common practice"

LONGEST = {"title": 300, "detail": 4000, "fix": 4000}
"""characters of what a finding says; what it quotes may be a line of any length"""


class Severity(StrEnum):
    """How much a finding stands in the way, from worst to best. `yet`: nothing is wrong, something is not chosen yet."""

    STOP = "stop"
    CHECK = "check"
    YET = "yet"
    NOTE = "note"
    OK = "ok"


_RANK = {Severity.STOP: 4, Severity.CHECK: 3, Severity.YET: 2, Severity.NOTE: 1, Severity.OK: 0}


@dataclass(frozen=True, slots=True)
class Where:
    """The place a finding speaks of; every part may be empty. `line` counts from 1; 0 means the whole file."""

    file: str = ""
    line: int = 0
    part: str = ""
    field: str = ""

    def __post_init__(self) -> None:
        for name in ("file", "part", "field"):
            if not (value := getattr(self, name)).isprintable():
                object.__setattr__(self, name, one_line(value))


@dataclass(frozen=True, slots=True)
class Action:
    """Something the program can do about a finding: go to a station, or set one field to a value."""

    label: str
    station: str
    field: str = ""
    value: str = ""


@dataclass(frozen=True, slots=True)
class Finding:
    """One judgement. `code` is stable and dotted; `source` names the standard and section, or common practice."""

    code: str
    severity: Severity
    title: str
    detail: str = ""
    fix: str = ""
    where: Where = Where()
    source: str = COMMON_PRACTICE
    action: Action | None = None

    def __post_init__(self) -> None:
        # Titles and details quote files and pages: nothing in them reaches a terminal or a screen unseen, or fills it.
        for name, most in LONGEST.items():
            value = getattr(self, name)
            if not value.isprintable():
                object.__setattr__(self, name, value := visible(value))
            if len(value) > most:
                object.__setattr__(self, name, f"{value[: most - 1]}…")


def verdict(findings: Iterable[Finding]) -> Severity:
    """Return the worst severity among `findings`; nothing found is `ok`."""
    return max((f.severity for f in findings), key=_RANK.__getitem__, default=Severity.OK)


def worst_first(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Return `findings` ordered from worst to best, equal ones in the order they came."""
    return tuple(sorted(findings, key=lambda f: -_RANK[f.severity]))
