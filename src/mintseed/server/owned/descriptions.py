"""The described things as this home knows them: the shipped files, and over them the texts somebody brought."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

from django.core.signals import request_started
from django.db import connection

from mintseed import wiring
from mintseed.core.boards.model import Board
from mintseed.core.described import Described, read_described
from mintseed.core.errors import MintSeedError
from mintseed.core.parts.model import Part
from mintseed.core.recipes.model import Recipe
from mintseed.server.kept.models import Description

FOLDERS = {"recipe": "recipes", "board": "boards", "part": "parts"}

MODELS: dict[str, type[Recipe | Board | Part]] = {"recipe": Recipe, "board": Board, "part": Part}


@dataclass(frozen=True)
class Known:
    """Everything described, by id; for each text that cannot be used, why; and a mark that changes when any of it does."""

    recipes: Mapping[str, Recipe]
    boards: Mapping[str, Board]
    parts: Mapping[str, Part]
    broken: Mapping[str, MintSeedError]
    brought: frozenset[tuple[str, str]]
    """kind and id of the texts that somebody brought"""
    recipe_texts: Mapping[str, str]
    """a hash of each recipe that somebody brought, by id"""
    mark: str
    files: tuple[int, ...]
    """which readings of the shipped files it was made from"""


LOOK_AGAIN_S = 1.0
"""seconds after which a process that serves no requests looks whether a text was changed by another one."""

_STAMP = (
    f"SELECT COUNT(*), MAX(changed_at), MAX(id), COUNT(removed_at), MAX(removed_at) FROM {Description._meta.db_table}"
)
"""Written by hand: every request asks it, and composing it takes the ORM longer than everything else about it."""

_held: tuple[object, Known] | None = None
_looked_s = 0.0


def look_again(**_: object) -> None:
    """Have the next question look whether a text was changed: every request begins so."""
    global _looked_s
    _looked_s = 0.0


request_started.connect(look_again)


def known() -> Known:
    """Return what is described now. Texts are read again only after one of them changed."""
    global _held, _looked_s
    files = (id(wiring.recipe_files()), id(wiring.board_files()), id(wiring.part_files()))
    if _held is not None and time.monotonic() - _looked_s < LOOK_AGAIN_S and _held[1].files == files:
        return _held[1]
    with connection.cursor() as cursor:
        cursor.execute(_STAMP)
        stamp = cursor.fetchone()
    if _held is None or _held[0] != stamp or _held[1].files != files:
        _held = (stamp, _read(files))
    _looked_s = time.monotonic()
    return _held[1]


def recipes() -> Mapping[str, Recipe]:
    return known().recipes


def boards() -> Mapping[str, Board]:
    return known().boards


def parts() -> Mapping[str, Part]:
    """Return every part that is described, by itself or in a recipe."""
    return known().parts


D = TypeVar("D", Recipe, Board, Part)


def _read(files: tuple[int, ...]) -> Known:
    recipe_files, board_files, part_files = wiring.recipe_files(), wiring.board_files(), wiring.part_files()
    shipped: dict[str, dict[str, Described]] = {
        "recipe": {**recipe_files.good}, "board": {**board_files.good}, "part": {**part_files.good},
    }  # fmt: skip
    broken = {**recipe_files.broken, **board_files.broken, **part_files.broken}
    brought = set()
    recipe_texts: dict[str, str] = {}
    digest = hashlib.sha256()
    for row in Description.there.order_by("pk"):
        try:
            read = read_described(MODELS[row.kind], row.text, where=f"{row.kind} {row.ident}")
        except MintSeedError as error:
            # Read well when it was brought; the format has changed since.
            broken[f"{row.kind} {row.ident}"] = error
            continue
        shipped[row.kind][row.ident] = read
        brought.add((row.kind, row.ident))
        if row.kind == "recipe":
            recipe_texts[row.ident] = hashlib.sha256(row.text.encode()).hexdigest()
    recipes = {k: v for k, v in shipped["recipe"].items() if isinstance(v, Recipe)}
    boards = {k: v for k, v in shipped["board"].items() if isinstance(v, Board)}
    own = {p.id: p for r in recipes.values() for p in r.add_ons}
    parts = {**own, **{k: v for k, v in shipped["part"].items() if isinstance(v, Part)}}
    for described in (*recipes.values(), *boards.values(), *parts.values()):
        digest.update(described.model_dump_json().encode())
    return Known(recipes, boards, parts, broken, frozenset(brought), recipe_texts, digest.hexdigest(), files)


def is_example(kind: str, ident: str) -> bool:
    """Return whether this is one of the made-up things that came with the program, on a bench of real ones: there they are examples."""
    if wiring.config().is_standin or (kind, ident) in known().brought:
        return False
    own = (r for r in known().recipes.values() if ("recipe", r.id) in known().brought) if kind == "part" else ()
    return not any(part.id == ident for recipe in own for part in recipe.add_ons)


def _taken_off() -> Path:
    return wiring.config().home / "examples-taken-off"


def examples_are_off() -> bool:
    """Return whether somebody took the examples off: then no list speaks of them."""
    return _taken_off().exists()


def take_examples_off(off: bool) -> None:
    """Take the examples off every list, or bring them back. They stay described: what was begun with one goes on."""
    if off:
        _taken_off().touch()
    else:
        _taken_off().unlink(missing_ok=True)


def shipped_text(kind: str, ident: str) -> str | None:
    """Return the text of a shipped description, None when there is none."""
    try:
        return (wiring.PROJECT / FOLDERS[kind] / f"{ident}.yaml").read_text() if has_shipped(kind, ident) else None
    except OSError:
        return None


def has_shipped(kind: str, ident: str) -> bool:
    """Return whether a description of that id came with the program."""
    return ident in {p.stem for p in (wiring.PROJECT / FOLDERS[kind]).glob("*.yaml")}
