"""Files that hold one value and nothing else, such as a host name."""

from __future__ import annotations

from collections.abc import Iterator

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.meaning import Meaning, of_pairs
from mintseed.core.settings.values import SettingValues

VALUE = "value"
"""the one key a recipe names for such a file"""


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with its one line replaced; as it was where the template comes out empty. Lines behind a # stay.

    Raises SettingsFileError for a value of more than one line, and for a recipe that names none.
    """
    if VALUE not in file.values:
        raise SettingsFileError("its recipe names no value", expected=f"values: {{{VALUE}: ...}}", where=file.place)
    value = values.for_template(file.values[VALUE])
    if "\n" in value or "\r" in value:
        raise SettingsFileError("a value holds a line end", expected="one line", where=file.place)
    if not value:
        return text
    kept = [line for line in text.split("\n") if line.lstrip().startswith("#")]
    return "\n".join([*kept, value, ""])


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield whether there is more than the one value, or none."""
    said = [
        (n, line) for n, line in enumerate(text.split("\n"), 1) if line.strip() and not line.lstrip().startswith("#")
    ]
    if not said:
        yield Finding("plain.empty", Severity.CHECK, f"{path} holds no value", "Expected one line with one value.",
                      "Write the value into it.", Where(file=path))  # fmt: skip
    elif len(said) > 1:
        yield Finding("plain.lines", Severity.STOP, f"{path} holds more than one line",
                      "Expected one value; what its reader makes of the others nobody knows.", "Leave one line.", Where(file=path, line=said[1][0]))  # fmt: skip


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return what its one value does."""
    value = next((line.strip() for line in text.split("\n") if line.strip() and not line.lstrip().startswith("#")), "")
    return of_pairs({VALUE: value} if value else {}, file)
