"""Recipes, boards and parts: what is described here, bringing a text of one's own, and every appliance on every board."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Annotated, Any, Literal

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import Field

from mintseed.core.boards.model import Board
from mintseed.core.described import Around, Mistake, read_or_tell
from mintseed.core.errors import InputError, MissingError
from mintseed.core.findings import Severity
from mintseed.core.limits import MAX_DESCRIPTION_BYTES
from mintseed.core.parts.model import Part
from mintseed.core.plan.matrix import matrix
from mintseed.core.recipes.model import Recipe
from mintseed.server.api.meanwhile import refuse_changed
from mintseed.server.api.wire import Wire
from mintseed.server.judged.journal import record
from mintseed.server.kept.models import BoardUnit, Description, Site
from mintseed.server.owned import bringing, descriptions
from mintseed.server.owned.shelf import MOST_UNITS, units_at
from mintseed.server.owned.users import users_of
from mintseed.wiring import bench

router = Router(tags=["recipes"])

Kind = Literal["recipe", "board", "part"]


class RecipeOut(Wire):
    """An appliance in a few words. `brought`: its recipe is one's own."""

    id: str
    name: str
    kind: str
    summary: str
    releases: list[str]
    brought: bool
    example: bool
    """whether it is one of the made-up ones that came with the program, on a bench of real ones"""


class DescribedOut(Wire):
    """A described thing; `broken` says why its text cannot be used."""

    id: str
    name: str
    summary: str
    brought: bool
    shipped: bool
    changed_at: datetime | None
    broken: str
    example: bool


class TextOut(Wire):
    kind: str
    id: str
    text: str
    text_id: int | None
    """of the text somebody brought, by which it is taken off"""
    brought: bool
    shipped: bool


class TextIn(Wire):
    text: Annotated[str, Field(max_length=MAX_DESCRIPTION_BYTES)]


class BringIn(TextIn):
    """`was`: the text that somebody began to change; None for one that is new."""

    was: Annotated[str | None, Field(max_length=MAX_DESCRIPTION_BYTES)] = None


class CheckedOut(Wire):
    """What a text describes, or what is wrong with it, by line. `replaces`: what of this id is there already."""

    id: str
    name: str
    problems: list[Mistake]
    replaces: str


class CellOut(Wire):
    recipe: str
    board: str
    verdict: Severity
    reason: str


class MatrixUnitOut(Wire):
    id: int
    name: str
    board: str
    used_by: str


class MatrixKindOut(Wire):
    id: str
    name: str
    printed_mark: str
    owned: int


class MatrixOut(Wire):
    """Every appliance on every kind of board that is on the shelf, and the boards themselves."""

    recipes: list[RecipeOut]
    kinds: list[MatrixKindOut]
    units: list[MatrixUnitOut]
    more_units: bool
    cells: list[CellOut]


def _recipes() -> list[RecipeOut]:
    known = descriptions.known()
    return [
        RecipeOut(id=r.id, name=r.name, kind=r.kind, summary=r.summary, releases=[x.version for x in r.releases],
                  brought=("recipe", r.id) in known.brought, example=descriptions.is_example("recipe", r.id))
        for r in known.recipes.values()
    ]  # fmt: skip


@router.get("/recipes", response=list[RecipeOut])
def recipes(request: HttpRequest) -> list[RecipeOut]:
    return _recipes()


@router.get("/sites/{site_pk}/matrix", response=MatrixOut)
def read_matrix(request: HttpRequest, site_pk: int, units: Annotated[str, Field(max_length=80)] = "") -> MatrixOut:
    """`units` narrows the boards that are listed."""
    site = Site.there.get(pk=site_pk)
    known = descriptions.known()
    listed = list(units_at(site, units.strip())[: MOST_UNITS + 1])
    owned: dict[str, int] = {}
    for board in BoardUnit.there.filter(site=site).values_list("board", flat=True)[:1000]:
        owned[board] = owned.get(board, 0) + 1
    kinds = [known.boards[b] for b in owned if b in known.boards]
    cells = matrix(known.recipes.values(), kinds, known.parts)
    using = users_of("board_unit", [u.pk for u in listed])
    return MatrixOut(
        recipes=_recipes(),
        kinds=[MatrixKindOut(id=b.id, name=b.name, printed_mark=b.printed_mark, owned=owned[b.id]) for b in kinds],
        units=[
            MatrixUnitOut(id=u.pk, name=u.name, board=u.board, used_by=next(iter(using[u.pk].names), ""))
            for u in listed[:MOST_UNITS]
            if u.board in known.boards
        ],
        more_units=len(listed) > MOST_UNITS,
        cells=[CellOut(recipe=c.recipe, board=c.board, verdict=c.verdict, reason=c.reason) for c in cells.values()],
    )


