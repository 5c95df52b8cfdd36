"""A board of one's own, described by what a person answered and what an image's device tree says: each answer may be left out."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

import yaml

from mintseed.core.boards.model import Architecture, Board, Plug
from mintseed.core.described import free_ident
from mintseed.core.image.report import BoardOnImage, XRay
from mintseed.core.visible import one_line

NOMINAL_V: dict[Plug, float] = {"micro-USB": 5.0, "USB-C": 5.0}
"""volts that are meant where only such a plug is named (USB 2.0 §7.2.1; USB Type-C 2.1 §4.4.2)"""


@dataclass(frozen=True, slots=True)
class OwnBoard:
    """What is said of it. None or empty where nobody said; `radio_ghz` empty: it has no radio. `current_a`: what it draws
    at load, or what its maker says a supply must give where that is all that is known: it is taken for the same, to be on the safe side."""

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
    architecture: Architecture | None = None
    taken: Collection[str] = field(default=())
    """ids that other boards have"""


ASKED = ("name", "printed_mark", "bits", "ethernet", "radio_ghz", "supply", "header")
"""fields of a description that a person is asked for; the others are a device tree's, or written into the text by hand"""


HEADERS: tuple[Literal[26], Literal[40]] = (26, 40)
"""rows of pins a person is asked for"""


def board_text(own: OwnBoard) -> str:
    """Return its description, an ordinary text: whatever was not said is left out of it."""
    said: dict[str, object] = {
        "board": 1,
        "id": free_ident(_name(own), own.taken, "own-board"),
        "name": _name(own),
        "described": "part",
    }
    if own.compatible:
        said["compatible"] = list(own.compatible)
    if own.architecture is not None:
        said["architecture"] = own.architecture
    if own.memory_mb is not None:
        said["memory_mb"] = own.memory_mb
    return _dumped({**said, **_answers(own, {})})


def changed_text(text: str, own: OwnBoard) -> str:
    """Return the description `text` with what was answered now in it, and nothing else of it changed; comments are lost."""
    said = yaml.safe_load(text)
    kept = {key: value for key, value in said.items() if key not in ASKED}
    return _dumped(
        {"board": kept.pop("board"), "id": kept.pop("id"), "name": _name(own), **kept, **_answers(own, said)}
    )


def own_of(board: Board) -> OwnBoard:
    """Return what is known of a board, as it is asked for."""
    need, pins = board.supply, board.header.pins if board.header else None
    return OwnBoard(
        board.name, board.printed_mark, board.compatible, board.bits, board.ethernet, board.radio_ghz, need.connector if need else None,
        need.voltage_v if need else None, need.least_current_a if need else None, pins if pins in HEADERS else None, board.memory_mb,
        board.architecture,
    )  # fmt: skip


def _name(own: OwnBoard) -> str:
    return " ".join(one_line(own.name).split())[:60]


def _answers(own: OwnBoard, before: Mapping[str, Any]) -> dict[str, object]:
    """Return what was answered, as a description says it; of supply and header what stood `before` beside the answer stays."""
    said: dict[str, object] = {}
    if mark := " ".join(one_line(own.printed_mark).split())[:60]:
        said["printed_mark"] = mark
    for key in ("bits", "ethernet"):
        if getattr(own, key) is not None:
            said[key] = getattr(own, key)
    if own.radio_ghz is not None:
        said["radio_ghz"] = list(own.radio_ghz)
    volts = own.voltage_v or (NOMINAL_V.get(own.plug) if own.plug else None)
    # A supply is judged by plug, volts and amperes together: with one of them missing nothing can be said of any.
    if own.plug and volts and own.current_a:
        said["supply"] = {
            **before.get("supply", {}),
            "voltage_v": volts,
            "least_current_a": own.current_a,
            "connector": own.plug,
        }
    if own.header_pins:
        said["header"] = {
            "pin_1": "the pin marked 1, or with a square pad",
            **before.get("header", {}),
            "pins": own.header_pins,
        }
    elif before.get("header") and before["header"].get("pins") not in HEADERS:
        # Nobody was asked for such rows of pins, so nobody said that there are none.
        said["header"] = before["header"]
    return said


def _dumped(said: Mapping[str, object]) -> str:
    return yaml.safe_dump(dict(said), sort_keys=False, allow_unicode=True, width=120)


def board_of_tree(tree: BoardOnImage, image: XRay, taken: Collection[str]) -> OwnBoard:
    """Return the board an image's device tree is of, by what tree and kernel say. A tree names a network chip and no socket's absence;
    on which bands its radio is it does not say."""
    return OwnBoard(
        tree.model or tree.compatible[0], compatible=tree.compatible, bits=64 if image.kernels == (64,) else None,
        architecture=image.architectures[0] if len(image.architectures) == 1 else None, ethernet=True if tree.has.ethernet else None, memory_mb=tree.has.memory_mb or None, taken=taken,
    )  # fmt: skip
