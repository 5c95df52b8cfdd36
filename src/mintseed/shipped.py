"""What ships with the application: the described recipes, boards and parts. Reading them takes no adapter, and little time."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cache
from pathlib import Path
from typing import Generic, TypeVar

from mintseed.core.boards.model import Board
from mintseed.core.described import Around, read_described
from mintseed.core.errors import DescriptionError, MintSeedError
from mintseed.core.parts.model import Part
from mintseed.core.recipes.model import Recipe

PROJECT = Path(__file__).resolve().parents[2]


def read_recipe(text: str, *, where: str) -> Recipe:
    """Read a recipe. Raises DescriptionError for one that is wrong."""
    return read_described(Recipe, text, where=where, around=around())


def around() -> Around:
    """Return what a text from elsewhere is judged among: what ships, and today."""
    return Around(boards(), parts(), datetime.now(UTC).date())


D = TypeVar("D", Recipe, Board, Part)


@dataclass(frozen=True)
class Descriptions(Generic[D]):
    """The described things that could be read, by id, and for each file that could not, why."""

    good: dict[str, D]
    broken: dict[str, MintSeedError]


def read_descriptions(model: type[D], folder: Path, names: str = "*.yaml") -> Descriptions[D]:
    """Read every description in `folder` whose file is called like `names`. One that is wrong spoils only itself."""
    good: dict[str, D] = {}
    broken: dict[str, MintSeedError] = {}
    for path in sorted(folder.glob(names)):
        try:
            read = read_described(model, path.read_bytes().decode("utf-8", "replace"), where=path.name)
            good[read.id] = read
        except MintSeedError as error:
            broken[path.name] = error
        except OSError as error:
            broken[path.name] = DescriptionError(f"cannot be read ({error.strerror})", where=path.name)
    return Descriptions(good, broken)


@cache
def recipe_files() -> Descriptions[Recipe]:
    """Return the shipped recipes, good and broken."""
    return read_descriptions(Recipe, PROJECT / "recipes")


_SHIPPED_ID = re.compile(r"[a-z0-9][a-z0-9.-]{0,39}")


def _one(model: type[D], folder: str, name: str) -> D | None:
    path = PROJECT / folder / f"{name}.yaml"
    if not _SHIPPED_ID.fullmatch(name) or not path.is_file():
        return None
    return read_descriptions(model, path.parent, path.name).good.get(name)


@cache
def recipe(name: str) -> Recipe | None:
    """Return the shipped recipe with the id `name`, without reading the others; None where there is none that can be read."""
    return _one(Recipe, "recipes", name)


@cache
def board(name: str) -> Board | None:
    """Return the shipped board with the id `name`, without reading the others; None where there is none that can be read."""
    return _one(Board, "boards", name)


@cache
def board_files() -> Descriptions[Board]:
    """Return the shipped boards, good and broken."""
    return read_descriptions(Board, PROJECT / "boards")


@cache
def part_files() -> Descriptions[Part]:
    """Return the shipped parts, good and broken."""
    return read_descriptions(Part, PROJECT / "parts")


def recipes() -> dict[str, Recipe]:
    """Return the shipped recipes by id."""
    return recipe_files().good


def boards() -> dict[str, Board]:
    """Return the shipped boards by id."""
    return board_files().good


def parts() -> dict[str, Part]:
    """Return the shipped parts by id, and those that shipped recipes describe themselves."""
    own = {p.id: p for r in recipes().values() for p in r.add_ons}
    return {**own, **part_files().good}
