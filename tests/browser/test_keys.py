"""The whole line by keys alone: from an empty field to the label. Enter presses main buttons, but none that writes or powers."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.browser import walk

CARD = "QH-C32-07"


def tab_to(page: Page, role: str, name: str) -> None:
    """Press Tab until what has the focus is the first element of that role whose name begins so."""
    wanted = page.get_by_role(role, name=re.compile(f"^{re.escape(name)}"))  # type: ignore[arg-type]
    expect(wanted.first).to_be_enabled()
    for _ in range(80):
        if wanted.first.evaluate("(e) => e === document.activeElement"):
            return
        page.keyboard.press("Tab")
    pytest.fail(f"Tab never comes to the {role} {name}")


def arrow_to(page: Page, wanted: Locator) -> None:
    """Press the arrow down until `wanted` of this group has the focus, and with it the choice."""
    for _ in range(30):
        if wanted.evaluate("(e) => e === document.activeElement"):
            break
        page.keyboard.press("ArrowDown", delay=80)
    if not wanted.is_checked():
        page.keyboard.press("Space")  # the first one has the focus without having been chosen
    expect(wanted).to_be_checked()


def press(page: Page, role: str, name: str) -> None:
    tab_to(page, role, name)
    page.keyboard.press("Enter")


def choose(page: Page, label: str, typed: str) -> None:
    press(page, "combobox", label)
    page.get_by_role("option").first.wait_for()
    page.keyboard.type(typed)
    expect(page.get_by_role("option", name=re.compile(typed)).first).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.get_by_role("option")).to_have_count(0)


def go_on(page: Page, says: str, to: str) -> None:
    """Press Enter with nothing in the focus, which presses the main button."""
    expect(page.locator("[data-main]")).to_contain_text(says)
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("Enter")
    walk.station(page, to)


def test_from_an_empty_field_to_the_label(page: Page, cards_in_reader: None) -> None:
    page.goto("/")
    expect(page.get_by_role("heading", name="Bench", exact=True)).to_be_visible()
    page.keyboard.press("n")
    expect(page.get_by_role("radiogroup", name="Appliance")).to_be_visible()
    tab_to(page, "radio", "Cinderwick")
    page.keyboard.press("Space")
    arrow_to(page, page.get_by_role("radio", name="Lintel home hub"))
    tab_to(page, "textbox", "What do you call it?")
    page.keyboard.type("By keys alone")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", level=1, name="By keys alone")).to_be_visible()
    press(page, "button", "Show all")
    tab_to(page, "radio", "Larkspur C")  # the one the plan was filled with
    arrow_to(page, page.get_by_role("radio", name="Larkspur R, new in its bag"))
    tab_to(page, "radio", "Cable")
    page.keyboard.press("ArrowRight", delay=80)
    expect(page.get_by_role("radio", name="Wi-Fi", exact=True)).to_be_checked()
    choose(page, "Card", "32 GB")
    choose(page, "Supply", "Black one")
    go_on(page, "Go on to Image", "Image")
    expect(page.get_by_role("button", name=re.compile("^Use "))).to_be_visible()
    page.keyboard.press("Enter")
    go_on(page, "Go on to Settings", "Settings")
    for label, typed in (("Admin", "keeper"), ("Password", "three wet boots")):
        tab_to(page, "textbox", label)
        page.keyboard.type(typed)
    page.keyboard.press("Tab")
    expect(page.get_by_text("hashed", exact=True)).to_be_visible()
    go_on(page, "Put on a card", "Card")
    tab_to(page, "radio", "")
    arrow_to(page, walk.radio(page, CARD))
    expect(page.get_by_role("button", name="Write the card")).to_be_enabled()
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("Enter")
    expect(page.get_by_role("dialog")).to_have_count(0)
    press(page, "button", "Write the card")
    dialog = page.get_by_role("dialog")
    again = dialog.locator("label", has_text=CARD).get_by_role("radio")
    tab_to(page, "radio", "")
    arrow_to(page, again)
    press(page, "button", "Write over")
    expect(page.get_by_role("heading", name="Proven: the card holds the filled image")).to_be_visible()
    go_on(page, "Go on to First boot", "First boot")
    expect(page.get_by_role("button", name="Power on")).to_be_enabled()
    page.keyboard.press("Enter")
    press(page, "button", "Power on")
    expect(page.get_by_role("heading", name=re.compile("^On the network after"))).to_be_visible()
    go_on(page, "Go on to Find", "Find")
    expect(page.get_by_text("its page says").first).to_be_visible()
    page.evaluate("document.activeElement.blur()")
    with page.context.expect_page() as opened:
        page.keyboard.press("o")
    expect(opened.value.get_by_role("heading", name="Log in")).to_be_visible()
    opened.value.close()
    press(page, "button", "This is it")
    expect(page.get_by_role("heading", name="This is it")).to_be_visible()
    go_on(page, "Go on to Set up", "Set up")
    press(page, "button", "Check it")
    expect(page.get_by_text("Its page answers.")).to_be_visible()
    press(page, "button", "Check it")
    expect(page.get_by_text("The image's own login no longer opens it.")).to_be_visible()
    press(page, "button", "I saw it")
    go_on(page, "Go on to Keep", "Keep")
    expect(page.locator(".print-label")).to_contain_text("By keys alone")
    press(page, "button", "Put it in service")
    expect(page.get_by_text("In service at")).to_be_visible()
