"""An image no recipe names and a board nobody described, from the file to the opened page: nothing typed but what only a person knows."""

from __future__ import annotations

import re

from playwright.sync_api import Browser, Page, Route, expect

from mintseed.standins.forge.build import build_image
from mintseed.standins.forge.own_sources import WEIR_POST
from tests.browser import walk
from tests.browser.conftest import Application

CARD = "QH-C32-07"


def test_an_image_of_ones_own_goes_down_the_line(page: Page, application: Application, cards_in_reader: None) -> None:
    build_image(WEIR_POST, application.home / "library")
    walk.use_own_image(page, WEIR_POST.file)
    expect(page.locator("b", has_text=re.compile("carries Hollow 1 cannot be told"))).to_be_visible()
    walk.with_its_image(page, "32 GB")
    walk.fill(page, "Host name", "weir-east")
    file = page.get_by_role("region", name="/etc/NetworkManager/system-connections/wifi.nmconnection")
    expect(file).to_contain_text("ssid=Quay House 2G")
    walk.put_on_card(page, CARD)
    walk.power_on(page)
    expect(page.get_by_role("heading", name=re.compile("^On the network after"))).to_be_visible()

    page.get_by_role("link", name="Go on to Find").click()
    walk.station(page, "Find")
    with page.context.expect_page() as opened:
        page.get_by_role("link", name="Open its page").click()
    expect(opened.value.get_by_role("heading", name="weir-east")).to_be_visible()
    # What it taught goes into the recipe, and the next one starts with it.
    lesson = walk.own_page_kept(page)
    for left in (1, 0):
        lesson.get_by_role("button", name="Take it into the recipe").first.click()
        expect(lesson.get_by_role("button", name="Take it into the recipe")).to_have_count(left)
    kept = page.request.get("/api/descriptions/recipe/weir-post").json()["text"]
    assert "signature: 'Weir post: level and flow'" in kept
    assert "assumed" not in kept


def test_a_board_needs_no_more_than_a_name(page: Page) -> None:
    page.goto("/shelf")
    page.get_by_role("link", name="A name is enough").click()
    expect(page.get_by_role("heading", name="A board of your own")).to_be_visible()
    page.get_by_label("Name", exact=True).fill("Grandmother's board")
    page.get_by_role("button", name="Put it on the shelf").click()
    expect(page.get_by_role("heading", name="Shelf")).to_be_visible()
    expect(page.get_by_text("Grandmother's board").first).to_be_visible()
    # What was found out later is said later, and what was said before stands there.
    more = page.get_by_role("link", name="Say more of Grandmother's board")
    more.click()
    # Until it is there the shelf stands, with names to fill in too.
    expect(page.get_by_role("button", name="Keep it")).to_be_visible()
    expect(page.get_by_label("Name", exact=True)).to_have_value("Grandmother's board")
    page.get_by_role("radiogroup", name="Network socket").get_by_label("Yes").check()
    page.get_by_role("button", name="Keep it").click()
    expect(page.get_by_role("heading", name="Shelf")).to_be_visible()
    more.click()
    expect(page.get_by_role("radiogroup", name="Network socket").get_by_label("Yes")).to_be_checked()


def test_an_image_is_brought_through_the_page_and_goes_on_where_it_stopped(
    browser: Browser, application: Application
) -> None:
    """The protocol is tus 1.0.0, spoken by its own client."""
    # A context of its own: a request that breaks off is an error in its console.
    with browser.new_context(base_url=application.url) as context:
        _bring(context.new_page(), application)


def _bring(page: Page, application: Application) -> None:
    body = bytes(3 * 1024 * 1024 + 17)
    page.goto("/images")
    broken = {"left": 1}

    def once(route: Route) -> None:
        if route.request.method == "PATCH" and broken["left"] and route.request.headers.get("upload-offset") != "0":
            broken["left"] -= 1
            route.abort()
            return
        route.continue_()

    page.route("**/api/uploads/**", once)
    page.get_by_label("Bring an image").set_input_files(
        {"name": "brought-2.0.img", "mimeType": "application/octet-stream", "buffer": body}
    )
    coming = page.get_by_role("region", name="Files on their way")
    expect(coming.get_by_text("It is there; it is read by itself.")).to_be_visible()
    assert broken["left"] == 0, "it broke off once"
    assert (application.home / "library" / "brought-2.0.img").read_bytes() == body
    # It is no card image, and that is said without anybody asking.
    row = page.get_by_role("link", name=re.compile("brought-2.0.img"))
    expect(row).not_to_contain_text("not read yet")
    coming.get_by_role("button", name="Put brought-2.0.img away").click()
    expect(coming).to_have_count(0)
    page.get_by_label("Bring an image").set_input_files({"name": "notes.txt", "mimeType": "text/plain", "buffer": b"x"})
    expect(coming.get_by_text("is no name of an image")).to_be_visible()
