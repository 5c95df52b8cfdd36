"""Power: who draws what, what the supply gives, what the cable takes, how long a battery lasts."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from mintseed.core.boards.model import Board, Cable, Supply, SupplyNeed
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.parts.model import Part
from mintseed.core.plan.choosing import not_chosen, not_told
from mintseed.core.plan.copper import drop_v
from mintseed.core.plan.plan import Plan, PlannedPart
from mintseed.core.words import capital

SUPPLY_MARGIN = 1.2
"""Current budget = board at load + everything it feeds + margin of 20 % (common practice)."""

VOLTAGE_WINDOW_V = 0.3
"""Volts a supply may differ from the board's nominal voltage (from memory)."""

BROWN_OUT_V = 4.63
"""Volts at a 5 V board below which it warns and stumbles (from memory)."""

LOW_V = 4.75
"""Volts below which USB parts are no longer promised to work. Source: USB 2.0 §7.2.2, high-power
ports, 4.75 to 5.25 V."""

FIVE_VOLT = (4.5, 5.6)
"""Boards whose nominal voltage lies in between are 5 V boards; only of those the brown-out is known."""

WIRES = "ASTM B258, standard wire tables"
UNKNOWN_AWG = 28
"""Gauge assumed of a cable on which nothing is printed: thin, as most of them are (common practice). Nothing that rests on it is a
stop."""

CONTACTS_MOHM = 30.0
"""mΩ assumed of all contacts between supply and board together: what a used plug adds to its wire. Source: USB 2.0 §6.6.3 allows a
contact 30 mΩ at first (from memory). Nobody measured it here, so nothing that rests on it is a stop."""

PARTS_V = 5.0
"""Volts at which what a part draws is written down; a board fed with others draws the same power."""


@dataclass(frozen=True, slots=True)
class Consumer:
    """Something the supply feeds, and what it draws at the board's voltage."""

    name: str
    idle_a: float
    load_a: float


@dataclass(frozen=True, slots=True)
class Wire:
    """The cable between supply and board. `told`: its gauge is printed on it, else it is assumed."""

    name: str
    length_m: float
    awg: int
    told: bool


@dataclass(frozen=True, slots=True)
class PowerSum:
    """Where the current goes and where the volts go. Voltages are None where a piece is not known; they are those the wire leaves,
    `contacts_v` beside them is what its plugs may take at load. `assumed` says what nobody read off or measured."""

    consumers: tuple[Consumer, ...]
    idle_a: float
    load_a: float
    wanted_a: float
    supply_v: float | None = None
    supply_a: float | None = None
    wire: Wire | None = None
    drop_idle_v: float | None = None
    drop_load_v: float | None = None
    board_idle_v: float | None = None
    board_load_v: float | None = None
    brown_out_v: float | None = None
    mean_w: float | None = None
    battery_h: float | None = None
    contacts_v: float | None = None
    assumed: tuple[str, ...] = ()


def amps(value_a: float) -> str:
    """Return amperes as they are said: to a hundredth, nothing rounded away that is drawn."""
    return f"{round(value_a, 2):g} A"


def consumers(plan: Plan) -> tuple[Consumer, ...]:
    """Return what the board's supply feeds: the board, and every part without a supply of its own, nor behind a hub that has one.
    Amperes at the board's voltage."""
    board = plan.board
    need = board.supply if board else None
    own = (Consumer(board.name, need.idle_current_a, need.least_current_a),) if board and need else ()
    share = PARTS_V / need.voltage_v if need and not is_five_volt(need) else 1.0
    elsewhere = fed_by_hubs(plan)
    fed = (
        p for n, p in enumerate(plan.parts) if not p.part.own_supply and p.part.load_current_a and n not in elsewhere
    )
    return (*own, *(Consumer(p.name, p.part.idle_current_a * share, p.part.load_current_a * share) for p in fed))


