"""Texts with [sections] and key=value lines, edited in place: of comments, order and blank lines none is lost."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from mintseed.core.settings.text import append_lines

BLANKS = " \t\r\f\v"
"""what readers of such files take for blanks (GLib's g_ascii_isspace); others are letters"""

_SECTION = re.compile(r"^[ \t]*\[([^\[\]]+)\][ \t\r]*$")


@dataclass(frozen=True, slots=True)
class SectionLine:
    """One line that is neither empty nor a comment. `section`: the one it stands in, empty before the first; `opens`: whether it opens it.
    `key` is None for a line that is no setting."""

    number: int
    section: str
    opens: bool
    key: str | None
    value: str
    raw: str = ""
    """the line as it stands there"""


def section_of(line: str, aliases: Mapping[str, str] | None = None) -> str | None:
    """Return the section `line` opens, by its usual name; None when it opens none."""
    match = _SECTION.match(line)
    return (aliases or {}).get(match[1], match[1]) if match else None


def read_lines(
    text: str, comments: tuple[str, ...] = ("#", ";"), aliases: Mapping[str, str] | None = None
) -> Iterator[SectionLine]:
    """Yield every line that says something."""
    section = ""
    for number, line in enumerate(text.split("\n"), 1):
        bare = line.strip(BLANKS)
        if not bare or bare.startswith(comments):
            continue
        if (opened := section_of(line, aliases)) is not None:
            section = opened
            yield SectionLine(number, section, True, None, "", line)
            continue
        key, equals, value = line.partition("=")
        yield SectionLine(number, section, False, key.strip(BLANKS) if equals else None, value.lstrip(BLANKS), line)


def spans(lines: list[str], section: str, aliases: Mapping[str, str] | None = None) -> list[tuple[int, int]]:
    """Return where each section of this name begins and ends: readers join them. The lines before the first one are section ''."""
    opened = [(i, name) for i, line in enumerate(lines) if (name := section_of(line, aliases)) is not None]
    ends = [i for i, _ in opened[1:]] + [len(lines)]
    if not section:
        return [(-1, opened[0][0] if opened else len(lines))]
    return [(i, end) for (i, name), end in zip(opened, ends, strict=False) if name == section]


def span(lines: list[str], section: str, aliases: Mapping[str, str] | None = None) -> tuple[int, int] | None:
    """Return where the first such section begins and ends; None where there is none."""
    return next(iter(spans(lines, section, aliases)), None)


def at(lines: list[str], section: str, key: str, aliases: Mapping[str, str] | None = None) -> list[int]:
    """Return the lines that set `key` in `section`, in all of that name."""
    return [
        i
        for start, end in spans(lines, section, aliases)
        for i in range(start + 1, end)
        if lines[i].partition("=")[0].strip(BLANKS) == key and "=" in lines[i]
    ]


_COMMENTED = re.compile(r"^\s*[#;]\s*([^=\s][^=]*?)\s*=")


def set_key(
    lines: list[str],
    section: str,
    key: str,
    value: str,
    *,
    same: tuple[str, ...] = (),
    blanks: str = "",
    aliases: Mapping[str, str] | None = None,
) -> None:
    """Set `key` in `section`: its line in place, a commented example of it brought to life, or a new line at the end of the section.

    `same`: other ways to say `value`, which stay. `blanks`: what stands at both sides of a new line's equals sign. A second line of the key
    goes, also from a second section of this name: of both the reader would take the later.
    """
    wanted = f"{key}{blanks}={blanks}{value}"
    if there := at(lines, section, key, aliases):
        head, _, now = lines[there[0]].partition("=")
        if now.lstrip(BLANKS) not in (value, *same):
            lines[there[0]] = f"{head}={now[: len(now) - len(now.lstrip(BLANKS))]}{value}"
        for extra in reversed(there[1:]):
            del lines[extra]
        return
    found = span(lines, section, aliases)
    if found is None:
        append_lines(lines, [*([""] if any(lines) else []), f"[{section}]", wanted])
        return
    start, end = found
    example = next((i for i in range(start + 1, end) if (m := _COMMENTED.match(lines[i])) and m[1] == key), None)
    if example is not None:
        lines[example] = wanted
        return
    while end > start + 1 and not lines[end - 1].strip():
        end -= 1
    lines.insert(max(end, 0), wanted)
    if end == len(lines) - 1:
        lines.append("")
