"""Files named on the command line, as the services want them."""

from __future__ import annotations

import argparse
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, BinaryIO

from mintseed.adapters.library_folder import LibraryFolder
from mintseed.core.errors import InputError, MissingError
from mintseed.core.recipes.model import Recipe
from mintseed.wiring import config, read_recipe, recipes

if TYPE_CHECKING:
    Commands = argparse._SubParsersAction[argparse.ArgumentParser]
else:
    Commands = object


def library_of(image: str) -> tuple[LibraryFolder, str]:
    """Return the folder of `image` as a library, and the file's name in it. Raises MissingError when it is not there."""
    path = Path(image)
    if not path.is_file():
        raise MissingError("no such file", where=image)
    return LibraryFolder(path.resolve().parent, config().home / "scratch"), path.name


@contextmanager
def opened(path: str) -> Iterator[BinaryIO]:
    """Open `path` for reading. Raises InputError saying why it cannot be."""
    try:
        with Path(path).open("rb") as file:
            yield file
    except OSError as error:
        raise InputError(f"cannot be read ({error.strerror})", where=path) from error


def text_of(path: str) -> str:
    """Return the text in `path`. Raises InputError saying why it cannot be read."""
    with opened(path) as file:
        return file.read().decode("utf-8", "replace")


def recipe_named(name: str) -> Recipe:
    """Return the shipped recipe called `name`, or the one in the file `name`."""
    if name in recipes():
        return recipes()[name]
    if not Path(name).is_file():
        raise MissingError(f"no recipe is called {name}", expected=f"{', '.join(recipes())} or a file")
    return read_recipe(text_of(name), where=name)


def pairs(texts: Iterable[str]) -> dict[str, str]:
    """Return `key=value` arguments as a mapping. Raises InputError for one without an equals sign."""
    found = {}
    for text in texts:
        key, equals, value = text.partition("=")
        if not equals:
            raise InputError(f"{text} is no setting", expected="key=value")
        found[key] = value
    return found
