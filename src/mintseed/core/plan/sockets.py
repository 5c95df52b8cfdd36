"""Sockets: camera, display and USB plugs, with the adapters between."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from typing import Literal

from mintseed.core.boards.model import Board
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.parts.model import Part
from mintseed.core.plan.plan import Plan, PlannedPart

WORDS = {"micro": "micro-USB", "A": "large USB", "C": "USB-C"}


def _adapters(plan: Plan, of: str) -> Counter[tuple[str, str]]:
    return Counter(
        (p.part.adapter.has, p.part.adapter.gives) for p in plan.parts if p.part.adapter and p.part.adapter.of == of
    )


Fit = Literal["no-socket", "taken", "other", "by-adapter", "fits"]


def _one_socket(plan: Plan, of: str, socket: str, plug_of: Callable[[Part], str]) -> Iterator[tuple[PlannedPart, Fit]]:
    """Yield how each part with a plug for it goes with the board's one `socket` of this kind; no adapter makes two of one."""
    free, taken = _adapters(plan, of), False
    for planned in plan.parts:
        plug = plug_of(planned.part)
        if not plug:
            continue
        fit: Fit = "fits"
        if not socket:
            fit = "no-socket"
        elif taken:
            fit = "taken"
        elif plug != socket:
            fit = "by-adapter" if free[socket, plug] else "other"
        taken = taken or fit in ("fits", "by-adapter")
        yield planned, fit


def _socket_taken(board: Board, planned: PlannedPart, of: str) -> Finding:
    return Finding(
        "plan.socket-taken", Severity.STOP, f"{board.name} has one {of} socket, and {planned.name} is one too many",
        "Another part of this plan is in it.", "Leave one of them out, or take one that goes on USB.", Where(part=of, field=planned.name),
    )  # fmt: skip


def camera(plan: Plan) -> Iterator[Finding]:
    """Yield whether each camera's flat cable fits the board's socket; they come in two widths (common practice)."""
    board = plan.board
    if board is None:
        return
    has = board.camera_contacts
    for planned, fit in _one_socket(plan, "camera", str(has or ""), lambda part: str(part.camera_contacts or "")):
        wanted, where = planned.part.camera_contacts, Where(part="camera", field=planned.name)
        if fit == "no-socket":
            yield Finding("plan.camera-socket-missing", Severity.STOP, f"{board.name} has no camera socket",
                          f"{planned.name} has a flat cable with {wanted} contacts.", "Take a board with a camera socket, or a camera on USB.", where)  # fmt: skip
        elif fit == "taken":
            yield _socket_taken(board, planned, "camera")
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
    for planned, fit in _one_socket(plan, "display", board.display or "", lambda part: part.display or ""):
        where = Where(part="display", field=planned.name)
        if fit == "no-socket":
            yield Finding("plan.display-missing", Severity.STOP, f"{board.name} has no display socket",
                          f"{planned.name} has nowhere to go.", "Take a board with one.", where)  # fmt: skip
        elif fit == "taken":
            yield _socket_taken(board, planned, "display")
        elif fit == "other":
            yield _adapter(board, planned, f"{board.display} display socket", f"{planned.part.display} plug", where)


def usb(plan: Plan) -> Iterator[Finding]:
    """Yield whether every USB plug finds a socket."""
    board = plan.board
    plugs = [p for p in plan.parts if p.part.usb]
    if board is None or not plugs:
        return
    sockets: Counter[str] = Counter()
    for held in board.usb:
        sockets[held.plug] += held.count
    free = _adapters(plan, "usb")
    left = []
    # Hubs first: each takes a socket of the board, and gives its own to the rest.
    for planned in sorted(plugs, key=lambda p: -p.part.gives_usb):
        if _takes(planned.part.usb or "", sockets, free):
            sockets["A"] += planned.part.gives_usb
        else:
            left.append(planned)
    if not left:
        return
    where = Where(part="usb", field=left[0].name)
    kinds = " and ".join(f"{h.count} {WORDS[h.plug]}" for h in board.usb) or "no"
    if any(board_socket.plug != left[0].part.usb for board_socket in board.usb) and len(plugs) <= sum(
        h.count for h in board.usb
    ):
        yield _adapter(board, left[0], f"{kinds} socket", f"{WORDS[left[0].part.usb or 'A']} plug", where)
        return
    yield Finding(
        "plan.usb-sockets", Severity.STOP, f"{board.name} has too few USB sockets",
        f"{len(plugs)} plugs ({', '.join(p.name for p in plugs)}) and {kinds} socket{'s' * (sum(h.count for h in board.usb) != 1)}.",
        "Put a USB hub between.", where,
    )  # fmt: skip


def _takes(plug: str, sockets: Counter[str], adapters: Counter[tuple[str, str]]) -> bool:
    if sockets[plug]:
        sockets[plug] -= 1
        return True
    for (has, gives), count in adapters.items():
        if gives == plug and count and sockets[has]:
            sockets[has] -= 1
            adapters[has, gives] -= 1
            return True
    return False


def _adapter(board: Board, planned: PlannedPart, socket: str, plug: str, where: Where) -> Finding:
    return Finding(
        "plan.socket-adapter", Severity.STOP, f"{planned.name} does not plug into {board.name} by itself",
        f"The board has a {socket}, this has a {plug}.", "An adapter goes between.", where,
    )  # fmt: skip
