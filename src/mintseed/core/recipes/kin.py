"""Another image of a system that has a recipe: told by what is in it, not only by its name; the recipe gets a release."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import yaml

from mintseed.core.image.naming import own_name
from mintseed.core.image.report import XRay
from mintseed.core.recipes.draft import Draft, build_said
from mintseed.core.recipes.draft_files import file_said
from mintseed.core.recipes.model import Recipe, same_place
from mintseed.core.visible import one_line

ENOUGH = 2
"""reasons that make it likely: by one alone two systems of one maker are alike"""


@dataclass(frozen=True, slots=True)
class Kin:
    """A recipe that an image is probably another release of. `why`: what speaks for it; `changes`: what its recipe will say otherwise."""

    recipe_id: str
    name: str
    version: str
    why: tuple[str, ...]
    changes: tuple[str, ...]


def kin_of(image: XRay, draft: Draft, recipes: Iterable[Recipe]) -> tuple[Kin, ...]:
    """Return the recipes that `image` is probably another release of, the likeliest first."""
    found = []
    for recipe in recipes:
        why = tuple(_reasons(image, recipe))
        if len(why) >= ENOUGH and recipe.build_of_file(*image.names) is None:
            found.append(Kin(recipe.id, recipe.name, draft.version, why, tuple(_changes(image, draft, recipe))))
    return tuple(sorted(found, key=lambda kin: -len(kin.why)))


def _reasons(image: XRay, recipe: Recipe) -> Iterable[str]:
    if image.page.host_name and image.page.host_name == recipe.host_name:
        yield f"every card of it starts as {one_line(recipe.host_name)}"
    on_image = {same_place(f.path) for f in image.files}
    there = [f.place for f in recipe.files if same_place(f.place) in on_image and f.dialect != "link"]
    # /etc/hostname and its like are on every system.
    own = [place for place in there if not place.startswith("/etc/")]
    if own:
        yield f"{own[0]} lies on it"
    if (
        image.page.port is not None
        and image.page.port == recipe.page.port
        and not recipe.page.assumed
        and recipe.page.port not in (80, 443)
    ):
        yield f"its page is on port {recipe.page.port}"
    if any(
        _stem(own_name(image.inside or image.file_name)) == _stem(b.file) for r in recipe.releases for b in r.builds
    ):
        yield "its file is called alike"
    boards = {name for r in recipe.releases for b in r.builds for name in b.boards}
    if boards and boards & set(image.compatible):
        yield "it starts on the same boards"


def _stem(file_name: str) -> str:
    return re.split(r"\d", file_name.lower(), maxsplit=1)[0].strip("-_. ")


def _missing(image: XRay, recipe: Recipe) -> list[str]:
    """Return the places of the recipe's files that are not on the image, though it should have brought them."""
    on_image = {same_place(f.path) for f in image.files}
    newest = recipe.releases[0].version
    return [
        f.place for f in recipe.files
        if recipe.reads(f, newest) and f.absent == "refuse" and f.dialect != "link" and same_place(f.place) not in on_image
    ]  # fmt: skip


def _fresh(draft: Draft, recipe: Recipe) -> list[str]:
    known = {same_place(f.place) for f in recipe.files}
    return [f.path for f in draft.files if f.take and same_place(f.path) not in known]


def _changes(image: XRay, draft: Draft, recipe: Recipe) -> Iterable[str]:
    yield f"release {draft.version} is added"
    if (gone := _missing(image, recipe)) and is_newer(draft.version, recipe):
        yield f"{', '.join(gone)} {'are' if len(gone) > 1 else 'is'} no longer read from it on"
    if (fresh := _fresh(draft, recipe)) and is_newer(draft.version, recipe):
        yield f"{', '.join(fresh)} {'are' if len(fresh) > 1 else 'is'} read from it on"


def is_newer(version: str, recipe: Recipe) -> bool:
    """Return whether `version` is higher than the recipe's newest, by its numbers."""
    return _numbers(version) > _numbers(recipe.releases[0].version)


def _numbers(version: str) -> tuple[int, ...]:
    return tuple(int(n) for n in re.findall(r"\d{1,9}", version))


def with_release(text: str, recipe: Recipe, image: XRay, draft: Draft) -> str:
    """Return the recipe's `text` with the image as another release of it; comments of the text are lost."""
    said: dict[str, Any] = yaml.safe_load(text)
    build = build_said(draft)
    same = next((r for r in said["releases"] if str(r["version"]) == draft.version), None)
    if same is not None:
        ids = {b["id"] for b in same["builds"]}
        number = 2
        while build["id"] in ids:
            build["id"], number = f"{draft.bits}-bit-{number}", number + 1
        same["builds"].append(build)
    elif is_newer(draft.version, recipe):
        said["releases"].insert(0, {"version": draft.version, "builds": [build]})
        gone, fresh = set(_missing(image, recipe)), set(_fresh(draft, recipe))
        for file, described in zip(said["files"], recipe.files, strict=True):
            if described.place in gone:
                file["until"] = draft.version
        said["files"] += [{**file_said(f), "since": draft.version} for f in draft.files if f.path in fresh]
    else:
        said["releases"].append({"version": draft.version, "builds": [build]})
    return yaml.safe_dump(said, sort_keys=False, allow_unicode=True, width=120)
