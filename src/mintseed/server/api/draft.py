"""Use this image: the draft of its recipe, looked over and kept; and a board of one's own, from a name on."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import replace
from typing import Annotated, Literal

from django.http import HttpRequest
from ninja import Router
from pydantic import ConfigDict, Field

from mintseed.core.boards.model import Bands, Board, Plug
from mintseed.core.boards.own import OwnBoard, board_of_tree, board_text, changed_text, own_of
from mintseed.core.described import Around, read_described
from mintseed.core.errors import InputError, MissingError, RefusedError
from mintseed.core.image.report import BoardOnImage, XRay
from mintseed.core.limits import MAX_DESCRIPTION_BYTES
from mintseed.core.recipes.draft import Choices, Draft, DraftLine, Question, draft_of, recipe_text
from mintseed.core.recipes.kin import Kin, kin_of, with_release
from mintseed.core.recipes.model import Recipe
from mintseed.server.api.bench import card_in_reader
from mintseed.server.api.shapes import DeploymentOut, deployment_out
from mintseed.server.api.wire import Wire
from mintseed.server.done import starting
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.done.reading import queue_reading
from mintseed.server.judged.journal import record
from mintseed.server.judged.judging import judged
from mintseed.server.judged.lists import COUNTED_TO
from mintseed.server.kept.models import BoardUnit, Deployment, Description, Image, Site
from mintseed.server.kept.stored_types import xray_of
from mintseed.server.kept.transactions import all_or_nothing
from mintseed.server.owned import bringing, descriptions
from mintseed.server.owned.users import users_of

router = Router(tags=["image"])


class DraftFileOut(Wire):
    """A file that could be filled: what it is, what told it, what would go into it."""

    path: str
    kind: str
    dialect: str
    why: str
    says: str
    take: bool


class DraftOut(Wire):
    """A recipe drafted from an image. `recipe_id`: the recipe that names this image already, if one does."""

    image_id: int
    file_name: str
    recipe_id: str
    name: str
    host_name: str
    lines: list[DraftLine]
    files: list[DraftFileOut]
    questions: list[Question]
    kin: list[Kin]
    """recipes of one's own that it is probably another release of"""
    text: str
    """the recipe as it would be kept, for who wants to see it"""


class UseIn(Wire):
    """What a person made of the draft. What is left out stays as it was proposed."""

    model_config = ConfigDict(extra="forbid")

    name: Annotated[str, Field(min_length=1, max_length=60)]
    kind: Annotated[str, Field(max_length=60)] = ""
    host_name: Annotated[str, Field(pattern=r"^[A-Za-z0-9]([A-Za-z0-9-]{0,61}[A-Za-z0-9])?$")]
    page_port: Annotated[int | None, Field(ge=1, le=65535)] = None
    signature: Annotated[str, Field(pattern=r"^$|^.{3,120}$")] = ""
    files: Annotated[list[str], Field(max_length=200)]
    board_unit_id: int | None = None
    release_of: Annotated[str, Field(max_length=40)] = ""
    """the recipe that gets it as another release; nothing else of the draft is kept then"""
    compatible: Annotated[str, Field(max_length=200)] = ""
    """the board the image names that it is for: one on the shelf is taken, else it is described and put there"""


class SaidOfBoardIn(Wire):
    """What a person knows of a board; everything but its name may be left out."""

    model_config = ConfigDict(extra="forbid")

    name: Annotated[str, Field(min_length=1, max_length=60)]
    printed_mark: Annotated[str, Field(max_length=60)] = ""
    ethernet: bool | None = None
    radio_ghz: Annotated[Bands | None, Field(max_length=4)] = None
    plug: Plug | None = None
    voltage_v: Annotated[float | None, Field(gt=0, le=60)] = None
    current_a: Annotated[float | None, Field(gt=0, le=30)] = None
    header_pins: Literal[26, 40] | None = None


class OwnBoardIn(SaidOfBoardIn):
    """A board of one's own. `compatible`: the device tree of `image_id` that is its."""

    image_id: int | None = None
    compatible: Annotated[str, Field(max_length=200)] = ""
    bits: Literal[32, 64] | None = None
    site_id: int | None = None


class BoardKnownOut(Wire):
    """What is known of a board that is described in part, as it is asked for; `text` is its description."""

    name: str
    printed_mark: str
    compatible: str
    bits: int | None
    ethernet: bool | None
    radio_ghz: Bands | None
    plug: Plug | None
    voltage_v: float | None
    current_a: float | None
    header_pins: int | None
    text: str


class KnownBoardIn(SaidOfBoardIn):
    """`was`: the description that somebody began to change."""

    was: Annotated[str, Field(max_length=MAX_DESCRIPTION_BYTES)]


