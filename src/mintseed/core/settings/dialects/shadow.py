"""/etc/shadow: how the passwords of a system's own accounts are kept. Source: shadow(5); what pwck(8) takes."""

from __future__ import annotations

import re
from collections.abc import Iterator

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.meaning import Meaning
from mintseed.core.settings.values import SettingValues
from mintseed.core.units import counted
from mintseed.core.visible import one_line

FIELDS = 9
PASSWORD, CHANGED = 1, 2
"""places of the fields, from 0"""

LOCKS = ("!", "*")
SHORTEST_TYPED = 4
"""characters; shorter ones are marks that nobody logs in, such as x or NP (common practice)"""

CHANGE_AT_NEXT_LOGIN = "0"
"""in the field of the day it was changed: the password is asked to be changed at the next login (shadow(5))"""


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with the password of each account that `file.values` names; the rest of its lines stays.

    Raises SettingsFileError for an account that is not in it, and for a hash that would be more than one field.
    """
    lines = text.split("\n")
    for account, template in file.values.items():
        hashed = values.for_template(template)
        if not hashed:
            continue
        if ":" in hashed or "\n" in hashed:
            raise SettingsFileError("a hash holds a colon or a line's end", expected="one field", where=file.place)
        at = next((n for n, line in enumerate(lines) if line.split(":")[0] == account), None)
        if at is None:
            raise SettingsFileError(f"no account is called {one_line(account)}", expected="one of the image's own",
                                    where=file.place, next_step="Name another account in the recipe.")  # fmt: skip
        fields = lines[at].split(":")
        fields += [""] * (FIELDS - len(fields))
        fields[PASSWORD] = hashed
        if fields[CHANGED] == CHANGE_AT_NEXT_LOGIN:
            fields[CHANGED] = ""  # it was to be changed because everybody knew it
        lines[at] = ":".join(fields)
    return "\n".join(lines)


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield lines that are no entry, and accounts that are in it twice: only the first of those counts."""
    seen: set[str] = set()
    for number, line in enumerate(text.split("\n"), 1):
        if not line:
            continue
        name, *rest = line.split(":")
        where = Where(file=path, line=number)
        if len(rest) != FIELDS - 1 or not name:
            yield Finding("shadow.fields", Severity.CHECK, f"Line {number} is no entry of an account",
                          f"Expected {FIELDS} fields with colons between, found {len(rest) + 1}.",
                          "Put it back as it was, or leave it out.", where, "shadow(5)")  # fmt: skip
        elif name in seen:
            yield Finding("shadow.twice", Severity.CHECK, f"{one_line(name)} is in it twice", "Only the first line counts.",
                          f"Leave line {number} out.", where, "getspnam(3)")  # fmt: skip
        elif _is_typed(word := rest[PASSWORD - 1]):
            yield Finding("shadow.password-plain", Severity.CHECK, f"A word stands where the hash of {one_line(name)}'s password belongs",
                          f"Taken as a hash, its {counted(len(word), 'character')} open nothing, and whoever has the card can read them.",
                          "Set the password under Settings, or write its hash, which begins with $6$.", where, "crypt(5)")  # fmt: skip
        seen.add(name)


def _is_typed(word: str) -> bool:
    """Return whether a field of passwords holds neither a hash nor a mark that nobody logs in. Sources: shadow(5); crypt(5), whose oldest
    hashes are 13 letters, or 20 that begin with an underline."""
    hashed = word.startswith("$") or re.fullmatch(r"[./0-9A-Za-z]{13}|_[./0-9A-Za-z]{19}", word)
    return len(word) >= SHORTEST_TYPED and not hashed and not word.startswith(LOCKS)


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return which of the accounts that `file` names opens with a password."""
    named = list(file.values) if file else []
    words = {line.split(":")[0]: line.split(":")[PASSWORD] for line in reversed(text.split("\n")) if ":" in line}
    return Meaning(does=tuple(_opens(name, words[name]) for name in named if name in words))


def _opens(name: str, word: str) -> str:
    if not word:
        return f"lets {one_line(name)} in without a password"
    if word.startswith("$"):
        return f"lets {one_line(name)} in with the password whose hash it holds"
    return f"lets nobody in as {one_line(name)} with a password"
