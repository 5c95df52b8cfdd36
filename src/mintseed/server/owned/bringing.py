"""A text that somebody brings, changes, takes off or puts back: kept, and what rests on it looked at again."""

from __future__ import annotations

from dataclasses import asdict

from django.db import transaction

from mintseed import wiring
from mintseed.core.recipes.identity import Identity, identity_of
from mintseed.core.recipes.model import Recipe
from mintseed.server.kept.due import judge_soon
from mintseed.server.kept.models import Description, Image
from mintseed.server.kept.stored_types import outline_of_row, xray_of
from mintseed.server.owned import descriptions
from mintseed.server.owned.library import UNREAD, keep_xray
from mintseed.services import describe_image


def keep(kind: str, ident: str, text: str) -> None:
    """Keep a text that was read well, in place of one of its id."""
    with transaction.atomic():
        now = wiring.bench().clock.now()
        Description.objects.update_or_create(
            kind=kind, ident=ident, removed_at=None, defaults={"text": text, "changed_at": now}
        )
        changed_text(kind, ident)


def changed_text(kind: str, ident: str) -> None:
    """Have what rests on a text judged again."""
    descriptions.look_again()
    if kind == "recipe":
        _claim_images(ident)
        judge_soon(recipe=ident)
    elif kind == "board":
        judge_soon(board_unit__board=ident)
    else:
        judge_soon(parts__kind=ident)


def _claim_images(ident: str) -> None:
    """Say of the images that the recipe names, or no longer names, what they are now. What was read of one stands where it holds
    every file that the recipe speaks of; else it is read again."""
    recipe = descriptions.recipes().get(ident)
    mine = [recipe] if recipe else []
    for row in Image.objects.filter(recipe__in=(ident, "")).only("file_name", "recipe", "release", "build", "outline"):
        outline = outline_of_row(row)
        said = identity_of(row.file_name, mine, outline.inside if outline else "")
        if said != Identity(row.recipe, row.release, row.build):
            _now_is(row.pk, said, mine)


def _now_is(pk: int, said: Identity, mine: list[Recipe]) -> None:
    row = Image.objects.get(pk=pk)
    xray = xray_of(row)
    described = describe_image.execute(xray, mine, library=wiring.bench().library) if xray else None
    if described is None or row.read_at is None:
        Image.objects.filter(pk=pk).update(**asdict(said), **UNREAD)
    else:
        keep_xray(row, described, row.read_at)
