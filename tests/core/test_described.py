"""Descriptions from elsewhere: everything wrong is told with its field and line, and nothing hostile is taken."""

from __future__ import annotations

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from mintseed import wiring
from mintseed.core.boards.model import Board
from mintseed.core.described import read_described, read_or_tell
from mintseed.core.errors import DescriptionError
from mintseed.core.limits import MAX_DESCRIPTION_BYTES
from mintseed.core.parts.model import Part
from mintseed.core.recipes.model import Recipe

PLATEN = (wiring.PROJECT / "recipes" / "platen.yaml").read_text()
MODELS = {"recipes": Recipe, "boards": Board, "parts": Part}


@pytest.mark.parametrize(
    "path", sorted(p for f in MODELS for p in (wiring.PROJECT / f).glob("*.yaml")), ids=lambda p: p.stem
)
def test_what_ships_can_be_read(path: object) -> None:
    model = MODELS[path.parent.name]  # type: ignore[attr-defined]
    read, problems = read_or_tell(model, path.read_text())  # type: ignore[attr-defined]
    assert problems == ()
    assert read is not None
    assert read.id == path.stem  # type: ignore[attr-defined]


@pytest.mark.parametrize(
    ("old", "new", "path", "says"),
    [
        ("least_gb: 4", "least_gb: four", "card.least_gb", "integer"),
        ("kind: print server", "kinds: print server", "kind", "required"),
        ("  port: 5310", "  port: 531000", "page.port", ""),
        ("bits: 64, boards", "bits: 65, boards", "releases.0.builds.0.bits", "32 or 64"),
        ("ways: [wifi, cable]", "ways: [pigeon]", "ways.0", "wifi"),
    ],
)  # fmt: skip
def test_a_mistake_is_told_at_its_line(old: str, new: str, path: str, says: str) -> None:
    old = old if old in PLATEN else old.strip()
    new = new if old in PLATEN else new.strip()
    text = (
        PLATEN.replace("page: {scheme: http, port: 5310,", "page: {scheme: http, port: 531000,")
        if "531000" in new
        else PLATEN.replace(old, new, 1)
    )
    _, problems = read_or_tell(Recipe, text)
    mine = next(p for p in problems if p.path == path)
    assert says in mine.message
    changed = next(n for n, (a, b) in enumerate(zip(PLATEN.splitlines(), text.splitlines(), strict=True), 1) if a != b)
    # Of a field that is missing, the line is that of what it is missing from.
    assert mine.line == (1 if "required" in says else changed)


def test_every_mistake_is_told_at_once() -> None:
    text = PLATEN.replace("least_gb: 4", "least_gb: four").replace("ways: [wifi, cable]", "ways: [pigeon]")
    _, problems = read_or_tell(Recipe, text)
    assert [p.path for p in problems][:2] == ["card.least_gb", "ways.0"]
    assert problems[0].line < problems[1].line


def test_a_rule_over_several_fields_is_told_at_the_field_it_names() -> None:
    text = PLATEN.replace('HOST_NAME: "{host_name}"', 'HOST_NAME: "{ghost_name}"')
    _, problems = read_or_tell(Recipe, text)
    assert "nothing is called {ghost_name}" in problems[0].message
    assert PLATEN.splitlines()[problems[0].line - 1] == "files:"


def test_releases_stand_in_their_order() -> None:
    """The order says which release is older than another, whatever their versions are called."""
    _, problems = read_or_tell(Recipe, PLATEN.replace("date: 2025-01-20", "date: 2027-01-20"))
    assert [(p.line, p.message) for p in problems] == [
        (PLATEN.splitlines().index("releases:") + 1, "releases: the newest stands first")
    ]


BOMB = "a: &a [x,x,x,x,x,x,x,x,x]\n" + "".join(
    f"{chr(98 + n)}: &{chr(98 + n)} [*{chr(97 + n)},*{chr(97 + n)}]\n" for n in range(8)
)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (BOMB, "anchors and aliases"),
        ("recipe: !!python/object/apply:os.system ['id']\n", "tags (!)"),
        ("a: !!binary aGk=\n", "tags (!)"),
        ("recipe: 1\nrecipe: 2\n", "second time"),
        ("x: " + "[" * 40 + "]" * 40, "nested deeper"),
        ("x: [" + "1," * 30_000 + "]", "more than"),
        ("x: '" + "a" * MAX_DESCRIPTION_BYTES + "'", "longer than"),
        ("- a\n- b\n", "holds no fields"),
        ("", "holds no fields"),
        ("just words", "holds no fields"),
        ("a: [1\nb: 2\n", "not readable as YAML"),
        ("a:\tb\n\t c: d\n", "not readable as YAML"),
        ("a: 2026-99-99\n", "not readable as YAML"),
        ("? [a, b]\n: c\n", ""),
        ('recipe: 1\nname: "Plat\\u202een"\n', "invisible character"),
        ('recipe: 1\nname: "Plat\\x1b[2Jen"\n', "invisible character"),
    ],
    ids=lambda v: v[:24] if isinstance(v, str) else None,
)
def test_hostile_and_broken_texts_are_refused(text: str, says: str) -> None:
    read, problems = read_or_tell(Recipe, text)
    assert read is None
    assert says in problems[0].message
    assert problems[0].line >= 1
    with pytest.raises(DescriptionError) as refused:
        read_described(Recipe, text, where="theirs.yaml")
    assert "theirs.yaml" in refused.value.sentence()


@given(st.text(max_size=400))
def test_any_text_is_told(text: str) -> None:
    for model in MODELS.values():
        read, problems = read_or_tell(model, text)
        assert (read is None) == bool(problems)


@given(
    st.recursive(
        st.none() | st.booleans() | st.floats() | st.text(max_size=8),
        lambda c: (
            st.lists(c, max_size=3) | st.dictionaries(st.sampled_from(sorted(Recipe.model_fields)), c, max_size=4)
        ),
        max_leaves=12,
    )
)
def test_any_value_under_a_recipes_names_is_told(value: object) -> None:
    text = yaml.safe_dump({"recipe": 1, "id": "x", "files": value, "releases": value, "page": value})
    read, problems = read_or_tell(Recipe, text)
    assert read is None
    assert problems
