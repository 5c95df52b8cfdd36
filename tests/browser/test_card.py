"""At the card: what an earlier system left at its end is told before the write, and goes with it."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from mintseed.standins.bench_folder import BenchFolder
from mintseed.standins.forge.build import build_used_card
from tests.browser import walk
from tests.browser.conftest import Application

CARD, OTHER_CARD, SIZE_BYTES = "T-CARD-USED", "T-CARD-NEW", 8 * 10**9
OLD_TABLE = "An old partition table stands at the end of this card"


@pytest.fixture
def used_card(application: Application) -> Iterator[None]:
    """Put in a card that carried another system and one that carried none; take them out afterwards."""
    folder = BenchFolder(application.home / "bench")
    before = folder.read(folder.drives_file)
    build_used_card(folder.cards / "pdu.img", SIZE_BYTES)
    cards = [
        {"name": name, "path": f"/dev/{name}", "size": SIZE_BYTES, "rm": True, "tran": "usb", "model": "Test reader",
         "serial": serial, "type": "disk", "faults": {}}
        for name, serial in (("pdu", CARD), ("pdv", OTHER_CARD))
    ]  # fmt: skip
    folder.write(folder.drives_file, [*before, *cards])
    yield
    folder.write(folder.drives_file, before)


def as_far_as_the_card(page: Page, name: str, host_name: str) -> None:
    walk.start(page, "Platen", name)
    walk.plan(page, "Larkspur R, bare", "Black one with switch", "16 GB")
    walk.use_suggested_image(page)
    walk.fill(page, "Host name", host_name)
    page.get_by_role("button", name="Put on a card").click()
    walk.station(page, "Card")


def test_an_old_table_is_told_and_goes_with_the_write(page: Page, used_card: None) -> None:
    as_far_as_the_card(page, "On a used card", "on-a-used-card")
    mine = page.locator("label", has_text=CARD)
    expect(mine).to_contain_text(OLD_TABLE)
    walk.radio(page, CARD).check()
    page.get_by_role("button", name="Write the card").click()
    dialog = page.get_by_role("dialog")
    # It is offered for every card, and taken for one that needs it unless the person says otherwise.
    clear = dialog.get_by_role("checkbox", name="Clear the end of the card too")
    expect(clear).to_be_checked()
    dialog.get_by_role("button", name="Leave it as it is").click()
    walk.radio(page, OTHER_CARD).check()
    page.get_by_role("button", name="Write the card").click()
    expect(clear).not_to_be_checked()
    dialog.get_by_role("button", name="Leave it as it is").click()
    walk.radio(page, CARD).check()
    page.get_by_role("button", name="Write the card").click()
    dialog.locator("label", has_text=CARD).get_by_role("radio").check()
    dialog.get_by_role("button", name="Write over 8 GB card").click()
    expect(page.get_by_text("Proven: the card holds the filled image")).to_be_visible()
    expect(page.get_by_text("the end of the card cleared")).to_be_visible()
    expect(mine).not_to_contain_text(OLD_TABLE)


def test_what_is_in_use_is_proposed_and_everything_is_one_choice_away(page: Page, used_card: None) -> None:
    as_far_as_the_card(page, "Twice written", "twice-written")
    walk.radio(page, OTHER_CARD).check()
    dialog = page.get_by_role("dialog")
    page.get_by_role("button", name="Write the card").click()
    expect(dialog.get_by_role("radio", name="What is in use")).to_be_checked()
    dialog.get_by_role("button", name="Leave it as it is").click()
    walk.write(page, OTHER_CARD)
    proof = page.locator("section", has=page.get_by_role("heading", name="Proven: the card holds the filled image"))
    expect(proof).to_contain_text("that nothing uses, left as they were")
    # Another host name: the same card is written again, all of it this time.
    page.get_by_role("link", name="Settings").first.click()
    walk.fill(page, "Host name", "twice-again")
    page.get_by_role("button", name="Put on a card").click()
    walk.station(page, "Card")
    walk.radio(page, OTHER_CARD).check()
    page.get_by_role("button", name="Write the card").click()
    dialog.get_by_role("radio", name="Everything").check()
    dialog.locator("label", has_text=OTHER_CARD).get_by_role("radio").check()
    dialog.get_by_role("button", name="Write over").click()
    expect(proof).to_contain_text(re.compile(r"All \d+ MB of it were read back and compared"))
