"""Sockets: camera, display and USB plugs, with the adapters between."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from typing import Literal

from mintseed.core.boards.model import Board
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.parts.model import Part
from mintseed.core.plan.choosing import not_told
from mintseed.core.plan.plan import Plan, PlannedPart
from mintseed.core.plan.seating import seat
from mintseed.core.words import an

WORDS = {"micro": "micro-USB", "A": "large USB", "C": "USB-C"}


def _adapters(plan: Plan, of: str) -> Counter[tuple[str, str]]:
    return Counter(
        (p.part.adapter.has, p.part.adapter.gives) for p in plan.parts if p.part.adapter and p.part.adapter.of == of
    )


Fit = Literal["no-socket", "not-told", "taken", "other", "by-adapter", "fits"]


def _seats(
    plan: Plan, of: str, sockets: Sequence[str], plug_of: Callable[[Part], str], *, more: bool
) -> Iterator[tuple[PlannedPart, Fit, str]]:
    """Yield how each part with a plug for it goes with the board's `sockets` of this kind, and which of them it is in or could be in.
    `more`: it may have others, which nobody named."""
    plugged = [(p, plug_of(p.part)) for p in plan.parts if plug_of(p.part)]
    if not plugged:
        return
    ends = seat([plug for _, plug in plugged], sockets, _adapters(plan, of))
    left = Counter(sockets) - Counter(end for end in ends if end)
    for (planned, plug), end in zip(plugged, ends, strict=True):
        if end is not None:
            yield planned, "fits" if end == plug else "by-adapter", end
        elif not sockets:
            yield planned, "not-told" if more else "no-socket", ""
        elif not left:
            yield planned, "not-told" if more else "taken", ""
        else:
            yield planned, "other", next(iter(left))


NUMBERS = {1: "one", 2: "two", 3: "three", 4: "four"}


def _socket_taken(board: Board, planned: PlannedPart, of: str, sockets: Sequence[str]) -> Finding:
    has = f"{NUMBERS.get(len(sockets), str(len(sockets)))} {of} socket{'s' * (len(sockets) != 1)}"
    return Finding(
        "plan.socket-taken", Severity.STOP, f"{board.name} has {has}, and {planned.name} is one too many",
        "Other parts of this plan are in them." if len(sockets) > 1 else "Another part of this plan is in it.",
        "Leave one of them out, or take one that goes on USB.", Where(part=of, field=planned.name),
    )  # fmt: skip


def sockets_not_told(board: Board, name: str, of: str) -> Finding:
    """Return that nobody said whether `board` has what `name` goes into."""
    return not_told(
        "plan.sockets-not-told", f"Whether {name} goes onto {board.name} cannot be told", "Nobody said which sockets and pins the board has.",
        "Look at the board, and write down on the Shelf what it has.", Where(part=of, field=name),
    )  # fmt: skip


def camera(plan: Plan) -> Iterator[Finding]:
    """Yield whether each camera's flat cable fits a socket of the board; they come in two widths (common practice)."""
    board = plan.board
    if board is None:
        return
    sockets = [str(contacts) for contacts in board.camera_contacts]
    for planned, fit, has in _seats(
        plan, "camera", sockets, lambda part: str(part.camera_contacts or ""), more=board.may_have_more
    ):
        wanted, where = planned.part.camera_contacts, Where(part="camera", field=planned.name)
        if fit == "no-socket":
            yield Finding("plan.camera-socket-missing", Severity.STOP, f"{board.name} has no camera socket",
                          f"{planned.name} has a flat cable with {wanted} contacts.", "Take a board with a camera socket, or a camera on USB.", where)  # fmt: skip
        elif fit == "not-told":
            yield sockets_not_told(board, planned.name, "camera")
        elif fit == "taken":
            yield _socket_taken(board, planned, "camera", sockets)
        elif fit == "other":
            yield Finding(
                "plan.camera-width", Severity.STOP, f"{planned.name} does not fit the camera socket",
                f"Its cable has {wanted} contacts, the socket of {board.name} {has}.",
                f"Use an adapter cable from {has} to {wanted} contacts, or a camera with {has}.", where,
            )  # fmt: skip
        else:
            yield Finding("plan.camera-fits", Severity.OK, f"{planned.name} fits the camera socket",
                          f"{has} contacts{', by its adapter' if fit == 'by-adapter' else ''}. "
                          "The contacts face as marked on the socket; power off first.", where=where)  # fmt: skip


