"""Which recipe, release and build a file of the library is, by its name alone."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from mintseed.core.image.naming import names_of
from mintseed.core.recipes.model import Recipe


@dataclass(frozen=True, slots=True)
class Identity:
    """Ids as the recipe spells them; empty where no recipe names the file."""

    recipe: str = ""
    release: str = ""
    build: str = ""


NOBODYS = Identity()


def identity_of(name: str, recipes: Iterable[Recipe], inside: str = "") -> Identity:
    """Return what the first of `recipes` that calls a download as the image `name` is called says it is. `inside`: its path in its archive."""
    told = names_of(name, inside)
    for recipe in recipes:
        if found := recipe.build_of_file(*told):
            return Identity(recipe.id, found[0].version, found[1].id)
    return NOBODYS
