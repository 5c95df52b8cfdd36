"""What may be chosen for one field of a plan, the best first, each with its reason; and a plan filled with the best."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from mintseed.core.findings import Finding, Severity, verdict, worst_first
from mintseed.core.parts.model import Part
from mintseed.core.plan.cards import card, pace
from mintseed.core.plan.changes import Step, as_sets
from mintseed.core.plan.choosing import OF_THE_BOARD
from mintseed.core.plan.fit import check_plan
from mintseed.core.plan.header import header, header_alone
from mintseed.core.plan.needs import fits_board, unmet
from mintseed.core.plan.network import network
from mintseed.core.plan.order import order
from mintseed.core.plan.plan import Plan, PlannedPart, Way
from mintseed.core.plan.power import power
from mintseed.core.plan.shelf import Owned, Shelf
from mintseed.core.plan.sockets import camera, display, usb
from mintseed.core.plan.starts import starts
from mintseed.core.plan.way_out import ways_out
from mintseed.core.recipes.model import PartNeed, Recipe

_WORST = {Severity.STOP: 4, Severity.CHECK: 3, Severity.YET: 1, Severity.NOTE: 0, Severity.OK: 0}

ADAPTING = ("socket-adapter", "usb-hub", "wifi-adapter")
"""Roles of parts that a filled plan may hold only because other parts, or the board, ask for them."""

Judge = Callable[[Plan], Iterable[Finding]]


@dataclass(frozen=True, slots=True)
class Option:
    """One thing that may be chosen, how it would do, and why."""

    key: int
    name: str
    verdict: Severity
    reason: str
    used_by: tuple[str, ...] = ()


ASKS_FOR_MORE = ("plan.cable-missing",)
"""What is not chosen yet because of the option itself; all else that is not chosen yet says nothing of it."""


def _judge(plan: Plan, rules: Sequence[Judge], said: Collection[Finding] = ()) -> tuple[Severity, str]:
    """Return what is said of a plan beside what is `said` without the option, and the worst of it."""
    every = (f for rule in rules for f in rule(plan) if f not in said)
    found = worst_first(f for f in every if f.severity is not Severity.YET or f.code in ASKS_FOR_MORE)
    if not found:
        return Severity.OK, ""
    return verdict(found), _reason(found).title


def _reason(found: Sequence[Finding]) -> Finding:
    """Return what is said of an option whose findings, the worst first, are `found`."""
    if found[0].severity is not Severity.NOTE:
        return found[0]
    # A note is seldom the reason; that nobody knows is one, whatever else speaks for it.
    not_told = next((f for f in found if f.code in OF_THE_BOARD), None)
    return not_told or next((f for f in found if f.severity is Severity.OK), found[0])


def _ranked(
    things: Iterable[Owned[Any]],
    plan_with: Callable[[Any], Plan],
    rules: Sequence[Judge],
    size: Callable[[Any], float],
    said: Collection[Finding] = (),
) -> tuple[Option, ...]:
    judged: dict[int, tuple[Severity, str]] = {}
    kinds: list[tuple[object, tuple[Severity, str]]] = []
    listed = list(things)
    for owned in listed:
        known = next((j for kind, j in kinds if kind is owned.thing), None)
        if known is None:
            known = _judge(plan_with(owned.thing), rules, said)
            kinds.append((owned.thing, known))
        judged[owned.key] = known
    order_of = sorted(listed, key=lambda o: (_WORST[judged[o.key][0]], bool(o.used_by), size(o.thing), o.key))
    return tuple(Option(o.key, o.name, *judged[o.key], o.used_by) for o in order_of)


def _way_for(plan: Plan) -> Way | None:
    """Return the way the plan says, or the recipe's first that this board has."""
    if plan.way is not None or plan.board is None:
        return plan.way
    possible = [w for w in plan.recipe.ways if (plan.radio_ghz if w == "wifi" else plan.ethernet)]
    return possible[0] if possible else plan.recipe.ways[0]


def board_options(plan: Plan, shelf: Shelf) -> tuple[Option, ...]:
    """Return the boards of the shelf: those it starts on and that come onto the network first, the cheapest of them first."""

    def with_board(board: Any) -> Plan:
        changed = replace(plan, board=board, image=plan.image)
        return replace(changed, way=_way_for(changed))

    # What stands between two parts stands there on every board, so it says nothing of this one.
    rules: tuple[Judge, ...] = (starts, network, fits_board, header_alone, camera, display, usb)
    return _ranked(shelf.boards, with_board, rules, lambda b: b.price.amount if b.price else 1e6)


