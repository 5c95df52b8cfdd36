"""A recipe that comes later says what an image is without reading it again; what was read says the same as if it had been there first."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from mintseed import wiring
from mintseed.adapters.library_folder import LibraryFolder
from mintseed.services import describe_image, inspect_image
from tests.services.conftest import TOOLS

NAME = "platen-3.2-64.img.xz"


def test_told_afterwards_is_told_as_at_once(library: Path, tmp_path: Path) -> None:
    folder = LibraryFolder(library, tmp_path / "s")
    recipes = [wiring.recipes()["platen"]]
    at_once = inspect_image.execute(NAME, library=folder, tools=TOOLS, recipes=recipes)
    nobodys = inspect_image.execute(NAME, library=folder, tools=TOOLS, recipes=())
    assert [f.code for f in nobodys.findings if f.code == "image.recipe-unknown"]
    afterwards = describe_image.execute(nobodys, recipes, library=folder)
    assert afterwards is not None

    def by_path(files: tuple[object, ...]) -> dict[str, object]:
        return {f.path: f for f in files}  # type: ignore[attr-defined]

    assert by_path(afterwards.files) == by_path(at_once.files)
    assert {f.code for f in afterwards.findings} == {f.code for f in at_once.findings}
    assert replace(afterwards, files=(), findings=()) == replace(at_once, files=(), findings=())
    back = describe_image.execute(afterwards, (), library=folder)
    assert back is not None
    assert (back.recipe_id, [f.known for f in back.files]) == ("", [False] * len(back.files))
    assert {f.code for f in back.findings} == {f.code for f in nobodys.findings}


def test_an_image_whose_described_file_was_not_kept_is_read_again(library: Path, tmp_path: Path) -> None:
    folder = LibraryFolder(library, tmp_path / "s")
    nobodys = inspect_image.execute(NAME, library=folder, tools=TOOLS, recipes=())
    without = replace(nobodys, files=nobodys.files[1:])
    platen = wiring.recipes()["platen"]
    named = platen.model_copy(update={"files": (platen.files[0].model_copy(update={"path": nobodys.files[0].path}),)})
    assert describe_image.execute(without, [named], library=folder) is None
    assert describe_image.execute(nobodys, [named], library=folder) is not None


def test_what_may_be_made_need_not_have_been_there(library: Path, tmp_path: Path) -> None:
    folder = LibraryFolder(library, tmp_path / "s")
    nobodys = inspect_image.execute(NAME, library=folder, tools=TOOLS, recipes=())
    platen = wiring.recipes()["platen"]
    made = platen.files[0].model_copy(update={"path": "new.conf", "absent": "make"})
    link = platen.files[0].model_copy(update={"path": "etc/localtime", "volume": "root", "dialect": "link"})
    told = describe_image.execute(
        nobodys, [platen.model_copy(update={"files": (*platen.files, made, link)})], library=folder
    )
    assert told is not None
    assert told.recipe_id == "platen"