def fed_by_hubs(plan: Plan) -> frozenset[int]:
    """Return the places of the parts that go into hubs with supplies of their own: the hungriest, as many as have room there."""
    room = sum(p.part.gives_usb for p in plan.parts if p.part.own_supply)
    hungry = [n for n, p in enumerate(plan.parts) if p.part.usb == "A" and not p.part.own_supply]
    hungry.sort(key=lambda n: -plan.parts[n].part.load_current_a)
    return frozenset(hungry[:room])


def wire_of(plan: Plan) -> Wire | None:
    """Return the cable that carries the current: the supply's own, or the one in its socket. None where its length is not known."""
    supply, cable = plan.supply, plan.cable
    if supply is not None and not supply.has_socket:
        if supply.length_m is None:
            return None
        return Wire("its own cable", supply.length_m, supply.awg or UNKNOWN_AWG, supply.awg is not None)
    return Wire(cable.name, cable.length_m, cable.awg or UNKNOWN_AWG, cable.awg is not None) if cable else None


def power_sum(plan: Plan) -> PowerSum:
    """Return the plan's budget: by consumer at idle and load, the volts at the board, the hours of a battery."""
    each = consumers(plan)
    idle_a, load_a = sum(c.idle_a for c in each), sum(c.load_a for c in each)
    supply, wire, board = plan.supply, wire_of(plan), plan.board
    drop_idle = drop_v(wire.awg, wire.length_m, idle_a) if wire else None
    drop_load = drop_v(wire.awg, wire.length_m, load_a) if wire else None
    volts = supply.voltage_v if supply else None
    known = volts is not None and drop_idle is not None and drop_load is not None
    mean_a = idle_a + (load_a - idle_a) * plan.load_share
    need = board.supply if board else None
    mean_w = mean_a * (volts if volts is not None else need.voltage_v) if need else None
    battery = plan.battery
    assumed = []
    if wire is not None and not wire.told:
        assumed.append(f"AWG {wire.awg} of {wire.name}, on which no gauge is printed")
    if wire is not None and load_a:
        assumed.append(f"{CONTACTS_MOHM:g} mΩ of its plugs, which may take {CONTACTS_MOHM / 1000 * load_a:.2f} V more")
    hours = battery.capacity_mah / 1000 * battery.cell_v * battery.efficiency / mean_w if battery and mean_w else None
    return PowerSum(
        each, idle_a, load_a, load_a * SUPPLY_MARGIN,
        volts, supply.current_a if supply else None, wire, drop_idle, drop_load,
        max(0.0, volts - drop_idle) if known else None,  # type: ignore[operator]
        max(0.0, volts - drop_load) if known else None,  # type: ignore[operator]
        BROWN_OUT_V if need and is_five_volt(need) else None, mean_w, hours,
        CONTACTS_MOHM / 1000 * load_a if wire else None, tuple(assumed),
    )  # fmt: skip


def is_five_volt(need: SupplyNeed) -> bool:
    return FIVE_VOLT[0] <= need.voltage_v <= FIVE_VOLT[1]


def power(plan: Plan) -> Iterator[Finding]:
    """Yield whether supply and cable carry the board and what hangs on it."""
    board, supply = plan.board, plan.supply
    if board is None:
        return
    yield from _two_feeders(plan, board)
    need = board.supply
    if need is None:
        if supply is not None:
            yield from _two_supplies(plan, board, supply)
        yield _not_told(board, supply)
        return
    if supply is None:
        if plan.feeder is not None:
            yield _fed(plan, board, need, plan.feeder)
        else:
            yield not_chosen("plan.supply-missing", "supply", "No supply chosen yet", "Pick the supply you will use. A weak one shows as random faults later.",
                f"{board.name} wants {need.voltage_v:g} V and, with what hangs on it and a fifth to spare, {wanted_text(power_sum(plan))} on {need.connector}.",
            )  # fmt: skip
        return
    yield from _two_supplies(plan, board, supply)
    wrong = _plug(board, need, supply, plan.cable) or _voltage(board, need, supply)
    if wrong is not None:
        yield wrong
    if wrong is not None and wrong.severity is Severity.STOP:
        return
    yield _current(plan, board, need, supply)
    yield from _volts(plan, board, supply)


