"""Recipes, boards and parts: what is described here, bringing a text of one's own, and every appliance on every board."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Annotated, Any, Literal

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema
from pydantic import Field

from mintseed.core.boards.model import Board
from mintseed.core.described import Around, Mistake, read_or_tell
from mintseed.core.errors import InputError, MissingError, RefusedError
from mintseed.core.findings import Severity
from mintseed.core.limits import MAX_DESCRIPTION_BYTES
from mintseed.core.parts.model import Part
from mintseed.core.plan.matrix import matrix
from mintseed.core.recipes.model import Recipe
from mintseed.server import descriptions
from mintseed.server.journal import record
from mintseed.server.lists import users_of
from mintseed.server.models import BoardUnit, Deployment, Description, Site
from mintseed.server.shelf import MOST_UNITS, units_at
from mintseed.wiring import PROJECT, bench

router = Router(tags=["recipes"])

Kind = Literal["recipe", "board", "part"]
FOLDERS: dict[str, str] = {"recipe": "recipes", "board": "boards", "part": "parts"}


class RecipeOut(Schema):
    """An appliance in a few words. `brought`: its recipe is one's own."""

    id: str
    name: str
    kind: str
    summary: str
    releases: list[str]
    brought: bool


class DescribedOut(Schema):
    """A described thing; `broken` says why its text cannot be used."""

    id: str
    name: str
    summary: str
    brought: bool
    shipped: bool
    changed_at: datetime | None
    broken: str


class TextOut(Schema):
    kind: str
    id: str
    text: str
    brought: bool
    shipped: bool


class TextIn(Schema):
    text: Annotated[str, Field(max_length=MAX_DESCRIPTION_BYTES)]


class CheckedOut(Schema):
    """What a text describes, or what is wrong with it, by line. `replaces`: what of this id is there already."""

    id: str
    name: str
    problems: list[Mistake]
    replaces: str


class CellOut(Schema):
    recipe: str
    board: str
    verdict: Severity
    reason: str


class MatrixUnitOut(Schema):
    id: int
    name: str
    board: str
    used_by: str


class MatrixKindOut(Schema):
    id: str
    name: str
    printed_mark: str
    owned: int


class MatrixOut(Schema):
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
                  brought=("recipe", r.id) in known.brought)
        for r in known.recipes.values()
    ]  # fmt: skip


@router.get("/recipes", response=list[RecipeOut])
def recipes(request: HttpRequest) -> list[RecipeOut]:
    return _recipes()


@router.get("/sites/{site_pk}/matrix", response=MatrixOut)
def read_matrix(request: HttpRequest, site_pk: int, units: Annotated[str, Field(max_length=80)] = "") -> MatrixOut:
    """`units` narrows the boards that are listed."""
    site = Site.objects.get(pk=site_pk)
    known = descriptions.known()
    listed = list(units_at(site, units.strip())[: MOST_UNITS + 1])
    owned: dict[str, int] = {}
    for board in BoardUnit.objects.filter(site=site).values_list("board", flat=True)[:1000]:
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
    rows = {d.ident: d for d in Description.objects.filter(kind=kind)}
    out = [
        DescribedOut(
            id=ident, name=described.name, summary=_summary(described), brought=ident in rows, shipped=_shipped(kind, ident) is not None,
            changed_at=rows[ident].changed_at if ident in rows else None, broken="",
        )
        for ident, described in good.items()
    ]  # fmt: skip
    for ident, row in rows.items():
        error = known.broken.get(f"{kind} {ident}")
        if error is not None:
            out = [o for o in out if o.id != ident]
            out.append(DescribedOut(id=ident, name=ident, summary="", brought=True, shipped=_shipped(kind, ident) is not None,
                                    changed_at=row.changed_at, broken=error.sentence()))  # fmt: skip
    return out


def _summary(described: Recipe | Board | Part) -> str:
    for name in ("summary", "printed_mark", "seen"):
        if text := getattr(described, name, ""):
            return str(text)
    return ""


def _shipped(kind: str, ident: str) -> str | None:
    """Return the text of a shipped description, None when there is none."""
    try:
        return (PROJECT / FOLDERS[kind] / f"{ident}.yaml").read_text() if ident in _shipped_ids(kind) else None
    except OSError:
        return None


def _shipped_ids(kind: str) -> set[str]:
    return {p.stem for p in (PROJECT / FOLDERS[kind]).glob("*.yaml")}


@router.get("/schemas/{kind}", response=dict[str, Any])
def schema(request: HttpRequest, kind: Kind) -> dict[str, Any]:
    return descriptions.MODELS[kind].model_json_schema()


@router.get("/descriptions/{kind}/{ident}", response=TextOut)
def text_of(request: HttpRequest, kind: Kind, ident: str) -> TextOut:
    row = Description.objects.filter(kind=kind, ident=ident).first()
    shipped = _shipped(kind, ident)
    text = row.text if row else shipped
    if text is None:
        raise MissingError(
            f"no {kind} text is called {ident}", next_step="A part that a recipe describes stands in that recipe."
        )
    return TextOut(kind=kind, id=ident, text=text, brought=row is not None, shipped=shipped is not None)


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
    if Description.objects.filter(kind=kind, ident=ident).exists():
        return "the text you brought before"
    return "the one that came with the program" if _shipped(kind, ident) is not None else ""


@router.put("/descriptions/{kind}", response=TextOut)
def bring(request: HttpRequest, kind: Kind, payload: TextIn) -> TextOut:
    """Keep a text that can be read; it takes the place of one of its id."""
    read, problems = read_or_tell(descriptions.MODELS[kind], payload.text, _around())
    if read is None:
        first = next(p for p in problems if p.bars)
        raise InputError(f"line {first.line}: {first.path + ': ' if first.path else ''}{first.message}", where="text",
                         next_step="Mend it at that line.")  # fmt: skip
    descriptions.keep(kind, read.id, payload.text)
    record(None, "", f"{kind}.brought"[:40], f"{kind.capitalize()} brought: {read.name}")
    return text_of(request, kind, read.id)


@router.delete("/descriptions/{kind}/{ident}", response=list[DescribedOut])
def forget(request: HttpRequest, kind: Kind, ident: str) -> list[DescribedOut]:
    """Take away a text one brought. Raises RefusedError while something rests on it and no shipped one takes its place."""
    row = Description.objects.get(kind=kind, ident=ident)
    if _shipped(kind, ident) is None and (user := _user(kind, ident)):
        raise RefusedError(f"{ident} is in use: {user}", next_step="Take that off first.")
    descriptions.forget(row.kind, row.ident)
    record(None, "", f"{kind}.taken-away"[:40], f"{kind.capitalize()} taken away: {ident}")
    return listed(request, kind)


def _user(kind: str, ident: str) -> str:
    used = {
        "recipe": Deployment.objects.filter(recipe=ident, removed_at=None).values_list("name", flat=True),
        "board": BoardUnit.objects.filter(board=ident).values_list("name", flat=True),
        "part": Deployment.objects.filter(parts__kind=ident, removed_at=None).values_list("name", flat=True),
    }[kind]
    return next(iter(used[:1]), "")