def display(plan: Plan) -> Iterator[Finding]:
    """Yield whether each display cable plugs in."""
    board = plan.board
    if board is None:
        return
    for planned, fit, has in _seats(
        plan, "display", board.display, lambda part: part.display or "", more=board.may_have_more
    ):
        where = Where(part="display", field=planned.name)
        if fit == "no-socket":
            yield Finding("plan.display-missing", Severity.STOP, f"{board.name} has no display socket",
                          f"{planned.name} has nowhere to go.", "Take a board with one.", where)  # fmt: skip
        elif fit == "not-told":
            yield sockets_not_told(board, planned.name, "display")
        elif fit == "taken":
            yield _socket_taken(board, planned, "display", board.display)
        elif fit == "other":
            yield _adapter(board, planned, f"{has} display socket", f"{planned.part.display} plug", where)


def usb(plan: Plan) -> Iterator[Finding]:
    """Yield whether every USB plug finds a socket that carries data."""
    board = plan.board
    plugs = [p for p in plan.parts if p.part.usb]
    if board is None or not plugs:
        return
    own = [held.plug for held in board.usb if not held.power_only for _ in range(held.count)]
    hubs, sockets = _hubs_in(plan, own)
    # A hub that finds no socket is told before what would go into it.
    rest = sorted((p for p in plugs if p not in hubs), key=lambda p: not p.part.gives_usb)
    ends = seat([p.part.usb or "A" for p in (*hubs, *rest)], sockets, _adapters(plan, "usb"))
    left = [p for p, end in zip((*hubs, *rest), ends, strict=True) if end is None]
    if not left:
        return
    if board.may_have_more:
        yield sockets_not_told(board, left[0].name, "usb")
        return
    where = Where(part="usb", field=left[0].name)
    kinds = " and ".join(f"{n} {WORDS[plug]}" for plug, n in Counter(own).items()) or "no"
    free = Counter(sockets) - Counter(end for end in ends if end)
    if free:
        has = " or ".join(WORDS[plug] for plug in free)
        yield _adapter(board, left[0], f"free {has} socket", f"{WORDS[left[0].part.usb or 'A']} plug", where)
        return
    powered = [h for h in board.usb if h.power_only]
    yield Finding(
        "plan.usb-sockets", Severity.STOP, f"{board.name} has too few USB sockets",
        f"{len(plugs)} plugs ({', '.join(p.name for p in plugs)}) and {kinds} socket{'s' * (len(own) != 1)}."
        + (f" {sum(h.count for h in powered)} more give power and carry no data." if powered else ""),
        "Put a USB hub between.", where,
    )  # fmt: skip


def _hubs_in(plan: Plan, own: Sequence[str]) -> tuple[list[PlannedPart], list[str]]:
    """Return the hubs that find a socket, of the board or of one before it, and all sockets there are with theirs: the largest first."""
    hubs: list[PlannedPart] = []
    sockets = list(own)
    for hub in sorted((p for p in plan.parts if p.part.usb and p.part.gives_usb), key=lambda p: -p.part.gives_usb):
        if all(seat([h.part.usb or "A" for h in (*hubs, hub)], sockets, _adapters(plan, "usb"))):
            hubs.append(hub)
            sockets += ["A"] * hub.part.gives_usb
    return hubs, sockets


def _adapter(board: Board, planned: PlannedPart, socket: str, plug: str, where: Where) -> Finding:
    return Finding(
        "plan.socket-adapter", Severity.STOP, f"{planned.name} does not plug into {board.name} by itself",
        f"The board has {an(socket)}, this has {an(plug)}.", "An adapter goes between.", where,
    )  # fmt: skip
