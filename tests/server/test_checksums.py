"""What is published of an image: found beside it, or pasted from its page; it counts from then on."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from mintseed import wiring
from tests.builders.disks import image
from tests.server.conftest import Api, started, work

FILE = "checked-1.0.img"


@pytest.fixture
def placed(api: Api, tmp_path: Path) -> Iterator[Path]:
    path = wiring.config().library / FILE
    image(tmp_path / "own.img", {"a.txt": b"x"}, {"etc/hostname": b"x\n"}).rename(path)
    try:
        yield path
    finally:
        for left in wiring.config().library.glob("*checked*"):
            left.unlink()
        (wiring.config().library / "SHA256SUMS").unlink(missing_ok=True)


def read(api: Api) -> Any:
    pk = next(i["id"] for i in api.get("/images?search=checked")["images"])
    api.post(f"/images/{pk}/read")
    work()
    return api.get(f"/images/{pk}")


def sums(said: Any) -> list[tuple[str, str]]:
    return [(f["code"], f["detail"]) for f in said["findings"] if f["code"].startswith("image.sha256")]


def test_a_list_beside_an_image_that_nobody_described_is_compared(api: Api, placed: Path) -> None:
    right = hashlib.sha256(placed.read_bytes()).hexdigest()
    assert sums(read(api)) == []
    (placed.parent / "SHA256SUMS").write_text(f"{'0' * 64}  other.img\n{right}  {FILE}\n")
    assert sums(read(api)) == [("image.sha256-matches", "SHA-256 matches line 2 of SHA256SUMS.")]
    (placed.parent / "SHA256SUMS").write_text(f"{'0' * 64}  {FILE}\n")
    [(code, detail)] = sums(read(api))
    assert (code, "line 1 of SHA256SUMS says 0000" in detail) == ("image.sha256-differs", True)


def test_one_that_is_pasted_is_compared_at_once_and_kept(api: Api, placed: Path) -> None:
    pk = read(api)["image"]["id"]
    right = hashlib.sha256(placed.read_bytes()).hexdigest()
    status, said = api.call("post", f"/images/{pk}/checksum", {"text": "d41d8cd98f00b204e9800998ecf8427e"})
    assert (status, "MD5" in said["title"]) == (422, True)
    (placed.parent / f"{FILE}.sha256").write_text("as it was published\n")
    assert [c for c, _ in sums(api.post(f"/images/{pk}/checksum", {"text": "0" * 64}))] == ["image.sha256-differs"]
    assert [c for c, _ in sums(api.post(f"/images/{pk}/checksum", {"text": f" {right.upper()} "}))] == [
        "image.sha256-matches"
    ]
    assert [c for c, _ in sums(read(api))] == ["image.sha256-matches"], "read again it is compared again"
    assert (placed.parent / f"{FILE}.sha256").read_text() == "as it was published\n", "nobody's list is written over"


def test_what_was_not_read_has_nothing_to_compare(api: Api, placed: Path) -> None:
    pk = next(i["id"] for i in api.get("/images?search=checked")["images"])
    assert api.call("post", f"/images/{pk}/checksum", {"text": "0" * 64})[0] == 409


def test_two_images_are_compared(api: Api, placed: Path, library: Path) -> None:
    """Two releases of the demo, whose builders made their files differ."""
    mine = read(api)["image"]["id"]
    rows = {i["file_name"]: i["id"] for i in api.get("/images")["images"]}
    new, old = rows["platen-3.2-64.img.xz"], rows["platen-3.0-64.img.gz"]
    offered = [o["file_name"] for o in api.get(f"/images/{new}/others")]
    assert offered[0].startswith("platen-"), "those of its appliance first"
    assert {FILE, "platen-3.0-64.img.gz"} <= set(offered)
    assert "platen-3.2-64.img.xz" not in offered
    said = api.get(f"/images/{new}/compare/{old}")
    assert (said["image_name"], said["other_name"]) == ("platen-3.2-64.img.xz", "platen-3.0-64.img.gz")
    assert "boards" in {d["topic"] for d in said["differences"]}
    assert api.get(f"/images/{new}/compare/{new}")["differences"] == []
    assert {d["topic"] for d in api.get(f"/images/{mine}/compare/{new}")["differences"]} >= {"files", "layout"}


def test_a_file_that_lies_there_twice_is_told_and_who_uses_which(api: Api, placed: Path) -> None:
    assert "image.twice" not in {f["code"] for f in read(api)["findings"]}
    copy = placed.with_name("again-checked-1.0.img")
    copy.write_bytes(placed.read_bytes())
    pks = {i["file_name"]: i["id"] for i in api.get("/images?search=checked")["images"]}
    api.post(f"/images/{pks[copy.name]}/read")
    work()
    for mine, other in ((FILE, copy.name), (copy.name, FILE)):
        assert [f["title"] for f in api.get(f"/images/{pks[mine]}")["findings"] if f["code"] == "image.twice"] == [
            f"The same file lies there as {other} too"
        ]
    assert api.get(f"/images/{pks[FILE]}")["used_by"] == []
    pk = started(api)
    used = api.get(f"/deployments/{pk}/image")["chosen"]["image"]["id"]
    assert "Reading-room press" in api.get(f"/images/{used}")["used_by"]