@router.get("/descriptions/{kind}", response=list[DescribedOut])
def listed(request: HttpRequest, kind: Kind) -> list[DescribedOut]:
    known = descriptions.known()
    all_kinds: dict[str, Mapping[str, Recipe] | Mapping[str, Board] | Mapping[str, Part]] = {
        "recipe": known.recipes, "board": known.boards, "part": known.parts,
    }  # fmt: skip
    good = all_kinds[kind]
    rows = {d.ident: d for d in Description.there.filter(kind=kind)}
    out = [
        DescribedOut(
            id=ident, name=described.name, summary=_summary(described), brought=ident in rows, shipped=descriptions.has_shipped(kind, ident),
            changed_at=rows[ident].changed_at if ident in rows else None, broken="", example=descriptions.is_example(kind, ident),
        )
        for ident, described in good.items()
    ]  # fmt: skip
    for ident, row in rows.items():
        error = known.broken.get(f"{kind} {ident}")
        if error is not None:
            out = [o for o in out if o.id != ident]
            out.append(DescribedOut(id=ident, name=ident, summary="", brought=True, shipped=descriptions.has_shipped(kind, ident),
                                    changed_at=row.changed_at, broken=error.sentence(), example=False))  # fmt: skip
    return out


def _summary(described: Recipe | Board | Part) -> str:
    for name in ("summary", "printed_mark", "seen"):
        if text := getattr(described, name, ""):
            return str(text)
    return ""


@router.get("/schemas/{kind}", response=dict[str, Any])
def schema(request: HttpRequest, kind: Kind) -> dict[str, Any]:
    return descriptions.MODELS[kind].model_json_schema()


@router.get("/descriptions/{kind}/{ident}", response=TextOut)
def text_of(request: HttpRequest, kind: Kind, ident: str) -> TextOut:
    row = Description.there.filter(kind=kind, ident=ident).first()
    shipped = descriptions.shipped_text(kind, ident)
    text = row.text if row else shipped
    if text is None:
        raise MissingError(
            f"no {kind} text is called {ident}", next_step="A part that a recipe describes stands in that recipe."
        )
    return TextOut(
        kind=kind,
        id=ident,
        text=text,
        text_id=row.pk if row else None,
        brought=row is not None,
        shipped=shipped is not None,
    )


@router.get("/descriptions/{kind}/{ident}/file", response={200: None})
def export(request: HttpRequest, kind: Kind, ident: str) -> HttpResponse:
    """The text as a file."""
    found = text_of(request, kind, ident)
    response = HttpResponse(found.text, content_type="application/yaml; charset=utf-8")
    response.headers["Content-Disposition"] = f'attachment; filename="{_file_name(found.id)}.yaml"'
    return response


def _file_name(ident: str) -> str:
    return "".join(c for c in ident if c.isascii() and (c.isalnum() or c in ".-")) or "description"


@router.post("/texts/{kind}/check", response=CheckedOut)
def check(request: HttpRequest, kind: Kind, payload: TextIn) -> CheckedOut:
    """Say what a text describes or what is wrong with it; nothing is kept."""
    read, problems = read_or_tell(descriptions.MODELS[kind], payload.text, _around())
    if read is None:
        return CheckedOut(id="", name="", problems=list(problems), replaces="")
    return CheckedOut(id=read.id, name=read.name, problems=list(problems), replaces=_replaces(kind, read.id))


def _around() -> Around:
    """Return what a text is judged among: all that is described, and today."""
    known = descriptions.known()
    return Around(known.boards, known.parts, bench().clock.now().date())


def _replaces(kind: str, ident: str) -> str:
    if Description.there.filter(kind=kind, ident=ident).exists():
        return "the text you brought before"
    return "the one that came with the program" if descriptions.has_shipped(kind, ident) else ""


@router.put("/descriptions/{kind}", response=TextOut)
def bring(request: HttpRequest, kind: Kind, payload: BringIn) -> TextOut:
    """Keep a text that can be read; it takes the place of one of its id."""
    read, problems = read_or_tell(descriptions.MODELS[kind], payload.text, _around())
    if read is None:
        first = next(p for p in problems if p.bars)
        raise InputError(f"line {first.line}: {first.path + ': ' if first.path else ''}{first.message}", where="text",
                         next_step="Mend it at that line.")  # fmt: skip
    with transaction.atomic():
        held = Description.objects.select_for_update().filter(kind=kind, ident=read.id, removed_at=None).first()
        now = held.text if held else descriptions.shipped_text(kind, read.id)
        if payload.was is not None and now is not None:
            refuse_changed({"text": now}, {"text": payload.was}, {"text": payload.text})
        bringing.keep(kind, read.id, payload.text)
        record(None, "", f"{kind}.brought"[:40], f"{kind.capitalize()} brought: {read.name}")
    return text_of(request, kind, read.id)
