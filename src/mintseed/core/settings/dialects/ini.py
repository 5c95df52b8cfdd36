"""Files of sections and key=value lines. Source: Python's configparser, whose reading is the widest known; GLib's and systemd's are alike."""

from __future__ import annotations

import re
from collections.abc import Iterator

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.ini_text import read
from mintseed.core.settings.meaning import Meaning, of_pairs
from mintseed.core.settings.pairs import pairs_of
from mintseed.core.settings.sections import set_key
from mintseed.core.settings.values import SettingValues

SOURCE = "Python documentation, configparser"


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with the recipe's keys set, each named section/key; a key alone stands before the first section.

    Raises SettingsFileError for a value that no line can carry.
    """
    lines = text.split("\n")
    blanks = " " if _blanks(lines) else ""
    for place, template in file.values.items():
        value = values.for_template(template)
        if not value:
            continue
        section, _, key = place.rpartition("/")
        wanted = carried(value, file.place)
        said = [line for line in read("\n".join(lines)) if (line.section, line.key) == (section, key.lower())]
        at = next((line.number - 1 for line in said if line.kind == "key"), None)
        if at is None:
            set_key(lines, section, key, wanted, blanks=blanks)
            continue
        # A value that goes on in further lines goes with them; a second line of the key goes too.
        gone = {line.number - 1 for line in said} - {at}
        head = re.match(r"\s*[^=:]*[=:][ \t]*", lines[at])
        lines[at] = (head[0] if head else f"{key}=") + wanted
        lines = [line for number, line in enumerate(lines) if number not in gone]
    return "\n".join(lines)


def carried(value: str, place: str) -> str:
    """Return `value`, which stands in one line as it is. Raises SettingsFileError where the reader would take another."""
    if "\n" in value or "\r" in value or value != value.strip():
        raise SettingsFileError("a value holds a line end or a blank at its end", expected="one line", where=place,
                                next_step="Choose another value.")  # fmt: skip
    return value


def _blanks(lines: list[str]) -> bool:
    """Return whether most lines of the file have blanks at both sides of their equals sign."""
    keyed = [line for line in lines if re.match(r"\s*[A-Za-z]", line) and "=" in line]
    return sum(" = " in line for line in keyed) * 2 > len(keyed)


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield what configparser would refuse or take otherwise than meant."""
    headless = file is not None and any("/" not in place for place in file.values)
    seen: dict[tuple[str, str], int] = {}
    opened: dict[str, int] = {}
    for line in read(text):
        where = Where(file=path, line=line.number)
        if line.kind == "section":
            if line.section in opened:
                yield _refused(
                    "ini.section-doubled",
                    f"[{line.section}] stands here twice, first in line {opened[line.section]}",
                    "Keep one, with the lines of both.",
                    where,
                )
            opened.setdefault(line.section, line.number)
            if line.tail:
                yield Finding("ini.section-tail", Severity.CHECK, f"Something stands behind the section in line {line.number}", "This reader passes over it; others refuse the file.",
                              "Put it in a line of its own.", where, SOURCE)  # fmt: skip
        elif not line.section and not headless:
            yield _refused(
                "ini.no-section",
                f"Line {line.number} stands before the first section",
                "Put it below its [section].",
                where,
            )
        elif line.kind == "odd":
            yield _refused(
                "ini.line",
                f"Line {line.number} is no setting",
                "Write key=value below a [section], or put # before it.",
                where,
            )
        elif line.kind == "key":
            if (line.section, line.key) in seen:
                yield _refused(
                    "ini.key-doubled",
                    f"{line.key} stands here twice, first in line {seen[line.section, line.key]}",
                    "Keep one.",
                    where,
                )
            seen.setdefault((line.section, line.key), line.number)
            if len(line.value) > 1 and line.value[0] in "\"'" and line.value[-1] == line.value[0]:
                yield Finding("ini.quotes", Severity.CHECK, f"Quotes around {line.key}", "Most readers of such files take them as part of the value.",
                              "Remove the quotes.", where, SOURCE)  # fmt: skip


def _refused(code: str, title: str, fix: str, where: Where) -> Finding:
    return Finding(code, Severity.STOP, title, "The reader refuses the whole file because of it.", fix, where, SOURCE)


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return what its keys set."""
    return of_pairs(pairs_of("ini", text), file)
