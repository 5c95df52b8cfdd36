"""What a device taught: offered while its record is looked at, and taken into the recipe by one press."""

from __future__ import annotations

from django.db import transaction
from django.http import HttpRequest
from ninja import Router, Schema

from mintseed import wiring
from mintseed.core.described import Around, read_described
from mintseed.core.errors import MissingError
from mintseed.core.find.candidates import page_url
from mintseed.core.find.sightings import inside
from mintseed.core.recipes.lessons import About, Lesson, lessons, taught
from mintseed.core.recipes.model import Recipe
from mintseed.server.judged.journal import record
from mintseed.server.judged.load import Loaded, load
from mintseed.server.kept.models import Description
from mintseed.server.owned import bringing, descriptions

router = Router(tags=["keep"])


class LessonOut(Schema):
    about: About
    text: str


class LessonIn(Schema):
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
    with transaction.atomic():
        row = Description.objects.select_for_update().get(kind="recipe", ident=one.row.recipe, removed_at=None)
        text = taught(row.text, lesson)
        known = descriptions.known()
        read_described(Recipe, text, where=f"the recipe of {one.recipe.name}", around=Around(known.boards, known.parts))
        bringing.keep("recipe", one.row.recipe, text)
        record(one.row, "keep", "recipe.taught", f"Taken into the recipe of {one.recipe.name}: {lesson.text}"[:200])
    return read_lessons(request, pk)


def _lessons(one: Loaded) -> tuple[Lesson, ...]:
    if not Description.there.filter(kind="recipe", ident=one.row.recipe).exists():
        return ()
    joined = one.inputs.run.joined_after_s if one.inputs.run else None
    page, recipe = "", descriptions.recipes().get(one.row.recipe, one.recipe)
    if one.inputs.claimed and not recipe.page.signature and inside(one.inputs.claimed, one.networks):
        answer = wiring.bench().probe.get(page_url(recipe.page, one.inputs.claimed))
        page = answer.body if answer.status == 200 else ""
    return lessons(recipe, joined_after_s=joined, page=page, host_name=one.row.host_name)
