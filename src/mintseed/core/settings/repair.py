"""Mend what is wrong with a settings file, one finding at a time or all together: the smallest change that says what was meant.

A finding without a mender is the person's to decide: which of two networks, which passphrase, which address.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from mintseed.core.errors import MintSeedError
from mintseed.core.findings import Finding, Severity
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.fill import check_file
from mintseed.core.settings.menders import MENDERS
from mintseed.core.settings.mending import Place
from mintseed.core.settings.text import split

MOST_STEPS = 60
"""repairs one after another; a file that wants more is no longer the one that was written"""


@dataclass(frozen=True, slots=True)
class Repair:
    """`number`: which of the file's findings it mends; `does`: what it would do, as one says it to a helper; `content`: the file after it alone."""

    number: int
    does: str
    content: bytes = field(repr=False)


@dataclass(frozen=True, slots=True)
class Looked:
    """What is wrong with a file and what can be done: `repairs` one by one, the one to begin with first, `mended` with all of them, `left` what is still to be said then."""

    findings: tuple[Finding, ...]
    repairs: tuple[Repair, ...]
    mended: bytes = field(repr=False)
    left: tuple[Finding, ...] = ()


def look_at(data: bytes, path: str, dialect: str, file: FileToFill | None = None) -> Looked:
    """Return what is wrong with `data` and how it can be mended. Nothing is changed but what is returned."""
    findings = check_file(data, path, dialect, file)
    repairs = []
    for finding in _in_order(findings):
        done = _mend(data, finding, dialect)
        if done is not None and done[1] != data and _helps(finding, findings, check_file(done[1], path, dialect, file)):
            repairs.append(Repair(findings.index(finding), *done))
    if not repairs:
        return Looked(findings, (), data, findings)
    mended, left = _all_mended(data, findings, path, dialect, file)
    return Looked(findings, tuple(repairs), mended, left)


def _all_mended(
    data: bytes, findings: tuple[Finding, ...], path: str, dialect: str, file: FileToFill | None
) -> tuple[bytes, tuple[Finding, ...]]:
    """Return the file with every repair, and what is left to be said of it. One with more faults than are told is only saved well: it is
    another file than the one that is meant."""
    if any(f.code == "file.more-findings" for f in findings):
        saved = _saved_well(data) if any(f.code in _SAVED for f in findings) else data
        return saved, check_file(saved, path, dialect, file)
    mended, left = data, findings
    tried: set[tuple[str, int, bytes]] = set()
    for _ in range(MOST_STEPS):
        step = next(
            (
                (f, d[1])
                for f in _in_order(left)
                if (f.code, f.where.line, mended) not in tried and (d := _tried(mended, f, dialect, tried))
            ),
            None,
        )
        if step is None:
            break
        after = check_file(step[1], path, dialect, file)
        if _helps(step[0], left, after):
            mended, left = step[1], after
    return mended, left


def _helps(finding: Finding, before: Sequence[Finding], after: Sequence[Finding]) -> bool:
    """Return whether mending it stops no more than before: a line taken out may leave another without what belongs below it. What is behind
    a part that was not open is seen only now, and was there before."""
    stops = [sum(f.severity is Severity.STOP for f in found) for found in (before, after)]
    return finding.code in _FIRST or finding.code in _SAVED or stops[1] <= stops[0]


_FIRST = (
    "file.curly-quotes", "file.no-break-space", "file.unseen-letter", "cloud-init.header", "yaml.tab", "wifi.block-open", "wifi.brace-alone", "wifi.block-unclosed", "wifi.no-network",
    "keyfile.section-unknown", "interfaces.misplaced", "wifi.blank-at-equals",
)  # fmt: skip
"""What the rest of a file hangs on: the file itself, then what opens and closes its parts."""


def _in_order(findings: Iterable[Finding]) -> list[Finding]:
    """Return `findings` in the order they are mended in: what is wrong behind a block that is not open is seen only once it is."""
    rank = {**dict.fromkeys(_SAVED, -1), **{code: n for n, code in enumerate(_FIRST)}}
    return sorted(findings, key=lambda f: rank.get(f.code, len(_FIRST)))


def _tried(data: bytes, finding: Finding, dialect: str, tried: set[tuple[str, int, bytes]]) -> tuple[str, bytes] | None:
    tried.add((finding.code, finding.where.line, data))
    done = _mend(data, finding, dialect)
    return done if done is not None and done[1] != data else None


def _mend(data: bytes, finding: Finding, dialect: str) -> tuple[str, bytes] | None:
    """Return what mending one finding does and the file after it; None where nobody but the person can."""
    if finding.code in _SAVED:
        return _SAVED[finding.code], _saved_well(data)
    mender = MENDERS.get(finding.code)
    if mender is None or finding.severity is Severity.OK:
        return None
    text = split(data)
    ends = {line.end for line in text.lines if line.end}
    try:
        done = mender(Place(text.text.split("\n"), finding, dialect))
    except MintSeedError:
        return None
    if done is None:
        return None
    end = text.usual_end if len(ends) == 1 else "\n"
    try:
        return done.does, end.join(done.lines).encode(text.encoding)
    except UnicodeEncodeError:
        return None


_SAVED = {
    "file.byte-order-mark": "Save it without the mark", "file.utf-16": "Save it as UTF-8", "file.not-utf-8": "Save it as UTF-8", "file.crlf": "Save it with Unix line ends",
    "file.cr-only": "Save it with Unix line ends", "file.cr-twice": "Save it with Unix line ends",
}  # fmt: skip


def _saved_well(data: bytes) -> bytes:
    """Return the file as UTF-8 without a mark, with Unix line ends."""
    text = split(data)
    return re.sub("\r+\n|\r", "\n", "".join(line.text + line.end for line in text.lines)).encode()
