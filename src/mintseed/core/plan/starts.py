"""Does the appliance start on the board: machine language, word size, and whether the board is known to the release."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from typing import TYPE_CHECKING, NamedTuple

from mintseed.core.boards.model import Architecture, Board
from mintseed.core.findings import Action, Finding, Severity, Where
from mintseed.core.plan.choosing import not_chosen, not_told
from mintseed.core.plan.plan import Plan
from mintseed.core.recipes.model import Build, Recipe, Release
from mintseed.core.words import an, capital

if TYPE_CHECKING:
    from mintseed.core.image.report import XRay

DEVICE_TREES = "Devicetree Specification v0.4 §2.3.1"
ELF = "kernel documentation, booting arm64 §4 (image header); ELF gABI e_machine"
LANGUAGES: dict[Architecture, str] = {"arm": "ARM", "riscv": "RISC-V", "pc": "a PC's", "mcu": "a microcontroller's"}


def starts(plan: Plan) -> Iterator[Finding]:
    """Yield whether the plan's image, or what its maker lists, starts on the plan's board."""
    board = plan.board
    if board is None:
        yield not_chosen(
            "plan.board-missing", "board", "No board chosen yet", "Pick the board by the mark printed on it."
        )
        return
    if (never := speaks_no_such(plan.recipe, board)) is not None:
        yield never
        return
    yield from _boot_loader(board)
    yield from _other_places(plan, board)
    if plan.image is not None:
        yield from image_fit(plan.recipe, board, plan.image)
        yield from _release_of(plan, plan.image.release)
        return
    yield listed_fit(plan.recipe, board, plan.release)
    yield from _release_of(plan, plan.release)
    yield Finding(
        "plan.image-unread",
        Severity.NOTE,
        "No image read yet",
        "Whether it starts on this board is known for sure only from the image itself.",
        "Choose the image; the rest of the plan stays as it is.",
        action=Action("Choose the image", "image"),
    )


CHANNELS = {"test": "a test release", "daily": "built every day from what is being worked on"}


def _release_of(plan: Plan, version: str) -> Iterator[Finding]:
    """Yield what kind of release it is, where it is not the stable one."""
    release = plan.recipe.release(version)
    if release is not None and (words := CHANNELS.get(release.channel)):
        yield Finding(
            "plan.release-channel", Severity.NOTE, f"{plan.recipe.name} {version} is {words}",
            "It may break where the stable one does not.", "For something others rely on, take the newest stable one.",
            Where(part="image", field=version), f"recipe {plan.recipe.id}",
        )  # fmt: skip


def _boot_loader(board: Board) -> Iterator[Finding]:
    if board.boot_loader_since:
        yield Finding(
            "plan.boot-loader-old", Severity.NOTE, f"{capital(an(board.name))} from before {board.boot_loader_since} may need its boot loader brought up to date",
            "Its boot loader lies on the board and not on the card; an old one stops before it reads a new image.",
            "If nothing happens at the first power-on, do that first, as its maker says, once.", Where(part="board", field=board.id),
        )  # fmt: skip


def _other_places(plan: Plan, board: Board) -> Iterator[Finding]:
    """Yield what else the board could start from, where that may take the card's place."""
    if board.storage_gb:
        yield Finding("plan.built-in-storage", Severity.NOTE, f"{board.name} has {board.storage_gb:g} GB of its own",
                      "With a card in it starts from the card; what lies on its own storage stays there.",
                      "If it starts something else than this image, its own storage came first: see its maker's word on the order.", Where(part="board", field=board.id))  # fmt: skip
    drive = next((p for p in plan.parts if p.part.role == "usb-drive"), None)
    if board.starts_from_usb and drive is not None:
        yield Finding("plan.starts-from-usb", Severity.NOTE, f"{board.name} can start from {drive.name} too",
                      "A drive with a system on it may be started instead of the card.", "Plug it in after the first boot, or see that it holds files only.",
                      Where(part="board", field=board.id))  # fmt: skip


