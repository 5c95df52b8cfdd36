"""What a device in service was closed with: everything it was judged from, and what the things in it were called.

A closed record is drawn from these, whatever becomes of the place, the shelf, the recipe or the image afterwards. The inputs hold
the network's passphrase, so they lie in a column that is encrypted.
"""

from __future__ import annotations

import base64
import binascii
import zlib
from dataclasses import dataclass, replace
from functools import lru_cache

from pydantic import TypeAdapter, ValidationError

from mintseed.core.walk import WalkInputs

INPUTS = TypeAdapter(WalkInputs)

MOST_UNPACKED_BYTES = 64 * 1024 * 1024
"""An X-ray is tens of kilobytes; whatever unpacks to more than this was packed by nobody here."""


@dataclass(frozen=True, slots=True)
class Names:
    """What the things in a deployment are called, as its lists and screens say it."""

    appliance: str = ""
    kind: str = ""
    release: str = ""
    unit: str = ""
    board: str = ""
    card: str = ""
    supply: str = ""
    cable: str = ""
    network: str = ""
    place: str = ""
    time_zone: str = ""


NAMES = TypeAdapter(Names)


def pack(inputs: WalkInputs) -> str:
    """Return `inputs`, as of a device that is kept, as text for a column. A secret that cannot be read is an empty text in it."""
    # Who else had which address at the time judges nothing of a closed record any more.
    inputs = replace(inputs, addresses_taken={}, addresses_seen=None)
    return base64.b85encode(zlib.compress(INPUTS.dump_json(replace(inputs, kept=True)), 9)).decode()


@lru_cache(maxsize=32)
def unpack(text: str) -> WalkInputs | None:
    """Return what `pack` made, None for nothing or for what this version cannot read."""
    if not text:
        return None
    try:
        unpacker = zlib.decompressobj()
        data = unpacker.decompress(base64.b85decode(text), MOST_UNPACKED_BYTES)
        return INPUTS.validate_json(data)
    except (ValueError, zlib.error, binascii.Error, ValidationError):
        return None
