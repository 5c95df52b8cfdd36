"""Archives and packings around an image, made by the tools people make them with: zip, tar, 7z, bsdtar, xz, gzip, zstd."""

from __future__ import annotations

import contextlib
import io
import random
import subprocess
import tarfile
import tempfile
import zipfile
from collections.abc import Sequence
from functools import cache
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mintseed.core.errors import ImageError
from mintseed.core.image import archive, unwrapping
from mintseed.core.image.packing import Packing
from mintseed.core.image.refusals import SeveralImagesError, UnreadableImageError
from mintseed.core.image.unwrapping import Wrapping, unwrap
from mintseed.services.inspect_image import open_tapped
from tests.builders.disks import packed

IMAGE = random.Random(3).randbytes(510) + b"\x55\xaa" + random.Random(4).randbytes(600_000) + b"\0" * 1_500_000 + b"end"
"""it has the signature of a partition table, UEFI 2.10 §5.2.1"""

PDF = b"%PDF-1.7" + bytes(900)
FILES = {"board.img": IMAGE, "README.txt": b"Put it on a card.\r\nSee the sheet.\n", "sheets/add-on.pdf": PDF}

TOOLS = {
    "zip": ["zip", "-q", "-r"],
    "7z": ["7z", "a", "-bso0"],
    "tar": ["tar", "cf"],
    "pax": ["bsdtar", "--format", "pax", "-cf"],
    "ustar": ["bsdtar", "--format", "ustar", "-cf"],
}
KIND = {"zip": "zip", "7z": "7z", "tar": "tar", "pax": "tar", "ustar": "tar"}
ENDING = {"zip": "zip", "7z": "7z", "tar": "tar", "pax": "tar", "ustar": "tar"}


def made(folder: Path, tool: str, files: dict[str, bytes], options: Sequence[str] = ()) -> bytes:
    """Return an archive of `files` as `tool` makes it, in their order."""
    inside = folder / "inside"
    for name, data in files.items():
        (inside / name).parent.mkdir(parents=True, exist_ok=True)
        (inside / name).write_bytes(data)
    target = folder / f"made.{ENDING[tool]}"
    target.unlink(missing_ok=True)
    subprocess.run([*TOOLS[tool], *options, target, *files], cwd=inside, check=True, capture_output=True)
    return target.read_bytes()


def taken(data: bytes, wanted: str = "") -> tuple[Wrapping, bytes]:
    wrapping, pieces = unwrap(io.BytesIO(data), wanted=wanted)
    return wrapping, b"".join(pieces)


def code_of(data: bytes, wanted: str = "") -> str:
    with pytest.raises(UnreadableImageError) as raised:
        taken(data, wanted)
    return raised.value.finding.code


@pytest.mark.parametrize("tool", TOOLS)
@pytest.mark.parametrize("inner", ["raw", "xz", "gzip", "zstd"])
@pytest.mark.parametrize("order", [1, -1])
def test_the_image_in_an_archive_and_what_lies_beside_it(tool: str, inner: str, order: int, tmp_path: Path) -> None:
    name = {"raw": "board.img", "xz": "board.img.xz", "gzip": "board.img.gz", "zstd": "any-name"}[inner]
    files = {name: packed(IMAGE, inner), **{n: d for n, d in FILES.items() if n != "board.img"}}
    wrapping, image = taken(made(tmp_path, tool, dict(list(files.items())[::order])))
    assert image == IMAGE
    assert wrapping.inside == name
    assert wrapping.layers == [KIND[tool], *([inner] if inner != "raw" else [])]
    assert {b.path: b.text for b in wrapping.beside} == {
        "README.txt": "Put it on a card.\nSee the sheet.\n",
        "sheets/add-on.pdf": "",
    }
    assert {b.path: b.size_bytes for b in wrapping.beside}["sheets/add-on.pdf"] == len(PDF)


@pytest.mark.parametrize("outer", ["xz", "gzip", "bzip2", "zstd"])
def test_a_packed_tar_and_a_tar_of_packed_images(outer: str, tmp_path: Path) -> None:
    wrapping, image = taken(packed(made(tmp_path, "tar", FILES), outer))
    assert (wrapping.words, wrapping.inside, image == IMAGE) == (f"{outer}, tar", "board.img", True)
    inner = {"a/board.img.xz": packed(IMAGE, "xz")}
    wrapping, image = taken(packed(made(tmp_path, "tar", inner), outer))
    assert (wrapping.words, wrapping.inside, image == IMAGE) == (f"{outer}, tar, xz", "a/board.img.xz", True)


