"""Plan: what goes together, why not, the way out, what it draws, costs and takes."""

from __future__ import annotations

from typing import Annotated, Any

from django.db import transaction
from django.db.models import QuerySet
from django.http import HttpRequest
from ninja import Router
from pydantic import ConfigDict, Field

from mintseed.core.boards.model import Board, Drawing
from mintseed.core.errors import InputError
from mintseed.core.findings import Finding, Severity
from mintseed.core.parts.model import role_words
from mintseed.core.plan.cautions import caution_texts
from mintseed.core.plan.changes import Sets, as_sets
from mintseed.core.plan.header import HeaderMap, header_map
from mintseed.core.plan.job_time import JobTime, Span
from mintseed.core.plan.options import (
    Option,
    board_options,
    cable_options,
    card_options,
    part_options,
    supply_options,
)
from mintseed.core.plan.plan import Plan
from mintseed.core.plan.power import PowerSum, power_sum
from mintseed.core.plan.shelf import Shelf
from mintseed.core.plan.shopping import PartsList
from mintseed.core.plan.way_out import Proposal
from mintseed.core.recipes.model import WAYS_IN
from mintseed.core.stations import Station
from mintseed.core.units import NOMINAL_CARD_GB
from mintseed.server.api.meanwhile import refuse_changed
from mintseed.server.api.shapes import DeploymentOut, deployment_out
from mintseed.server.api.wire import Wire
from mintseed.server.done import planning
from mintseed.server.done.open_record import held_for_choice
from mintseed.server.done.reading import queue_reading
from mintseed.server.judged.changes import changed, deployment_topic
from mintseed.server.judged.frozen import Names
from mintseed.server.judged.judging import Judged, judged
from mintseed.server.judged.load import first_network
from mintseed.server.judged.loaded import key_of
from mintseed.server.kept.models import BoardUnit, Cable, Deployment, Image, OwnedCard, Supply, WifiNetwork
from mintseed.server.owned.shelf import shelf_at

router = Router(tags=["plan"])


class OptionOut(Wire):
    """Something of the shelf that may be chosen, best first, and why. `text` is what one sees on it."""

    id: int
    name: str
    text: str
    verdict: Severity
    reason: str
    used_by: list[str]


class BoardOptionOut(OptionOut):
    board_name: str
    printed_mark: str


class NetworkChoiceOut(Wire):
    id: int
    ssid: str
    band_ghz: float


class WayInOut(Wire):
    id: str
    text: str


class PlannedPartOut(Wire):
    """A part of the plan; `owned`: it is on the shelf, else it is to be bought."""

    place: int
    name: str
    kind: str
    role: str
    owned: bool
    seen: str
    price: str
    overlay: list[str]
    remarks: str


class PartChoiceOut(Wire):
    """A part that may be added: of the shelf (`part_id`) or a kind to buy (`kind`). `wanted`: the recipe asks for its role."""

    part_id: int | None
    kind: str
    name: str
    role: str
    text: str
    wanted: bool
    verdict: Severity
    reason: str


class BoardPictureOut(Wire):
    """The chosen board to scale, and how it is told from others."""

    name: str
    printed_mark: str
    mark_place: str
    telling_apart: str
    drawing: Drawing | None


class TimeOut(Wire):
    from_s: float
    to_s: float
    spans: list[Span]


class ProposalOut(Wire):
    """A way out of the finding `cures`: taking it changes the plan by `sets`. `verdict` and `findings` are the plan's after it."""

    cures: str
    title: str
    sets: Sets
    effort_text: str
    price: str
    verdict: Severity
    findings: list[Finding]


class PlanOut(Wire):
    """`was`: what the things of a device in service were called; of any other, nothing."""

    deployment: DeploymentOut
    name: str
    was: Names | None
    board_unit_id: int | None
    supply_id: int | None
    cable_id: int | None
    owned_card_id: int | None
    card_gb: int | None
    way: str
    way_in: str
    network_id: int | None
    load_share: float
    ways: list[str]
    ways_in: list[WayInOut]
    least_gb: int
    advised_gb: int
    units: list[BoardOptionOut]
    more_units: bool
    """whether there are more than are listed; a search finds them"""
    supplies: list[OptionOut]
    cables: list[OptionOut]
    needs_cable: bool
    cards: list[OptionOut]
    networks: list[NetworkChoiceOut]
    card_sizes: list[int]
    parts: list[PlannedPartOut]
    part_choices: list[PartChoiceOut]
    cautions: list[str]
    findings: list[Finding]
    proposals: list[ProposalOut]
    picture: BoardPictureOut | None
    header: HeaderMap | None
    power: PowerSum | None
    shopping: PartsList
    time: TimeOut | None


