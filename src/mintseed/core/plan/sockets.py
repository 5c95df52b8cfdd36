"""Sockets: camera, display and USB plugs, with the adapters between."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from mintseed.core.boards.model import Board
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.plan.plan import Plan, PlannedPart

WORDS = {"micro": "micro-USB", "A": "large USB", "C": "USB-C"}


def _adapters(plan: Plan, of: str) -> Counter[tuple[str, str]]:
    return Counter(
        (p.part.adapter.has, p.part.adapter.gives) for p in plan.parts if p.part.adapter and p.part.adapter.of == of
    )


def camera(plan: Plan) -> Iterator[Finding]:
    """Yield whether each camera's flat cable fits the board's socket; they come in two widths (common practice)."""
    board = plan.board
    if board is None:
        return
    free = _adapters(plan, "camera")
    for planned in plan.parts:
        wanted = planned.part.camera_contacts
        if wanted is None:
            continue
        where = Where(part="camera", field=planned.name)
        if board.camera_contacts is None:
            yield Finding("plan.camera-socket-missing", Severity.STOP, f"{board.name} has no camera socket",
                          f"{planned.name} has a flat cable with {wanted} contacts.", "Take a board with a camera socket, or a camera on USB.", where)  # fmt: skip
        elif board.camera_contacts != wanted and not free[key := (str(board.camera_contacts), str(wanted))]:
            yield Finding(
                "plan.camera-width", Severity.STOP, f"{planned.name} does not fit the camera socket",
                f"Its cable has {wanted} contacts, the socket of {board.name} {board.camera_contacts}.",
                f"Use an adapter cable from {board.camera_contacts} to {wanted} contacts, or a camera with {board.camera_contacts}.", where,
            )  # fmt: skip
        else:
            if board.camera_contacts != wanted:
                free[key] -= 1
            yield Finding("plan.camera-fits", Severity.OK, f"{planned.name} fits the camera socket",
                          f"{board.camera_contacts} contacts{'' if board.camera_contacts == wanted else ', by its adapter'}. "
                          "The contacts face as marked on the socket; power off first.", where=where)  # fmt: skip


def display(plan: Plan) -> Iterator[Finding]:
    """Yield whether each display cable plugs in."""
    board = plan.board
    if board is None:
        return
    free = _adapters(plan, "display")
    for planned in plan.parts:
        plug = planned.part.display
        if plug is None:
            continue
        where = Where(part="display", field=planned.name)
        if board.display is None:
            yield Finding("plan.display-missing", Severity.STOP, f"{board.name} has no display socket",
                          f"{planned.name} has nowhere to go.", "Take a board with one.", where)  # fmt: skip
        elif board.display != plug and not free[(board.display, plug)]:
            yield _adapter(board, planned, f"{board.display} display socket", f"{plug} plug", where)


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
