"""/etc/hosts: the line by which a system knows its own name without asking anybody. Source: hosts(5), Debian reference §5.1.1."""

from __future__ import annotations

import re
from collections.abc import Iterator

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.meaning import Meaning
from mintseed.core.settings.text import append_lines
from mintseed.core.settings.values import SettingValues
from mintseed.core.site.ranges import is_address
from mintseed.core.visible import one_line

OWN = "127.0.1.1"
"""the address of a host's own name on Debian and its kin"""

NAME = "name"
"""the one key a recipe names for such a file"""


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with the host's own line; what else stands in it stays. Raises SettingsFileError for a name that is more than one."""
    name = values.for_template(file.values.get(NAME, "{host_name}"))
    if re.search(r"[\s#]", name):
        raise SettingsFileError("a name holds a blank or a #", expected="one name", where=file.place)
    lines, kept, done = text.split("\n"), list[str](), False
    for line in lines:
        if line.split("#")[0].split()[:1] != [OWN]:
            kept.append(line)
        elif not done and name:
            kept.append(f"{OWN}\t{name}")
            done = True
    if name and not done:
        append_lines(kept, [f"{OWN}\t{name}"])
    return "\n".join(kept) if name else text


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield lines that the resolver passes over: those that name an address alone, and those that begin with none."""
    for number, line in enumerate(text.split("\n"), 1):
        words = line.split("#")[0].split()
        if words and not _is_address(words[0]):
            yield Finding("hosts.no-address", Severity.CHECK, f"Line {number} does not begin with an address", f"\u201c{one_line(words[0])}\u201d is none: the line is passed over.",
                          "Write the address first, its names behind it.", Where(file=path, line=number), "hosts(5)")  # fmt: skip
        elif len(words) == 1:
            yield Finding("hosts.no-name", Severity.CHECK, f"Line {number} names an address and no host",
                          "Expected an address and at least one name.", "Add the name, or take the line out.", Where(file=path, line=number))  # fmt: skip


def _is_address(word: str) -> bool:
    """Return whether the resolver takes it: one with a zone behind it is none to it (inet_pton(3))."""
    return is_address(word) and "%" not in word


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return the name the system knows itself by."""
    own = next(
        (
            words[1]
            for line in text.split("\n")
            if (words := line.split("#")[0].split())[:1] == [OWN] and len(words) > 1
        ),
        "",
    )
    return Meaning(does=(f"knows itself as {one_line(own)}",) if own else ())
