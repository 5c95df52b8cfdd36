"""Judge one settings file, wherever it comes from."""

from __future__ import annotations

from mintseed.core.findings import Finding, Severity, Where, verdict, worst_first
from mintseed.core.settings.editor_damage import check_name
from mintseed.core.settings.fill import check_file


def execute(data: bytes, *, dialect: str, name: str, wanted_name: str = "") -> tuple[Finding, ...]:
    """Return the findings about `data`, called `name`, read as `dialect`. Raises InputError for an unknown dialect."""
    found = [*check_file(data, name, dialect)]
    if wanted_name:
        found += check_name(name, wanted_name)
    if verdict(found) is Severity.OK:
        found.append(Finding("file.sound", Severity.OK, f"{name} reads well", where=Where(file=name)))
    return worst_first(found)
