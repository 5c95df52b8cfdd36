"""What a device taught: offered while its record is looked at, and taken into the recipe by one press."""

from __future__ import annotations

from typing import Literal

from django.db import transaction
from django.http import HttpRequest
from ninja import Router

from mintseed import wiring
from mintseed.core.boards.model import Board
from mintseed.core.described import Around, read_described
from mintseed.core.errors import MissingError
from mintseed.core.find.candidates import page_url
from mintseed.core.find.sightings import inside
from mintseed.core.recipes.lessons import About, Lesson, SeenPage, lessons, ports_to_ask, taught, vendor_lesson
from mintseed.core.recipes.model import Recipe
from mintseed.server.api.wire import Wire
from mintseed.server.judged.journal import record
from mintseed.server.judged.load import load
from mintseed.server.judged.loaded import Loaded
from mintseed.server.kept.models import Description
from mintseed.server.owned import bringing, descriptions

router = Router(tags=["keep"])


class LessonOut(Wire):
    about: About
    text: str


class LessonIn(Wire):
    about: About


@router.get("/deployments/{pk}/lessons", response=list[LessonOut])
def read_lessons(request: HttpRequest, pk: int) -> list[LessonOut]:
    """What may be taken into its recipe; nothing for one that came with the program."""
    return [LessonOut(about=lesson.about, text=lesson.text) for lesson in _lessons(load(pk).live)]


@router.post("/deployments/{pk}/lessons", response=list[LessonOut])
def take(request: HttpRequest, pk: int, payload: LessonIn) -> list[LessonOut]:
    one = load(pk).live
    lesson = next((found for found in _lessons(one) if found.about == payload.about), None)
    if lesson is None:
        raise MissingError(
            "that is in the recipe already, or it cannot be seen now", next_step="Open its page, then look again."
        )
    if lesson.about == "vendor" and one.board is not None:
        _taken(one, lesson, Board, "board", one.board.id, one.board.name)
    else:
        _taken(one, lesson, Recipe, "recipe", one.row.recipe, f"the recipe of {one.recipe.name}")
    return read_lessons(request, pk)


@transaction.atomic
def _taken(
    one: Loaded,
    lesson: Lesson,
    model: type[Board] | type[Recipe],
    kind: Literal["board", "recipe"],
    ident: str,
    words: str,
) -> None:
    row = Description.objects.select_for_update().get(kind=kind, ident=ident, removed_at=None)
    text = taught(row.text, lesson)
    known = descriptions.known()
    read_described(model, text, where=words, around=Around(known.boards, known.parts))
    bringing.keep(kind, ident, text)
    record(one.row, "keep", "recipe.taught", f"Taken into {words}: {lesson.text}"[:200])


def _lessons(one: Loaded) -> tuple[Lesson, ...]:
    found: tuple[Lesson, ...] = ()
    if Description.there.filter(kind="recipe", ident=one.row.recipe).exists():
        joined = one.inputs.run.joined_after_s if one.inputs.run else None
        recipe = descriptions.recipes().get(one.row.recipe, one.recipe)
        page = _page(one, recipe) if not recipe.page.signature or recipe.page.assumed else None
        found = lessons(recipe, joined_after_s=joined, page=page, host_name=one.row.host_name)
    unit, board = one.row.board_unit, one.board
    if (
        one.inputs.claimed
        and unit is not None
        and board is not None
        and Description.there.filter(kind="board", ident=board.id).exists()
    ):
        vendor = vendor_lesson(descriptions.boards().get(board.id, board), unit.macs)
        found = (*found, *((vendor,) if vendor else ()))
    return found


def _page(one: Loaded, recipe: Recipe) -> SeenPage | None:
    """Return the page of the device that was claimed: where its recipe says, and where nobody said it, the first that answers whole."""
    if not one.inputs.claimed or not inside(one.inputs.claimed, one.networks):
        return None
    read = [p.port for p in one.inputs.xray.page.listeners if p.reach == "network"] if one.inputs.xray else []
    for port in ports_to_ask(recipe, read):
        scheme: Literal["http", "https"] = (
            recipe.page.scheme if port == recipe.page.port else "https" if port in (443, 8443) else "http"
        )
        at = recipe.page.model_copy(update={"port": port, "scheme": scheme})
        answer = wiring.bench().probe.get(page_url(at, one.inputs.claimed))
        if answer.status == 200:
            return SeenPage(scheme, port, answer.body)
        if answer.silent:
            break  # it is off, or lets nobody in: asking on at the other ports would be waiting alone
    return None