class OwnBoardOut(Wire):
    """The kind of board that was described, and the one that lies on the shelf now."""

    board: str
    unit_id: int
    name: str


@router.get("/images/{pk}/draft", response=DraftOut)
def draft(request: HttpRequest, pk: int) -> DraftOut:
    image = Image.there.get(pk=pk)
    drafted = _drafted(image)
    return DraftOut(
        image_id=pk, file_name=image.file_name, recipe_id=image.recipe, name=drafted.name, host_name=drafted.host_name,
        lines=list(drafted.lines),
        files=[DraftFileOut(path=f.path, kind=f.kind, dialect=f.dialect, why=f.why, says=f.says, take=f.take) for f in drafted.files],
        questions=list(drafted.questions), kin=list(_kin(image, drafted)), text=recipe_text(drafted),
    )  # fmt: skip


@router.post("/images/{pk}/use", response=DeploymentOut)
def use(request: HttpRequest, pk: int, payload: UseIn) -> DeploymentOut:
    """Keep the draft as a recipe, and start a deployment with the image."""
    made = _use(pk, payload)
    if (again := Image.objects.get(pk=pk)).read_at is None:  # the recipe speaks of a file that was not kept
        queue_reading(again)
    return deployment_out(judged(made.pk))


def _known_alone() -> descriptions.Known:
    """Return what is described now, with everybody else who brings something waiting: two at one moment get no id twice, and an image
    gets one recipe."""
    Site.objects.select_for_update().get(pk=own_bench().site_id)
    descriptions.look_again()
    return descriptions.known()


@all_or_nothing
def _use(pk: int, payload: UseIn) -> Deployment:
    known = _known_alone()
    image = Image.there.get(pk=pk)
    if (held := known.recipes.get(image.recipe)) is not None:
        raise RefusedError(f"{held.name} describes this image already", next_step="Start a deployment with it.")
    if payload.release_of:
        return _use_as_release(image, known, payload)
    chosen = Choices(
        payload.name, payload.kind, payload.host_name, payload.page_port, payload.signature, tuple(payload.files)
    )
    text = recipe_text(_drafted(image), chosen)
    recipe = read_described(Recipe, text, where="the draft", around=Around(known.boards, known.parts))
    bringing.keep("recipe", recipe.id, text)
    record(None, "", "recipe.brought", f"Recipe drafted: {recipe.name}")
    return _begun(recipe, image, payload, recipe.name)


def _use_as_release(image: Image, known: descriptions.Known, payload: UseIn) -> Deployment:
    """Give a recipe the image as another release, and start a deployment with it."""
    drafted, xray = _drafted(image), xray_of(image)
    row = (
        Description.objects.select_for_update().filter(kind="recipe", ident=payload.release_of, removed_at=None).first()
    )
    held = known.recipes.get(payload.release_of)
    if row is None or held is None or xray is None or held.id not in {kin.recipe_id for kin in _kin(image, drafted)}:
        raise RefusedError("that recipe cannot take it as a release", next_step="Use it as an image of its own.")
    text = with_release(row.text, held, xray, drafted)
    recipe = read_described(Recipe, text, where=f"the recipe of {held.name}", around=Around(known.boards, known.parts))
    bringing.keep("recipe", recipe.id, text)
    record(None, "", "recipe.brought", f"Release {drafted.version} added to {recipe.name}")
    return _begun(recipe, image, payload, "")


def _begun(recipe: Recipe, image: Image, payload: UseIn, name: str) -> Deployment:
    site = starting.place(None)
    unit = payload.board_unit_id or (_unit_named(image, payload.compatible, site) if payload.compatible else None)
    return starting.start(
        recipe, site, name=name, card_gb=card_in_reader(site), image=image, unit=unit, fill=unit is not None
    )


def _kin(image: Image, drafted: Draft) -> tuple[Kin, ...]:
    xray, known = xray_of(image), descriptions.known()
    own = [r for r in known.recipes.values() if ("recipe", r.id) in known.brought]
    return kin_of(xray, drafted, own) if xray else ()


def _unit_named(image: Image, compatible: str, site: Site) -> int:
    """Return the board on the shelf of `site` that the image calls `compatible`, one that nobody plans with where there is one; else a new
    one, described by its device tree."""
    boards = {ident for ident, board in descriptions.boards().items() if board.device_tree_name == compatible}
    owned = list(
        BoardUnit.there.filter(site=site, board__in=boards).order_by("pk").values_list("pk", flat=True)[:COUNTED_TO]
    )
    if owned:
        using = users_of("board_unit", owned)
        return next((pk for pk in owned if not using[pk].names), owned[0])
    xray = xray_of(image)
    tree = _tree(xray, compatible) if xray else None
    if xray is None or tree is None:
        raise InputError(f"the image names no board {compatible}", where="compatible")
    return _new_board(site, lambda taken: board_of_tree(tree, xray, taken)).pk


