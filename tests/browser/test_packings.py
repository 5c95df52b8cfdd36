"""One image in every packing people publish in, and three files that are none: the same is read of each, or why not is said."""

from __future__ import annotations

import lzma
import subprocess
from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from mintseed.core.units import decimal_size
from mintseed.standins.forge.build import build_image
from mintseed.standins.forge.own_sources import WEIR_POST
from tests.browser.conftest import Application
from tests.builders.disks import packed

STEM = "weir-again"
PLAIN = {"raw": "", "zstd": ".zst"}
ARCHIVES = {".zip": ["zip", "-q", "-r"], ".7z": ["7z", "a", "-bd", "-mx1"]}
"""by their reference tools: zip(1), 7z(1); what is read of every other packing is asked in core/image/test_packing.py and test_unwrapping.py"""

NO_IMAGES = {
    f"{STEM}-page.img.xz": (b"<!DOCTYPE html><html><body>Log in to download</body></html>\n" * 9, "This is a saved web page, not an image"),
    f"{STEM}-list.img.xz": (f"{'0f' * 32}  {STEM}.img.xz\n".encode(), "This is a checksum list, not an image"),
    f"{STEM}-cut.img.xz": (None, "stops before its end"),
}  # fmt: skip


@pytest.fixture(scope="module")
def put_in(application: Application) -> Iterator[tuple[list[str], str]]:
    library, apart = application.home / "library", application.home / "packings"
    apart.mkdir()
    build_image(WEIR_POST, apart)
    file = apart / WEIR_POST.file
    image = lzma.decompress(file.read_bytes())
    whole = apart / f"{STEM}.img"
    whole.write_bytes(image)
    made = []
    for packing, ending in PLAIN.items():
        (apart / f"{STEM}-{packing}.img{ending}").write_bytes(packed(image, packing))
        made.append(f"{STEM}-{packing}.img{ending}")
    for ending, tool in ARCHIVES.items():
        subprocess.run([*tool, f"{STEM}{ending}", whole.name], cwd=apart, check=True, capture_output=True)
        made.append(f"{STEM}{ending}")
    for name, (content, _) in NO_IMAGES.items():
        (apart / name).write_bytes(content if content is not None else file.read_bytes()[:-200_000])
    for name in (*made, *NO_IMAGES):
        (apart / name).rename(library / name)
    yield made, decimal_size(len(image))
    for left in library.glob(f"{STEM}*"):
        left.unlink()


def opened(page: Page, name: str) -> None:
    page.goto("/images")
    page.get_by_role("link", name=name).click()
    expect(page.get_by_role("heading", name=name)).to_be_visible()


def test_the_same_is_read_of_each_packing(page: Page, put_in: tuple[list[str], str]) -> None:
    names, size = put_in
    for name in names:
        opened(page, name)
        # A file that came is read by itself.
        expect(page.get_by_text(f"img {size}")).to_be_visible()
        expect(page.get_by_text("Weir post").first).to_be_visible()
        expect(page.get_by_role("link", name="Use this image")).to_be_visible()


def test_what_is_no_image_is_told_what_it_is(page: Page, put_in: tuple[list[str], str]) -> None:
    for name, (_, said) in NO_IMAGES.items():
        opened(page, name)
        expect(page.get_by_role("alert").get_by_text(said)).to_be_visible()