def memory(plan: Plan) -> Iterator[Finding]:
    """Yield whether the board has the memory the appliance asks for."""
    board, need = plan.board, plan.recipe.memory
    if board is None or need is None or board.memory_mb is None:
        return
    where = Where(part="board", field=board.id)
    if board.memory_mb < need.least_mb:
        yield Finding(
            "plan.memory-too-little", Severity.STOP, f"{board.name} has too little memory for {plan.recipe.name}",
            f"It has {board.memory_mb} MB; {plan.recipe.name} asks for {need.least_mb} MB at least.", "Take a board with more.", where,
            f"recipe {plan.recipe.id}",
        )  # fmt: skip
    elif board.memory_mb < need.enough_mb:
        yield Finding(
            "plan.memory-little", Severity.NOTE, f"{board.name} has little memory for {plan.recipe.name}",
            f"It has {board.memory_mb} MB; {need.enough_mb} MB are enough for it. It starts, and is slow with much on it.", where=where,
            source=f"recipe {plan.recipe.id}",
        )  # fmt: skip


def image_fit(recipe: Recipe, board: Board, image: XRay) -> Iterator[Finding]:
    """Yield whether `image` starts on `board`; of firmware, which names no boards itself, whether its maker lists it."""
    if board.medium == "serial":
        yield speaks_no_such(recipe, board) or listed_fit(recipe, board, image.release)
    else:
        yield from board_fit(board, image, recipe)


class Reason(NamedTuple):
    """Why it does not start, in short: the code and title of the finding. All that is made where forty thousand pairs are judged."""

    code: str
    title: str


def no_such_language(recipe: Recipe, board: Board) -> Reason | None:
    """Return in short why no release of `recipe` can ever run on `board`; None where one can."""
    same = [
        b.bits for r in recipe.releases for b in r.builds if board.architecture in (None, b.architecture) and b.medium == board.medium
    ]  # fmt: skip
    if not same:
        return Reason("plan.architecture", f"{recipe.name} is not made for a board like {board.name}")
    if board.bits is not None and min(same) > board.bits:
        return Reason("plan.image-64-board-32", f"{board.name} is a 32-bit board, {recipe.name} is 64-bit only")
    return None


def speaks_no_such(recipe: Recipe, board: Board) -> Finding | None:
    """Return why no release of `recipe` can ever run on `board`; None where one can."""
    if (reason := no_such_language(recipe, board)) is None:
        return None
    where = Where(part="board", field=board.id)
    if reason.code == "plan.architecture":
        builds = [b for r in recipe.releases for b in r.builds]
        needs = " or ".join(sorted({LANGUAGES[b.architecture] for b in builds}))
        starts_from = "" if any(b.medium == board.medium for b in builds) else _media(builds, board)
        return Finding(
            reason.code,
            Severity.STOP,
            reason.title,
            f"It is made for {needs} processors; {board.name} has {_processor(board)}.{starts_from}",
            "Take a board of the kind it is made for.",
            where,
            "ELF gABI e_machine: ARM 40, x86-64 62, AArch64 183, RISC-V 243",
        )
    return Finding(
        reason.code,
        Severity.STOP,
        reason.title,
        "The processor cannot run it; the board would stay at its test card.",
        "Take a 64-bit board.",
        where,
        ELF,
    )


def _media(builds: list[Build], board: Board) -> str:
    if board.medium == "serial":
        return " It starts from firmware written over a serial adapter, not from a card."
    return f" {board.name} starts from a card, and this is firmware for a module."


def _tree_not_told(board: Board, why: str) -> Finding:
    return not_told(
        "plan.board-tree-not-told", f"Whether it starts on {board.name} cannot be told", f"{why}, and nobody said which of them {board.name} is.",
        "Open its image: on its page the boards stand that it starts on, and one of them can be made yours.",
        Where(part="board", field=board.id),
    )  # fmt: skip


FIND_THEIR_PARTS: tuple[Architecture, ...] = ("pc",)
"""kinds of machine whose firmware and buses tell a kernel what is there, so that no list of boards is needed (ACPI 6.5 §1.1)"""


def _processor(board: Board) -> str:
    return LANGUAGES[board.architecture] if board.architecture else "one nobody named"


def _finds_its_parts(board: Board) -> Finding:
    return Finding(
        "plan.board-fits", Severity.OK, f"Starts on {board.name}", "A kernel for such machines finds what is there by itself; it names no boards.",
        where=Where(part="board", field=board.id), source="ACPI 6.5 §1.1",
    )  # fmt: skip


Builds = tuple[tuple[Release, Build], ...]


