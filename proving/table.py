"""The table of outcomes, and what of it is a difference."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, fields
from pathlib import Path
from typing import Any

from mintseed.core.findings import Severity
from proving.cases import CASES, TIME_ZONE, Case
from proving.cell import Said, Seen


@dataclass(frozen=True, slots=True)
class Row:
    """One cell as it is kept between runs: when it was tried, with what, and what came of it."""

    build: str
    case: str
    when: str
    said: str
    pretend: str
    real: str
    asked: Mapping[str, str]
    differences: tuple[str, ...]
    after_s: float
    held_mb: int = 0
    """the most memory its machine's process held, 10⁶ bytes; 0 where that was not looked at"""


BOOT_TARGET_S = 90
"""what a boot of the proving ground is to stay under, from power to an address"""

JOINING, ADDRESS = ("netplan.value",), ("iwd.address-if",)
"""what the core says it cannot know of an image: whether its reader is of a release that knows a word, and who gives addresses there. No promise, so
nothing to differ from."""


def leaves_open(said: Said, codes: Sequence[str]) -> bool:
    """Return whether the core said that it does not know."""
    return any(f.code in codes and f.severity is Severity.CHECK for f in said.findings)


def said_words(said: Said) -> str:
    if said.joins is None:
        return f"stop: {next(f.title for f in said.findings if f.severity is Severity.STOP)}"
    checks = [f.title for f in said.findings if f.severity is Severity.CHECK]
    word = "may join" if leaves_open(said, JOINING) else "joins"
    return (word if said.joins else "does not join") + (f" (check: {checks[0]})" if checks else "")


def real_words(seen: Seen | None) -> str:
    if seen is None:
        return "not tried: nothing is written where there is a stop"
    return "joins" if seen.joined else f"does not join: {seen.why}"


def differences(
    said: Said,
    pretend: str,
    seen: Seen | None,
    case: Case,
    host_name: str,
    *,
    plays: bool,
    fixed: str,
    logs_in: bool = True,
) -> tuple[str, ...]:
    """Return in which respects core, pretend board and real reader do not agree. A stop is a difference only where the standard lets the board in
    and the reader could: that is the reader's to show, so it is not asked here. `plays`: whether the pretend board reads such files at all; `logs_in`:
    whether the image takes the place's key."""
    found = []
    if seen is None:
        return ()
    if said.joins is not seen.joined and not (said.joins and leaves_open(said, JOINING)):
        found.append(f"the core said that it {'joins' if said.joins else 'does not join'}")
    if plays and (pretend == "joins") is not seen.joined:
        found.append(f"the pretend board {'joins' if pretend == 'joins' else f'does not: {pretend}'}")
    if not seen.joined:
        return tuple(found)
    if fixed and seen.address != fixed and not leaves_open(said, ADDRESS):
        found.append(f"its address is {seen.address}, not {fixed}")
    if not fixed and seen.leased_name != host_name:
        found.append(f"its lease calls it {seen.leased_name or 'nothing'}")
    if not seen.name_answers:
        found.append(f"{host_name}.local does not answer")
    if not seen.page_found:
        found.append("its page was not found")
    if not logs_in:
        return tuple(found)
    if not seen.account:
        found.append("the key does not open its account")
    else:
        if seen.time_zone != TIME_ZONE:
            found.append(f"its time zone is {seen.time_zone or 'none'}")
        if seen.host_name != host_name:
            found.append(f"it calls itself {seen.host_name}")
    return tuple(found)


def asked(seen: Seen | None) -> dict[str, str]:
    """Return what was read off a machine, for the table."""
    if seen is None or not seen.joined:
        return {}
    return {
        "address": seen.address, "name in the lease": seen.leased_name or "–", "name.local": "answers" if seen.name_answers else "silent",
        "page": "found" if seen.page_found else "not found", "key": "opens" if seen.account else "does not open", "time zone": seen.time_zone or "–",
    }  # fmt: skip


def kept(path: Path) -> list[Row]:
    """Return the rows of earlier runs."""
    try:
        rows: list[dict[str, Any]] = json.loads(path.read_text())
    except (OSError, ValueError):
        return []
    known = {one.name for one in fields(Row)}
    return [
        Row(**{**{k: v for k, v in row.items() if k in known}, "differences": tuple(row["differences"])})
        for row in rows
    ]


def keep(path: Path, rows: Iterable[Row]) -> None:
    path.write_text(json.dumps([asdict(row) for row in rows], indent=1, ensure_ascii=False) + "\n")


def merged(before: Sequence[Row], fresh: Sequence[Row], builds: Sequence[str]) -> list[Row]:
    """Return the rows in the order of builds and cases, the fresh ones in place of those of earlier runs."""
    by = {(row.build, row.case): row for row in (*before, *fresh)}
    return [by[build, case.ident] for build in builds for case in CASES if (build, case.ident) in by]


MARK = {True: "joins", False: "stays off"}


def document(rows: Sequence[Row], builds: Sequence[str], about: str) -> str:
    """Return docs/proving.md."""
    by = {(row.build, row.case): row for row in rows}
    titles = {case.ident: case.title for case in CASES}
    lines = [
        "# Proving ground", "",
        "Cards filled by the application start a real Debian in a virtual machine; its own software reads the files and joins, or does not, an access",
        "point of a real hostapd over a simulated radio, asks a real DHCP server for an address, and is looked for by the application's own adapters.",
        "Made by `make prove`, which runs all of it. *joins* in bold: real reader, core and pretend board (where it reads such files) agree.", "",
        about, "",
        "| | " + " | ".join(builds) + " |", "|---|" + "---|" * len(builds),
    ]  # fmt: skip
    for case in CASES:
        cells = []
        for build in builds:
            row = by.get((build, case.ident))
            if row is None:
                cells.append("not tried")
            elif row.real.startswith("not tried"):
                cells.append("refused")
            else:
                word = "joins" if row.real == "joins" else "stays off"
                cells.append(f"**{word}**" if not row.differences else f"{word}; {'; '.join(row.differences)}")
        lines.append(f"| {titles[case.ident]} | " + " | ".join(cells) + " |")
    tried = [row for row in rows if not row.real.startswith("not tried")]
    joined = sorted(row.after_s for row in tried if row.real == "joins")
    lines += ["", f"{len(tried)} cards were started, {sum(bool(r.differences) for r in tried)} with a difference."]
    if joined:
        lines.append(
            f"From power to an address: {joined[0]:.0f} to {joined[-1]:.0f} s, half of them within {joined[len(joined) // 2]:.0f} s, "
            f"{sum(s < BOOT_TARGET_S for s in joined)} of {len(joined)} in under {BOOT_TARGET_S} s."
        )
    if held := max((row.held_mb for row in rows), default=0):
        lines.append(f"A machine's process held {held} MB of memory at most.")
    lines += ["", "*Joins* is more than an address: the name in the lease, NAME.local, the page, the account's key and the time zone were each asked and are",
              "right, or stand as a difference. *Stays off* is what was to be expected; *refused*: the core stops before anything is written.", "",
              "## What was said beforehand, and what came of it", "", "| Build | Case | Core | Pretend board | Real reader | Read off | When |", "|---|---|---|---|---|---|---|"]  # fmt: skip
    for row in rows:
        read = ", ".join(f"{name} {value}" for name, value in row.asked.items())
        real = f"{row.real}{f' after {row.after_s:.0f} s' if row.after_s else ''}"
        lines.append(
            f"| {row.build} | {titles[row.case]} | {row.said} | {row.pretend} | {real} | {read} | {row.when} |"
        )
    return "\n".join(lines) + "\n"
