"""Which boards an image is for: those its own device trees name come first, described here or not; then what one owns and it does not
know. What is neither on the image nor on the shelf is not spoken of."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from mintseed.core.boards.model import Board
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.image.report import BoardOnImage, XRay
from mintseed.core.plan.starts import DEVICE_TREES, board_fit


@dataclass(frozen=True, slots=True)
class BoardToTell:
    """A board the image names, or one that is owned. `described`: whether anything more is known of it than its name."""

    name: str
    compatible: str
    owned: int
    described: bool
    finding: Finding


def boards_to_tell(image: XRay, known: Mapping[str, Board], owned: Mapping[str, int]) -> tuple[BoardToTell, ...]:
    """Return the boards that are told of with an image. `owned`: id of a described board → how many lie on the shelf. What is owned
    comes first within what it starts on, and what it does not start on comes last."""
    by_compatible = {board.device_tree_name: board for board in known.values() if board.compatible}
    named = [_named(tree, by_compatible.get(tree.compatible[0]), image, owned) for tree in _each_once(image)]
    told = {row.compatible for row in named}
    rest = [
        BoardToTell(board.name, board.device_tree_name, owned[ident], True, next(board_fit(board, image)))
        for ident, board in known.items()
        if owned.get(ident) and board.device_tree_name not in told
    ]
    return tuple(sorted((*named, *rest), key=lambda row: (row.finding.severity is Severity.STOP, not row.owned)))


def _each_once(image: XRay) -> Iterator[BoardOnImage]:
    """Yield a device tree of each board: several may be of one, for other memory or another revision."""
    seen: set[str] = set()
    for tree in image.boards:
        if tree.compatible and tree.compatible[0] not in seen:
            seen.add(tree.compatible[0])
            yield tree


def _named(tree: BoardOnImage, board: Board | None, image: XRay, owned: Mapping[str, int]) -> BoardToTell:
    if board is not None:
        fit = next(board_fit(board, image))
        return BoardToTell(board.name, tree.compatible[0], owned.get(board.id, 0), True, fit)
    name = tree.model or tree.compatible[0]
    found = Finding(
        "image.board-named", Severity.OK, f"Starts on {name}", f"Its device tree {tree.file} is of that board.",
        where=Where(file=tree.file), source=DEVICE_TREES,
    )  # fmt: skip
    return BoardToTell(name, tree.compatible[0], 0, False, found)