def listed_fit(recipe: Recipe, board: Board, release: str = "", builds: Builds | None = None) -> Finding:
    """Return whether the maker lists `board` for `release`, or for the newest release that can run there. `builds` are those that
    can, where they are known already."""
    where = Where(part="board", field=board.id)
    builds = recipe.builds_for(board) if builds is None else builds
    meant = tuple((r, b) for r, b in builds if r.version == release) if release else builds
    if meant and board.architecture in FIND_THEIR_PARTS:
        return _finds_its_parts(board)
    if release and all(r.version != release for r in recipe.releases):
        return Finding(
            "plan.board-not-told", Severity.NOTE, f"Nobody says whether it starts on {board.name}",
            f"The recipe of {recipe.name} does not know release {release}.", "Read its image: its device trees name them.", where,
        )  # fmt: skip
    if any(not b.boards for _, b in meant):
        return Finding(
            "plan.board-not-told", Severity.NOTE, f"Nobody says whether it starts on {board.name}",
            f"The recipe of {recipe.name} lists no boards.", "Read its image: its device trees name them.", where,
        )  # fmt: skip
    name = board.device_tree_name
    if not name:
        return _tree_not_told(board, f"{recipe.name} is made for some boards and not for others")
    known = next(((r, b) for r, b in meant if name in b.boards), None)
    if known is not None:
        return Finding(
            "plan.release-lists-board", Severity.OK, f"{recipe.name} {known[0].version} is made for {board.name}",
            f"Its maker lists {name} for the {known[1].id} build.", where=where, source=f"recipe {recipe.id}",
        )  # fmt: skip
    if builds and not meant:
        return _no_build_of(recipe, board, release)
    reason = not_listed(recipe, board, meant, release)
    if reason == _newer(recipe, board) and (released := newer_than(board, meant[0][0].date)) is not None:
        return too_new(recipe, board, released)
    return Finding(
        reason.code, Severity.STOP, reason.title,
        f"Its maker lists {_listed(recipe, meant)}, and not {name}.",
        _cure(first_that_knows(recipe, board)), where, f"recipe {recipe.id}",
    )  # fmt: skip


def _no_build_of(recipe: Recipe, board: Board, release: str) -> Finding:
    """Return the finding about a release none of whose builds the board can run, while others of the recipe have one."""
    word = f"{board.bits}-bit build" if board.architecture != "mcu" else "build for it"
    return Finding(
        "plan.board-not-listed", Severity.STOP, f"{recipe.name} {release} has no {word}",
        f"{board.name} is a {board.bits}-bit board, and nothing of this release runs there.",
        _cure(first_that_knows(recipe, board), exact=True), Where(part="board", field=board.id), f"recipe {recipe.id}",
    )  # fmt: skip


def not_listed(recipe: Recipe, board: Board, meant: Builds, release: str = "") -> Reason:
    """Return in short why `board`, which stands in none of `meant`, does not start: newer than they are, or another board."""
    if meant and newer_than(board, meant[0][0].date) is not None:
        return _newer(recipe, board)
    which = f"{recipe.name} {release}" if release else recipe.name
    return Reason("plan.board-not-listed", f"{which} is not made for {board.name}")


def _newer(recipe: Recipe, board: Board) -> Reason:
    return Reason("plan.board-newer-than-release", f"{board.name} is newer than this release of {recipe.name}")


def _listed(recipe: Recipe, builds: tuple[tuple[Release, Build], ...]) -> str:
    names = list(dict.fromkeys(n for _, b in builds[:4] for n in b.boards))
    return ", ".join(names[:4]) + (" and more" if len(names) > 4 else "") if names else "no board of this kind"


def newer_than(board: Board, released: date | None) -> date | None:
    """Return `released` when `board` came out after it. A board's month counts from its first day."""
    if released is None or board.since is None:
        return None
    year, month = map(int, board.since.split("-"))
    return released if date(year, month, 1) > released else None


def first_that_knows(recipe: Recipe, board: Board) -> str:
    """Return the oldest release whose maker lists `board`, or nothing."""
    knowing = [r.version for r, b in recipe.builds_for(board) if board.device_tree_name in b.boards]
    return knowing[-1] if knowing else ""


