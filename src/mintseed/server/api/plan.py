"""Plan: which board, card, supply and way onto the network go together."""

from __future__ import annotations

from typing import Annotated

from django.db import transaction
from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from mintseed import wiring
from mintseed.core.errors import InputError, RefusedError
from mintseed.core.findings import Finding
from mintseed.core.stations import Station
from mintseed.core.units import NOMINAL_CARD_GB
from mintseed.server.api.settings import refuse_closed_or_writing
from mintseed.server.api.shapes import DeploymentOut, deployment_out
from mintseed.server.api.shelf import units_at
from mintseed.server.judging import Judged, judged
from mintseed.server.lists import users_of
from mintseed.server.load import first_network
from mintseed.server.models import BoardUnit, Deployment, Supply, WifiNetwork

router = Router(tags=["plan"])

MOST_UNITS = 40
MOST_SUPPLIES = 200


class UnitOut(Schema):
    id: int
    name: str
    board_name: str
    printed_mark: str
    bits: int
    radio: str
    ethernet: bool
    used_by: list[str]


class SupplyOut(Schema):
    id: int
    name: str
    text: str


class NetworkChoiceOut(Schema):
    id: int
    ssid: str
    band_ghz: float


class PlanOut(Schema):
    deployment: DeploymentOut
    name: str
    board_unit_id: int | None
    supply_id: int | None
    card_gb: int | None
    way: str
    network_id: int | None
    ways: list[str]
    least_gb: int
    advised_gb: int
    units: list[UnitOut]
    more_units: bool
    """whether there are more than are listed; a search finds them"""
    supplies: list[SupplyOut]
    networks: list[NetworkChoiceOut]
    card_sizes: list[int]
    cautions: list[str]
    findings: list[Finding]


class PlanIn(Schema):
    """Only the fields that are sent change."""

    name: str | None = None
    board_unit_id: int | None = None
    supply_id: int | None = None
    card_gb: int | None = None
    way: str | None = None
    network_id: int | None = None


@router.get("/deployments/{pk}/plan", response=PlanOut)
def read_plan(request: HttpRequest, pk: int, units: Annotated[str, Field(max_length=80)] = "") -> PlanOut:
    """`units` narrows the boards that are listed."""
    return _out(judged(pk), units.strip())


@router.put("/deployments/{pk}/plan", response=PlanOut)
def change_plan(request: HttpRequest, pk: int, payload: PlanIn) -> PlanOut:
    sent = payload.model_dump(exclude_unset=True)
    view = judged(pk)
    refuse_closed_or_writing(view)
    row, run = view.loaded.row, view.loaded.run
    if run is not None and run.off_at is None and {"board_unit_id", "way"} & set(sent):
        raise RefusedError("its board is powered", next_step="Power it off under First boot, then change the plan.")
    values: dict[str, object] = {}
    if "name" in sent and (name := " ".join((payload.name or "").split())[:80]):
        values["name"] = name
    if "board_unit_id" in sent:
        values["board_unit"] = (
            BoardUnit.objects.get(pk=payload.board_unit_id, site=row.site) if payload.board_unit_id else None
        )
    if "supply_id" in sent:
        values["supply"] = Supply.objects.get(pk=payload.supply_id, site=row.site) if payload.supply_id else None
    if "card_gb" in sent:
        if payload.card_gb is not None and payload.card_gb not in NOMINAL_CARD_GB:
            raise InputError(f"no card is printed {payload.card_gb} GB", where="card_gb",
                             expected=", ".join(str(gb) for gb in NOMINAL_CARD_GB))  # fmt: skip
        values["card_gb"] = payload.card_gb
    if "way" in sent and payload.way in ("wifi", "cable"):
        values["way"] = payload.way
        if payload.way == "wifi" and row.network_id is None:
            values["network"] = first_network(row.site)
    if "network_id" in sent:
        values["network"] = (
            WifiNetwork.objects.get(pk=payload.network_id, site=row.site) if payload.network_id else None
        )
    if values:
        with transaction.atomic():
            Deployment.objects.filter(pk=pk).update(**values)
    return _out(judged(pk))


def _out(view: Judged, search: str = "") -> PlanOut:
    row, recipe, site = view.loaded.row, view.loaded.recipe, view.loaded.site
    found = list(units_at(site, search)[: MOST_UNITS + 1])
    units = found[:MOST_UNITS]
    if row.board_unit is not None and not search and row.board_unit_id not in {u.pk for u in units}:
        units.insert(0, row.board_unit)
    users = users_of("board_unit", [u.pk for u in units])
    return PlanOut(
        deployment=deployment_out(view),
        name=row.name,
        board_unit_id=row.board_unit_id,
        supply_id=row.supply_id,
        card_gb=row.card_gb,
        way=row.way,
        network_id=row.network_id,
        ways=list(recipe.ways),
        least_gb=recipe.card.least_gb,
        advised_gb=recipe.card.advised_gb,
        units=[_unit(u, users[u.pk].words) for u in units],
        more_units=len(found) > MOST_UNITS,
        supplies=[
            SupplyOut(id=s.pk, name=s.name, text=f"{s.voltage_v:g} V, {s.current_a:g} A, {s.connector}")
            for s in Supply.objects.filter(site=site).order_by("pk")[:MOST_SUPPLIES]
        ],
        networks=[NetworkChoiceOut(id=n.pk, ssid=n.ssid, band_ghz=n.band_ghz) for n in site.wifi.order_by("pk")],
        card_sizes=[g for g in NOMINAL_CARD_GB if 4 <= g <= 256],
        cautions=list(recipe.cautions),
        findings=view.of(Station.PLAN),
    )


def _unit(unit: BoardUnit, users: list[str]) -> UnitOut:
    board = wiring.boards().get(unit.board)
    if board is None:
        return UnitOut(id=unit.pk, name=unit.name, board_name=unit.board, printed_mark="", bits=0,
                       radio="its description is gone", ethernet=False, used_by=users)  # fmt: skip
    radio = " + ".join(f"{g:g}" for g in board.radio_ghz)
    return UnitOut(
        id=unit.pk,
        name=unit.name,
        board_name=board.name,
        printed_mark=board.printed_mark,
        bits=board.bits,
        radio=f"{radio} GHz" if radio else "no radio",
        ethernet=board.ethernet,
        used_by=users,
    )
