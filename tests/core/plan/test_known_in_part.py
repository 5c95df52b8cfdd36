"""A board of which little is known goes down the line: what nobody said is said to be not known, and stops nothing."""

from __future__ import annotations

from dataclasses import replace

import pytest

from mintseed.core.boards.model import Board
from mintseed.core.boot.assembly import assembly_steps
from mintseed.core.described import read_described
from mintseed.core.errors import DescriptionError
from mintseed.core.findings import Severity
from mintseed.core.image.facts import PageFacts
from mintseed.core.image.report import BoardOnImage, XRay
from mintseed.core.plan.fit import check_plan
from mintseed.core.plan.matrix import Suits, matrix
from mintseed.core.plan.options import best_plan, board_options
from mintseed.core.plan.plan import Plan
from mintseed.core.plan.power import power_sum
from mintseed.core.plan.shelf import Owned
from mintseed.core.plan.way_out import ways_out
from tests.core.plan.things import BOARDS, PARTS, RECIPES, codes, plan, shelf, stops

NAME_ALONE = Board.model_validate({"board": 1, "id": "mine", "name": "Old one", "described": "part"})
IMAGE = XRay(
    "x.img",
    "raw",
    1,
    1,
    "",
    "dos",
    (),
    (BoardOnImage("Some board", ("some,board",), "some.dtb"),),
    1,
    64,
    (),
    PageFacts(),
)


def on(recipe: str, board: Board, *parts: str, way: str = "wifi", image: XRay | None = None) -> Plan:
    return replace(plan(recipe, "tansy", *parts, way=way), board=board, image=image)


@pytest.mark.parametrize("recipe", sorted(RECIPES))
@pytest.mark.parametrize("way", ["wifi", "cable"])
def test_a_board_with_a_name_alone_is_stopped_by_nothing_that_nobody_said(recipe: str, way: str) -> None:
    """Every appliance that starts from a card, with every part there is, one at a time."""
    if RECIPES[recipe].releases[0].builds[0].medium == "serial" or way not in RECIPES[recipe].ways:
        return
    for part in PARTS.values():
        if not part.fits:  # made for other boards, and says so
            found = check_plan(on(recipe, NAME_ALONE, part.id, way=way))
            assert not [f for f in found if f.severity is Severity.STOP and "Old one" in f.title], part.id


@pytest.mark.parametrize("kind", ["arm", "riscv", "pc"])
def test_which_processor_nobody_named_stops_no_image(kind: str) -> None:
    """An image and a recipe of any kind on a board with a name alone; said, it stops what is of another kind."""
    recipe = RECIPES["platen"]
    builds = tuple(b.model_copy(update={"architecture": kind, "boards": ()}) for b in recipe.releases[0].builds)
    recipe = recipe.model_copy(update={"releases": (recipe.releases[0].model_copy(update={"builds": builds}),)})
    image = replace(IMAGE, architectures=(kind,), boards=(), device_tree_count=0)
    for read in (None, image):
        wanted = replace(on("platen", NAME_ALONE, image=read), recipe=recipe)
        assert not [f for f in check_plan(wanted) if f.severity is Severity.STOP and "Old one" in f.title]
        said = NAME_ALONE.model_copy(update={"architecture": "mcu"})
        assert stops(replace(wanted, board=said)) & {"plan.architecture", "plan.image-other-processor"}


def test_what_is_not_known_is_named() -> None:
    wanted = on("lintel", NAME_ALONE, "gull-camera")
    for code in ("plan.board-tree-not-told", "plan.supply-not-told", "plan.radio-not-told", "plan.sockets-not-told"):
        assert codes(wanted)[code] is Severity.NOTE, code
    assert "plan.ethernet-not-told" in codes(replace(wanted, way="cable"))
    assert power_sum(wanted).mean_w is None, "what it draws is not guessed"


def test_what_is_known_of_it_is_judged_as_ever() -> None:
    """Both ways: what stands in it stops as in a whole description, and lets pass as in one."""
    said = {"bits": 32, "ethernet": False, "radio_ghz": (5.0,), "supply": BOARDS["sprig"].supply}
    known = NAME_ALONE.model_copy(update=said)
    assert {"plan.image-64-board-32", "plan.band-unheard"} <= stops(on("lintel", known))
    assert "plan.no-ethernet" in stops(on("lintel", known, way="cable"))
    assert "plan.supply-not-told" not in codes(on("lintel", known))
    heard = known.model_copy(update={"radio_ghz": (2.4, 5.0)})
    assert codes(on("lintel", heard))["plan.network-heard"] is Severity.OK