def _not_told(board: Board, supply: Supply | None) -> Finding:
    """Return that nothing can be judged of the power of a board of which nobody said what it wants."""
    return not_told(
        "plan.supply-not-told", f"Whether a supply carries {board.name} cannot be told" if supply is None else f"Whether {supply.name} carries {board.name} cannot be told",
        f"Nobody said what {board.name} draws, at which voltage and through which plug. A wrong voltage can destroy it; too little current shows as random faults.",
        "Look on the board beside its plug and in its papers, and write it down on the Shelf.", Where(part="supply", field=board.id),
    )  # fmt: skip


def _fed(plan: Plan, board: Board, need: SupplyNeed, feeder: PlannedPart) -> Finding:
    """Return whether the add-on that feeds the board can give what the board and all that hangs on it draw."""
    total, where = power_sum(plan), Where(part="supply", field=feeder.name)
    gives = feeder.part.feeds_a
    drawn = f"{board.name} draws {amps(need.least_current_a)} at load, with what hangs on it {amps(total.load_a)}."
    if gives is None:
        return Finding(
            "plan.feeder-unknown", Severity.NOTE, f"How much {feeder.name} can give the board is not known",
            drawn, f"Look for it in its papers: with a fifth to spare {wanted_text(total)} are wanted.", where,
        )  # fmt: skip
    if round(gives, 3) < round(total.load_a, 3):
        return Finding(
            "plan.feeder-weak", Severity.CHECK, f"{feeder.name} is weak for this", f"It gives the board {amps(gives)}; {drawn}",
            f"Open its feeding jumper and use a supply of {wanted_text(total)} or more, or let parts on USB have a supply of their own.", where,
        )  # fmt: skip
    tight = round(gives, 3) < round(total.wanted_a, 3)
    return Finding(
        "plan.feeder-carries", Severity.NOTE if tight else Severity.OK,
        f"{feeder.name} carries it" + (" with nothing to spare" if tight else ""), f"It gives the board {amps(gives)}; {drawn}", where=where,
    )  # fmt: skip


def _through(part: Part) -> str:
    return "through the header" if part.header else "back through its USB plug"


PUSH = "Two supplies push against each other and can destroy both."


def _two_supplies(plan: Plan, board: Board, supply: Supply) -> Iterator[Finding]:
    if board.two_supplies:
        return
    for feeder in (p for p in plan.parts if p.part.feeds_board):
        cure = (
            "open its feeding jumper"
            if feeder.part.header
            else "take one that does not feed back, or a cable without its 5 V wire"
        )
        out = supply.name if feeder.part.header else feeder.name
        yield Finding(
            "plan.two-supplies", Severity.STOP, f"{feeder.name} and {supply.name} would both feed the board",
            f"It powers the board {_through(feeder.part)}. {PUSH}", f"Leave {out} out, or {cure}. Never two supplies at once.",
            Where(part="supply"),
        )  # fmt: skip
        return


def _two_feeders(plan: Plan, board: Board) -> Iterator[Finding]:
    """Two parts that feed the board push against each other as two supplies do."""
    feeders = [p for p in plan.parts if p.part.feeds_board]
    if len(feeders) > 1 and not board.two_supplies:
        ways = " and ".join(dict.fromkeys(_through(p.part) for p in feeders))
        yield Finding(
            "plan.two-supplies", Severity.STOP, f"{' and '.join(p.name for p in feeders[:2])} would both feed the board",
            f"They power it {ways}. {PUSH}",
            "Leave one of them out, or open its feeding jumper. Never two supplies at once.", Where(part="parts", field=feeders[1].name),
        )  # fmt: skip


