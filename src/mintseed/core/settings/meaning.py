"""What a device will do with a settings file, worked out by reading the text back and not from what was meant to be written."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from mintseed.core.recipes.model import FileToFill
from mintseed.core.recipes.templates import CHOICES_OF_FACTS, placeholders_in
from mintseed.core.visible import one_line


@dataclass(frozen=True, slots=True)
class Joined:
    """A network that is joined by itself. `how`: with its key, with a passphrase, or without one."""

    name: str
    how: str = "with its key"
    hidden: bool = False


KEY, PHRASE, OPEN = "with its key", "with its passphrase", "without a passphrase"


@dataclass(frozen=True, slots=True)
class Meaning:
    """Empty where the file says nothing of it. `address`: by itself, or the fixed one. `beside`: the fixed one that it has besides one it takes
    by itself. `does`: further things, each as the end of a sentence."""

    joins: tuple[Joined, ...] = ()
    country: str = ""
    address: str = ""
    beside: str = ""
    does: tuple[str, ...] = ()

    def sentence(self) -> str:
        """Return it in one sentence; empty where the file means nothing that is known."""
        parts = [*self._network(), *self.does]
        if not parts:
            return ""
        text = parts[0] if len(parts) == 1 else ", ".join(parts[:-1]) + " and " + parts[-1]
        return text[0].upper() + text[1:] + "."

    def _network(self) -> list[str]:
        found = []
        if self.joins:
            names = ", or ".join(f"{one_line(one.name)}{' (hidden)' if one.hidden else ''}" for one in self.joins[:4])
            found.append(f"joins {names} {self.joins[0].how}")
        if self.country:
            found.append(f"keeps the radio to {self.country}")
        if self.address:
            found.append(
                "takes an address by itself" if self.address == BY_ITSELF else f"takes the address {self.address}"
            )
        if self.beside:
            found.append(f"has the address {self.beside} besides")
        return found


BY_ITSELF = "by itself"
NOTHING = Meaning()

_SAYS = {
    "host_name": "is called {}", "time_zone": "keeps the time of {}", "keyboard": "has the keyboard {}", "locale": "speaks {}", "admin_name": "has the account {}",
    "admin_hash": "has its password, hashed", "country": "keeps the radio to {}", "wifi_name": "joins {}",
}  # fmt: skip
_SECRET = re.compile(r"pass|pw|psk|secret|token|hash|key$", re.IGNORECASE)
_FACTS = {*CHOICES_OF_FACTS, "wifi_band_ghz"}
MOST_TOLD = 6


def of_pairs(pairs: Mapping[str, str], file: FileToFill | None) -> Meaning:
    """Return what key and value pairs mean: by what the recipe puts into each, or as they stand where no recipe says. No secret is repeated."""
    if file is None or not file.values:
        told = [
            f"sets {one_line(key)} to {'…' if _SECRET.search(key) else one_line(value)}"
            for key, value in list(pairs.items())[:MOST_TOLD]
        ]
        more = len(pairs) - len(told)
        return Meaning(does=(*told, *([f"sets {more} more"] if more > 0 else [])))
    return Meaning(does=tuple(_told(file, pairs)))


def _told(file: FileToFill, pairs: Mapping[str, str]) -> Iterable[str]:
    for key, template in file.values.items():
        value = pairs.get(key, "")
        names = placeholders_in(template)
        known = _SAYS.get(names[0]) if len(names) == 1 else None
        if not value:
            continue
        if "wifi_key" in names:
            yield "has its key"
        elif "wifi_passphrase" in names:
            yield "has the passphrase as it is typed"
        elif known is not None:
            yield known.format(one_line(_inside(template, value)))
        elif set(names) - _FACTS:
            # An answer of the person's may be a secret of theirs.
            yield f"has an answer of yours as {one_line(key)}"
        else:
            yield f"sets {one_line(key)} to {one_line(value)}"


def _inside(template: str, value: str) -> str:
    """Return what stands in the place of the one name in a template."""
    before, _, rest = template.partition("{")
    after = rest.partition("}")[2]
    return value.removeprefix(before).removesuffix(after)
