"""Plan before anything is bought, written or soldered: cures, clashes, the matrix, a recipe of one's own."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from mintseed import wiring
from tests.browser import walk

PLATEN = (wiring.PROJECT / "recipes" / "platen.yaml").read_text()


def begin(page: Page, appliance: str, name: str, board: str = "") -> None:
    page.goto("/new")
    page.get_by_role("radiogroup", name="Appliance").get_by_role("radio", name=appliance).click()
    if board:
        page.get_by_role("radiogroup", name="Board").get_by_role("radio", name=board).click()
    page.get_by_label("What do you call it?").fill(name)
    page.get_by_role("button", name=f"Start with {appliance}").click()
    walk.station(page, "Plan")


def test_the_twin_without_radio_and_its_cures(page: Page) -> None:
    begin(page, "Platen", "Twin without radio", "Larkspur C, blue case")
    # Begun with that board, the plan takes the way it has.
    expect(page.get_by_role("radio", name="Cable")).to_be_checked()
    page.get_by_role("radio", name="Wi-Fi", exact=True).click()
    stop = page.get_by_role("listitem").filter(
        has=page.get_by_text("Larkspur C has no radio, and the plan says Wi-Fi", exact=True)
    )
    cures = stop.get_by_role("list", name="Ways out").get_by_role("button")
    expect(cures.first).to_contain_text("Run a cable to it")
    expect(cures.filter(has_text="Larkspur R")).not_to_have_count(0)
    stick = cures.filter(has_text="Add Finch stick")
    expect(stick).to_contain_text("from the shelf")
    stick.click()
    expect(page.get_by_text("Can hear Quay House 2G")).to_be_visible()
    expect(page.get_by_text("its Wi-Fi adapter has that band")).to_be_visible()
    expect(page.get_by_role("button", name="Leave out Finch stick")).to_be_visible()
    # Out again, and the other cure.
    page.get_by_role("button", name="Leave out Finch stick").click()
    cures.filter(has_text="Run a cable to it").click()
    expect(page.get_by_role("radio", name="Cable")).to_be_checked()
    expect(stop).to_have_count(0)


def test_a_pin_clash_is_seen_and_solved(page: Page) -> None:
    begin(page, "Gramary", "Clash of pins", "Larkspur R, new in its bag")
    expect(page.get_by_role("button", name="Leave out Chorus board")).to_be_visible()
    header = page.get_by_role("img", name=re.compile("^Header of 40 pins"))
    expect(header).to_have_attribute("aria-label", re.compile("pin 12: Chorus board, audio clock"))
    walk.pick(page, "Add a part", "Reed modem, second-hand")
    expect(page.get_by_text("want the same pin", exact=False).first).to_be_visible()
    expect(header).to_have_attribute(
        "aria-label", re.compile("pin 12: Chorus board and Reed modem, second-hand, .* both want it")
    )
    expect(page.locator("b", has_text="Reed modem, second-hand can sit one row off")).to_be_visible()
    page.get_by_role("button", name="Leave out Reed modem, second-hand from").or_(
        page.get_by_role("list", name="Ways out").get_by_role("button", name="Leave out Reed modem, second-hand")
    ).first.click()
    expect(page.get_by_text("both want it")).to_have_count(0)
    expect(page.locator("b", has_text="Reed modem, second-hand can sit one row off")).to_have_count(0)


def test_from_the_matrix_to_a_deployment(page: Page) -> None:
    page.goto("/shelf")
    page.get_by_role("link", name="What could these become?").click()
    expect(page.get_by_role("heading", name="What fits what")).to_be_visible()
    page.get_by_role("button", name="Lintel on Sprig: ").click()
    expect(page.get_by_role("status")).to_contain_text("Sprig is a 32-bit board, Lintel is 64-bit only")
    page.get_by_role("button", name="Tinplay on Tansy II: ").click()
    expect(page.get_by_role("status")).to_contain_text("Starts with controller and display cable")
    page.get_by_role("link", name="Start Tinplay on it").click()
    expect(page.get_by_role("radio", name="Tansy II, birthday present")).to_be_checked()
    # The board in the drawer decides: what it could become comes first, with its reason.
    first = page.get_by_role("radiogroup", name="Appliance").get_by_role("radio").first
    expect(first).to_have_attribute("aria-checked", "true")
    page.get_by_label("What do you call it?").fill("From the matrix")
    page.get_by_role("button", name="Start with Tinplay").click()
    walk.station(page, "Plan")
    expect(page.get_by_text("Tinplay 4.5 is made for Tansy II").first).to_be_visible()
    expect(page.get_by_text("To buy: ")).to_be_visible()
    parts = page.get_by_role("heading", name="Parts list").locator("xpath=ancestor::section")
    expect(parts).to_contain_text("EUR")
    expect(page.get_by_role("heading", name="The whole job")).to_be_visible()


def test_a_newcomer_with_a_board_in_a_drawer_types_its_mark_in(page: Page) -> None:
    page.goto("/shelf")
    boards = page.get_by_role("heading", name="Boards").locator("xpath=ancestor::section")
    boards.get_by_text("Add a board").click()
    walk.pick(page, "Mark", "BRAMBLE")
    expect(boards.get_by_text("The mark is on the upper side, on the large square chip")).to_be_visible()
    boards.get_by_label("Name").last.fill("Odd one from the drawer")
    boards.get_by_role("button", name="Add the board").click()
    expect(boards.get_by_text("Odd one from the drawer")).to_be_visible()
    page.goto("/new")
    page.get_by_role("radiogroup", name="Board").get_by_role("radio", name="Odd one from the drawer").click()
    expect(page.get_by_role("heading", name="What Odd one from the drawer could become")).to_be_visible()
    expect(page.get_by_role("radiogroup", name="Appliance").get_by_role("radio").first).to_have_attribute(
        "aria-labelledby", re.compile(".")
    )
    expect(page.get_by_role("radiogroup", name="Appliance").locator("label").first).to_contain_text("Logicade")
    expect(
        page.get_by_text("Lintel is not made for Bramble").or_(
            page.get_by_text("Bramble is a 32-bit board, Lintel is 64-bit only")
        )
    ).to_be_visible()


def test_a_recipe_of_ones_own_with_a_mistake_at_its_line(page: Page) -> None:
    mine = PLATEN.replace("id: platen", "id: mine").replace("name: Platen", "name: Boathouse press")
    broken = mine.replace("least_gb: 4", "least_gb: four")
    line = next(n for n, text in enumerate(broken.splitlines(), 1) if "least_gb: four" in text)
    page.goto("/recipes")
    page.get_by_label("Choose a file").first.set_input_files(
        files=[{"name": "mine.yaml", "mimeType": "application/yaml", "buffer": broken.encode()}]
    )
    expect(page.get_by_role("button", name=re.compile(f"^.*Line {line} card.least_gb"))).to_be_visible()
    expect(page.get_by_role("button", name="Keep it")).to_be_disabled()
    expect(page.locator(".cm-lint-marker-error")).to_have_count(1)
    page.get_by_role("button", name=re.compile(f"Line {line} card.least_gb")).click()
    expect(page.get_by_role("textbox", name="Text of the recipe")).to_be_focused()
    # The cursor stands at the beginning of that line: mend it there.
    for _ in range(broken.splitlines()[line - 1].index("four")):
        page.keyboard.press("ArrowRight")
    for _ in "four":
        page.keyboard.press("Delete")
    page.keyboard.type("4")
    expect(page.get_by_text("It describes Boathouse press")).to_be_visible()
    page.get_by_role("button", name="Keep it").click()
    expect(page.get_by_role("button", name="Take it off")).to_be_visible()
    begin(page, "Boathouse press", "Of my own recipe")


def test_pressed_twice_one_is_made(page: Page) -> None:
    page.goto("/new")
    page.get_by_role("radiogroup", name="Appliance").get_by_role("radio", name="Gramary").click()
    page.get_by_label("What do you call it?").fill("Pressed twice")
    page.get_by_role("button", name="Start with Gramary").dblclick()
    walk.station(page, "Plan")
    found = page.request.get("/api/deployments?search=Pressed%20twice").json()
    assert [d["name"] for d in found["deployments"]] == ["Pressed twice"]
    page.request.delete(
        f"/api/deployments/{found['deployments'][0]['id']}", headers={"Origin": page.url.split("/deployments")[0]}
    )


def test_what_is_typed_is_asked_once_it_rests(page: Page) -> None:
    page.goto("/")
    expect(page.get_by_role("heading", name="Bench", exact=True)).to_be_visible()
    asked: list[str] = []
    page.on("request", lambda r: asked.append(r.url) if "search=" in r.url and "search=&" not in r.url else None)
    page.keyboard.press("/")
    field = page.get_by_placeholder("A deployment, a station, an image, a place")
    # What is waited for is the question itself: a list without words shows at once.
    with page.expect_request(lambda r: "search=ticket%20windo" in r.url):
        field.press_sequentially("ticket windo", delay=20)
    expect(page.get_by_text("Nothing here is called that").or_(page.get_by_role("option").first)).to_be_visible()
    # The words once they rest, in three places; nobody asks for "t", "ti", "tic".
    assert {u.split("search=")[1].split("&")[0] for u in asked} - {""} == {"ticket%20windo"}


def test_a_board_that_is_only_odd_can_be_kept_and_one_that_cannot_be_meant_is_told_at_its_line(page: Page) -> None:
    page.goto("/recipes/board/sprig")
    editor = page.locator(".cm-content")
    expect(editor).to_be_visible()
    text = page.request.get("/api/descriptions/board/sprig").json()["text"]
    editor.fill(text.replace('since: "2021-03"', 'since: "2031-03"'))
    expect(page.get_by_text("It can be kept as it is. Is this meant?")).to_be_visible()
    expect(page.get_by_role("button", name="Keep it")).to_be_enabled()
    editor.fill(text.replace("idle_current_a: 0.12", "idle_current_a: 3"))
    expect(page.get_by_text("One thing is in the way.")).to_be_visible()
    expect(page.get_by_text("supply.idle_current_a")).to_be_visible()
    expect(page.get_by_role("button", name="Keep it")).to_be_disabled()