def _plug(board: Board, need: SupplyNeed, supply: Supply, cable: Cable | None) -> Finding | None:
    where = Where(part="supply")
    if not supply.has_socket:
        if supply.connector == need.connector:
            return None
        return Finding(
            "plan.supply-connector", Severity.STOP, f"{supply.name} does not plug in",
            f"It ends in {supply.connector}; {board.name} takes {need.connector}.", "Pick another supply.", where,
        )  # fmt: skip
    socket = supply.connector.split()[0]
    if cable is None:
        return not_chosen("plan.cable-missing", "cable", "No power cable chosen yet", f"Pick the cable from {socket} to {need.connector} you will use.",
                          f"{supply.name} has a socket; the cable decides how many volts arrive.")  # fmt: skip
    if cable.plug_to_supply != socket or cable.plug_to_board != need.connector:
        return Finding(
            "plan.cable-plug", Severity.STOP, f"{cable.name} does not plug in",
            f"It goes from {cable.plug_to_supply} to {cable.plug_to_board}; wanted is {socket} to {need.connector}.",
            "Pick another cable.", Where(part="cable"),
        )  # fmt: skip
    return None


def _voltage(board: Board, need: SupplyNeed, supply: Supply) -> Finding | None:
    if abs(supply.voltage_v - need.voltage_v) <= VOLTAGE_WINDOW_V:
        return None
    return Finding(
        "plan.supply-voltage", Severity.STOP,
        f"{supply.name} gives {supply.voltage_v:g} V; {board.name} takes {need.voltage_v:g} V",
        "A wrong voltage can destroy the board.", "Do not connect it. Pick another supply.", Where(part="supply"),
    )  # fmt: skip


def _current(plan: Plan, board: Board, need: SupplyNeed, supply: Supply) -> Finding:
    total = power_sum(plan)
    where = Where(part="supply")
    hangs_on = len(total.consumers) - 1
    drawn = f"{board.name} draws {need.least_current_a:g} A at load"
    drawn += f", with what hangs on it {amps(total.load_a)}" if hangs_on else ""
    # Both sides are decimal numbers as printed: 2.0 A and 20 % are 2.4 A, not a hair more.
    if round(supply.current_a, 3) < round(total.load_a, 3):
        return Finding(
            "plan.supply-weak", Severity.CHECK, f"{supply.name} is weak for this",
            f"It gives {supply.current_a:g} A; {drawn}. Too little shows as random faults, radio loss and spoilt cards.",
            f"Use one of {wanted_text(total)} or more.", where,
        )  # fmt: skip
    if round(supply.current_a, 3) < round(total.wanted_a, 3):
        return Finding(
            "plan.supply-tight", Severity.NOTE, f"{supply.name} carries it with nothing to spare",
            f"{supply.current_a:g} A; {drawn}. Plug nothing hungry into it.", where=where,
        )  # fmt: skip
    return Finding("plan.supply-fits", Severity.OK, f"{supply.name} carries it",
                   f"{supply.current_a:g} A; {drawn}.", where=where)  # fmt: skip


def wanted_text(total: PowerSum) -> str:
    """Return what a supply has to give, with the margin, in words."""
    return f"{wanted_a(total):g} A"


def wanted_a(total: PowerSum) -> float:
    """Return the amperes a supply has to give, with the margin, as supplies are sold: to a tenth of an ampere, upwards."""
    return math.ceil(round(total.wanted_a * 10, 3)) / 10


