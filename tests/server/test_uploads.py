"""Images dropped into a page, piece by piece. Protocol: tus 1.0.0 (tus.io/protocols/resumable-upload); each test names its part."""

from __future__ import annotations

import base64
import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from django.http import HttpResponse
from django.test import Client
from hypothesis import given
from hypothesis import strategies as st

from mintseed import wiring
from mintseed.adapters import upload_folder
from mintseed.adapters.upload_folder import UploadFolder
from mintseed.core.errors import InputError, MissingError, OutsideError, RefusedError
from mintseed.server.kept.models import LogEntry
from tests.server.conftest import Api

TUS = {"Tus-Resumable": "1.0.0"}
PIECE = "application/offset+octet-stream"


@pytest.fixture
def arrived(api: Api) -> Iterator[Path]:
    place = wiring.config().library / "dropped-1.0.img"
    yield place
    for file in (*place.parent.glob("dropped-*"), *place.parent.glob(".upload-*")):
        file.unlink(missing_ok=True)


def begin(name: str = "dropped-1.0.img", size: int = 10, **headers: str) -> HttpResponse:
    metadata = f"filename {base64.b64encode(name.encode()).decode()}"
    return Client().post(
        "/api/uploads", headers={**TUS, "Upload-Length": str(size), "Upload-Metadata": metadata, **headers}
    )


def add(where: str, offset: int, data: bytes, **more: Any) -> HttpResponse:
    return Client().patch(
        where, data, content_type=more.pop("content_type", PIECE), headers={**TUS, "Upload-Offset": str(offset), **more}
    )


def test_creation_pieces_and_the_file_in_the_library(arrived: Path) -> None:
    made = begin()
    assert (made.status_code, made.headers["Tus-Resumable"]) == (201, "1.0.0")
    where = made.headers["Location"]
    assert not arrived.exists()
    first = add(where, 0, b"01234")
    assert (first.status_code, first.headers["Upload-Offset"]) == (204, "5")
    head = Client().head(where, headers=TUS)
    assert (head.status_code, head.headers["Upload-Offset"], head.headers["Upload-Length"]) == (200, "5", "10")
    assert "no-store" in head.headers["Cache-Control"]
    assert not arrived.exists(), "a part of a file is no file"
    assert add(where, 5, b"56789").status_code == 204
    assert arrived.read_bytes() == b"0123456789"
    assert Client().head(where, headers=TUS).status_code == 404
    assert LogEntry.objects.filter(event="image.brought").count() == 1


def test_a_piece_that_does_not_fit_on_is_a_conflict(arrived: Path) -> None:
    where = begin().headers["Location"]
    add(where, 0, b"01234")
    assert add(where, 4, b"x").status_code == 409
    assert add(where, 6, b"x").status_code == 409
    assert add(where, 5, b"x" * 6).status_code == 409, "longer than was said"
    assert Client().head(where, headers=TUS).headers["Upload-Offset"] == "5", "nothing of them was taken"


def test_what_the_protocol_asks_for_is_asked_for(arrived: Path) -> None:
    where = begin().headers["Location"]
    assert Client().head(where).status_code == 412
    assert add(where, 0, b"x", content_type="application/octet-stream").status_code == 415
    assert begin(**{"Upload-Length": "many"}).status_code == 422
    assert begin(**{"Upload-Metadata": "filename not-base64!"}).status_code == 422
    options = Client().options("/api/uploads")
    assert (options.status_code, options.headers["Tus-Version"], options.headers["Tus-Extension"]) == (
        204,
        "1.0.0",
        "creation,termination",
    )
    assert Client().get("/api/uploads").status_code == 405
    gone = Client().delete(where, headers=TUS)
    assert gone.status_code == 204
    assert Client().head(where, headers=TUS).status_code == 404
    assert list(wiring.config().library.glob(".upload-*")) == []


@pytest.mark.parametrize(
    "name", ["", "x", "../x.img", "a/b.img", ".hidden.img", "x.img.txt", "x\n.img", "x" * 300 + ".img"]
)
def test_what_has_no_image_s_name_is_refused(arrived: Path, name: str) -> None:
    assert begin(name).status_code == 422


def test_nobody_uploads_who_may_not_come_in(api: Api, asks_for_link: None) -> None:
    assert begin().status_code == 401


def test_a_file_of_that_name_is_never_written_over(tmp_path: Path) -> None:
    (tmp_path / "a.img.xz").write_bytes(b"mine")
    folder = UploadFolder(tmp_path)
    made = folder.begin("a.img.xz", 3)
    folder.append(made.ident, 0, b"new")
    assert (tmp_path / "a.img.xz").read_bytes() == b"mine"
    assert (tmp_path / "a-2.img.xz").read_bytes() == b"new"


def test_room_is_known_before(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = UploadFolder(tmp_path)
    with pytest.raises(OutsideError, match="free"):
        folder.begin("a.img", 200 * 10**9 + int(1e9) * 40)
    assert not [p for p in tmp_path.iterdir() if p.suffix == ".json"]
    with pytest.raises(InputError):
        folder.begin("a.img", 0)
    monkeypatch.setattr(upload_folder, "MOST_AT_ONCE", 1)
    folder.begin("a.img", 1)
    with pytest.raises(RefusedError):
        folder.begin("b.img", 1)
    for left in tmp_path.iterdir():
        os.utime(left, (0, left.stat().st_mtime - upload_folder.RESTS_S - 1))
    assert folder.begin("b.img", 1).name == "b.img", "one that was left makes room"


def test_what_is_not_there_is_said(tmp_path: Path) -> None:
    folder = UploadFolder(tmp_path)
    for ident in ("", "0" * 32, "../x", "0" * 31 + "\n"):
        assert folder.find(ident) is None
        with pytest.raises(MissingError):
            folder.append(ident, 0, b"x")
    made = folder.begin("a.img", 3)
    (tmp_path / f".upload-{made.ident}.json").write_text("{broken")
    assert folder.find(made.ident) is None


@given(st.binary(min_size=1, max_size=400), st.lists(st.integers(1, 60), max_size=12))
def test_however_it_is_cut_and_broken_off_the_file_is_whole(data: bytes, cuts: list[int]) -> None:
    import tempfile

    with tempfile.TemporaryDirectory() as name:
        folder = UploadFolder(Path(name))
        made = folder.begin("a.img", len(data))
        at = 0
        for cut in [*cuts, len(data)]:
            if at == len(data):
                break
            at = UploadFolder(Path(name)).append(made.ident, at, data[at : at + cut]).received_bytes
        while at < len(data):
            at = folder.append(made.ident, at, data[at:]).received_bytes
        assert (Path(name) / "a.img").read_bytes() == data
        assert [p.name for p in Path(name).iterdir()] == ["a.img"]