MOST_ADDED = 8
"""parts that one change adds"""


class PlanIn(Wire):
    """Only the fields that are sent change, and there are no others. `add_parts` are keys of parts on the shelf, `add_kinds` ids of some to buy,
    `drop_part` the place of one in the plan."""

    model_config = ConfigDict(extra="forbid")

    name: str | None = None
    board_unit_id: int | None = None
    supply_id: int | None = None
    cable_id: int | None = None
    owned_card_id: int | None = None
    card_gb: int | None = None
    way: str | None = None
    way_in: str | None = None
    network_id: int | None = None
    image_id: int | None = None
    release: Annotated[str | None, Field(max_length=40)] = None
    """a release whose file is still to be fetched: the image that was chosen is let go"""
    load_share: Annotated[float | None, Field(ge=0, le=1)] = None
    add_parts: Annotated[list[int] | None, Field(max_length=MOST_ADDED)] = None
    add_kinds: Annotated[list[Annotated[str, Field(max_length=40)]] | None, Field(max_length=MOST_ADDED)] = None
    drop_part: int | None = None
    was: dict[str, str | int | float | None] | None = None
    """what was chosen in each of those fields when somebody began to change it"""


@router.get("/deployments/{pk}/plan", response=PlanOut)
def read_plan(request: HttpRequest, pk: int, units: Annotated[str, Field(max_length=80)] = "") -> PlanOut:
    """`units` narrows the boards that are listed."""
    return _out(judged(pk), units.strip())


@router.put("/deployments/{pk}/plan", response=PlanOut)
def change_plan(request: HttpRequest, pk: int, payload: PlanIn) -> PlanOut:
    """Change all of it, or nothing."""
    return _change(pk, payload)


CHOSEN = {
    "name",
    "board_unit_id",
    "supply_id",
    "cable_id",
    "owned_card_id",
    "card_gb",
    "way",
    "network_id",
    "load_share",
}
"""fields of a plan that a change may say what they were"""

OF_THE_SHELF = {"board_unit_id", "supply_id", "cable_id", "owned_card_id", "add_parts", "drop_part"}


def _change(pk: int, payload: PlanIn) -> PlanOut:
    sent = payload.model_dump(exclude_unset=True)
    was = sent.pop("was", None)
    with transaction.atomic():
        row = held_for_choice(pk, moves_board=bool({"board_unit_id", "way"} & set(sent))).row
        values = _values(row, payload, sent)
        if isinstance(was, dict):
            refuse_changed({name: getattr(row, name) for name in was if name in CHOSEN}, was, sent)
        if values:
            Deployment.objects.filter(pk=pk).update(**values)
        if payload.drop_part is not None:
            planning.drop_part(row, payload.drop_part)
        for part in payload.add_parts or ():
            planning.add_part(row, part=part)
        for kind in payload.add_kinds or ():
            planning.add_part(row, kind=kind)
        # What one plan takes, the others see taken at once.
        changed(deployment_topic(pk), *(["taken"] if OF_THE_SHELF & set(sent) else []))
    image = values.get("image")
    if isinstance(image, Image) and not image.xray:
        queue_reading(image)
    return _out(judged(pk))


def _values(row: Deployment, payload: PlanIn, sent: dict[str, object]) -> dict[str, object]:
    """Return the columns that change. Raises InputError, or DoesNotExist for what is not at this place."""
    values: dict[str, object] = {}
    if "name" in sent and (name := " ".join((payload.name or "").split())[:80]):
        values["name"] = name
    for field, rows in _of_place(row).items():
        if f"{field}_id" in sent:
            key = getattr(payload, f"{field}_id")
            values[field] = rows.get(pk=key) if key else None
    if "image_id" in sent and payload.image_id is not None:
        values["image"] = Image.there.get(pk=payload.image_id, present=True)
    elif payload.release:
        values["image"] = None
    if "card_gb" in sent:
        if payload.card_gb is not None and payload.card_gb not in NOMINAL_CARD_GB:
            raise InputError(f"no card is printed {payload.card_gb} GB", where="card_gb",
                             expected=", ".join(str(gb) for gb in NOMINAL_CARD_GB))  # fmt: skip
        values["card_gb"] = payload.card_gb
        values.setdefault("owned_card", None)
    owned = values.get("owned_card")
    if isinstance(owned, OwnedCard):
        values["card_gb"] = owned.size_gb
    if "way" in sent and payload.way in ("wifi", "cable"):
        values["way"] = payload.way
        if payload.way == "wifi" and row.network is None and "network" not in values:
            values["network"] = first_network(row.site)
    if "way_in" in sent and (payload.way_in or "") in ("", *WAYS_IN):
        values["way_in"] = payload.way_in or ""
    if payload.load_share is not None:
        values["load_share"] = payload.load_share
    return values