def card_options(plan: Plan, shelf: Shelf) -> tuple[Option, ...]:
    """Return the cards of the shelf, the smallest with the room that is advised first; one that will just do comes after them."""
    advised_gb = plan.recipe.card.advised_gb
    return _ranked(
        shelf.cards,
        lambda c: replace(plan, card=c),
        (card, pace),
        lambda c: c.size_gb + (SMALL_LAST_GB if c.size_gb < advised_gb else 0),
    )


SMALL_LAST_GB = 1e6
"""added to a card of less room than is advised"""

BATTERY_LAST_A = 1000.0
"""added to what a battery gives, so that it comes after every other supply that does as well"""


def supply_options(plan: Plan, shelf: Shelf) -> tuple[Option, ...]:
    """Return the supplies of the shelf, the smallest that carries it first. A battery is for a person to choose: it comes last."""
    return _ranked(
        shelf.supplies,
        lambda s: replace(plan, supply=s),
        (power,),
        lambda s: s.current_a + (BATTERY_LAST_A if s.battery else 0),
    )


def cable_options(plan: Plan, shelf: Shelf) -> tuple[Option, ...]:
    """Return the power cables of the shelf, the shortest that carries it first."""
    return _ranked(shelf.cables, lambda c: replace(plan, cable=c), (power,), lambda c: c.length_m)


def part_options(plan: Plan, shelf: Shelf, need: PartNeed) -> tuple[Option, ...]:
    """Return the parts of the shelf that meet `need`, each by what it adds: what stands against another part in the plan says nothing of it."""
    fitting = [o for o in shelf.parts if need.met_by(o.thing)]
    rules: tuple[Judge, ...] = (fits_board, header, camera, display, usb, order)

    def with_part(part: Any) -> Plan:
        return replace(plan, parts=(*plan.parts, PlannedPart(part, part.name)))

    said = [f for rule in rules for f in rule(plan)] if fitting else []
    return _ranked(fitting, with_part, rules, lambda p: p.price.amount if p.price else 1e6, said)


@dataclass(frozen=True, slots=True)
class Chosen:
    """What a plan is filled with: keys of the shelf's things, and the ids of parts that are to be bought."""

    board: int | None = None
    way: Way | None = None
    network: int | None = None
    card: int | None = None
    supply: int | None = None
    cable: int | None = None
    parts: tuple[int, ...] = ()
    kinds: tuple[str, ...] = ()


def _first(options: Sequence[Option], *, also: tuple[Severity, ...] = (Severity.CHECK,)) -> int | None:
    """Return the best option that nothing stops and nobody else plans with; one that is to be looked at only where that may be."""
    good = [o for o in options if o.verdict in (Severity.OK, Severity.NOTE, Severity.YET, *also) and not o.used_by]
    return good[0].key if good else None


def best_plan(recipe: Recipe, shelf: Shelf, board: int | None = None) -> tuple[Chosen, Plan]:
    """Return the plan for `recipe` with the best that fits from the shelf; on `board` where that is what shall be used.

    Nothing is chosen twice: what another deployment plans with stays there. What is needed and not there is to be bought.
    """
    plan = Plan(recipe)
    # The board is picked with what the appliance needs in mind: a header without pins is no place for an add-on.
    with_needs = replace(plan, parts=tuple(PlannedPart(p) for p in _usual_add_ons(recipe, shelf)))
    unknown = {o.key for o in shelf.boards if o.thing.may_have_more}
    options = board_options(with_needs, shelf)
    # One of which little is known is taken unasked only where there is no other.
    first = _first([o for o in options if o.key not in unknown]) or _first(options)
    key = board if board is not None else first
    unit = next((o for o in shelf.boards if o.key == key), None)
    plan = replace(plan, board=unit.thing if unit else None)
    plan = replace(plan, way=_way_for(plan) or recipe.ways[0])
    # Before there is a board, or while nobody said what it hears: the band that every radio hears (common practice).
    bands = plan.radio_ghz or (2.4,) if plan.board is None or plan.board.radio_ghz is None else plan.radio_ghz
    heard = [n for n in shelf.networks if n.thing.band_ghz in bands] if plan.way == "wifi" else []
    heard.sort(key=lambda n: n.thing.wpa3_only)
    plan = replace(plan, network=heard[0].thing if heard else None)
    plan, parts, kinds = _with_parts(plan, shelf)
    plan, parts, kinds = _with_adapters(plan, shelf, parts, kinds)
    card_key = _first(card_options(plan, shelf))
    plan = replace(plan, card=next((o.thing for o in shelf.cards if o.key == card_key), None))
    lasting = replace(shelf, supplies=tuple(o for o in shelf.supplies if o.thing.battery is None))
    # What nobody said a board wants is not guessed at: a wrong voltage can destroy it.
    known = plan.board is not None and plan.board.supply is not None
    supply_key = _first(supply_options(plan, lasting), also=()) if known and plan.feeder is None else None
    plan = replace(plan, supply=next((o.thing for o in shelf.supplies if o.key == supply_key), None))
    cable_key = _first(cable_options(plan, shelf), also=()) if plan.supply and plan.supply.has_socket else None
    plan = replace(plan, cable=next((o.thing for o in shelf.cables if o.key == cable_key), None))
    chosen = Chosen(
        key if unit else None, plan.way, heard[0].key if heard else None, card_key, supply_key, cable_key, parts, kinds
    )
    return chosen, plan


