"""Shelf: what one owns at one place: boards, cards, supplies, cables, parts."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from typing import Annotated, Any, Literal, TypeVar

from django.db import transaction
from django.db.models import Model
from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from mintseed.core.boards.model import PLUGS, SOCKETS
from mintseed.core.contained import unknown_board, unknown_part
from mintseed.core.errors import InputError
from mintseed.core.hardware_address import hardware_address
from mintseed.core.parts.model import role_words
from mintseed.core.plan.cards import CLASSES
from mintseed.core.plan.copper import MILLIOHM_PER_M
from mintseed.core.units import NOMINAL_CARD_GB
from mintseed.server.api.meanwhile import ChangeIn, changed_by
from mintseed.server.api.plan import board_text
from mintseed.server.api.shelf_shapes import (
    BoardKindOut,
    CableIn,
    CardIn,
    CardWriteOut,
    PartIn,
    PartKindOut,
    ShelfCableOut,
    ShelfCardOut,
    ShelfOut,
    ShelfPartOut,
    ShelfSupplyOut,
    ShelfUnitOut,
    SupplyIn,
    UnitIn,
)
from mintseed.server.api.wire import Wire
from mintseed.server.done.taken_off import refuse_powered
from mintseed.server.judged.journal import record
from mintseed.server.kept.due import judge_soon
from mintseed.server.kept.models import BoardUnit, Cable, OwnedCard, Part, Removable, Site, Supply, Write
from mintseed.server.owned import descriptions
from mintseed.server.owned.shelf import units_at
from mintseed.server.owned.users import users_of

router = Router(tags=["shelf"])

S = TypeVar("S", bound=Wire)

PAGE_UNITS = 40
SHOWN_WRITES = 5
MOST_WRITES = 1000
"""writes to all cards of a shelf that are looked at and counted"""
MOST_THINGS = 200


@router.get("/sites/{site_pk}/shelf", response=ShelfOut)
def read_shelf_of(
    request: HttpRequest, site_pk: int, after: int = 0, search: Annotated[str, Field(max_length=80)] = ""
) -> ShelfOut:
    return _out(Site.there.get(pk=site_pk), after=after, search=search.strip())


def _unit(payload: UnitIn) -> dict[str, Any]:
    boards = descriptions.boards()
    if payload.board not in boards:
        raise InputError(f"no board is called {payload.board}", expected=", ".join(boards), where="board")
    try:
        macs = [hardware_address(m) for m in payload.macs.split()]
    except ValueError as error:
        raise InputError(str(error), where="macs", expected="six pairs such as 02:51:48:00:00:0a") from error
    return {"name": " ".join(payload.name.split()), "board": payload.board, "macs": macs, "note": payload.note}


def _supply(payload: SupplyIn) -> dict[str, Any]:
    values = _named(payload)
    return values | ({"length_m": None, "awg": None} if payload.connector in SOCKETS else {})


def _part(payload: PartIn) -> dict[str, Any]:
    if payload.kind not in descriptions.parts():
        raise InputError(f"no part is called {payload.kind}", where="kind")
    return _named(payload)


def _named(payload: Wire) -> dict[str, Any]:
    values: dict[str, Any] = payload.model_dump()
    return values | {"name": " ".join(values["name"].split())}


def _add(site_pk: int, model: type[Model], values: dict[str, Any], what: str) -> ShelfOut:
    site = Site.there.get(pk=site_pk)
    with transaction.atomic():
        model._default_manager.create(site=site, **values)
        record(None, "", f"shelf.{what}-added", f"{what.capitalize()} added: {values['name']}")
    return _out(site)


def _change(
    pk: int,
    model: type[Removable],
    shape: type[S],
    payload: ChangeIn,
    columns: Callable[[S], dict[str, Any]],
    what: str,
    **which: Any,
) -> ShelfOut:
    """Change what was sent of one thing, and nothing else of it."""
    with transaction.atomic():
        row: Any = model.objects.select_for_update().get(pk=pk, removed_at=None)
        read, sent = changed_by(shape, _as_sent(row, shape), payload)
        if isinstance(row, BoardUnit) and isinstance(read, UnitIn) and read.board != row.board:
            refuse_powered(row)
        values = columns(read)
        # A supply that got a socket has no cable of its own any more.
        also = {"length_m", "awg"} if "connector" in sent else set()
        model.objects.filter(pk=pk).update(**{k: v for k, v in values.items() if k in sent | also})
        judge_soon(**which)
        record(None, "", f"shelf.{what}-changed", f"{what.capitalize()} changed: {values['name']}")
    return _out(row.site)


def _as_sent(row: Any, shape: type[Wire]) -> dict[str, Any]:
    """Return a thing as a form would send it."""
    now = {name: getattr(row, name) for name in shape.model_fields}
    return now | ({"macs": " ".join(row.macs)} if "macs" in now else {})


@router.post("/sites/{site_pk}/shelf/boards", response=ShelfOut)
def add_unit(request: HttpRequest, site_pk: int, payload: UnitIn) -> ShelfOut:
    return _add(site_pk, BoardUnit, _unit(payload), "board")


@router.put("/shelf/boards/{pk}", response=ShelfOut)
def change_unit(request: HttpRequest, pk: int, payload: ChangeIn) -> ShelfOut:
    return _change(pk, BoardUnit, UnitIn, payload, _unit, "board", board_unit=pk)


@router.post("/sites/{site_pk}/shelf/supplies", response=ShelfOut)
def add_supply(request: HttpRequest, site_pk: int, payload: SupplyIn) -> ShelfOut:
    return _add(site_pk, Supply, _supply(payload), "supply")


@router.put("/shelf/supplies/{pk}", response=ShelfOut)
def change_supply(request: HttpRequest, pk: int, payload: ChangeIn) -> ShelfOut:
    return _change(pk, Supply, SupplyIn, payload, _supply, "supply", supply=pk)


@router.post("/sites/{site_pk}/shelf/cables", response=ShelfOut)
def add_cable(request: HttpRequest, site_pk: int, payload: CableIn) -> ShelfOut:
    return _add(site_pk, Cable, _named(payload), "cable")


@router.put("/shelf/cables/{pk}", response=ShelfOut)
def change_cable(request: HttpRequest, pk: int, payload: ChangeIn) -> ShelfOut:
    return _change(pk, Cable, CableIn, payload, _named, "cable", cable=pk)


@router.post("/sites/{site_pk}/shelf/cards", response=ShelfOut)
def add_card(request: HttpRequest, site_pk: int, payload: CardIn) -> ShelfOut:
    return _add(site_pk, OwnedCard, _named(payload), "card")


@router.put("/shelf/cards/{pk}", response=ShelfOut)
def change_card(request: HttpRequest, pk: int, payload: ChangeIn) -> ShelfOut:
    return _change(pk, OwnedCard, CardIn, payload, _named, "card", owned_card=pk)


@router.post("/sites/{site_pk}/shelf/parts", response=ShelfOut)
def add_part(request: HttpRequest, site_pk: int, payload: PartIn) -> ShelfOut:
    return _add(site_pk, Part, _part(payload), "part")


@router.put("/shelf/parts/{pk}", response=ShelfOut)
def change_part(request: HttpRequest, pk: int, payload: ChangeIn) -> ShelfOut:
    return _change(pk, Part, PartIn, payload, _part, "part", parts__part=pk)


def _out(site: Site, *, after: int = 0, search: str = "") -> ShelfOut:
    boards = descriptions.boards()
    rows = list(units_at(site, search).filter(pk__gt=after)[: PAGE_UNITS + 1])
    units = rows[:PAGE_UNITS]
    unit_users = users_of("board_unit", [u.pk for u in units])
    return ShelfOut(
        site_id=site.pk,
        units=[_unit_out(u, unit_users[u.pk].words) for u in units],
        units_after=units[-1].pk if len(rows) > PAGE_UNITS else None,
        supplies=_each(site, Supply, "supply", ShelfSupplyOut),
        cables=_each(site, Cable, "cable", ShelfCableOut),
        cards=_cards(site),
        parts=_parts(site),
        kinds=[
            BoardKindOut(
                id=b.id, name=b.name, maker=b.maker, printed_mark=b.printed_mark, mark_place=b.mark_place, telling_apart=b.telling_apart,
                text=board_text(b), supply_text=f"{b.supply.voltage_v:g} V, {b.supply.least_current_a:g} A, {b.supply.connector}" if b.supply else "",
                twin=boards[b.twin].name if b.twin and b.twin in boards else "", drawing=b.drawing,
                example=descriptions.is_example("board", b.id),
            )
            for b in boards.values()
        ],
        part_kinds=[PartKindOut(
                id=p.id, name=p.name, role=role_words(p.role), seen=p.seen, example=descriptions.is_example("part", p.id)
            )
            for p in descriptions.parts().values()],
        connectors=[*PLUGS, *SOCKETS],
        plugs=list(PLUGS),
        gauges=list(MILLIOHM_PER_M),
        classes=list(CLASSES),
        card_sizes=[g for g in NOMINAL_CARD_GB if g >= 4],
    )  # fmt: skip


def _each(
    site: Site, model: type[Model], field: Literal["supply", "cable", "owned_card"], shape: Callable[..., Any]
) -> list[Any]:
    rows = list(model._default_manager.filter(site=site, removed_at=None).order_by("pk").values()[:MOST_THINGS])
    users = users_of(field, [int(r["id"]) for r in rows])
    return [shape(**{**row, "used_by": users[int(row["id"])].words}) for row in rows]


def _cards(site: Site) -> list[ShelfCardOut]:
    rows = OwnedCard.there.at(site.pk, MOST_THINGS)
    users = users_of("owned_card", [c.pk for c in rows])
    history: dict[int, list[CardWriteOut]] = defaultdict(list)
    held = Write.objects.filter(owned_card__in=rows).order_by("-pk")
    for pk, begun, name, outcome in held.values_list("owned_card", "begun_at", "deployment__name", "outcome")[
        :MOST_WRITES
    ]:
        history[pk or 0].append(CardWriteOut(at=begun, deployment=name, outcome=outcome or "not ended"))
    return [
        ShelfCardOut(
            id=c.pk, name=c.name, size_gb=c.size_gb, classes=c.classes, endurance=c.endurance, note=c.note, used_by=users[c.pk].words,
            writes=len(history[c.pk]), history=history[c.pk][:SHOWN_WRITES],
        )
        for c in rows
    ]  # fmt: skip


def _parts(site: Site) -> list[ShelfPartOut]:
    rows = Part.there.at(site.pk, MOST_THINGS)
    kinds, users = descriptions.parts(), users_of("part", [p.pk for p in rows])
    return [
        ShelfPartOut(
            id=p.pk, name=p.name, kind=p.kind, kind_name=kinds[p.kind].name if p.kind in kinds else p.kind,
            role=role_words(kinds[p.kind].role) if p.kind in kinds else "", note=p.note, used_by=users[p.pk].words,
            findings=[] if p.kind in kinds else [unknown_part(p.name, p.kind)],
        )
        for p in rows
    ]  # fmt: skip


def _unit_out(unit: BoardUnit, users: list[str]) -> ShelfUnitOut:
    board = descriptions.boards().get(unit.board)
    return ShelfUnitOut(
        id=unit.pk,
        name=unit.name,
        board=unit.board,
        board_name=board.name if board else unit.board,
        in_part=board is not None and board.may_have_more,
        printed_mark=board.printed_mark if board else "",
        macs=list(unit.macs),
        note=unit.note,
        used_by=users,
        findings=[] if board else [unknown_board(unit.name, unit.board)],
    )
