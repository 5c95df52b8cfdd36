"""The dialects by name. To add one: a module with `apply` and `check`, and a line here."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

from mintseed.core.errors import InputError
from mintseed.core.findings import Finding
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects import hosts, key_value, keyfile, link, plain, wpa_supplicant
from mintseed.core.settings.values import SettingValues


@dataclass(frozen=True, slots=True)
class Dialect:
    """`apply` edits text in place; `check` judges it as the real reader would, told what the recipe says of the file.
    `takes_country`: whether files of this syntax have a place for the country."""

    apply: Callable[[str, FileToFill, SettingValues], str]
    check: Callable[[str, str, FileToFill | None], Iterator[Finding]]
    takes_country: bool = False


DIALECTS: Mapping[str, Dialect] = {
    "wpa-supplicant": Dialect(wpa_supplicant.apply, wpa_supplicant.check, takes_country=True),
    "keyfile": Dialect(keyfile.apply, keyfile.check),
    "key-value": Dialect(key_value.apply, key_value.check),
    "plain": Dialect(plain.apply, plain.check),
    "hosts": Dialect(hosts.apply, hosts.check),
    "link": Dialect(link.apply, link.check),
}


def dialect(name: str) -> Dialect:
    """Return the dialect called `name`; raises InputError naming those there are."""
    found = DIALECTS.get(name)
    if found is None:
        raise InputError(f"no dialect is called {name}", expected=" or ".join(DIALECTS))
    return found
