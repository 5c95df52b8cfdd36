"""TOML files. Source: TOML 1.0."""

from __future__ import annotations

from collections.abc import Iterator, MutableMapping

import tomlkit
from tomlkit.exceptions import ParseError, TOMLKitError

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.meaning import NOTHING, Meaning, of_pairs
from mintseed.core.settings.typed import flat, typed
from mintseed.core.settings.values import SettingValues

SOURCE = "TOML 1.0"


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with the recipe's keys set, each named table/key. Raises SettingsFileError for what is no TOML."""
    try:
        document = tomlkit.parse(text)
    except (TOMLKitError, RecursionError) as error:
        raise SettingsFileError(f"is no TOML: {error}", expected="TOML", where=file.place) from error
    changed = False
    for key, template in file.values.items():
        value = values.for_template(template)
        if not value:
            continue
        *outside, last = key.split("/")
        table: MutableMapping[str, object] = document
        for name in outside:
            inner = table.setdefault(name, tomlkit.table())
            if not isinstance(inner, MutableMapping):
                raise SettingsFileError(
                    f"holds one value where the table {name} belongs", expected=f"[{name}]", where=file.place
                )
            table = inner
        now = table.get(last)
        if isinstance(now, MutableMapping | list):
            raise SettingsFileError(
                "holds more than one value where one belongs", expected="one value", where=file.place
            )
        wanted = typed(template, value, now)
        if now != wanted or isinstance(now, bool) is not isinstance(wanted, bool):
            table[last] = wanted
            changed = True
    return tomlkit.dumps(document) if changed else text


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield where a text stops being TOML."""
    try:
        tomlkit.parse(text)
    except ParseError as error:
        says = str(error).rsplit(" at line", 1)[0]
        # Its reader calls the end of the text so.
        ends = "\\x00" in says and "\0" not in text
        yield _refused("it ends in the middle of a value" if ends else says, error.line, path)
    except (TOMLKitError, RecursionError) as error:
        yield _refused(str(error), 0, path)


def _refused(says: str, line: int, path: str) -> Finding:
    return Finding("toml.not-toml", Severity.STOP, f"From line {line} on it is no TOML" if line else "It is no TOML", f"Its reader refuses the whole file: {says.rstrip('.')}.",
                   "Mend the line: text wants straight quotes, and a key stands once.", Where(file=path, line=line), SOURCE)  # fmt: skip


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return what its keys set; nothing of what is no TOML."""
    try:
        document = tomlkit.parse(text).unwrap()
    except (TOMLKitError, RecursionError):
        return NOTHING
    return of_pairs(dict(flat(document)), file)
