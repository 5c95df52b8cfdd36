"""A release changed, and the name of the settings file with it: the older release reads another file, and the newer one leaves that alone."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from mintseed.standins.forge.build import build_demo
from mintseed.standins.forge.more_sources import MORE_IMAGES
from tests.browser import walk
from tests.browser.conftest import Application

NEW, OLD = "reedwave-network.conf", "hotspot-wifi.conf"


def test_another_release_reads_another_file(page: Page, application: Application) -> None:
    build_demo([s for s in MORE_IMAGES if s.file.startswith("reedwave-")], application.home / "library")
    walk.start(page, "Reedwave", "Balcony hotspot")
    walk.show_boards(page)
    page.get_by_role("radio", name="Sprig, spare").click()
    expect(page.get_by_role("radio", name="Sprig, spare")).to_be_checked()
    here = re.sub(r"/plan$", "", page.url)
    page.goto(f"{here}/image")
    take(page, "reedwave-3.1-32")
    page.goto(f"{here}/settings")
    walk.fill(page, "Your call sign", "XX0XX")
    expect(page.get_by_role("region", name=NEW)).to_contain_text("Quay House 2G")
    expect(page.get_by_role("region", name=OLD)).to_have_count(0)
    expect(page.get_by_text(f"{OLD} is left as it lies")).to_be_visible()

    page.goto(f"{here}/image")
    take(page, "reedwave-3.0-32")
    page.goto(f"{here}/settings")
    expect(page.get_by_role("region", name=OLD)).to_contain_text("Quay House 2G")
    expect(page.get_by_role("region", name=NEW)).to_have_count(0)


def take(page: Page, file: str) -> None:
    page.get_by_role("radio", name=re.compile(file)).click()
    expect(page.get_by_role("radio", name=re.compile(file))).to_be_checked()
    expect(page.get_by_text("Whole, and the file that was published").first).to_be_visible()
