"""Several cards at once, and cards for no deployment: read back, tested, cleared."""

from __future__ import annotations

import re
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect

from mintseed.standins.bench_folder import BenchFolder
from tests.browser import walk
from tests.browser.conftest import Application

FIRST, SECOND, FALSE = "T-SIDE-1", "T-SIDE-2", "T-FALSE"
MB = 10**6
PROVEN = "Proven: the card holds the filled image"


def entry(name: str, serial: str, size_bytes: int, **faults: int) -> dict[str, Any]:
    return {
        "name": name, "path": f"/dev/{name}", "size": size_bytes, "rm": True, "tran": "usb", "model": "Side reader", "serial": serial,
        "type": "disk", "faults": faults,
    }  # fmt: skip


@pytest.fixture
def cards(application: Application) -> Iterator[None]:
    """One card that is slow, one that is pulled out half-way, one that says more than it has; taken out afterwards."""
    folder = BenchFolder(application.home / "bench")
    before = folder.read(folder.drives_file)
    ours = [
        entry("pdx", FIRST, 8000 * MB, rate_bytes_per_s=60 * MB),
        entry("pdy", SECOND, 8000 * MB, rate_bytes_per_s=60 * MB, gone_after_bytes=70 * MB),
        entry("pdz", FALSE, 64 * MB, wraps_at_bytes=40_000_000),
    ]
    folder.write(folder.drives_file, [*before, *ours])
    yield
    folder.write(folder.drives_file, before)
    for one in ours:
        (folder.cards / f"{one['name']}.img").unlink(missing_ok=True)


def at_card(page: Page, name: str, host_name: str) -> None:
    walk.start(page, "Platen", name)
    walk.plan(page, "Larkspur R, bare", "Black one with switch", "16 GB")
    walk.use_suggested_image(page)
    walk.fill(page, "Host name", host_name)
    page.get_by_role("button", name="Put on a card").click()
    walk.station(page, "Card")


def begin(page: Page, serial: str) -> None:
    walk.radio(page, serial).check()
    page.get_by_role("button", name="Write the card").click()
    dialog = page.get_by_role("dialog")
    dialog.locator("label", has_text=serial).get_by_role("radio").check()
    dialog.get_by_role("button", name="Write over 8 GB card").click()


def test_two_cards_are_written_at_once_and_one_is_pulled_out(
    page: Page, browser: Browser, application: Application, cards: None
) -> None:
    at_card(page, "Side one", "side-one")
    with browser.new_context(base_url=application.url, viewport={"width": 1280, "height": 800}) as context:
        other = context.new_page()
        at_card(other, "Side two", "side-two")
        begin(page, FIRST)
        begin(other, SECOND)
        at_it = re.compile("leave the card in the reader")
        expect(other.get_by_role("heading", name=at_it)).to_be_visible()
        expect(page.get_by_role("heading", name=at_it)).to_be_visible()
        expect(other.get_by_role("heading", name="The card is not written")).to_be_visible()
        expect(other.get_by_text("the drive is gone").first).to_be_visible()
        expect(page.get_by_text(PROVEN)).to_be_visible()
        expect(other.get_by_text(PROVEN)).to_have_count(0)


def test_a_write_waits_while_one_wants_it(page: Page, cards: None) -> None:
    at_card(page, "Waits", "waits")
    begin(page, FIRST)
    page.get_by_role("button", name="Pause").click()
    expect(page.get_by_role("heading", name="Waiting for you: leave the card in the reader")).to_be_visible()
    page.get_by_role("button", name="Go on").click()
    expect(page.get_by_text(PROVEN)).to_be_visible()
    expect(page.get_by_text(re.compile("On it now: .*vfat|On it now: .*FAT"))).to_be_visible()


def test_a_card_is_read_back_and_then_cleared(page: Page, cards: None, tmp_path: Path) -> None:
    at_card(page, "Read back", "read-back")
    begin(page, FIRST)
    expect(page.get_by_text(PROVEN)).to_be_visible()

    page.get_by_role("navigation", name="Places").get_by_role("link", name="Cards").click()
    mine = page.get_by_role("listitem").filter(has_text=FIRST).first
    expect(mine).to_contain_text("Card of Read back")
    mine.get_by_role("button", name=re.compile("^Prove")).click()
    expect(page.get_by_text("It holds what was written to it, byte for byte").first).to_be_visible()
    mine.get_by_role("button", name=re.compile("back into a file")).click()
    done = page.get_by_role("listitem").filter(has_text="Read back into a file").filter(has_text=FIRST)
    expect(done).to_have_count(1)
    with page.expect_download() as file:
        done.get_by_role("link", name=re.compile(r"^card-T-SIDE-1")).click()
    with page.expect_download() as listed:
        done.get_by_role("link", name="Its checksum file").click()
    name = file.value.suggested_filename
    file.value.save_as(tmp_path / name)
    listed.value.save_as(tmp_path / "list")
    subprocess.run(["sha256sum", "-c", "list"], cwd=tmp_path, check=True, capture_output=True)

    mine.get_by_role("button", name=re.compile("^Clear")).click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_role("button", name="Clear the 8 GB card")).to_be_disabled()
    dialog.locator("label", has_text=SECOND).get_by_role("radio").check()
    expect(dialog.get_by_text("That is another one.")).to_be_visible()
    dialog.locator("label", has_text=FIRST).get_by_role("radio").check()
    dialog.get_by_role("button", name="Clear the 8 GB card").click()
    expect(page.get_by_text("No partition table is left on it").first).to_be_visible()
    expect(mine).not_to_contain_text("Card of Read back")


def test_a_card_that_says_more_than_it_has_is_told(page: Page, cards: None) -> None:
    page.goto("/cards")
    mine = page.get_by_role("listitem").filter(has_text=FALSE).first
    mine.get_by_role("button", name=re.compile("^Test all")).click()
    dialog = page.get_by_role("dialog")
    dialog.locator("label", has_text=FALSE).get_by_role("radio").check()
    dialog.get_by_role("button", name=re.compile("^Test the")).click()
    expect(page.get_by_text(re.compile(r"It holds about \d+\.?\d* MB of the 64 MB it says")).first).to_be_visible()


def test_the_filled_image_is_packed_as_one_likes(page: Page, tmp_path: Path) -> None:
    at_card(page, "Packed", "packed")
    page.get_by_role("combobox", name="How it is packed").click()
    page.get_by_role("option", name=re.compile("img.zst")).click()
    page.get_by_role("button", name="Make the filled image").click()
    link = page.get_by_role("link", name=re.compile(r"^packed-platen.*\.img\.zst"))
    expect(link).to_be_visible()
    with page.expect_download() as file:
        link.click()
    with page.expect_download() as listed:
        page.get_by_role("link", name="its checksum file").click()
    file.value.save_as(tmp_path / file.value.suggested_filename)
    listed.value.save_as(tmp_path / "list")
    subprocess.run(["sha256sum", "-c", "list"], cwd=tmp_path, check=True, capture_output=True)
