"""An archive with several images in the library: each is asked for, read and used as one of its own; none spoils another."""

from __future__ import annotations

import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from mintseed import wiring
from mintseed.server.judged.load import load
from mintseed.server.kept.models import Deployment, Image
from mintseed.server.owned.library import sync_library
from tests.server.conftest import Api, card, started, work

PLATEN, LINTEL = "platen-3.2-64.img.xz", "lintel-11.4-64.img.xz"


@pytest.fixture
def pack(api: Api, tmp_path: Path, library: Path) -> Iterator[int]:
    """An archive with two images and a text in the library, read; its key."""
    (tmp_path / "notes.txt").write_text("Which is which stands on the board.\n")
    for image in (PLATEN, LINTEL):
        shutil.copy(library / image, tmp_path / image)
    place = wiring.config().library / "both.zip"
    subprocess.run(["zip", "-q", "-0", place, PLATEN, LINTEL, "notes.txt"], cwd=tmp_path, check=True)
    try:
        pk = named(api, "both.zip")["id"]
        api.post(f"/images/{pk}/read")
        work()
        yield pk
    finally:
        place.unlink(missing_ok=True)


def named(api: Api, name: str) -> Any:
    return next(i for i in api.get("/images?search=both")["images"] if i["file_name"] == name)


def test_it_says_which_there_are_and_each_is_read_as_one_of_its_own(api: Api, pack: int) -> None:
    said = api.get(f"/images/{pack}")
    assert (said["image"]["verdict"], said["image"]["trouble"]) == ("yet", "2 images are in this zip archive.")
    assert [f["code"] for f in said["findings"]] == ["image.several"]
    assert [(one["path"], one["image_id"]) for one in said["inside"]] == [(PLATEN, None), (LINTEL, None)]

    made = {path: api.post(f"/images/{pack}/inside", {"path": path}) for path in (PLATEN, LINTEL)}
    assert api.post(f"/images/{pack}/inside", {"path": PLATEN})["image"]["id"] == made[PLATEN]["image"]["id"], (
        "pressed twice"
    )
    work()
    read = {path: api.get(f"/images/{one['image']['id']}") for path, one in made.items()}
    assert {r["image"]["file_name"] for r in read.values()} == {f"both.zip/{PLATEN}", f"both.zip/{LINTEL}"}
    assert [read[p]["image"]["recipe_id"] for p in (PLATEN, LINTEL)] == ["platen", "lintel"]
    assert read[PLATEN]["xray"]["packing"] == "zip, xz"
    assert [b["text"] for b in read[PLATEN]["xray"]["beside"] if b["path"] == "notes.txt"] == [
        "Which is which stands on the board.\n"
    ]
    assert [one["image_id"] for one in api.get(f"/images/{pack}")["inside"]] == [
        read[p]["image"]["id"] for p in (PLATEN, LINTEL)
    ]


def test_what_is_not_in_it_is_not_taken(api: Api, pack: int) -> None:
    status, said = api.call("post", f"/images/{pack}/inside", {"path": "notes.txt"})
    assert status == 404
    assert PLATEN in str(said)
    assert api.call("post", f"/images/{pack}/inside", {"path": "../../etc/passwd"})[0] == 404
    assert api.call("post", f"/images/{pack}/inside", {"path": ""})[0] == 422
    assert not Image.objects.filter(file_name__contains="/").exists()


def test_a_card_is_written_from_one_of_them_and_the_other_is_another_image(api: Api, pack: int) -> None:
    one = api.post(f"/images/{pack}/inside", {"path": PLATEN})["image"]["id"]
    other = api.post(f"/images/{pack}/inside", {"path": LINTEL})["image"]["id"]
    work()
    pk = started(api)
    api.put(f"/deployments/{pk}/image", {"image_id": one})
    api.post(f"/deployments/{pk}/card/write", card())
    work()
    shown = api.get(f"/deployments/{pk}/card")
    assert shown["proven"]
    assert shown["changes_text"].startswith("Otherwise than the download: platen-network.conf, device.conf; ")
    first = load(pk).live.chosen_mark
    # One file and one checksum, and another image all the same: what was proven of the one is nothing of the other.
    assert Image.objects.get(pk=one).sha256 == Image.objects.get(pk=other).sha256
    Deployment.objects.filter(pk=pk).update(image_id=other)
    assert load(pk).live.chosen_mark != first


def test_a_file_that_changed_is_forgotten_with_all_that_is_in_it(api: Api, pack: int, tmp_path: Path) -> None:
    inside = api.post(f"/images/{pack}/inside", {"path": PLATEN})["image"]["id"]
    work()
    place = wiring.config().library / "both.zip"
    subprocess.run(["zip", "-q", "-d", place, LINTEL], check=True)
    sync_library()
    assert Image.objects.get(pk=inside).xray == ""
    for pk in (pack, inside):
        api.post(f"/images/{pk}/read")
    work()
    assert api.get(f"/images/{pack}")["xray"]["inside"] == PLATEN, "one is left: nothing is to be asked"
    assert api.get(f"/images/{inside}")["xray"]["inside"] == PLATEN
    place.unlink()
    sync_library()
    assert {Image.objects.get(pk=pk).present for pk in (pack, inside)} == {False}


def test_one_of_them_goes_and_the_file_stays_for_the_others(api: Api, pack: int) -> None:
    one = api.post(f"/images/{pack}/inside", {"path": PLATEN})["image"]["id"]
    work()
    place = wiring.config().library / "both.zip"
    api.call("delete", f"/things/image/{one}")
    assert api.call("delete", f"/taken-off/image/{one}")[0] in (200, 204)
    assert place.exists()
    assert not Image.objects.filter(pk=one).exists()
    again = api.post(f"/images/{pack}/inside", {"path": PLATEN})["image"]["id"]
    work()
    api.call("delete", f"/things/image/{again}")
    assert api.post(f"/images/{pack}/inside", {"path": PLATEN})["image"]["id"] == again, (
        "asked for again, it is put back"
    )


def test_a_row_nobody_can_read_spoils_no_list(api: Api, pack: int) -> None:
    Image.objects.filter(pk=pack).update(trouble={"sentence": "It is torn.", "finding": {"code": 3}, "inside": "x"})
    assert named(api, "both.zip")["trouble"] == "It is torn."
    assert (api.get(f"/images/{pack}")["inside"], api.get(f"/images/{pack}")["findings"]) == ([], [])


def test_a_name_too_long_to_be_kept_is_refused(api: Api, pack: int) -> None:
    long = "é" * 510 + ".img"
    Image.objects.filter(pk=pack).update(trouble={"inside": [[long, 1]]})
    status, said = api.call("post", f"/images/{pack}/inside", {"path": long})
    assert (status, "too long together" in said["title"]) == (422, True)