def _new_board(site: Site, said: Callable[[Collection[str]], OwnBoard]) -> BoardUnit:
    """Describe a board and put one on the shelf; `said` is told which ids others have. One after the other: two that are described at
    this moment are two."""
    known = _known_alone()
    text = board_text(said(frozenset(known.boards)))
    board = read_described(Board, text, where="the board", around=Around(known.boards, known.parts))
    bringing.keep("board", board.id, text)
    record(None, "", "shelf.board-added", f"Board added: {board.name}")
    return BoardUnit.objects.create(site=site, name=board.name, board=board.id, macs=[], note="")


def _drafted(image: Image) -> Draft:
    xray = xray_of(image)
    if xray is None:
        raise RefusedError("it was not read yet", where=image.file_name, next_step="Have it read first.")
    return draft_of(xray, frozenset(descriptions.recipes()))


@router.post("/boards", response=OwnBoardOut)
def own_board(request: HttpRequest, payload: OwnBoardIn) -> OwnBoardOut:
    """Describe a board by what is known of it, and put one on the shelf."""
    site = starting.place(payload.site_id)
    return _put_on_shelf(payload, site)


@all_or_nothing
def _put_on_shelf(payload: OwnBoardIn, site: Site) -> OwnBoardOut:
    unit = _new_board(site, lambda taken: _said_of(payload, taken))
    return OwnBoardOut(board=unit.board, unit_id=unit.pk, name=unit.name)


def _said_of(payload: OwnBoardIn, taken: Collection[str]) -> OwnBoard:
    """Return the board as its person answered, with what the device tree says beside it."""
    xray = xray_of(Image.there.get(pk=payload.image_id)) if payload.image_id else None
    tree = _tree(xray, payload.compatible) if xray else None
    named = (payload.compatible,) if payload.compatible else ()
    base = board_of_tree(tree, xray, taken) if tree and xray else OwnBoard(payload.name, compatible=named, taken=taken)
    return replace(_answered(base, payload), bits=payload.bits or base.bits)


def _answered(base: OwnBoard, payload: SaidOfBoardIn) -> OwnBoard:
    return replace(
        base, name=payload.name, printed_mark=payload.printed_mark, ethernet=payload.ethernet,
        radio_ghz=payload.radio_ghz, plug=payload.plug, voltage_v=payload.voltage_v, current_a=payload.current_a,
        header_pins=payload.header_pins,
    )  # fmt: skip


def _tree(xray: XRay, compatible: str) -> BoardOnImage | None:
    """Return the image's device tree of the board that is called so."""
    return next((b for b in xray.boards if compatible and b.compatible[:1] == (compatible,)), None)


@router.get("/boards/{ident}", response=BoardKnownOut)
def known_board(request: HttpRequest, ident: str) -> BoardKnownOut:
    row, board = _in_part(ident)
    own = own_of(board)
    return BoardKnownOut(
        name=own.name, printed_mark=own.printed_mark, compatible=board.device_tree_name, bits=own.bits, ethernet=own.ethernet,
        radio_ghz=own.radio_ghz, plug=own.plug, voltage_v=own.voltage_v, current_a=own.current_a, header_pins=own.header_pins,
        text=row.text,
    )  # fmt: skip


@router.put("/boards/{ident}", response=BoardKnownOut)
def say_more(request: HttpRequest, ident: str, payload: KnownBoardIn) -> BoardKnownOut:
    """Keep what a person knows now of a board; what its text says beside that stays."""
    _say_more(ident, payload)
    return known_board(request, ident)


@all_or_nothing
def _say_more(ident: str, payload: KnownBoardIn) -> None:
    known = _known_alone()
    row, board = _in_part(ident)
    text = changed_text(row.text, _answered(own_of(board), payload))
    if row.text.strip() not in (payload.was.strip(), text.strip()):
        raise RefusedError(
            f"somebody changed what is known of {board.name} since you opened it",
            next_step="Open it again from the Shelf and say yours once more.",
        )
    read_described(Board, text, where="the board", around=Around(known.boards, known.parts))
    bringing.keep("board", ident, text)
    record(None, "", "board.brought", f"More is known of {payload.name}")


def _in_part(ident: str) -> tuple[Description, Board]:
    """Return a board of one's own that is described in part, and its text. Raises MissingError for any other."""
    row = Description.there.filter(kind="board", ident=ident).first()
    board = descriptions.boards().get(ident)
    if row is None or board is None or not board.may_have_more:
        raise MissingError(
            "no board of yours that is known in part is called so",
            next_step="Boards that are described wholly are changed under Recipes.",
        )
    return row, board
