"""What a device taught is taken into its recipe only where that says nothing, and the text stays a recipe."""

from __future__ import annotations

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.boards.model import Board
from mintseed.core.described import Around, read_described
from mintseed.core.recipes.draft import Choices, draft_of, recipe_text
from mintseed.core.recipes.lessons import SeenPage, lessons, ports_to_ask, taught, vendor_lesson
from mintseed.core.recipes.model import Recipe
from tests.core.recipes.test_draft import POST

TEXT = recipe_text(draft_of(POST))
PAGE = '<!doctype html><title lang="en">Weir post: level &amp; flow</title><h1>weir-east</h1>'


def read(text: str) -> Recipe:
    return read_described(Recipe, text, where="own", around=Around(boards={}, parts={}))


def at(body: str, port: int = 8765) -> SeenPage:
    return SeenPage("http", port, body)


def test_a_measured_boot_takes_the_place_of_an_assumed_one() -> None:
    recipe = read(TEXT)
    told = {
        lesson.about: lesson for lesson in lessons(recipe, joined_after_s=75.0, page=at(PAGE), host_name="weir-east")
    }
    assert set(told) == {"boot", "signature"}
    now = read(taught(taught(TEXT, told["boot"]), told["signature"]))
    assert not now.boot.assumed
    assert now.boot.usual_from_s <= 75 <= now.boot.usual_to_s <= now.boot.late_after_s <= now.boot.hopeless_after_s
    assert now.page.signature == "Weir post: level &amp; flow", "as it stands in the page, where it is looked for"
    assert now.page.shown(200, PAGE)
    assert (now.page.port, now.files) == (recipe.page.port, recipe.files), "nothing else changed"
    assert lessons(now, joined_after_s=80.0, page=at(PAGE), host_name="weir-east") == (), "it is said once"


def test_what_the_maker_said_is_not_overwritten() -> None:
    said = read(recipe_text(draft_of(POST), Choices(signature="Rain today")))
    told = lessons(said, joined_after_s=75.0, page=at(PAGE), host_name="x")
    assert [lesson.about for lesson in told] == ["boot"]


@pytest.mark.parametrize(
    "page", ["", "<title>weir-east</title>", "<title>Weir-East status</title>", "<title>x</title>", "no title at all"]
)
def test_a_title_that_tells_nothing_is_no_lesson(page: str) -> None:
    """The next device is called otherwise: a title with this one's name would not tell it."""
    assert lessons(read(TEXT), joined_after_s=None, page=at(page), host_name="weir-east") == ()


@given(st.floats(0.1, 100_000), st.text(max_size=200))
def test_every_lesson_leaves_a_recipe(joined: float, title: str) -> None:
    recipe = read(TEXT)
    for lesson in lessons(recipe, joined_after_s=joined, page=at(f"<title>{title}</title>"), host_name="weir-east"):
        read(taught(TEXT, lesson))


def test_a_port_that_was_assumed_is_learned_and_one_that_was_said_is_not() -> None:
    assumed = read(TEXT.replace("page:\n  scheme: http\n  port: 8765", "page:\n  assumed: true\n  port: 80"))
    assert assumed.page.assumed
    told = {
        lesson.about: lesson for lesson in lessons(assumed, joined_after_s=None, page=at(PAGE, 8080), host_name="x")
    }
    assert set(told) == {"port", "signature"}
    now = read(taught(yaml.safe_dump(assumed.model_dump(mode="json", exclude_defaults=True)), told["port"]))
    assert (now.page.port, now.page.assumed) == (8080, False)
    assert [
        lesson.about for lesson in lessons(read(TEXT), joined_after_s=None, page=at(PAGE, 8080), host_name="x")
    ] == ["signature"]
    # A device that is known to be one's own is asked at few places, those its image tells of first; another recipe's at its own alone.
    assert ports_to_ask(assumed, [8123, 80])[:3] == (80, 8123, 443)
    assert ports_to_ask(read(TEXT), [8123]) == (8765,)


BOARD = read_described(Board, "board: 1\nid: own\nname: Own\ndescribed: part\n", where="own")


@pytest.mark.parametrize(
    ("macs", "prefix"),
    [
        (["00:11:22:33:44:55"], "00:11:22"),
        (["02:11:22:33:44:55"], None),  # IEEE 802: given locally, nobody's in particular
        (["da:11:22:33:44:55", "3c:aa:bb:00:00:01"], "3c:aa:bb"),
        ([], None),
    ],
)
def test_how_its_makers_addresses_begin(macs: list[str], prefix: str | None) -> None:
    lesson = vendor_lesson(BOARD, macs)
    assert (lesson.value if lesson else None) == ([prefix] if prefix else None)
    if lesson is not None:
        now = read_described(Board, taught("board: 1\nid: own\nname: Own\ndescribed: part\n", lesson), where="own")
        assert now.mac_prefixes == (prefix,)
        assert vendor_lesson(now, macs) is None, "it is said once"
