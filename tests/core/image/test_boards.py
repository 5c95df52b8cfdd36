"""An image's own device trees are the list of boards it starts on, whoever described them."""

from __future__ import annotations

from mintseed import wiring
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.image.boards import boards_to_tell
from mintseed.core.image.facts import PageFacts
from mintseed.core.image.report import BoardOnImage, XRay
from mintseed.core.plan.starts import DEVICE_TREES

BOARDS = wiring.boards()
OWN, TWIN, STRANGE = (
    "larkspur-r",
    "tansy-ii",
    BoardOnImage("Umbel 4 Rev B", ("umbelworks,umbel-4", "umbel"), "umbel-4.dtb"),
)


def xray(*trees: BoardOnImage, bits: int | None = 64) -> XRay:
    return XRay("x.img", "plain", 1, 1, "0" * 64, "mbr", (), trees, len(trees), bits, (), PageFacts())


def tree(ident: str, file: str = "a.dtb") -> BoardOnImage:
    board = BOARDS[ident]
    return BoardOnImage(board.name, tuple(board.compatible), file)


def test_what_it_names_comes_first_and_by_its_own_name_where_nobody_described_it() -> None:
    told = boards_to_tell(xray(STRANGE, tree(OWN)), BOARDS, {OWN: 2, TWIN: 1})
    assert [(b.name, b.owned, b.described, b.finding.severity) for b in told] == [
        (BOARDS[OWN].name, 2, True, Severity.OK),
        ("Umbel 4 Rev B", 0, False, Severity.OK),
        (BOARDS[TWIN].name, 1, True, Severity.STOP),
    ]
    assert told[1].finding == Finding(
        "image.board-named", Severity.OK, "Starts on Umbel 4 Rev B", "Its device tree umbel-4.dtb is of that board.",
        where=Where(file="umbel-4.dtb"), source=DEVICE_TREES,
    )  # fmt: skip
    (unowned,) = boards_to_tell(xray(tree(OWN)), BOARDS, {})
    assert (unowned.owned, unowned.described) == (0, True)


def test_what_is_neither_on_it_nor_owned_is_not_spoken_of() -> None:
    assert [b.compatible for b in boards_to_tell(xray(STRANGE), BOARDS, {})] == ["umbelworks,umbel-4"]
    assert boards_to_tell(xray(), BOARDS, {}) == ()


def test_without_a_device_tree_what_is_owned_cannot_be_told() -> None:
    (only,) = boards_to_tell(xray(), BOARDS, {OWN: 1, TWIN: 0})
    assert (only.name, only.finding.severity) == (BOARDS[OWN].name, Severity.NOTE)


def test_two_trees_of_one_board_are_one_and_one_without_a_name_is_told_by_what_it_has() -> None:
    nameless = BoardOnImage("", ("umbelworks,umbel-5",), "umbel-5.dtb")
    told = boards_to_tell(xray(tree(OWN), tree(OWN, "b.dtb"), nameless, BoardOnImage("none", (), "c.dtb")), BOARDS, {})
    assert [b.name for b in told] == [BOARDS[OWN].name, "umbelworks,umbel-5"]


def test_a_kernel_the_board_cannot_run_is_a_stop_whatever_its_device_trees_name() -> None:
    narrow = next(i for i, b in BOARDS.items() if b.bits == 32)
    (only,) = boards_to_tell(xray(tree(narrow)), BOARDS, {})
    assert (only.finding.code, only.finding.severity) == ("plan.image-64-board-32", Severity.STOP)
