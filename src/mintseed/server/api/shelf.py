"""Shelf: the boards and supplies one owns, at one place."""

from __future__ import annotations

from typing import Annotated, Literal

from django.db import transaction
from django.db.models import Q, QuerySet
from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from mintseed import wiring
from mintseed.core.contained import unknown_board
from mintseed.core.errors import InputError, RefusedError
from mintseed.core.findings import Finding
from mintseed.server.journal import record
from mintseed.server.judging import judge_soon
from mintseed.server.lists import users_of
from mintseed.server.models import BoardUnit, BootRun, Site, Supply

router = Router(tags=["shelf"])


class BoardKindOut(Schema):
    """A model of board one may own, told apart by its printed mark."""

    id: str
    name: str
    maker: str
    printed_mark: str
    bits: int
    radio: str
    ethernet: bool
    supply_text: str
    twin: str


class ShelfUnitOut(Schema):
    id: int
    name: str
    board: str
    board_name: str
    printed_mark: str
    used_by: list[str]
    findings: list[Finding]


class ShelfSupplyOut(Schema):
    id: int
    name: str
    voltage_v: float
    current_a: float
    connector: str
    used_by: list[str]


class ShelfOut(Schema):
    """`units` is a page; `units_after` asks for the next one."""

    site_id: int
    units: list[ShelfUnitOut]
    units_after: int | None
    supplies: list[ShelfSupplyOut]
    kinds: list[BoardKindOut]
    connectors: list[str]


class UnitIn(Schema):
    name: str = Field(min_length=1, max_length=80)
    board: str


class SupplyIn(Schema):
    name: str = Field(min_length=1, max_length=80)
    voltage_v: float = Field(gt=0, le=60)
    current_a: float = Field(gt=0, le=30)
    connector: Literal["micro-USB", "USB-C", "barrel plug", "header pins"]


CONNECTORS = ("micro-USB", "USB-C", "barrel plug", "header pins")


PAGE_UNITS = 40
MOST_SUPPLIES = 200


@router.get("/sites/{site_pk}/shelf", response=ShelfOut)
def read_shelf(
    request: HttpRequest, site_pk: int, after: int = 0, search: Annotated[str, Field(max_length=80)] = ""
) -> ShelfOut:
    return _out(Site.objects.get(pk=site_pk), after=after, search=search.strip())


@router.post("/sites/{site_pk}/shelf/boards", response=ShelfOut)
def add_unit(request: HttpRequest, site_pk: int, payload: UnitIn) -> ShelfOut:
    site = Site.objects.get(pk=site_pk)
    with transaction.atomic():
        unit = BoardUnit.objects.create(site=site, **_unit(payload))
        record(None, "", "shelf.board-added", f"Board added: {unit.name}, {unit.board}")
    return _out(site)


@router.put("/shelf/boards/{pk}", response=ShelfOut)
def change_unit(request: HttpRequest, pk: int, payload: UnitIn) -> ShelfOut:
    unit = BoardUnit.objects.select_related("site").get(pk=pk)
    if payload.board != unit.board:
        _refuse_powered(unit)
    with transaction.atomic():
        BoardUnit.objects.filter(pk=pk).update(**_unit(payload))
        judge_soon(board_unit=pk)
        record(None, "", "shelf.board-changed", f"Board changed: {payload.name}, {payload.board}")
    return _out(unit.site)


@router.delete("/shelf/boards/{pk}", response=ShelfOut)
def remove_unit(request: HttpRequest, pk: int) -> ShelfOut:
    unit = BoardUnit.objects.select_related("site").get(pk=pk)
    _refuse_powered(unit)
    if users := users_of("board_unit", [unit.pk])[unit.pk].names:
        raise RefusedError(f"{unit.name} is planned for {users[0]}", next_step="Choose another board there first.")
    with transaction.atomic():
        record(None, "", "shelf.board-removed", f"Board removed: {unit.name}")
        unit.delete()
    return _out(unit.site)


@router.post("/sites/{site_pk}/shelf/supplies", response=ShelfOut)
def add_supply(request: HttpRequest, site_pk: int, payload: SupplyIn) -> ShelfOut:
    site = Site.objects.get(pk=site_pk)
    with transaction.atomic():
        supply = Supply.objects.create(site=site, **payload.model_dump())
        record(None, "", "shelf.supply-added", f"Supply added: {supply.name}")
    return _out(site)