def test_a_bare_image_and_one_in_two_packings() -> None:
    assert taken(IMAGE) == (Wrapping(), IMAGE)
    assert taken(packed(packed(IMAGE, "xz"), "gzip"))[0].words == "gzip, xz"


def test_zip64_as_python_writes_it(tmp_path: Path) -> None:
    """APPNOTE.TXT §4.3.14: sizes in the extra field, asked for before the size is known; the reader of the tool agrees."""
    path = tmp_path / "z.zip"
    with (
        zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as zipped,
        zipped.open("board.img", "w", force_zip64=True) as inside,
    ):
        inside.write(IMAGE)
    assert subprocess.run(["bsdtar", "-xOf", path, "board.img"], capture_output=True, check=True).stdout == IMAGE
    assert taken(path.read_bytes())[1] == IMAGE


@pytest.mark.parametrize("tool", ["zip", "7z", "tar"])
def test_several_images_are_asked_for_and_each_is_had(tool: str, tmp_path: Path) -> None:
    other = IMAGE[:700_000] + b"another"
    data = made(tmp_path, tool, {"one.img": IMAGE, "deep/two.img.xz": packed(other, "xz"), "notes.md": b"# two\n"})
    with pytest.raises(SeveralImagesError) as raised:
        taken(data)
    assert {path for path, _ in raised.value.inside} == {"one.img", "deep/two.img.xz"}
    assert dict(raised.value.inside)["one.img"] == len(IMAGE)
    for wanted, image in (("one.img", IMAGE), ("deep/two.img.xz", other)):
        wrapping, got = taken(data, wanted)
        assert (wrapping.inside, got == image) == (wanted, True)
    assert code_of(data, "three.img") == "image.gone-from-inside"


def test_of_very_many_the_first_are_offered_and_all_are_counted() -> None:
    many = io.BytesIO()
    with zipfile.ZipFile(many, "w") as zipped:
        for number in range(150):
            zipped.writestr(f"{number:03}.img", IMAGE[:1000])
    with pytest.raises(SeveralImagesError, match="150 images are in this zip archive") as raised:
        taken(many.getvalue())
    assert [path for path, _ in raised.value.inside] == [f"{n:03}.img" for n in range(100)]
    assert taken(many.getvalue(), "149.img")[1] == IMAGE[:1000]


@pytest.mark.parametrize("tool", ["zip", "7z", "tar"])
def test_an_archive_without_an_image_says_what_it_holds(tool: str, tmp_path: Path) -> None:
    data = made(tmp_path, tool, {"a.txt": b"hello", "b.pdf": PDF, "c.bin": b"\1" * 2000})
    with pytest.raises(UnreadableImageError, match=r"no image is in this .* archive.*a\.txt"):
        taken(data)
    # One file only: what is said of that.
    assert code_of(made(tmp_path / "one", tool, {"b.pdf": PDF})) == "image.other-kind"


@pytest.mark.parametrize(
    ("tool", "options"), [("zip", ["-P", "secret"]), ("7z", ["-psecret"]), ("7z", ["-psecret", "-mhe=on"])]
)
def test_what_wants_a_password_is_said_to(tool: str, options: list[str], tmp_path: Path) -> None:
    assert code_of(made(tmp_path, tool, {"board.img": IMAGE}, options)) == "image.locked"


def test_ways_of_packing_that_are_read_and_those_that_are_not(tmp_path: Path) -> None:
    for method in ("deflate", "bzip2", "lzma", "copy"):
        (tmp_path / method).mkdir()
        subprocess.run(
            ["7z", "a", "-bso0", "-tzip", f"-mm={method}", "z.zip", "-siboard.img"],
            input=IMAGE,
            cwd=tmp_path / method,
            check=True,
        )
        assert taken((tmp_path / method / "z.zip").read_bytes())[1] == IMAGE
    for method, read in (("lzma2", True), ("ppmd", True), ("bzip2", True), ("deflate64", False)):
        data = made(tmp_path / f"7z-{method}", "7z", {"board.img": IMAGE}, [f"-m0={method}"])
        if read:
            assert taken(data)[1] == IMAGE
        else:
            assert code_of(data) == "image.packed-otherwise"


