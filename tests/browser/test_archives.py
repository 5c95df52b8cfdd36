"""An archive with two images and a sheet: which one is meant is asked, what lies beside it is shown, a copied checksum is compared."""

from __future__ import annotations

import hashlib
import re
import zipfile
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Locator, Page, expect

from mintseed.standins.forge.build import build_image
from mintseed.standins.forge.own_sources import WEIR_POST
from tests.browser.conftest import Application

FILE, ONE = "two-posts.zip", "post-1.4-64.img.xz"


@pytest.fixture
def archive(application: Application) -> Iterator[Path]:
    """Two images that no recipe names and a text, in one file of the library."""
    library, apart = application.home / "library", application.home / "apart"
    apart.mkdir()
    build_image(WEIR_POST, apart)
    image = (apart / WEIR_POST.file).read_bytes()
    with zipfile.ZipFile(apart / FILE, "w") as made:
        made.writestr("READ ME.txt", "The level sensor goes on before power.\n")
        made.writestr(f"north/{ONE}", image)
        made.writestr(f"south/{ONE}", image)
    place = (apart / FILE).rename(library / FILE)
    yield place
    for left in library.glob(f"{FILE}*"):
        left.unlink()


def test_one_of_two_images_in_an_archive(page: Page, archive: Path) -> None:
    page.goto("/images")
    page.get_by_role("link", name=FILE).click()
    expect(page.get_by_role("heading", name=FILE)).to_be_visible()
    # A file that came is read by itself.
    expect(page.get_by_role("heading", name="Which of them?")).to_be_visible()
    south = page.get_by_role("listitem").filter(has_text=f"south/{ONE}")
    south.get_by_role("button", name="Read this one").click()
    expect(page.get_by_role("heading", name=f"{FILE}/south/{ONE}")).to_be_visible()
    beside = sheet(page, "Beside it in the archive")
    beside.get_by_text("READ ME.txt").click()
    expect(beside.get_by_text("The level sensor goes on before power.")).to_be_visible()

    # What the download page says of the file is compared here, letter by letter.
    sums = page.get_by_label("Its published SHA-256, copied from the download page")
    sums.fill(hashlib.md5(archive.read_bytes(), usedforsecurity=False).hexdigest())
    page.get_by_role("button", name="Compare").click()
    expect(page.get_by_role("alert").filter(has_text="that is an MD5")).to_be_visible()
    sums.fill(f"{hashlib.sha256(archive.read_bytes()).hexdigest()}  {FILE}")
    page.get_by_role("button", name="Compare").click()
    expect(page.get_by_text("Whole, and the file that was published").first).to_be_visible()
    expect(sums).to_have_count(0)

    # Beside another image.
    compared = sheet(page, "Compared with another")
    compared.get_by_role("combobox", name=re.compile("^Image")).click()
    page.get_by_placeholder("Type to find it").fill("platen-3.2-64")
    page.get_by_role("option", name=re.compile("platen-3.2-64")).click()
    expect(compared.get_by_text("Otherwise here than on platen-3.2-64.img.xz")).to_be_visible()
    expect(compared.get_by_text("No longer starts on")).to_be_visible()


def sheet(page: Page, title: str) -> Locator:
    return page.locator("section", has=page.get_by_role("heading", name=title))