def _volts(plan: Plan, board: Board, supply: Supply) -> Iterator[Finding]:
    total, where = power_sum(plan), Where(part="cable" if supply.has_socket else "supply")
    wire = total.wire
    if total.brown_out_v is None:
        return
    if wire is None or total.board_load_v is None:
        if not supply.has_socket:
            yield Finding("plan.cable-unknown", Severity.NOTE, "How many volts arrive is not known",
                          f"The length of {supply.name}'s own cable is not written down.", "Measure it and write it down on the Shelf.", where)  # fmt: skip
        return
    gauge = f"AWG {wire.awg}" if wire.told else f"no gauge printed on it, so AWG {wire.awg} is assumed"
    lost, left = total.drop_load_v or 0.0, total.board_load_v
    detail = (
        f"{wire.length_m:g} m ({gauge}) at {amps(total.load_a)} loses {lost:.2f} V: of {supply.voltage_v:g} V, "
        + (f"{left:.2f} V are left at the board." if left else "nothing is left at the board.")
    )
    contacts_v = total.contacts_v or 0.0
    with_plugs = f"{detail} Its plugs may take another {contacts_v:.2f} V ({CONTACTS_MOHM:g} mΩ assumed)."
    name = capital(wire.name)
    if left < BROWN_OUT_V and wire.told:
        yield Finding("plan.cable-drop", Severity.STOP, f"Too few volts arrive over {wire.name}",
                      f"{detail} Below {BROWN_OUT_V} V it stumbles.", "Use a shorter or thicker cable: a lower AWG number is thicker.",
                      where, WIRES)  # fmt: skip
    elif left < BROWN_OUT_V:
        yield Finding("plan.cable-drop-assumed", Severity.CHECK, f"Perhaps too few volts arrive over {wire.name}",
                      f"{detail} Below {BROWN_OUT_V} V it stumbles. Whether it is that thin nobody read off.",
                      "Look for AWG and a number along the cable and write it down on the Shelf; or use a shorter one, or one on which it is printed.",
                      where, WIRES)  # fmt: skip
    elif left - contacts_v < BROWN_OUT_V:
        yield Finding("plan.cable-drop-assumed", Severity.CHECK, f"Perhaps too few volts arrive over {wire.name}",
                      f"{with_plugs} Below {BROWN_OUT_V} V it stumbles.", "A shorter or thicker cable leaves more; keep its plugs clean.", where, WIRES)  # fmt: skip
    elif left - contacts_v < LOW_V:
        yield Finding("plan.cable-drop-near", Severity.CHECK if left < LOW_V else Severity.NOTE, f"{name} leaves few volts",
                      f"{detail if left < LOW_V else with_plugs} Parts on USB may stumble below {LOW_V} V.",
                      "A shorter or thicker cable is better.", where, WIRES)  # fmt: skip
    else:
        yield Finding(
            "plan.cable-carries", Severity.OK, f"{left:.2f} V arrive at the board", detail, where=where, source=WIRES
        )


def battery(plan: Plan) -> Iterator[Finding]:
    """Yield how long a battery lasts, with what that rests on."""
    total, cells = power_sum(plan), plan.battery
    if cells is None or total.battery_h is None or total.mean_w is None:
        return
    yield Finding(
        "plan.battery-hours",
        Severity.NOTE,
        f"About {total.battery_h:.1f} hours on the battery",
        f"{cells.capacity_mah:g} mAh at {cells.cell_v:g} V, {cells.efficiency:.0%} of it left after raising the voltage, "
        f"and {total.mean_w:.2f} W drawn: at load {plan.load_share:.0%} of the time. Cold and age take from it.",
        "Shut it down before it runs empty: a card that is written then may be spoilt.",
        Where(part="supply"),
    )


def usb_current(plan: Plan) -> Iterator[Finding]:
    """Yield whether the parts on USB draw more than the board's sockets give."""
    board = plan.board
    if board is None or not board.usb:
        return
    elsewhere = fed_by_hubs(plan)
    hungry = [p for n, p in enumerate(plan.parts) if p.part.usb and not p.part.own_supply and n not in elsewhere]
    drawn = sum(p.part.load_current_a for p in hungry)
    # Printed numbers: three times 0.1 A are 0.3 A, not a hair more.
    if round(drawn, 3) > round(board.usb_current_a, 3):
        yield Finding(
            "plan.usb-overdrawn",
            Severity.CHECK,
            f"The USB sockets of {board.name} give too little for this",
            f"{', '.join(p.name for p in hungry)} draw {amps(drawn)}; all sockets together give {amps(board.usb_current_a)}.",
            "Put a hub with a supply of its own between.",
            Where(part="usb"),
        )
