"""KEY=value files. Whether quotes are wanted is the recipe's to say."""

from __future__ import annotations

import re
from collections.abc import Iterator

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.values import SettingValues


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with the recipe's keys set. A key whose template comes out empty is left as it was.

    Raises SettingsFileError for a value that the file's quoting cannot carry.
    """
    lines = text.split("\n")
    for key, template in file.values.items():
        value = template.format(
            host_name=values.host_name,
            time_zone=values.time_zone,
            keyboard=values.keyboard,
            country=values.country,
            admin_name=values.admin_name,
            admin_hash=values.admin_hash,
        )
        if value:
            _set(lines, key, _quoted(value, file))
    return "\n".join(lines)


def _quoted(value: str, file: FileToFill) -> str:
    if "\n" in value or "\r" in value:
        raise SettingsFileError("a value holds a line end", expected="one line", where=file.path)
    if file.quoting == "shell":
        return "'" + value.replace("'", "'\\''") + "'"
    if value != value.strip() or "#" in value:
        raise SettingsFileError(
            "a value holds a # or a blank at its end, and this file knows no quotes", where=file.path,
            next_step="Choose another value.",
        )  # fmt: skip
    return value


def _set(lines: list[str], key: str, value: str) -> None:
    wanted = f"{key}={value}"
    active = [i for i, line in enumerate(lines) if re.match(rf"\s*{re.escape(key)}\s*=", line)]
    commented = [i for i, line in enumerate(lines) if re.match(rf"\s*#\s*{re.escape(key)}\s*=", line)]
    if active or commented:
        lines[(active or commented)[0]] = wanted
        for extra in reversed(active[1:]):
            del lines[extra]
        return
    while lines and not lines[-1]:
        lines.pop()
    lines += [wanted, ""]


def check(text: str, path: str) -> Iterator[Finding]:
    """Yield lines that are neither empty, comment nor KEY=value, and blanks that would become part of a value."""
    for number, line in enumerate(text.split("\n"), 1):
        bare = line.strip()
        where = Where(file=path, line=number)
        if not bare or bare.startswith("#"):
            continue
        key, equals, _ = line.partition("=")
        if not equals or not re.fullmatch(r"[A-Za-z_][A-Za-z0-9_.-]*", key.strip()):
            yield Finding("key-value.line", Severity.STOP, f"Line {number} is no setting", "Expected KEY=value.",
                          "Write it as KEY=value, or put # before it.", where)  # fmt: skip
        elif line != line.rstrip():
            yield Finding("key-value.trailing-blank", Severity.CHECK, f"Line {number} ends in a blank",
                          "Some readers take it as part of the value.", "Remove it.", where)  # fmt: skip
