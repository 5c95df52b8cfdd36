"""An image's file gets another name: what uses it goes on, what happened keeps the old one, nothing is written over."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from mintseed import wiring
from mintseed.core.errors import InputError
from mintseed.core.image.naming import new_name
from mintseed.server.kept.models import Deployment, Image, Job, Write
from mintseed.server.kept.stored_types import xray_of
from mintseed.server.owned.library import sync_library
from tests.server.conftest import Api, card, started, work

PLATEN = "platen-3.2-64.img.xz"


@pytest.fixture
def own(api: Api) -> Iterator[Path]:
    """A copy of an image, under a name no recipe knows; the library is afterwards as it was."""
    library = wiring.config().library
    before = {p.name for p in library.iterdir()}
    target = library / "own-1.0.img.xz"
    shutil.copy(library / PLATEN, target)
    yield target
    for left in library.iterdir():
        if left.name not in before:
            left.unlink()
    sync_library()


def row_of(path: Path) -> Image:
    sync_library()
    return Image.objects.get(file_name=path.name)


def read(api: Api, path: Path) -> Image:
    row = row_of(path)
    api.post(f"/images/{row.pk}/read")
    work()
    return Image.objects.get(pk=row.pk)


def refused(api: Api, row: Image, name: str) -> tuple[int, str]:
    status, said = api.call("post", f"/images/{row.pk}/rename", {"name": name})
    return status, str(said["title"])


def test_it_is_the_same_image_under_another_name(api: Api, own: Path) -> None:
    row = read(api, own)
    api.post(f"/images/{row.pk}/checksum", {"text": row.sha256})
    shown = api.post(f"/images/{row.pk}/rename", {"name": " Kiosk, erster Entwurf äß.img.xz "})
    name = "Kiosk, erster Entwurf äß.img.xz"
    assert shown["image"]["file_name"] == name
    assert "image.sha256-matches" in {f["code"] for f in shown["findings"]}, "the checksum that was pasted goes along"
    assert not own.exists()
    assert own.with_name(name).exists()
    again = Image.objects.get(pk=row.pk)
    xray = xray_of(again)
    assert xray is not None
    assert (xray.file_name, again.read_at, again.sha256) == (name, row.read_at, row.sha256)
    listed = {i["file_name"] for i in api.get("/images")["images"]}
    assert name in listed
    assert own.name not in listed


def test_what_uses_it_goes_on_and_its_proof_stands(api: Api, own: Path) -> None:
    pk = started(api)
    row = read(api, own)
    api.put(f"/deployments/{pk}/image", {"image_id": row.pk})
    api.post(f"/deployments/{pk}/settings/agree")
    api.post(f"/deployments/{pk}/card/write", card())
    work()
    before = api.get(f"/deployments/{pk}/card")
    assert before["current"]
    api.post(f"/images/{row.pk}/rename", {"name": "other-2.img.xz"})
    after = api.get(f"/deployments/{pk}/card")
    assert (after["proven"], after["current"], after["ready"]) == (True, True, True)
    assert Write.objects.get().image_name == own.name, "what happened keeps the name it had then"
    # And it is written anew from the file under its new name.
    api.post(f"/deployments/{pk}/card/write", card())
    work()
    assert api.get(f"/deployments/{pk}/card")["proven"]
    status, said = api.call("delete", f"/things/image/{row.pk}")
    assert (status, "its proven card was made of it" in str(said)) == (409, True)


def test_no_file_is_written_over_and_no_name_is_one_of_a_folder(api: Api, own: Path) -> None:
    row, was = row_of(own), own.read_bytes()
    status, said = refused(api, row, PLATEN)
    assert (status, "called so already" in said) == (409, True)
    for name in ("../x.img", "x/y.img", ".x.img", "x.txt", "x" * 260 + ".img", "a\u202eb.img", "x\\y.img"):
        assert refused(api, row, name)[0] in (400, 422), name
    assert own.read_bytes() == was
    assert Image.objects.get(pk=row.pk).file_name == own.name
    (own.parent / "not-an-image.img").mkdir()
    try:
        assert refused(api, row, "not-an-image.img")[0] == 409
    finally:
        (own.parent / "not-an-image.img").rmdir()


def test_not_while_it_is_read_or_written(api: Api, own: Path) -> None:
    row = row_of(own)
    api.post(f"/images/{row.pk}/read")
    status, said = refused(api, row, "x.img.xz")
    assert (status, "right now" in said) == (409, True)
    work()
    pk = started(api)
    api.put(f"/deployments/{pk}/image", {"image_id": row.pk})
    api.post(f"/deployments/{pk}/settings/agree")
    api.post(f"/deployments/{pk}/card/write", card())
    assert refused(api, row, "x.img.xz")[0] == 409
    Job.objects.all().delete()


def test_one_its_recipe_knows_by_name_keeps_it_while_something_rests_on_that(api: Api, own: Path) -> None:
    pk = started(api)
    row = Image.objects.get(file_name=PLATEN)
    assert Deployment.objects.get(pk=pk).image == row
    status, said = refused(api, row, "mine.img.xz")
    assert (status, "knows it by the name" in said) == (409, True)
    assert (wiring.config().library / PLATEN).exists()


def test_one_in_an_archive_is_told_to_rename_the_file(api: Api, own: Path) -> None:
    row = row_of(own)
    Image.objects.filter(pk=row.pk).update(file_name=f"{own.name}/inner.img")
    assert refused(api, row, "x.img")[0] == 409


def test_a_folder_that_refuses_leaves_all_as_it_was(api: Api, own: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    row = row_of(own)

    def full(*args: Any, **kwargs: Any) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("mintseed.adapters.library_folder.os.link", full)
    assert refused(api, row, "x.img.xz")[0] >= 400
    assert Image.objects.get(pk=row.pk).file_name == own.name
    assert own.exists()


def test_what_nothing_uses_is_told_with_its_room(api: Api, own: Path) -> None:
    row = row_of(own)
    listed = api.get("/images?idle=true")
    assert own.name in {i["file_name"] for i in listed["images"]}
    assert listed["idle"] == listed["total"]
    pk = started(api)
    api.put(f"/deployments/{pk}/image", {"image_id": row.pk})
    used = api.get("/images?idle=true")
    assert own.name not in {i["file_name"] for i in used["images"]}
    assert used["idle"] == listed["idle"] - 1
    mine = next(i for i in api.get("/images")["images"] if i["id"] == row.pk)
    assert mine["used_by"] == [Deployment.objects.get(pk=pk).name]


@pytest.mark.parametrize("name", ["", " ", "a.img\n", "a\0.img", "noending"])
def test_names_that_cannot_be(name: str) -> None:
    if name.strip() == "a.img":
        assert new_name(name) == "a.img"
    else:
        with pytest.raises(InputError):
            new_name(name)
