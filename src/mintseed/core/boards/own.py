"""A board of one's own, described by what a person answered and what an image's device tree says: each answer may be left out."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, field
from typing import Literal

import yaml

from mintseed.core.boards.model import Architecture, Plug
from mintseed.core.described import free_ident
from mintseed.core.image.report import BoardOnImage, XRay
from mintseed.core.visible import one_line

NOMINAL_V: dict[Plug, float] = {"micro-USB": 5.0, "USB-C": 5.0}
"""volts that are meant where only such a plug is named (USB 2.0 §7.2.1; USB Type-C 2.1 §4.4.2)"""


@dataclass(frozen=True, slots=True)
class OwnBoard:
    """What is said of it. None or empty where nobody said; `radio_ghz` empty: it has no radio. `current_a`: what its maker says the supply
    must give."""

    name: str
    printed_mark: str = ""
    compatible: tuple[str, ...] = ()
    bits: Literal[32, 64] | None = None
    ethernet: bool | None = None
    radio_ghz: tuple[float, ...] | None = None
    plug: Plug | None = None
    voltage_v: float | None = None
    current_a: float | None = None
    header_pins: Literal[26, 40] | None = None
    memory_mb: int | None = None
    architecture: Architecture = "arm"
    taken: Collection[str] = field(default=())
    """ids that other boards have"""


def board_text(own: OwnBoard) -> str:
    """Return its description, an ordinary text: whatever was not said is left out of it."""
    name = " ".join(one_line(own.name).split())[:60]
    said: dict[str, object] = {
        "board": 1,
        "id": free_ident(name, own.taken, "own-board"),
        "name": name,
        "described": "part",
    }
    if mark := " ".join(one_line(own.printed_mark).split())[:60]:
        said["printed_mark"] = mark
    if own.compatible:
        said["compatible"] = list(own.compatible)
    if own.architecture != "arm":
        said["architecture"] = own.architecture
    for key in ("bits", "ethernet", "memory_mb"):
        if getattr(own, key) is not None:
            said[key] = getattr(own, key)
    if own.radio_ghz is not None:
        said["radio_ghz"] = list(own.radio_ghz)
    volts = own.voltage_v or (NOMINAL_V.get(own.plug) if own.plug else None)
    # A supply is judged by plug, volts and amperes together: with one of them missing nothing can be said of any.
    if own.plug and volts and own.current_a:
        said["supply"] = {"voltage_v": volts, "least_current_a": own.current_a, "connector": own.plug}
    if own.header_pins:
        said["header"] = {"pins": own.header_pins, "pin_1": "the pin marked 1, or with a square pad"}
    return yaml.safe_dump(said, sort_keys=False, allow_unicode=True, width=120)


def board_of_tree(tree: BoardOnImage, image: XRay, taken: Collection[str]) -> OwnBoard:
    """Return the board an image's device tree is of, by what tree and kernel say. A tree names a network chip and no socket's absence;
    on which bands its radio is it does not say."""
    return OwnBoard(
        tree.model or tree.compatible[0], compatible=tree.compatible, bits=64 if image.kernels == (64,) else None,
        architecture=image.architectures[0] if len(image.architectures) == 1 else "arm", ethernet=True if tree.has.ethernet else None, memory_mb=tree.has.memory_mb or None, taken=taken,
    )  # fmt: skip
