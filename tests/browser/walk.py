"""The walk down the line in the words of the screen."""

from __future__ import annotations

import re

from playwright.sync_api import Locator, Page, expect


def station(page: Page, name: str) -> None:
    """Wait until the screen shows the station called `name`, and no longer the bench with a line for each device."""
    here = page.locator("[aria-current=step]")
    expect(here).to_have_count(1)
    expect(here).to_contain_text(name)


def start(page: Page, appliance: str, name: str, *, examples: bool = False) -> None:
    """`examples`: on a bench of real things what came with the program is folded away."""
    page.goto("/")
    expect(page.get_by_role("heading", name="Bench", exact=True)).to_be_visible()
    page.keyboard.press("n")
    if examples:
        page.get_by_role("button", name=re.compile("^Examples, made up")).click()
    page.get_by_role("radio", name=appliance).check(force=True)
    page.get_by_label("What do you call it?").fill(name)
    page.get_by_role("button", name=f"Start with {appliance}").click()
    station(page, "Plan")


def plan(page: Page, board: str, supply: str, card: str = "32 GB") -> None:
    # A choice shows at once and is put right by the server's answer, so what counts is what the screen then says.
    show_boards(page)
    page.get_by_role("radio", name=board).click()
    expect(page.get_by_role("radio", name=board)).to_be_checked()
    pick(page, "Card", card)
    pick(page, "Supply", supply)
    page.get_by_role("link", name="Go on to Image").click()
    station(page, "Image")


def show_boards(page: Page) -> None:
    """Open the whole list of boards; at first only the best few lie open."""
    expect(page.get_by_role("radiogroup", name="Board").get_by_role("radio").first).to_be_visible()
    more = page.get_by_role("button", name=re.compile("^Show all"))
    if more.count():
        more.click()


def use_suggested_image(page: Page) -> None:
    page.get_by_role("button", name=re.compile("^Use ")).click()
    expect(page.get_by_text("Whole, and the file that was published").first).to_be_visible()
    page.get_by_role("link", name="Go on to Settings").click()
    station(page, "Settings")


def pick(page: Page, label: str, text: str) -> None:
    """Open the list called `label`, type what is looked for and take it."""
    page.get_by_role("combobox", name=re.compile(f"^{label}")).click()
    choices = page.get_by_role("dialog")
    choices.get_by_placeholder("Type to find it").fill(text)
    choices.get_by_role("option").first.click()
    expect(choices).to_have_count(0)


def radio(page: Page, text: str) -> Locator:
    """Return the radio button of the card on the screen that has `text` on it."""
    return page.locator("label", has_text=text).get_by_role("radio")


def fill(page: Page, label: str, value: str) -> None:
    field = page.get_by_label(label, exact=True)
    field.fill(value)
    field.press("Tab")


def put_on_card(page: Page, serial: str) -> None:
    """From Settings to a proven card."""
    page.get_by_role("button", name="Put on a card").click()
    station(page, "Card")
    write(page, serial)


def write(page: Page, serial: str) -> None:
    radio(page, serial).check()
    page.get_by_role("button", name="Write the card").click()
    dialog = page.get_by_role("dialog")
    dialog.locator("label", has_text=serial).get_by_role("radio").check()
    dialog.get_by_role("button", name=re.compile("^Write over")).click()
    expect(page.get_by_role("heading", name="Proven: the card holds the filled image")).to_be_visible()


def power_on(page: Page) -> None:
    page.get_by_role("link", name="Go on to First boot").click()
    station(page, "First boot")
    page.get_by_role("button", name="Power on").click()


def claim(page: Page) -> Page:
    """From a joined board to its own page, opened, looked at and claimed; returns that page."""
    page.get_by_role("link", name="Go on to Find").click()
    station(page, "Find")
    expect(page.get_by_text("its page says").first).to_be_visible()
    with page.context.expect_page() as opened:
        page.get_by_role("link", name="Open its page").click()
    expect(opened.value.get_by_role("heading", name="Log in")).to_be_visible()
    page.get_by_role("button", name="This is it", exact=True).first.click()
    expect(page.get_by_role("heading", name="This is it")).to_be_visible()
    return opened.value


def set_up(page: Page) -> None:
    """Through the first steps of a device whose account was made before first boot, to Keep."""
    page.get_by_role("link", name="Go on to Set up").click()
    station(page, "Set up")
    page.get_by_role("button", name="Check it").first.click()
    expect(page.get_by_text("Its page answers.")).to_be_visible()
    page.get_by_role("button", name="Check it").first.click()
    expect(page.get_by_text("The image's own login no longer opens it.")).to_be_visible()
    page.get_by_role("button", name="I saw it").click()
    page.get_by_role("link", name="Go on to Keep").click()
    station(page, "Keep")


def use_own_image(page: Page, file_name: str) -> None:
    """From the library to the plan, with an image that no recipe names and the board that its device tree names."""
    page.goto("/images")
    # Nobody asks for it: it is read because it came.
    page.get_by_role("link", name=re.compile(re.escape(file_name))).click()
    page.get_by_role("link", name="Use this image").click()
    # What was read is there, each with where it comes from.
    expect(page.get_by_text("etc/nginx/sites-enabled/post")).to_be_visible()
    radio(page, "Hollow 1").check()
    page.get_by_role("button", name="Keep it and start").click()
    station(page, "Plan")


def with_its_image(page: Page, card: str) -> None:
    """From a plan that has its image already to Settings."""
    pick(page, "Card", card)
    page.get_by_role("link", name="Go on to Image").click()
    station(page, "Image")
    page.get_by_role("link", name="Go on to Settings").click()
    station(page, "Settings")


def own_page_kept(page: Page) -> Locator:
    """From what was found to Keep, of a device whose recipe was drafted; returns what it taught."""
    page.get_by_role("button", name="This is it", exact=True).first.click()
    expect(page.get_by_role("heading", name="This is it")).to_be_visible()
    page.get_by_role("link", name="Go on to Set up").click()
    station(page, "Set up")
    page.get_by_role("button", name="Check it").first.click()
    expect(page.get_by_text("Its page answers.")).to_be_visible()
    page.get_by_role("link", name="Go on to Keep").click()
    station(page, "Keep")
    lessons = page.locator("section", has=page.get_by_role("heading", name="What this one taught"))
    expect(lessons.get_by_text("Its page says Weir post: level and flow")).to_be_visible()
    return lessons
