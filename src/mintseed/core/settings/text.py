"""A settings file as text that can be given back byte for byte: lines, each with its own end, in the file's own encoding.

A changed file differs in the lines that had to change and in no other byte. What the readers cannot take at all is put
right on the way: a byte-order mark, UTF-16, lone CRs, and CR LF where a shell reads the file.
"""

from __future__ import annotations

import difflib
import re
from collections import Counter
from dataclasses import dataclass

from mintseed.core.errors import SettingsFileError

_LINE = re.compile(r"([^\r\n]*)(\r\n|\n|\r|\Z)")


@dataclass(frozen=True, slots=True)
class TextLine:
    """`end` is the line's own end, empty for a last line without one."""

    text: str
    end: str


@dataclass(frozen=True, slots=True)
class SettingsText:
    """`encoding` is that of the file's bytes, a byte-order mark left out."""

    encoding: str
    lines: tuple[TextLine, ...]

    @property
    def text(self) -> str:
        """The lines with Unix ends, as the dialects read them."""
        return "".join(line.text + ("\n" if line.end else "") for line in self.lines)

    @property
    def usual_end(self) -> str:
        """The line end most lines have."""
        ends = Counter(line.end for line in self.lines if line.end)
        return ends.most_common(1)[0][0] if ends else "\n"

    def encoded(self) -> bytes:
        """Return the file's bytes. Raises SettingsFileError for a letter its encoding does not have."""
        try:
            return "".join(line.text + line.end for line in self.lines).encode(self.encoding)
        except UnicodeEncodeError as error:
            raise SettingsFileError(
                f"{error.object[error.start]!r} does not exist in this file's encoding ({self.encoding})",
                next_step="Write the value in plain letters.",
            ) from error


def split(data: bytes) -> SettingsText:
    """Return `data` as lines; a byte-order mark and UTF-16 go, since no reader here takes them. Reads any bytes."""
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return SettingsText("utf-8", _lines(data.decode("utf-16", "replace")))
    data = data.removeprefix(b"\xef\xbb\xbf")
    try:
        return SettingsText("utf-8", _lines(data.decode("utf-8")))
    except UnicodeDecodeError:
        return SettingsText("latin-1", _lines(data.decode("latin-1")))


def _lines(text: str) -> tuple[TextLine, ...]:
    found = (TextLine(m[1], m[2]) for m in _LINE.finditer(text))
    return tuple(line for line in found if line.text or line.end)


def with_text(before: SettingsText, after: str, *, unix_ends: bool) -> SettingsText:
    """Return `before` with the text `after` (Unix ends). Lines that stay or change keep their ends; new ones get the usual one.

    `unix_ends`: the reader takes no CR LF, so every line end is put right. Lone CRs are always put right.
    """
    wanted = [(m[1], m[2]) for m in _LINE.finditer(after) if m[1] or m[2]]
    old, new = [line.text for line in before.lines], [text for text, _ in wanted]
    ends = [_end(before.usual_end, unix_ends)] * len(new)
    for tag, i1, i2, j1, j2 in matched(old, new):
        if tag in ("equal", "replace"):
            # A line that was changed ends as the one in its place did.
            for k in range(min(i2 - i1, j2 - j1)):
                ends[j1 + k] = _end(before.lines[i1 + k].end, unix_ends)
    closed = [end or "\n" if kept else "" for end, (_, kept) in zip(ends, wanted, strict=True)]
    return SettingsText(before.encoding, tuple(TextLine(t, e) for t, e in zip(new, closed, strict=True)))


def _end(end: str, unix_ends: bool) -> str:
    return "\n" if end == "\r" or (end == "\r\n" and unix_ends) else end


def append_lines(lines: list[str], fresh: list[str]) -> None:
    """Add `fresh` at the end of `lines` (a text split at its line ends); what stands there stays, blank lines too."""
    if lines and not lines[-1]:
        lines.pop()  # what split() leaves behind the last line end
    lines += [*fresh, ""]


Opcode = tuple[str, int, int, int, int]

MOST_COMPARED = 2000
"""lines compared by difflib, which takes up to the square of them; longer middles are walked once, see `_walked`."""

_LOOK_AHEAD = 16
"""lines looked ahead for where both go on alike; filling changes, adds or drops few lines in a row."""


def matched(old: list[str], new: list[str]) -> list[Opcode]:
    """Return how `old` becomes `new`, as difflib's opcodes. What is alike at both ends is not compared twice."""
    start = next((i for i, (a, b) in enumerate(zip(old, new, strict=False)) if a != b), min(len(old), len(new)))
    tail = 0
    while tail < min(len(old), len(new)) - start and old[-1 - tail] == new[-1 - tail]:
        tail += 1
    a, b = old[start : len(old) - tail], new[start : len(new) - tail]
    if len(a) + len(b) <= MOST_COMPARED:
        middle: list[Opcode] = [(*op,) for op in difflib.SequenceMatcher(None, a, b, autojunk=False).get_opcodes()]
    else:
        middle = _walked(a, b)
    shifted = [(tag, i1 + start, i2 + start, j1 + start, j2 + start) for tag, i1, i2, j1, j2 in middle]
    head: list[Opcode] = [("equal", 0, start, 0, start)] if start else []
    last: list[Opcode] = [("equal", len(old) - tail, len(old), len(new) - tail, len(new))] if tail else []
    return head + shifted + last


def _walked(old: list[str], new: list[str]) -> list[Opcode]:
    """Return the opcodes of one walk along both: time linear in their length, however alike their lines are."""
    found: list[Opcode] = []
    i = j = 0
    while i < len(old) or j < len(new):
        same = 0
        while i + same < len(old) and j + same < len(new) and old[i + same] == new[j + same]:
            same += 1
        if same:
            found.append(("equal", i, i + same, j, j + same))
            i, j = i + same, j + same
            continue
        di, dj = _next_alike(old, new, i, j)
        found.append(("replace" if di and dj else "delete" if di else "insert", i, i + di, j, j + dj))
        i, j = i + di, j + dj
    return found


def _next_alike(old: list[str], new: list[str], i: int, j: int) -> tuple[int, int]:
    """Return the fewest lines to pass over in both until they go on alike; everything when they do not soon."""
    for passed in range(1, 2 * _LOOK_AHEAD):
        for di in range(max(0, passed - _LOOK_AHEAD), min(passed, _LOOK_AHEAD) + 1):
            dj = passed - di
            if i + di < len(old) and j + dj < len(new) and old[i + di] == new[j + dj]:
                return di, dj
    return len(old) - i, len(new) - j
