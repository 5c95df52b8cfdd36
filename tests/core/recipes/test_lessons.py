"""What a device taught is taken into its recipe only where that says nothing, and the text stays a recipe."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.described import Around, read_described
from mintseed.core.recipes.draft import Choices, draft_of, recipe_text
from mintseed.core.recipes.lessons import lessons, taught
from mintseed.core.recipes.model import Recipe
from tests.core.recipes.test_draft import POST

TEXT = recipe_text(draft_of(POST))
PAGE = '<!doctype html><title lang="en">Weir post: level &amp; flow</title><h1>weir-east</h1>'


def read(text: str) -> Recipe:
    return read_described(Recipe, text, where="own", around=Around(boards={}, parts={}))


def test_a_measured_boot_takes_the_place_of_an_assumed_one() -> None:
    recipe = read(TEXT)
    told = {lesson.about: lesson for lesson in lessons(recipe, joined_after_s=75.0, page=PAGE, host_name="weir-east")}
    assert set(told) == {"boot", "signature"}
    now = read(taught(taught(TEXT, told["boot"]), told["signature"]))
    assert not now.boot.assumed
    assert now.boot.usual_from_s <= 75 <= now.boot.usual_to_s <= now.boot.late_after_s <= now.boot.hopeless_after_s
    assert now.page.signature == "Weir post: level &amp; flow", "as it stands in the page, where it is looked for"
    assert now.page.shown(200, PAGE)
    assert (now.page.port, now.files) == (recipe.page.port, recipe.files), "nothing else changed"
    assert lessons(now, joined_after_s=80.0, page=PAGE, host_name="weir-east") == (), "it is said once"


def test_what_the_maker_said_is_not_overwritten() -> None:
    said = read(recipe_text(draft_of(POST), Choices(signature="Rain today")))
    told = lessons(said, joined_after_s=75.0, page=PAGE, host_name="x")
    assert [lesson.about for lesson in told] == ["boot"]


@pytest.mark.parametrize(
    "page", ["", "<title>weir-east</title>", "<title>Weir-East status</title>", "<title>x</title>", "no title at all"]
)
def test_a_title_that_tells_nothing_is_no_lesson(page: str) -> None:
    """The next device is called otherwise: a title with this one's name would not tell it."""
    assert lessons(read(TEXT), joined_after_s=None, page=page, host_name="weir-east") == ()


@given(st.floats(0.1, 100_000), st.text(max_size=200))
def test_every_lesson_leaves_a_recipe(joined: float, title: str) -> None:
    recipe = read(TEXT)
    for lesson in lessons(recipe, joined_after_s=joined, page=f"<title>{title}</title>", host_name="weir-east"):
        read(taught(TEXT, lesson))
