"""The page that explains recipes, boards and parts names every field there is, and no other."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any, get_args

import pytest
from pydantic import BaseModel

from mintseed import shipped
from mintseed.core.boards.model import Board
from mintseed.core.parts.model import ROLES, Part
from mintseed.core.recipes.model import Recipe

PAGE = (shipped.PROJECT / "docs" / "recipe-format.md").read_text()
NAMED = {name for quoted in re.findall(r"`([^`\n]+)`", PAGE) for name in re.findall(r"[a-z][a-z0-9_]*", quoted)}


def fields(model: type[BaseModel]) -> Iterator[str]:
    for name, field in model.model_fields.items():
        yield name
        for inner in models_in(field.annotation):
            yield from fields(inner)


def models_in(annotation: Any) -> Iterator[type[BaseModel]]:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        yield annotation
    for inner in get_args(annotation):
        yield from models_in(inner)


@pytest.mark.parametrize("model", [Recipe, Board, Part])
def test_every_field_is_explained(model: type[BaseModel]) -> None:
    assert sorted(set(fields(model)) - NAMED) == []


def test_every_role_with_words_of_its_own_is_named() -> None:
    assert [role for role in ROLES if role not in PAGE] == []


def test_the_first_column_names_nothing_else() -> None:
    known = {name for model in (Recipe, Board, Part) for name in fields(model)}
    cells = [line.split("|")[1] for line in PAGE.splitlines() if line.startswith("| `")]
    said = {
        name
        for cell in cells
        for quoted in re.findall(r"`([^`]+)`", cell)
        for name in re.findall(r"[a-z][a-z0-9_]*", quoted)
    }
    assert sorted(said - known) == []
