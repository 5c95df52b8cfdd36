"""The readers of the simulated systems: a module each. An image's manifest says by its name which one reads which of its files.

To add one: a module with `read(data)`, which returns the networks the file asks for, none where the real reader refuses it or finds no
network in it. Nothing else knows it.
"""

from __future__ import annotations

import importlib
import re
from collections.abc import Callable
from dataclasses import dataclass

WORLD = "00"
"""The country of a file that carries none: the radio keeps to the world domain."""


@dataclass(frozen=True)
class Wanted:
    """A network a settings file asks for. `key` is the 32-byte key, None where it has none; `open`: whether it is joined without one; `word`
    is the passphrase where the file asks for WPA3 and nothing before it. `rank`: the higher, the sooner it is joined. `address`: a fixed
    one with the length of its net, empty where the router is asked."""

    ssid: bytes
    key: bytes | None
    country: str
    asks_for_hidden: bool = False
    word: bytes = b""
    open: bool = False
    rank: int = 0
    address: str = ""


Reader = Callable[[bytes], tuple[Wanted, ...]]


def reader_called(name: str) -> Reader | None:
    """Return the reader called `name`, None where there is none."""
    if not re.fullmatch(r"[a-z][a-z0-9_]*", name):
        return None
    try:
        found: Reader = importlib.import_module(f"{__name__}.{name}").read
    except (ImportError, AttributeError):
        return None
    return found
