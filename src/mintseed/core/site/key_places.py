"""Which characters sit on another key from one keyboard layout to another: what is typed blind comes out otherwise.

The table is made from xkeyboard-config by libxkbcommon; a test compares it with that.
"""

from __future__ import annotations

from functools import cache
from importlib import resources

PRINTABLE = "".join(map(chr, range(32, 127)))
ABSENT = "--"
LEVELS = "0123"
"""alone, with shift, with the third level's key, with both"""

_NAMES = (
    "TLDE", *(f"AE{n:02}" for n in range(1, 14)), *(f"AD{n:02}" for n in range(1, 13)), *(f"AC{n:02}" for n in range(1, 13)), "BKSL", "LSGT",
    *(f"AB{n:02}" for n in range(1, 12)), "SPCE",
)  # fmt: skip
KEYS = dict(zip(_NAMES, "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz", strict=False))
"""the keys that hold characters, by where they are (xkeyboard-config, keycodes), each as one letter"""


@cache
def _table() -> dict[str, str]:
    lines = resources.files(__package__).joinpath("key_places.txt").read_text("ascii").splitlines()
    return dict(line.split(" ", 1) for line in lines)


def moved(text: str, one: str, other: str) -> tuple[int, ...]:
    """Return which characters of `text`, counted from 1, are not on the same key in both layouts; nothing where a layout is not known."""
    first, second = _table().get(one), _table().get(other)
    if first is None or second is None or first == second:
        return ()
    return tuple(n for n, sign in enumerate(text, 1) if sign in PRINTABLE and _at(first, sign) != _at(second, sign))


def _at(places: str, sign: str) -> str:
    at = 2 * PRINTABLE.index(sign)
    return places[at : at + 2]