@router.put("/shelf/supplies/{pk}", response=ShelfOut)
def change_supply(request: HttpRequest, pk: int, payload: SupplyIn) -> ShelfOut:
    supply = Supply.objects.select_related("site").get(pk=pk)
    with transaction.atomic():
        Supply.objects.filter(pk=pk).update(**payload.model_dump())
        judge_soon(supply=pk)
        record(None, "", "shelf.supply-changed", f"Supply changed: {payload.name}")
    return _out(supply.site)


@router.delete("/shelf/supplies/{pk}", response=ShelfOut)
def remove_supply(request: HttpRequest, pk: int) -> ShelfOut:
    supply = Supply.objects.select_related("site").get(pk=pk)
    if users := users_of("supply", [supply.pk])[supply.pk].names:
        raise RefusedError(f"{supply.name} is planned for {users[0]}", next_step="Choose another supply there first.")
    with transaction.atomic():
        record(None, "", "shelf.supply-removed", f"Supply removed: {supply.name}")
        supply.delete()
    return _out(supply.site)


def units_at(site: Site, search: str = "") -> QuerySet[BoardUnit]:
    """Return the boards at `site` whose name, or whose kind's name or mark, has `search` in it."""
    units = BoardUnit.objects.filter(site=site).order_by("pk")
    if not search:
        return units
    kinds = [b.id for b in wiring.boards().values() if search.lower() in f"{b.name} {b.printed_mark}".lower()]
    return units.filter(Q(name__icontains=search) | Q(board__in=kinds))


def _unit(payload: UnitIn) -> dict[str, str]:
    if payload.board not in wiring.boards():
        raise InputError(f"no board is called {payload.board}", expected=", ".join(wiring.boards()), where="board")
    return {"name": " ".join(payload.name.split()), "board": payload.board}


def _refuse_powered(unit: BoardUnit) -> None:
    run = BootRun.objects.filter(board_unit=unit, off_at=None).select_related("deployment").first()
    if run is not None:
        raise RefusedError(f"{unit.name} is powered, for {run.deployment.name}", next_step="Power it off first.")


def _out(site: Site, *, after: int = 0, search: str = "") -> ShelfOut:
    boards = wiring.boards()
    rows = list(units_at(site, search).filter(pk__gt=after)[: PAGE_UNITS + 1])
    units = rows[:PAGE_UNITS]
    supplies = list(Supply.objects.filter(site=site).order_by("pk")[:MOST_SUPPLIES])
    unit_users, supply_users = (
        users_of("board_unit", [u.pk for u in units]),
        users_of("supply", [s.pk for s in supplies]),
    )
    return ShelfOut(
        site_id=site.pk,
        units=[_unit_out(u, unit_users[u.pk].words) for u in units],
        units_after=units[-1].pk if len(rows) > PAGE_UNITS else None,
        supplies=[
            ShelfSupplyOut(
                id=s.pk, name=s.name, voltage_v=s.voltage_v, current_a=s.current_a, connector=s.connector, used_by=supply_users[s.pk].words
            )
            for s in supplies
        ],
        kinds=[
            BoardKindOut(
                id=b.id, name=b.name, maker=b.maker, printed_mark=b.printed_mark, bits=b.bits, ethernet=b.ethernet,
                radio=f"{' + '.join(f'{g:g}' for g in b.radio_ghz)} GHz" if b.radio_ghz else "no radio",
                supply_text=f"{b.supply.voltage_v:g} V, {b.supply.least_current_a:g} A, {b.supply.connector}",
                twin=boards[b.twin].name if b.twin in boards else "",
            )
            for b in boards.values()
        ],
        connectors=list(CONNECTORS),
    )  # fmt: skip


def _unit_out(unit: BoardUnit, users: list[str]) -> ShelfUnitOut:
    board = wiring.boards().get(unit.board)
    return ShelfUnitOut(
        id=unit.pk,
        name=unit.name,
        board=unit.board,
        board_name=board.name if board else unit.board,
        printed_mark=board.printed_mark if board else "",
        used_by=users,
        findings=[] if board else [unknown_board(unit.name, unit.board)],
    )