def _of_place(row: Deployment) -> dict[str, QuerySet[Any]]:
    """Return what may be chosen by its key: what lies at this deployment's place and nowhere else."""
    models: dict[str, Any] = {
        "board_unit": BoardUnit,
        "supply": Supply,
        "cable": Cable,
        "owned_card": OwnedCard,
        "network": WifiNetwork,
    }
    return {field: model._default_manager.filter(site=row.site, removed_at=None) for field, model in models.items()}


def _out(view: Judged, search: str = "") -> PlanOut:
    one, row, recipe, site = view.loaded, view.loaded.row, view.loaded.recipe, view.loaded.site
    shelf = shelf_at(site, recipe.id, mine=row, search=search)
    plan = planning.plan_of(one, shelf)
    time = planning.time_of(one, plan)
    board = plan.board
    return PlanOut(
        deployment=deployment_out(view),
        name=row.name,
        was=one.names if view.closed else None,
        board_unit_id=key_of(row, "board_unit"),
        supply_id=key_of(row, "supply"),
        cable_id=key_of(row, "cable"),
        owned_card_id=key_of(row, "owned_card"),
        card_gb=row.card_gb,
        way=row.way,
        way_in=plan.own_way_in,
        network_id=key_of(row, "network"),
        load_share=row.load_share,
        ways=list(recipe.ways),
        ways_in=[WayInOut(id=w, text=WAYS_IN[w]) for w in recipe.ways_in],
        least_gb=recipe.card.least_gb,
        advised_gb=recipe.card.advised_gb,
        units=_units(plan, shelf),
        more_units=shelf.more_boards,
        supplies=[_option(o, supply_text(shelf, o.key)) for o in supply_options(plan, shelf)],
        cables=[_option(o, cable_text(shelf, o.key)) for o in cable_options(plan, shelf)],
        needs_cable=plan.supply is not None and plan.supply.has_socket,
        cards=[_option(o, card_text(shelf, o.key)) for o in card_options(plan, shelf)],
        networks=[NetworkChoiceOut(id=n.key, ssid=n.name, band_ghz=n.thing.band_ghz) for n in shelf.networks],
        card_sizes=[g for g in NOMINAL_CARD_GB if 4 <= g <= 256],
        parts=_parts(plan),
        part_choices=_part_choices(plan, shelf),
        cautions=list(caution_texts(recipe)),
        findings=view.of(Station.PLAN),
        proposals=[] if view.closed else [_proposal(p) for p in planning.proposals(plan, shelf)],
        picture=_picture(board) if board else None,
        header=header_map(plan),
        # Without what the board draws a sum would be of its parts alone.
        power=power_sum(plan) if board and board.supply else None,
        shopping=planning.list_of(one, plan, shelf),
        time=_time(time) if time else None,
    )


def _proposal(proposal: Proposal) -> ProposalOut:
    return ProposalOut(
        cures=proposal.cures, title=proposal.title, sets=as_sets(proposal.steps),
        effort_text=proposal.effort_text, price=proposal.price_text, verdict=proposal.verdict, findings=list(proposal.findings),
    )  # fmt: skip


def _time(time: JobTime) -> TimeOut:
    return TimeOut(from_s=time.from_s, to_s=time.to_s, spans=list(time.spans))


def _picture(board: Board) -> BoardPictureOut:
    return BoardPictureOut(
        name=board.name, printed_mark=board.printed_mark, mark_place=board.mark_place, telling_apart=board.telling_apart,
        drawing=board.drawing,
    )  # fmt: skip