def test_an_archive_in_an_archive_is_not_gone_into(tmp_path: Path) -> None:
    inner = made(tmp_path / "in", "zip", {"board.img": IMAGE})
    assert code_of(made(tmp_path, "tar", {"inner.zip": inner, "a.txt": b"x"})) == "image.nested"
    assert code_of(packed(inner, "gzip")) == "image.nested", "its list is at its end"
    deep = IMAGE
    for outer in ("xz", "gzip", "xz", "gzip"):
        deep = packed(deep, outer)
    assert code_of(deep) == "image.nested"


@pytest.mark.parametrize("share", [0.02, 0.3, 0.9, 0.99])
@pytest.mark.parametrize("tool", ["zip", "7z", "tar"])
@pytest.mark.parametrize("outer", ["raw", "xz"])
def test_a_download_that_was_cut_short_is_named(share: float, tool: str, outer: str, tmp_path: Path) -> None:
    if outer != "raw" and tool != "tar":
        return
    # What is cut off is more than an archive's last blocks, which are zeros.
    data = packed(made(tmp_path, tool, {"board.img": IMAGE[:610_000]}), outer)
    cut = data[: int(600_000 * share)]
    with pytest.raises(UnreadableImageError) as raised:
        taken(cut)
    assert raised.value.finding.code == "image.cut-short"
    assert f"At byte {len(cut)}" in str(raised.value) or tool == "tar"


@pytest.mark.parametrize("tool", ["zip", "7z"])
def test_a_flipped_byte_in_an_archive_is_found(tool: str, tmp_path: Path) -> None:
    data = bytearray(made(tmp_path, tool, {"board.img": IMAGE}))
    data[300_000] ^= 0xFF
    assert code_of(bytes(data)) == "image.damaged"


def test_a_damaged_header_in_a_tar_is_not_its_end(tmp_path: Path) -> None:
    """tar(1) says "Skipping to next header" and fails; the standard library's reader says nothing and ends."""
    data = bytearray(made(tmp_path, "tar", {"board.img": IMAGE, "b.txt": b"x" * 900}))
    at = 512 + -(-len(IMAGE) // 512) * 512
    assert data[at : at + 5] == b"b.txt"
    data[at + 20] ^= 0xFF
    assert subprocess.run(["tar", "tf", "-"], input=bytes(data), capture_output=True, check=False).returncode != 0
    assert code_of(bytes(data)) == "image.damaged"


def test_names_that_lead_elsewhere_are_only_names(tmp_path: Path) -> None:
    """Nothing is unpacked under a name of an archive; a name stays what it is called by."""
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode="w") as tar:
        for name, data in (("../../evil.img", IMAGE), ("/etc/passwd", b"x"), ("li\u202enk\x07.txt", b"y")):
            info = tarfile.TarInfo(name)
            info.size = len(data)
            tar.addfile(info, io.BytesIO(data))
        link = tarfile.TarInfo("there")
        link.type, link.linkname = tarfile.SYMTYPE, "/etc/passwd"
        tar.addfile(link)
    wrapping, image = taken(buffer.getvalue())
    assert (wrapping.inside, image == IMAGE) == ("../../evil.img", True)
    assert [b.path for b in wrapping.beside] == ["etc/passwd", "li\\xe2\\x80\\xaenk\\x07.txt"]