def _cure(first: str, *, exact: bool = False) -> str:
    return (
        f"Take release {first}{'' if exact else ' or newer'}."
        if first
        else "Take another board, or wait for a release that knows this one."
    )


def too_new(recipe: Recipe, board: Board, released: date) -> Finding:
    """Return the finding about a board that came out after the release."""
    reason = _newer(recipe, board)
    return Finding(
        reason.code,
        Severity.STOP,
        reason.title,
        f"The release is of {released}, the board came out in {board.since}. "
        "An older image does not know it: its test picture would stay and nothing else would happen.",
        _cure(first_that_knows(recipe, board)),
        Where(part="board", field=board.id),
        DEVICE_TREES,
    )


def board_fit(board: Board, image: XRay, recipe: Recipe | None = None) -> Iterator[Finding]:
    """Yield whether `image` starts on `board`: word size first, then its device trees."""
    where = Where(part="board", field=board.id)
    if image.bits == 64 and board.bits == 32:
        yield Finding(
            "plan.image-64-board-32",
            Severity.STOP,
            f"{board.name} is a 32-bit board, this image has a 64-bit kernel",
            "The processor cannot run it; the board stays at its test card.",
            "Take the 32-bit build of this appliance, or another board.",
            where,
            ELF,
            Action("Choose the 32-bit build", "image"),
        )
        return
    if image.architectures and board.architecture is not None and board.architecture not in image.architectures:
        needs = " or ".join(LANGUAGES[a] for a in image.architectures)
        yield Finding(
            "plan.image-other-processor", Severity.STOP, f"This image is for other processors than that of {board.name}",
            f"Its kernel is for {needs} processors; {board.name} has {_processor(board)}.",
            "Take the build for this board's kind, or a board of the image's.", where, ELF, Action("Choose another image", "image"),
        )  # fmt: skip
        return
    if board.architecture is None and set(image.architectures) <= set(FIND_THEIR_PARTS) and image.architectures:
        yield Finding(
            "plan.processor-not-told", Severity.NOTE, f"Nobody said what processor {board.name} has", "The image is for a PC's; on any other it does not start.",
            "Look on its largest chip or in its papers, and say it on the Shelf.", where,
        )  # fmt: skip
        return
    if board.architecture in FIND_THEIR_PARTS:
        yield _finds_its_parts(board)
        return
    if not image.boards:
        yield Finding(
            "plan.board-cannot-be-told",
            Severity.NOTE,
            f"Whether it starts on {board.name} cannot be told",
            "No device tree was found on it, and those name boards.",
            "Rely on the appliance's own list of boards.",
            where,
            DEVICE_TREES,
        )
        return
    if not board.compatible:
        yield _tree_not_told(board, f"{len(image.compatible)} boards are named on the image")
        return
    if board.compatible[0] not in image.compatible:
        yield _unknown(board, image, recipe)
        return
    yield Finding(
        "plan.board-fits",
        Severity.OK,
        f"Starts on {board.name}",
        f"A device tree on its boot volume names {board.compatible[0]}.",
        where=where,
        source=DEVICE_TREES,
    )
    if image.bits == 32 and board.bits == 64:
        yield Finding(
            "plan.image-32-board-64",
            Severity.NOTE,
            "32-bit image on a 64-bit board",
            "It works; it cannot use more than about 3 GB of memory in one program.",
            "A 64-bit build, where there is one, uses the board better.",
            where,
        )


def _unknown(board: Board, image: XRay, recipe: Recipe | None) -> Finding:
    release = recipe.release(image.release) if recipe else None
    if recipe is not None and (date_of := newer_than(board, release.date if release else None)) is not None:
        return too_new(recipe, board, date_of)
    first = first_that_knows(recipe, board) if recipe else ""
    other = f"Release {first} knows this board. " if first and first != image.release else ""
    count = image.device_tree_count
    none = f"None of its {count} device trees" if count > 1 else "Its one device tree is another board's: it never"
    return Finding(
        "plan.board-not-in-image",
        Severity.STOP,
        f"This image does not know {board.name}",
        f"{none} names {board.compatible[0]}. The board would stop at its test card and do nothing else.",
        f"{other}Take a newer release, another build, or a board the image lists.",
        Where(part="board", field=board.id),
        DEVICE_TREES,
        Action("See its boards", "image"),
    )
