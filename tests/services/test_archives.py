"""Images inside archives go the whole way: read, filled, compared, named on the command line."""

from __future__ import annotations

import hashlib
import io
import json
import shutil
import subprocess
from pathlib import Path

import pytest

from mintseed.adapters.library_folder import LibraryFolder
from mintseed.cli.main import main
from mintseed.core.errors import ImageError
from mintseed.core.findings import Severity
from mintseed.core.image.refusals import SeveralImagesError
from mintseed.core.image.report import XRay
from mintseed.services import fill_image, inspect_image, prove_card
from tests.services.conftest import TOOLS, Shelf, filled_for

PLATEN = "platen-3.2-64.img.xz"
LINTEL = "lintel-11.4-64.img.xz"


def shelf_with(tmp_path: Path, library: Path, tool: str, *images: str) -> Shelf:
    """Return a library whose only file is an archive of `images` and a sheet of text, made by `tool`."""
    inside, folder = tmp_path / "inside", tmp_path / "library"
    inside.mkdir()
    folder.mkdir()
    for image in images:
        shutil.copy(library / image, inside / image)
    (inside / "read me.txt").write_text("Fit the hat before power.\n")
    command = {"zip": ["zip", "-q", "-0"], "7z": ["7z", "a", "-bso0"], "tar": ["tar", "cf"]}[tool]
    subprocess.run(
        [*command, folder / f"pack.{tool}", "read me.txt", *images], cwd=inside, check=True, capture_output=True
    )
    return Shelf(LibraryFolder(folder, tmp_path / "scratch"))


def same_inside(one: XRay, other: XRay) -> bool:
    names = (
        "unpacked_bytes",
        "scheme",
        "volumes",
        "boards",
        "files",
        "page",
        "system",
        "recipe_id",
        "release",
        "build",
    )
    return all(getattr(one, name) == getattr(other, name) for name in names)


@pytest.mark.parametrize("tool", ["zip", "7z", "tar"])
def test_an_image_in_an_archive_is_the_image(tool: str, tmp_path: Path, library: Path, platen: XRay) -> None:
    shelf = shelf_with(tmp_path, library, tool, PLATEN)
    xray = shelf.xray(f"pack.{tool}")
    assert same_inside(xray, platen), "its recipe too, which names the image and not the archive"
    assert (xray.packing, xray.inside) == (f"{tool}, xz", PLATEN)
    assert [(b.path, b.text) for b in xray.beside] == [("read me.txt", "Fit the hat before power.\n")]
    with shelf.library.open(f"pack.{tool}") as file:
        whole = file.read()
    assert (xray.packed_bytes, xray.sha256) == (len(whole), hashlib.sha256(whole).hexdigest())
    # What is published speaks of the image as it is downloaded by itself.
    assert "image.sha256-differs" not in {f.code for f in xray.findings}


@pytest.mark.parametrize("tool", ["zip", "7z", "tar"])
def test_it_is_filled_and_compared_as_any_other(
    tool: str, tmp_path: Path, library: Path, shelf: Shelf, platen: XRay
) -> None:
    packed = shelf_with(tmp_path, library, tool, PLATEN)
    xray = packed.xray(f"pack.{tool}")
    with fill_image.execute(xray, filled_for(xray), library=packed.library, tools=TOOLS) as image:
        filled = b"".join(image.pieces())
        image.refuse_other_than(xray, len(filled))
    with fill_image.execute(platen, filled_for(platen), library=shelf.library, tools=TOOLS) as image:
        assert hashlib.sha256(filled).digest() == hashlib.sha256(b"".join(image.pieces())).digest()
    with fill_image.execute(xray, (), library=packed.library, tools=TOOLS) as image:
        plain = b"".join(image.pieces())
    with packed.library.open(f"pack.{tool}") as archive:
        proof = prove_card.execute(archive, io.BytesIO(plain), target_name="card", wanted=xray.inside)
    assert proof.finding.severity is Severity.OK


def test_an_archive_that_changed_since_is_not_taken_for_it(tmp_path: Path, library: Path) -> None:
    shelf = shelf_with(tmp_path, library, "zip", PLATEN)
    xray = shelf.xray("pack.zip")
    (tmp_path / "inside" / "more.txt").write_text("more")
    subprocess.run(["zip", "-q", tmp_path / "library" / "pack.zip", "more.txt"], cwd=tmp_path / "inside", check=True)
    with (
        fill_image.execute(xray, (), library=shelf.library, tools=TOOLS) as image,
        pytest.raises(ImageError, match="changed since it was read"),
    ):
        image.refuse_other_than(xray, sum(len(p) for p in image.pieces()))


@pytest.mark.parametrize("tool", ["zip", "7z", "tar"])
def test_of_several_each_has_a_name(tool: str, tmp_path: Path, library: Path, platen: XRay) -> None:
    shelf = shelf_with(tmp_path, library, tool, PLATEN, LINTEL)
    with pytest.raises(SeveralImagesError) as raised:
        shelf.xray(f"pack.{tool}")
    assert {path for path, _ in raised.value.inside} == {PLATEN, LINTEL}
    both = {name: shelf.xray(f"pack.{tool}/{name}") for name in (PLATEN, LINTEL)}
    assert same_inside(both[PLATEN], platen)
    assert both[LINTEL].recipe_id == "lintel"
    assert both[PLATEN].sha256 == both[LINTEL].sha256, "of the file they came in"
    assert both[PLATEN].mark != both[LINTEL].mark, "what was read of one is never taken for the other's"
    with fill_image.execute(both[LINTEL], (), library=shelf.library, tools=TOOLS) as image:
        assert sum(len(p) for p in image.pieces()) == both[LINTEL].unpacked_bytes


def test_progress_goes_to_the_file_s_end_and_never_back(tmp_path: Path, library: Path) -> None:
    shelf = shelf_with(tmp_path, library, "zip", LINTEL, PLATEN)
    told: list[tuple[int, int]] = []
    inspect_image.execute(
        f"pack.zip/{PLATEN}",
        library=shelf.library,
        tools=TOOLS,
        recipes=(),
        tell=lambda done, total: told.append((done, total)),
    )
    assert [done for done, _ in told] == sorted(done for done, _ in told)
    assert told[-1][0] == told[-1][1] == (tmp_path / "library" / "pack.zip").stat().st_size


def test_the_command_line_names_an_image_behind_its_archive(
    tmp_path: Path, library: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    shelf_with(tmp_path, library, "zip", PLATEN, LINTEL)
    archive = tmp_path / "library" / "pack.zip"
    assert main(["xray", str(archive)]) == 3
    assert "2 images are in this zip archive" in capsys.readouterr().err
    assert main(["xray", f"{archive}/{LINTEL}", "--json"]) in (0, 1)
    said = json.loads(capsys.readouterr().out)
    assert (said["inside"], said["recipe"], said["packing"]) == (LINTEL, "lintel", "zip, xz")
    assert main(["xray", f"{archive}/nothing.img"]) == 3
    assert "nothing.img is not in the archive" in capsys.readouterr().err
    assert main(["xray", f"{tmp_path}/no.zip/nothing.img"]) == 3