def test_bombs_are_stopped_by_what_they_claim(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    many = io.BytesIO()
    with zipfile.ZipFile(many, "w") as zipped:
        for number in range(30):
            zipped.writestr(f"{number}.txt", b"x")
    monkeypatch.setattr(archive, "MAX_ARCHIVE_FILES", 20)
    assert code_of(many.getvalue()) == "image.bomb"
    # A header of a tar that claims to be larger than any (POSIX.1-2001 pax, typeflag x).
    info = tarfile.TarInfo("x")
    info.type, info.size = tarfile.XHDTYPE, (1 << 33) - 1
    assert code_of(info.tobuf(tarfile.USTAR_FORMAT) + bytes(4096)) == "image.bomb"
    # A list of a zip's files that claims the same (APPNOTE.TXT §4.3.16, size of the central directory).
    monkeypatch.undo()
    assert code_of(many.getvalue()) == "image.none-inside"
    monkeypatch.setattr(archive, "MAX_ARCHIVE_HEADER_BYTES", 1000)
    assert code_of(many.getvalue()) == "image.bomb"


@pytest.mark.parametrize("outer", [["xz"], ["xz", "gzip"]])
def test_what_is_passed_over_is_bounded_too(monkeypatch: pytest.MonkeyPatch, tmp_path: Path, outer: list[str]) -> None:
    """A file of zeros before the image: nobody keeps it, and it would take hours all the same."""
    data = made(tmp_path, "tar", {"a-zeros.dat": bytes(40_000_000), "board.img": IMAGE})
    for packing in outer:
        data = packed(data, packing)
    assert taken(data)[1] == IMAGE
    monkeypatch.setattr(unwrapping, "MIN_BOMB_BYTES", 1_000_000)
    assert taken(data)[1] == IMAGE, "as often as its size as an image may be"
    monkeypatch.setattr(unwrapping, "MAX_UNPACKED_RATIO", 20)
    assert code_of(data) == "image.bomb"


def test_only_small_texts_are_kept_and_only_some(tmp_path: Path) -> None:
    files = {"board.img": IMAGE, "LICENSE": b"l" * 100_000, **{f"notes-{n}.txt": b"n" for n in range(20)}}
    wrapping, _ = taken(made(tmp_path, "tar", files))
    assert len(wrapping.beside) == unwrapping.MAX_BESIDE_FILES
    assert next(b for b in wrapping.beside if b.path == "LICENSE").text == ""


@cache
def small(kind: str) -> bytes:
    """Return an archive of a few kilobytes."""
    with tempfile.TemporaryDirectory() as folder:
        return made(
            Path(folder), kind, {"a.img": IMAGE[:2000], "b.txt": b"hello", "c.img.gz": packed(IMAGE[:3000], "gzip")}
        )


@settings(max_examples=400, deadline=None)
@given(
    st.sampled_from(["zip", "7z", "tar", "pax"]),
    st.lists(st.tuples(st.integers(0, 20_000), st.binary(min_size=1, max_size=9)), max_size=6),
    st.integers(0, 20_000),
)
def test_any_damage_gives_the_image_or_our_error(kind: str, edits: list[tuple[int, bytes]], cut: int) -> None:
    data = bytearray(small(kind))
    for at, put in edits:
        at %= len(data)
        data[at : at + len(put)] = put
    with contextlib.suppress(ImageError):
        taken(bytes(data[: len(data) - cut % len(data)]), "a.img")
    with contextlib.suppress(ImageError):
        taken(bytes(data))


def test_every_archive_has_a_reader() -> None:
    assert set(archive._READERS) == {Packing.ZIP, Packing.TAR, Packing.SEVENZIP}


@pytest.mark.parametrize("damage", ["a file before the beginning", "nothing but a magic number"])
def test_a_zip_that_leads_before_its_beginning_is_damaged_and_no_disk_is_blamed(damage: str, tmp_path: Path) -> None:
    """A real file: there the system refuses such a place (lseek(2), EINVAL), as it does where a disk fails."""
    with zipfile.ZipFile(tmp_path / "z.zip", "w") as zipped:
        zipped.writestr("board.img", IMAGE)
    data = bytearray((tmp_path / "z.zip").read_bytes())
    if damage == "a file before the beginning":
        # APPNOTE.TXT §4.3.16: where the list of files begins, in the last 22 bytes at 16. What lies further on is taken for what stands before the zip.
        said = int.from_bytes(data[-6:-2], "little") + 1000
        data[-6:-2] = said.to_bytes(4, "little")
    else:
        del data[10:]
    (tmp_path / "z.zip").write_bytes(data)

    def read() -> None:
        with (tmp_path / "z.zip").open("rb") as file:
            for _ in open_tapped(file, lambda done: None)[2]:
                pass

    with pytest.raises(UnreadableImageError) as raised:
        read()
    assert raised.value.finding.code in ("image.damaged", "image.cut-short")


def test_a_file_that_goes_on_behind_the_end_of_its_zip_is_cut_short() -> None:
    packed_up = io.BytesIO()
    with zipfile.ZipFile(packed_up, "w") as zipped:
        zipped.writestr("board.img", IMAGE)
    data = bytearray(packed_up.getvalue())
    # APPNOTE.TXT §4.3.12: in the list of files, its packed and its unpacked length.
    listed = data.rindex(b"PK\x01\x02")
    for at in (20, 24):
        data[listed + at : listed + at + 4] = (2 * len(data)).to_bytes(4, "little")
    with pytest.raises(UnreadableImageError) as refused:
        taken(bytes(data))
    assert refused.value.finding.code == "image.cut-short"
    assert refused.value.finding.source
