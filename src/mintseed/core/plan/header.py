"""The header: which add-on takes which pin, and what goes wrong between them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass

from mintseed.core.boards.model import Board
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.parts.model import I2C_PINS, POWER_PINS, SPI_LINES, SPI_SELECTS, HeaderUse
from mintseed.core.plan.plan import Plan
from mintseed.core.plan.sockets import sockets_not_told

ONE_ROW_OFF = "Look along the header before any power: on both sides no pin may show beside the socket, and pin 1 lies under its mark."


@dataclass(frozen=True, slots=True)
class PinUse:
    """One pin: what it is on every board of this kind, which add-ons take it, and for what, each. `clash`: two want it for
    themselves."""

    number: int
    fixed: str
    takers: tuple[str, ...]
    carries: tuple[str, ...]
    clash: bool


@dataclass(frozen=True, slots=True)
class HeaderMap:
    """The header as a picture: two rows, odd and even numbers."""

    pins: tuple[PinUse, ...]
    pin_1: str
    one_row_off: str


def _uses(plan: Plan) -> list[tuple[str, HeaderUse]]:
    return [(p.name, p.part.header) for p in plan.parts if p.part.header is not None]


def header_map(plan: Plan) -> HeaderMap | None:
    """Return the plan's header with who takes what; None for a board without one."""
    if plan.board is None or plan.board.header is None:
        return None
    takers: dict[int, list[tuple[str, str]]] = defaultdict(list)
    shared: dict[int, list[tuple[str, str]]] = defaultdict(list)
    for name, use in _uses(plan):
        # An add-on that says both, its addresses or selects and the lines they lie on, shares those like any other.
        lines = {**dict.fromkeys(I2C_PINS if use.i2c else (), "shared pair"), **(SPI_LINES if use.spi else {})}
        own = {**use.takes, **{SPI_SELECTS[select]: f"select {select}" for select in use.spi}}
        for pin, carries in own.items():
            if pin not in lines:
                takers[pin].append((name, carries))
        for pin, carries in lines.items():
            shared[pin].append((name, carries))
    pins = []
    for number in range(1, plan.board.header.pins + 1):
        alone = takers[number]
        each = dict([*shared[number], *alone])
        fixed = POWER_PINS.get(number, "") if plan.board.header.pins > 8 else ""
        pins.append(PinUse(number, fixed, tuple(each), tuple(each.values()), _clashes(len(alone), len(shared[number]))))
    rows = any(use.socket < plan.board.header.pins for _, use in _uses(plan))
    return HeaderMap(tuple(pins), plan.board.header.pin_1, ONE_ROW_OFF if rows or _uses(plan) else "")


def _clashes(alone: int, shared: int) -> bool:
    return alone > 1 or bool(alone and shared)


def header(plan: Plan) -> Iterator[Finding]:
    """Yield what stands against the add-ons on the header, alone and together."""
    yield from header_alone(plan)
    if plan.board is not None and (uses := _uses(plan)):
        yield from _clash(plan)
        yield from _addresses(uses)


def header_alone(plan: Plan) -> Iterator[Finding]:
    """Yield what stands against each add-on by itself: what another board would change."""
    board, uses = plan.board, _uses(plan)
    if board is None:
        return
    for name, use in uses:
        yield from _socket(board, name, use)
    on_pins = [name for name, use in uses if board.header and (board.header.pins == 8) == (use.socket == 8)]
    if on_pins and board.header and not board.header.fitted:
        many = len(on_pins) > 1
        yield Finding(
            "plan.header-not-fitted", Severity.CHECK, f"{board.name} comes without header pins",
            f"{' and '.join(on_pins)} sit{'' if many else 's'} on pins, and the board has bare holes: a strip of {board.header.pins} pins is to be soldered in.",
            "Have a strip at hand and half an hour, or take a board that is sold with its pins in. A soldering iron burns: mind the smoke and where it lies.",
            Where(part="header", field=board.id),
        )  # fmt: skip


def _socket(board: Board, name: str, use: HeaderUse) -> Iterator[Finding]:
    where = Where(part="header", field=name)
    if board.header is None and board.may_have_more:
        yield sockets_not_told(board, name, "header")
        return
    if board.header is None or (board.header.pins == 8) != (use.socket == 8):
        yield Finding("plan.header-missing", Severity.STOP, f"{board.name} has no header for {name}",
                      f"It sits on a header of {use.socket} pins.", "Take another add-on, or a board with a header.", where)  # fmt: skip
        return
    beyond = sorted(p for p in use.takes if p > board.header.pins)
    if beyond:
        yield Finding("plan.header-short", Severity.STOP, f"The header of {board.name} is too short for {name}",
                      f"It uses pin {beyond[0]}; the header has {board.header.pins}.", "Take another add-on, or a board with 40 pins.", where)  # fmt: skip
    elif use.socket < board.header.pins:
        yield Finding(
            "plan.header-row-off", Severity.CHECK, f"{name} can sit one row off",
            f"Its socket has {use.socket} contacts, the header {board.header.pins} pins; the first 26 are the same. "
            "One row off can destroy both.",
            f"Start at pin 1 ({board.header.pin_1}). {ONE_ROW_OFF}", where,
        )  # fmt: skip
    elif use.socket > board.header.pins:
        yield Finding("plan.header-overhang", Severity.CHECK, f"{name} hangs over the end of the header",
                      f"Its socket has {use.socket} contacts, the header {board.header.pins} pins, which are the first of them.",
                      f"Start at pin 1 ({board.header.pin_1}). {ONE_ROW_OFF}", where)  # fmt: skip


def _clash(plan: Plan) -> Iterator[Finding]:
    drawn = header_map(plan)
    both: dict[tuple[str, ...], list[PinUse]] = defaultdict(list)
    for pin in drawn.pins if drawn else ():
        if pin.clash:
            both[pin.takers].append(pin)
    for names, pins in both.items():
        numbers = ", ".join(str(p.number) for p in pins)
        whom = " and ".join(names) if len(names) > 1 else f"Two of {names[0]}"
        yield Finding(
            "plan.header-clash", Severity.STOP, f"{whom} want the same pin" + ("s" if len(pins) > 1 else ""),
            f"Pin {numbers}: {'; '.join(' and '.join(p.carries) for p in pins)}.",
            "Leave one of them out, or take one that uses other pins.", Where(part="header", field=numbers),
        )  # fmt: skip


def canonical_address(said: str) -> str:
    """Return an address of the shared pair as it is written here: 0x4d, 0x04d and 4d are one. What is no number stays as it was said."""
    try:
        return f"0x{int(said, 16):02x}"
    except ValueError:
        return said.lower()


def _addresses(uses: list[tuple[str, HeaderUse]]) -> Iterator[Finding]:
    users: dict[str, list[str]] = defaultdict(list)
    for name, use in uses:
        for address in use.i2c:
            users[canonical_address(address)].append(name)
    for address, names in users.items():
        if len(names) > 1:
            yield Finding(
                "plan.header-address", Severity.STOP, f"{' and '.join(names)} answer at the same address",
                f"Both use {address} on the shared pair, pins 3 and 5.", "Change the address of one of them, if it has a jumper, or leave one out.",
                Where(part="header", field=address),
            )  # fmt: skip
