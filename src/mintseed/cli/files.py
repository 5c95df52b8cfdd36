"""Files named on the command line, as the services want them."""

from __future__ import annotations

import argparse
import os
import stat
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, BinaryIO

from mintseed.core.boards.model import Board
from mintseed.core.described import read_described
from mintseed.core.errors import InputError, MissingError
from mintseed.core.image.naming import name_inside
from mintseed.core.limits import MAX_TEXT_BYTES
from mintseed.core.parts.model import Part
from mintseed.core.recipes.model import Recipe
from mintseed.core.units import binary_size
from mintseed.core.visible import spell_name
from mintseed.shipped import around, board, boards, part_files, parts, read_recipe, recipe, recipes

if TYPE_CHECKING:
    from mintseed.adapters.library_folder import LibraryFolder

    Commands = argparse._SubParsersAction[argparse.ArgumentParser]
else:
    Commands = object


def library_of(image: str) -> tuple[LibraryFolder, str]:
    """Return the folder of `image` as a library, and the image's name in it: one of several in an archive is named behind the archive, as in
    `images.zip/kiosk.img`. Raises MissingError when it is not there."""
    # Only here: what images are read with takes longer to load than most commands to answer.
    from mintseed.adapters.library_folder import LibraryFolder
    from mintseed.adapters.one_heap import use_one_heap
    from mintseed.wiring import config

    use_one_heap()
    try:
        path, inside = _archive_and_inside(Path(image).resolve())
        refuse_what_never_ends(path)
    except (OSError, ValueError) as error:
        raise MissingError("no such file", where=image) from error
    name = spell_name(os.fsencode(path.name))
    return LibraryFolder(path.parent, config().home / "scratch"), name_inside(name, inside) if inside else name


def _archive_and_inside(path: Path) -> tuple[Path, str]:
    """Return the file on the way along `path`, and what follows it."""
    file = next((p for p in (path, *path.parents) if p.is_file()), path)
    return file, spell_name(os.fsencode(path.relative_to(file))).removeprefix(".")


def refuse_what_never_ends(path: Path) -> None:
    """Raise InputError for a pipe, a socket, a terminal or a folder: reading one may wait for ever."""
    mode = path.stat().st_mode
    if not stat.S_ISREG(mode) and not stat.S_ISBLK(mode):
        kind = "a folder" if stat.S_ISDIR(mode) else "a pipe" if stat.S_ISFIFO(mode) else "no file"
        raise InputError(f"is {kind}", expected="a file or a drive", where=str(path))


@contextmanager
def opened(path: str) -> Iterator[BinaryIO]:
    """Open `path` for reading. Raises InputError saying why it cannot be."""
    try:
        refuse_what_never_ends(Path(path))
        file = Path(path).open("rb")
    except (OSError, ValueError) as error:
        why = error.strerror if isinstance(error, OSError) else str(error)
        raise InputError(f"cannot be read ({why})", where=path) from error
    with file:
        yield file


def text_of(path: str) -> str:
    """Return the text in `path`. Raises InputError saying why it cannot be read."""
    with opened(path) as file:
        data = file.read(MAX_TEXT_BYTES + 1)
    if len(data) > MAX_TEXT_BYTES:
        raise InputError("is too long", expected=f"at most {binary_size(MAX_TEXT_BYTES)}", where=path)
    return data.decode("utf-8", "replace")


def recipe_named(name: str) -> Recipe:
    """Return the shipped recipe called `name`, or the one in the file `name`."""
    if (shipped := recipe(name)) is not None:
        return shipped
    if not Path(name).is_file():
        raise MissingError(f"no recipe is called {name}", expected=f"{', '.join(recipes())} or a file")
    return read_recipe(text_of(name), where=name)


def board_named(name: str) -> Board:
    """Return the shipped board with the id, printed mark or name `name`, or the one in the file `name`."""
    if (shipped := board(name)) is not None:
        return shipped
    wanted = " ".join(name.lower().split())
    found = next((b for b in boards().values() if wanted in (b.id, b.printed_mark.lower(), b.name.lower())), None)
    if found is not None:
        return found
    if not Path(name).is_file():
        marks = ", ".join(b.printed_mark for b in boards().values())
        raise MissingError(f"no board is marked {name}", expected=f"{marks} or a file")
    return read_described(Board, text_of(name), where=name, around=around())


def part_named(name: str) -> Part:
    """Return the shipped part called `name`, or the one in the file `name`."""
    if (shipped := part_files().good.get(name) or parts().get(name)) is not None:
        return shipped
    if not Path(name).is_file():
        raise MissingError(f"no part is called {name}", expected=f"{', '.join(parts())} or a file")
    return read_described(Part, text_of(name), where=name, around=around())


def pairs(texts: Iterable[str]) -> dict[str, str]:
    """Return `key=value` arguments as a mapping. Raises InputError for one without an equals sign."""
    found = {}
    for text in texts:
        key, equals, value = text.partition("=")
        if not equals:
            raise InputError(f"{text} is no setting", expected="key=value")
        found[key] = value
    return found
