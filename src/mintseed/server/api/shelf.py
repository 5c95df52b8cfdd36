"""Shelf: the boards and supplies one owns, at one place."""

from __future__ import annotations

from typing import Literal

from django.db import transaction
from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from mintseed import wiring
from mintseed.core.contained import unknown_board
from mintseed.core.errors import InputError, RefusedError
from mintseed.core.findings import Finding
from mintseed.server.journal import record
from mintseed.server.models import BoardUnit, BootRun, Deployment, Site, Supply

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
    site_id: int
    units: list[ShelfUnitOut]
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


@router.get("/sites/{site_pk}/shelf", response=ShelfOut)
def read_shelf(request: HttpRequest, site_pk: int) -> ShelfOut:
    return _out(Site.objects.get(pk=site_pk))


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
        record(None, "", "shelf.board-changed", f"Board changed: {payload.name}, {payload.board}")
    return _out(unit.site)


@router.delete("/shelf/boards/{pk}", response=ShelfOut)
def remove_unit(request: HttpRequest, pk: int) -> ShelfOut:
    unit = BoardUnit.objects.select_related("site").get(pk=pk)
    _refuse_powered(unit)
    if users := _users("board_unit", unit.site)[unit.pk]:
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
        record(None, "", "shelf.supply-changed", f"Supply changed: {payload.name}")
    return _out(supply.site)


@router.delete("/shelf/supplies/{pk}", response=ShelfOut)
def remove_supply(request: HttpRequest, pk: int) -> ShelfOut:
    supply = Supply.objects.select_related("site").get(pk=pk)
    if users := _users("supply", supply.site)[supply.pk]:
        raise RefusedError(f"{supply.name} is planned for {users[0]}", next_step="Choose another supply there first.")
    with transaction.atomic():
        record(None, "", "shelf.supply-removed", f"Supply removed: {supply.name}")
        supply.delete()
    return _out(supply.site)


def _unit(payload: UnitIn) -> dict[str, str]:
    if payload.board not in wiring.boards():
        raise InputError(f"no board is called {payload.board}", expected=", ".join(wiring.boards()), where="board")
    return {"name": " ".join(payload.name.split()), "board": payload.board}


def _refuse_powered(unit: BoardUnit) -> None:
    run = BootRun.objects.filter(board_unit=unit, off_at=None).select_related("deployment").first()
    if run is not None:
        raise RefusedError(f"{unit.name} is powered, for {run.deployment.name}", next_step="Power it off first.")


class _Users(dict[int, list[str]]):
    def __missing__(self, key: int) -> list[str]:
        return []


def _users(field: str, site: Site) -> _Users:
    """Return which deployments on the bench plan with which row of the shelf."""
    users = _Users()
    planned = Deployment.objects.filter(site=site, removed_at=None, **{f"{field}__isnull": False})
    for pk, name in planned.order_by("pk").values_list(f"{field}_id", "name"):
        users.setdefault(pk, []).append(name)
    return users


def _out(site: Site) -> ShelfOut:
    boards, units, supplies = wiring.boards(), _users("board_unit", site), _users("supply", site)
    return ShelfOut(
        site_id=site.pk,
        units=[_unit_out(u, units[u.pk]) for u in BoardUnit.objects.filter(site=site).order_by("pk")],
        supplies=[
            ShelfSupplyOut(
                id=s.pk, name=s.name, voltage_v=s.voltage_v, current_a=s.current_a, connector=s.connector, used_by=supplies[s.pk]
            )
            for s in Supply.objects.filter(site=site).order_by("pk")
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
