"""A killed worker, a closed browser, a stopped database during a write: said so, never shown as written, walk goes on."""

from __future__ import annotations

import os
import signal
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from mintseed.standins.bench_folder import BenchFolder
from tests.browser import walk
from tests.browser.conftest import Application

CARD = "T-CARD-16"
PROVEN = "Proven: the card holds the filled image"


def processes(application: Application, words: str) -> list[int]:
    """Return the ids of this application's processes whose command line holds `words`, told by their home."""
    listed = subprocess.run(["pgrep", "-f", words], capture_output=True, text=True, check=False).stdout.split()
    wanted = f"MINTSEED_HOME={application.home}".encode()
    return [pid for pid in map(int, listed) if wanted in _environment(pid).split(b"\0")]


def _environment(pid: int) -> bytes:
    try:
        return Path(f"/proc/{pid}/environ").read_bytes()
    except OSError:
        return b""


def kill(application: Application, words: str) -> None:
    found = [pid for pid in processes(application, words) if "stay" not in _command(pid)]
    assert found
    for pid in found:
        os.kill(pid, signal.SIGKILL)


def _command(pid: int) -> str:
    return Path(f"/proc/{pid}/cmdline").read_text(errors="replace")


@pytest.fixture
def slow_card(application: Application) -> Iterator[None]:
    """Put in one more card, slow enough that things can happen while it is written; take it out afterwards."""
    folder = BenchFolder(application.home / "bench")
    before = folder.read(folder.drives_file)
    card = {"name": "pdt", "path": "/dev/pdt", "size": 16 * 10**9, "rm": True, "tran": "usb", "model": "Test reader",
            "serial": CARD, "type": "disk", "faults": {"rate_bytes_per_s": 12_000_000}}  # fmt: skip
    folder.write(folder.drives_file, [*before, card])
    yield
    folder.write(folder.drives_file, before)


def begin_writing(page: Page, name: str, host_name: str) -> None:
    walk.start(page, "Platen", name)
    walk.plan(page, "Larkspur R, bare", "Black one with switch", "16 GB")
    walk.use_suggested_image(page)
    walk.fill(page, "Host name", host_name)
    page.get_by_role("button", name="Put on a card").click()
    walk.station(page, "Card")
    walk.radio(page, CARD).check()
    page.get_by_role("button", name="Write the card").click()
    dialog = page.get_by_role("dialog")
    dialog.locator("label", has_text=CARD).get_by_role("radio").check()
    dialog.get_by_role("button", name="Write over 16 GB card").click()
    expect(page.get_by_role("heading", name="Write: leave the card in the reader")).to_be_visible()


def test_a_killed_worker_is_said_and_the_walk_goes_on(page: Page, application: Application, slow_card: None) -> None:
    begin_writing(page, "Killed worker", "killed-worker")
    kill(application, "manage.py worker --queue-name cards")
    expect(page.get_by_role("heading", name="The card is not written")).to_be_visible()
    expect(page.get_by_text("The worker died while it was at it").first).to_be_visible()
    expect(page.get_by_text(PROVEN)).to_have_count(0)
    walk.write(page, CARD)


def test_stopping_by_hand_and_a_closed_browser(
    page: Page, browser: Browser, application: Application, slow_card: None
) -> None:
    begin_writing(page, "Stopped by hand", "stopped-by-hand")
    page.get_by_role("button", name="Stop").click()
    expect(page.get_by_role("alert")).to_contain_text("stopped by you")
    walk.radio(page, CARD).check()
    page.get_by_role("button", name="Write the card").click()
    page.get_by_role("dialog").locator("label", has_text=CARD).get_by_role("radio").check()
    page.get_by_role("dialog").get_by_role("button", name="Write over 16 GB card").click()
    expect(page.get_by_role("heading", name="Write: leave the card in the reader")).to_be_visible()
    address = page.url
    page.goto("about:blank")
    with browser.new_context() as context:
        another = context.new_page()
        another.goto(address)
        expect(another.get_by_text(PROVEN)).to_be_visible()


def test_a_stopped_database_ends_the_write_and_all_comes_back(
    browser: Browser, application: Application, slow_card: None
) -> None:
    # Errors in the console are expected here, so this page is not the watched one.
    with browser.new_context(base_url=application.url, viewport={"width": 1280, "height": 800}) as context:
        page = context.new_page()
        begin_writing(page, "Stopped database", "stopped-database")
        application.traces_expected = True
        kill(application, f"datadir={application.home}/database")
        expect(page.get_by_role("heading", name="The card is not written")).to_be_visible(timeout=60_000)
        expect(page.get_by_text(PROVEN)).to_have_count(0)
        # What was there before is there again.
        page.goto("/log")
        expect(page.get_by_text("Started: Platen as Stopped database")).to_be_visible()
        page.goto("/")
        page.get_by_role("region", name="Stopped database").get_by_role("link", name="Fix").click()
        walk.station(page, "Card")
        walk.write(page, CARD)