def _usual_add_ons(recipe: Recipe, shelf: Shelf) -> list[Part]:
    """Return the usual part for each need of `recipe` that sits on the header; between others and their sockets an adapter may go."""
    found = []
    for need in recipe.needs:
        kinds = [shelf.catalogue[k] for k in need.options if k in shelf.catalogue] or [
            p for p in shelf.catalogue.values() if need.met_by(p)
        ]
        if need.need == "needed" and kinds and kinds[0].header is not None:
            found.append(kinds[0])
    return found


def _with_parts(plan: Plan, shelf: Shelf) -> tuple[Plan, tuple[int, ...], tuple[str, ...]]:
    taken: list[int] = []
    kinds: list[str] = []
    for need in unmet(plan):
        free = replace(shelf, parts=tuple(o for o in shelf.parts if o.key not in taken))
        options = part_options(plan, free, need)
        key, kind = _first(options), None
        if key is None:
            kind, fits = _to_buy(plan, shelf, need)
            # What is bought would want an adapter as well.
            key = None if fits else _first(options, also=(Severity.CHECK, Severity.STOP))
        if key is not None:
            owned = next(o for o in shelf.parts if o.key == key)
            plan = replace(plan, parts=(*plan.parts, PlannedPart(owned.thing, owned.name)))
            taken.append(key)
        elif kind is not None:
            plan = replace(plan, parts=(*plan.parts, PlannedPart(shelf.catalogue[kind])))
            kinds.append(kind)
    return plan, tuple(taken), tuple(kinds)


MOST_ADAPTERS = 4


def _with_adapters(
    plan: Plan, shelf: Shelf, parts: tuple[int, ...], kinds: tuple[str, ...]
) -> tuple[Plan, tuple[int, ...], tuple[str, ...]]:
    """Return the plan with the adapters, hubs and sticks that what is in it asks for."""
    for _ in range(MOST_ADAPTERS):
        cures = (p for p in ways_out(plan, shelf) if len(p.steps) == 1)
        adapting = [(p, _added(p.steps[0], shelf)) for p in cures]
        found = next(((p, part) for p, part in adapting if part and part.part.role in ADAPTING and p.stops_fewer), None)
        if found is None:
            break
        sets, planned = as_sets(found[0].steps), found[1]
        plan = replace(plan, parts=(*plan.parts, planned))
        parts, kinds = (*parts, *sets.get("add_parts", ())), (*kinds, *sets.get("add_kinds", ()))
    return plan, parts, kinds


def _added(step: Step, shelf: Shelf) -> PlannedPart | None:
    """Return the part that a step adds, None where it adds none or one that is planned elsewhere."""
    field, value = step
    if field == "add_kind":
        return PlannedPart(shelf.catalogue[str(value)])
    owned = next((o for o in shelf.parts if field == "add_part" and o.key == value and not o.used_by), None)
    return PlannedPart(owned.thing, owned.name) if owned else None


def _to_buy(plan: Plan, shelf: Shelf, need: PartNeed) -> tuple[str | None, bool]:
    """Return the first part to be had that meets `need` and brings no new stop, else the first at all; and whether it brings none."""
    known = [
        k
        for k in (need.options or tuple(p.id for p in shelf.catalogue.values() if p.role == need.role))
        if k in shelf.catalogue
    ]
    before = sum(f.severity is Severity.STOP for f in check_plan(plan))
    for kind in known:
        after = check_plan(replace(plan, parts=(*plan.parts, PlannedPart(shelf.catalogue[kind]))))
        if sum(f.severity is Severity.STOP for f in after) <= before:
            return kind, True
    return known[0] if known else None, False
