"""Say of an image that was read what a recipe says it is, without reading it again."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from mintseed.core.image.report import XRay
from mintseed.core.recipes.identity import identity_of
from mintseed.core.recipes.model import Recipe, same_place
from mintseed.ports.images import ImageLibrary
from mintseed.services import inspect_image

SAID_OF_IDENTITY = (
    "image.recipe-unknown", "image.size-otherwise", "image.sha256-matches", "image.sha256-differs", "image.sha256-unpublished",
)  # fmt: skip
"""what a reading says of an image because of its recipe"""


def execute(xray: XRay, recipes: Sequence[Recipe], *, library: ImageLibrary) -> XRay | None:
    """Return `xray` as it is told of by the one of `recipes` that names its file, or as nobody's; None where a described file was not
    kept when it was read, so that it has to be read again.

    Raises OutsideError where the list of checksums beside it cannot be read.
    """
    said = identity_of(xray.file_name, recipes, xray.inside)
    recipe = next((r for r in recipes if r.id == said.recipe), None)
    described = {same_place(f.place): f for f in recipe.files} if recipe else {}
    kept = {same_place(f.path) for f in xray.files}
    # Of what may be made, and of links, nothing has to have been kept.
    needed = {same_place(f.place) for f in described.values() if f.absent == "refuse" and f.dialect != "link"}
    if not needed <= kept or xray.scheme == "firmware":
        return None
    files = tuple(
        replace(f, path=described[same_place(f.path)].place, known=True, title=described[same_place(f.path)].title)
        if same_place(f.path) in described
        else replace(f, known=False, title="")
        for f in xray.files
    )
    found = recipe.build_of_file(*xray.names) if recipe else None
    known = (recipe, *found) if recipe and found else None
    other = [f for f in xray.findings if f.code not in SAID_OF_IDENTITY]
    now = inspect_image.identity(xray.file_name, xray.sha256, xray.unpacked_bytes, known, library)
    return replace(
        xray, recipe_id=said.recipe, release=said.release, build=said.build, files=files, findings=(*other, *now)
    )
