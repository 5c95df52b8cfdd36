"""Lintel over the cable, with an account made before first boot."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser import walk


def test_the_whole_line_over_the_cable(page: Page, cards_in_reader: None) -> None:
    walk.start(page, "Lintel", "Tide-room hub")
    walk.plan(page, "Tansy, workshop", "Grey USB-C one", "16 GB")
    walk.use_suggested_image(page)
    walk.fill(page, "Host name", "tide-hub")
    walk.fill(page, "Admin", "keeper")
    walk.fill(page, "Password", "three wet boots")
    expect(page.get_by_text("hashed", exact=True)).to_be_visible()
    file = page.get_by_role("region", name="settings/device.conf")
    expect(file).to_contain_text("NAME='tide-hub'")
    expect(file).to_contain_text("ACCOUNT='keeper'")
    # Over the cable the Wi-Fi file is left as it came.
    expect(page.get_by_role("tab")).to_have_count(1)
    walk.put_on_card(page, "QH-C16-02")
    walk.power_on(page)
    expect(page.get_by_role("heading", name=re.compile("^On the network after"))).to_be_visible()
    device = walk.claim(page)
    expect(device.get_by_text("Lintel house page")).to_be_visible()
    login = device.locator("section", has=device.get_by_role("heading", name="Log in"))
    login.get_by_label("Name").fill("keeper")
    login.get_by_label("Word").fill("three wet boots")
    login.get_by_role("button").click()
    expect(device.get_by_text("You are in, as keeper.")).to_be_visible()

    walk.set_up(page)
    page.get_by_role("button", name="Put it in service").click()
    expect(page.get_by_text("In service at")).to_be_visible()
    page.get_by_role("link", name="To the Bench").click()
    expect(page.get_by_role("heading", name="In service")).to_be_visible()
