"""Plan: which board, card, supply and way onto the network go together."""

from __future__ import annotations

from django.db import transaction
from django.http import HttpRequest
from ninja import Router, Schema

from mintseed import wiring
from mintseed.core.errors import RefusedError
from mintseed.core.findings import Finding
from mintseed.core.units import NOMINAL_CARD_GB
from mintseed.server.api.shapes import DeploymentOut, deployment_out
from mintseed.server.models import BoardUnit, Deployment, Supply, WifiNetwork
from mintseed.server.walk import Walk, load_walk

router = Router(tags=["plan"])


class UnitOut(Schema):
    id: int
    name: str
    board_name: str
    printed_mark: str
    bits: int
    radio: str
    ethernet: bool


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
def read_plan(request: HttpRequest, pk: int) -> PlanOut:
    return _out(load_walk(pk))


@router.put("/deployments/{pk}/plan", response=PlanOut)
def change_plan(request: HttpRequest, pk: int, payload: PlanIn) -> PlanOut:
    sent = payload.model_dump(exclude_unset=True)
    walk = load_walk(pk)
    if walk.card_facts.writing:
        raise RefusedError("its card is being written", next_step="Wait for it, or stop it under Card.")
    values: dict[str, object] = {}
    if "name" in sent and (name := " ".join((payload.name or "").split())[:80]):
        values["name"] = name
    if "board_unit_id" in sent:
        values["board_unit"] = BoardUnit.objects.get(pk=payload.board_unit_id) if payload.board_unit_id else None
    if "supply_id" in sent:
        values["supply"] = Supply.objects.get(pk=payload.supply_id) if payload.supply_id else None
    if "card_gb" in sent:
        values["card_gb"] = payload.card_gb if payload.card_gb in NOMINAL_CARD_GB else None
    if "way" in sent and payload.way in ("wifi", "cable"):
        values["way"] = payload.way
        if payload.way == "wifi" and walk.row.network_id is None:
            values["network"] = walk.site.wifi.order_by("band_ghz", "pk").first()
    if "network_id" in sent:
        values["network"] = WifiNetwork.objects.get(pk=payload.network_id) if payload.network_id else None
    if values:
        with transaction.atomic():
            Deployment.objects.filter(pk=pk).update(**values)
    return _out(load_walk(pk))


def _out(walk: Walk) -> PlanOut:
    row = walk.row
    return PlanOut(
        deployment=deployment_out(walk),
        name=row.name,
        board_unit_id=row.board_unit_id,
        supply_id=row.supply_id,
        card_gb=row.card_gb,
        way=row.way,
        network_id=row.network_id,
        ways=list(walk.recipe.ways),
        least_gb=walk.recipe.card.least_gb,
        advised_gb=walk.recipe.card.advised_gb,
        units=[_unit(u) for u in BoardUnit.objects.order_by("pk")],
        supplies=[
            SupplyOut(id=s.pk, name=s.name, text=f"{s.voltage_v:g} V, {s.current_a:g} A, {s.connector}")
            for s in Supply.objects.order_by("pk")
        ],
        networks=[NetworkChoiceOut(id=n.pk, ssid=n.ssid, band_ghz=n.band_ghz) for n in walk.site.wifi.order_by("pk")],
        card_sizes=[g for g in NOMINAL_CARD_GB if 4 <= g <= 256],
        cautions=list(walk.recipe.cautions),
        findings=list(walk.plan_findings),
    )


def _unit(unit: BoardUnit) -> UnitOut:
    board = wiring.boards()[unit.board]
    radio = " + ".join(f"{g:g}" for g in board.radio_ghz)
    return UnitOut(
        id=unit.pk,
        name=unit.name,
        board_name=board.name,
        printed_mark=board.printed_mark,
        bits=board.bits,
        radio=f"{radio} GHz" if radio else "no radio",
        ethernet=board.ethernet,
    )
