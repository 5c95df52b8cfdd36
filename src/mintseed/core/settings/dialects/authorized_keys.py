"""The keys that open an account over the network. Source: sshd(8), AUTHORIZED_KEYS FILE FORMAT."""

from __future__ import annotations

from collections.abc import Iterator

from mintseed.core.findings import Finding, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.meaning import Meaning
from mintseed.core.settings.text import append_lines
from mintseed.core.settings.values import SettingValues
from mintseed.core.site.ssh_keys import check_keys, keys_in, owner_of, same_key
from mintseed.core.visible import one_line
from mintseed.core.words import some


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with the place's keys behind those that stand there; one that stands there already is not written twice."""
    there = {same_key(line) for line in keys_in(text)}
    fresh = [key for key in values.ssh_keys if same_key(key) not in there]
    if not fresh:
        return text
    lines = text.split("\n")
    append_lines(lines, fresh)
    return "\n".join(lines)


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield the lines its server passes over."""
    for number, line in enumerate(text.split("\n"), 1):
        yield from check_keys(line, Where(file=path, line=number))


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return whose keys open the account."""
    keys = keys_in(text)
    if not keys:
        return Meaning()
    names = some(one_line(owner_of(key)) or "one without a name" for key in keys)
    return Meaning(does=(f"lets in the key{'s' * (len(keys) != 1)} of {names}",))