def test_an_image_does_not_refuse_a_board_whose_device_tree_nobody_named() -> None:
    wanted = on("lintel", NAME_ALONE, image=IMAGE)
    assert codes(wanted)["plan.board-tree-not-told"] is Severity.NOTE
    assert not {code for code in stops(wanted) if code.startswith("plan.board")}
    named = NAME_ALONE.model_copy(update={"compatible": ("some,board",)})
    assert codes(on("lintel", named, image=IMAGE))["plan.board-fits"] is Severity.OK
    other = NAME_ALONE.model_copy(update={"compatible": ("another,board",)})
    assert "plan.board-not-in-image" in stops(on("lintel", other, image=IMAGE))


def test_the_matrix_says_what_is_not_known_with_a_mark_of_its_own() -> None:
    cells = matrix(RECIPES.values(), [NAME_ALONE, BOARDS["tansy"]], PARTS)
    of_mine = {cell.verdict for (_, board), cell in cells.items() if board == "mine"}
    assert Severity.NOTE in of_mine
    assert Severity.OK not in of_mine
    assert all(cell.verdict is not Severity.NOTE for (_, board), cell in cells.items() if board == "tansy")


def test_it_is_put_together_without_words_that_nobody_said() -> None:
    steps = [s.title for s in assembly_steps(NAME_ALONE, None, "wifi", released=True)]
    assert "Put it into the board" in steps
    assert any("the one its maker names" in step for step in steps)


def test_a_board_that_is_described_wholly_says_all_of_it() -> None:
    text = "board: 1\nid: mine\nname: Old one\n"
    with pytest.raises(DescriptionError, match="described: part"):
        read_described(Board, text, where="mine")
    assert read_described(Board, text + "described: part\n", where="mine") == NAME_ALONE


def test_what_a_whole_description_leaves_out_is_not_there() -> None:
    tansy = BOARDS["tansy"].model_dump(mode="json")
    for name in ("radio_ghz",):
        tansy.pop(name)
    assert Board.model_validate(tansy).radio_ghz == ()
    assert Board.model_validate({**tansy, "described": "part"}).radio_ghz is None


def test_a_board_of_which_little_is_known_is_no_cure_and_no_first_choice() -> None:
    """It would take a stop away by what nobody knows of it."""
    with_mine = shelf()
    with_mine = replace(with_mine, boards=(Owned(99, "my old one", NAME_ALONE), *with_mine.boards))
    twin = on("platen", BOARDS["larkspur-c"])
    assert "plan.no-radio" in stops(twin)
    offered = [proposal.title for proposal in ways_out(twin, with_mine)]
    assert offered
    assert not [title for title in offered if "my old one" in title]
    assert best_plan(RECIPES["lintel"], with_mine)[0].board != 99
    alone = replace(with_mine, boards=(Owned(99, "my old one", NAME_ALONE),))
    assert best_plan(RECIPES["lintel"], alone)[0].board == 99


def test_what_is_said_of_it_in_a_list_is_that_nobody_knows() -> None:
    """With an adapter in the plan it can hear the network; that says nothing of whether it starts."""
    wanted = on("platen", BOARDS["larkspur-c"], "finch")
    mine = replace(shelf(), boards=(Owned(99, "my old one", NAME_ALONE),))
    (option,) = board_options(wanted, mine)
    assert (option.verdict, option.reason) == (Severity.NOTE, "Whether it starts on Old one cannot be told")


@pytest.mark.parametrize(("recipe", "known", "said"), [
    ("platen", {}, ("plan.board-tree-not-told", "Nobody said which board this is to an image")),
    ("platen", {"compatible": ["fernworks,larkspur-r"]}, ("plan.radio-not-told", "Nobody said how it comes onto the network")),
    ("platen", {"compatible": ["fernworks,larkspur-r"], "radio_ghz": [2.4]}, ("plan.supply-not-told", "Nobody said what it draws")),
    ("platen", {"compatible": ["fernworks,larkspur-r"], "radio_ghz": [], "ethernet": True}, ("plan.supply-not-told", "Nobody said what it draws")),
])  # fmt: skip
def test_the_first_thing_nobody_said_is_what_the_matrix_says(
    recipe: str, known: dict[str, object], said: tuple[str, str]
) -> None:
    board = Board.model_validate({"board": 1, "id": "mine", "name": "Old one", "described": "part", **known})
    (cell,) = matrix([RECIPES[recipe].model_copy(update={"ways": ("wifi", "cable")})], [board], PARTS).values()
    assert cell == Suits(recipe, "mine", Severity.NOTE, said[1], said[0])
