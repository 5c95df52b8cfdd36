"""Platen over Wi-Fi: the detour of a wrong passphrase, then the whole line to the label."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser import walk
from tests.browser.conftest import Application

CARD = "QH-C32-07"


def test_wrong_passphrase_then_the_whole_line(page: Page, application: Application, cards_in_reader: None) -> None:
    walk.start(page, "Platen", "Reading-room press")
    # A twin without radio on a Wi-Fi plan stops, with its cures.
    walk.show_boards(page)
    page.get_by_role("radio", name="Larkspur C, green case").click()
    expect(page.locator("b", has_text="Larkspur C has no radio, and the plan says Wi-Fi")).to_be_visible()
    expect(page.get_by_role("list", name="Ways out").get_by_role("button", name="Run a cable to it")).to_be_visible()
    # The way on stands there all the same, and says what it waits for.
    expect(page.get_by_role("button", name="Go on to Image")).to_be_disabled()
    expect(page.get_by_text("First: Larkspur C has no radio")).to_be_visible()
    walk.plan(page, "Larkspur R, clear case", "Black one with switch")
    walk.use_suggested_image(page)

    walk.fill(page, "Host name", "reading-press")
    walk.fill(page, "Passphrase", "spring tide at nine")
    expect(page.get_by_text("only for this card.")).to_be_visible()
    file = page.get_by_role("region", name="platen-network.conf")
    expect(file).to_contain_text('ssid="Quay House 2G"')
    expect(file).not_to_contain_text("spring tide")
    walk.put_on_card(page, CARD)
    walk.power_on(page)

    expect(page.get_by_role("heading", name=re.compile("^Late: .* not on the network"))).to_be_visible()
    causes = page.get_by_role("listitem").filter(has=page.get_by_text("goes to"))
    expect(causes).to_have_count(3)
    expect(causes.first).to_contain_text("Passphrase is wrong")
    expect(causes.first).to_contain_text("is not the one the site keeps for Quay House 2G")

    causes.first.get_by_role("link", name="Check the passphrase").click()
    walk.station(page, "Settings")
    page.get_by_role("button", name="Use the site's").click()
    expect(page.get_by_text("the site's; the derived key goes in")).to_be_visible()
    page.get_by_role("button", name="Put on a card").click()
    walk.station(page, "Card")
    expect(page.get_by_text("The card is older than the settings.")).to_be_visible()
    page.get_by_role("button", name="Power off, card back in the reader").click()
    walk.write(page, CARD)
    walk.power_on(page)
    expect(page.get_by_role("heading", name=re.compile("^On the network after"))).to_be_visible()

    device = walk.claim(page)
    expect(device.get_by_text("Platen print desk")).to_be_visible()
    expect(device.get_by_role("heading", name="reading-press")).to_be_visible()

    page.get_by_role("link", name="Go on to Set up").click()
    walk.station(page, "Set up")
    page.get_by_role("button", name="Check it").first.click()
    expect(page.get_by_text("Its page answers.")).to_be_visible()
    page.get_by_role("button", name="Check it").first.click()
    expect(page.get_by_text("The image's own login still opens it.")).to_be_visible()
    change = device.locator("section", has=device.get_by_role("heading", name="Change the word"))
    change.get_by_label("Name").fill("inkwell")
    change.get_by_label("Old word").fill("inkwell")
    change.get_by_label("New word").fill("a harbour wall")
    change.get_by_role("button").click()
    expect(device.get_by_role("status")).to_contain_text("The word has changed")
    page.get_by_role("button", name="Check again").nth(1).click()
    expect(page.get_by_text("The image's own login no longer opens it.")).to_be_visible()
    page.get_by_role("button", name="I saw it").click()

    page.get_by_role("link", name="Go on to Keep").click()
    walk.station(page, "Keep")
    label = page.locator(".print-label")
    expect(label).to_contain_text("Reading-room press")
    expect(label).to_contain_text("reading-press.local")
    expect(label).to_contain_text("Platen 3.2, 64-bit, on Larkspur R")
    expect(label.get_by_role("img")).to_be_visible()
    page.get_by_role("button", name="Put it in service").click()
    expect(page.get_by_text("In service at")).to_be_visible()

    page.get_by_label("Name", exact=True).fill("Map-room press")
    page.get_by_role("button", name="Start the next one").click()
    walk.station(page, "Plan")
    expect(page.get_by_text("reading-press-2")).to_be_visible()

    assert "spring tide" not in application.output