def _option(option: Option, text: str) -> OptionOut:
    return OptionOut(
        id=option.key, name=option.name, text=text, verdict=option.verdict, reason=option.reason, used_by=list(option.used_by)
    )  # fmt: skip


def board_text(board: Board) -> str:
    """Return what a board is, in a few words."""
    radio = " + ".join(f"{g:g}" for g in board.radio_ghz or ())
    words = [
        *([f"{board.bits}-bit"] if board.bits else []),
        *([f"radio {radio} GHz" if radio else "no radio"] if board.radio_ghz is not None else []),
        *(["network socket"] if board.ethernet else []),
    ]
    return ", ".join(words) or "little is known of it"


def _units(plan: Plan, shelf: Shelf) -> list[BoardOptionOut]:
    boards = {o.key: o.thing for o in shelf.boards}
    return [
        BoardOptionOut(
            id=o.key, name=o.name, text=board_text(boards[o.key]), verdict=o.verdict, reason=o.reason, used_by=list(o.used_by),
            board_name=boards[o.key].name, printed_mark=boards[o.key].printed_mark,
        )
        for o in board_options(plan, shelf)
    ]  # fmt: skip


def supply_text(shelf: Shelf, key: int) -> str:
    supply = next(o.thing for o in shelf.supplies if o.key == key)
    battery = f", {supply.battery.capacity_mah:g} mAh" if supply.battery else ""
    return f"{supply.voltage_v:g} V, {supply.current_a:g} A, {supply.connector}{battery}"


def cable_text(shelf: Shelf, key: int) -> str:
    cable = next(o.thing for o in shelf.cables if o.key == key)
    gauge = f"AWG {cable.awg}" if cable.awg else "no gauge printed"
    return f"{cable.plug_to_supply} to {cable.plug_to_board}, {cable.length_m:g} m, {gauge}"


def card_text(shelf: Shelf, key: int) -> str:
    card = next(o.thing for o in shelf.cards if o.key == key)
    marks = ", ".join(card.classes) or "marks not read"
    return f"{card.size_gb} GB, {marks}{', for recorders' if card.endurance else ''}"


def _parts(plan: Plan) -> list[PlannedPartOut]:
    return [
        PlannedPartOut(
            place=place, name=p.name, kind=p.part.name, role=role_words(p.part.role), owned=bool(p.owned_name), seen=p.part.seen,
            price=str(p.part.price or ""), overlay=list(p.part.overlay), remarks=p.part.remarks,
        )
        for place, p in enumerate(plan.parts)
    ]  # fmt: skip


def _part_choices(plan: Plan, shelf: Shelf) -> list[PartChoiceOut]:
    """Return what may be added: for what the recipe asks for first, of the shelf before what is to be bought."""
    chosen = {p.owned_name for p in plan.parts}
    wanted: list[PartChoiceOut] = []
    seen: set[tuple[int | None, str]] = set()
    owned = {o.key: o.thing for o in shelf.parts}
    for need in plan.recipe.needs:
        for option in part_options(plan, shelf, need):
            if option.name not in chosen and (key := (option.key, "")) not in seen:
                seen.add(key)
                part = owned[option.key]
                text = f"on the shelf{f', planned for {option.used_by[0]}' if option.used_by else ''}"
                wanted.append(
                    PartChoiceOut(part_id=option.key, kind=part.id, name=option.name, role=role_words(need.role), text=text, wanted=True,
                                  verdict=option.verdict, reason=option.reason)
                )  # fmt: skip
    others = []
    for one in shelf.parts:
        if one.name not in chosen and (one.key, "") not in seen:
            text = f"on the shelf{f', planned for {one.used_by[0]}' if one.used_by else ''}"
            others.append(PartChoiceOut(part_id=one.key, kind=one.thing.id, name=one.name, role=role_words(one.thing.role), text=text,
                                        wanted=False, verdict=Severity.OK, reason=""))  # fmt: skip
    for kind in shelf.catalogue.values():
        asked = any(n.met_by(kind) for n in plan.recipe.needs)
        price = f"to buy, about {kind.price}" if kind.price else "to buy"
        out = PartChoiceOut(part_id=None, kind=kind.id, name=kind.name, role=role_words(kind.role), text=price, wanted=asked,
                            verdict=Severity.OK, reason=kind.seen)  # fmt: skip
        (wanted if asked else others).append(out)
    return [*wanted, *others]
