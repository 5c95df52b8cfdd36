"""Every screen, on a desk and on a phone, light and dark: nothing cut, everything named, text that can be read."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import httpx
import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser import walk
from tests.browser.conftest import PROJECT, Application

STATIONS = ("plan", "image", "settings", "card", "boot", "find", "setup", "keep")

# WCAG 2.1 §1.4.3: 4.5 to 1, measured from the colours the browser computes. Disabled controls are exempt there.
CONTRAST = """() => {
  const parse = (c) => { const m = c.match(/[\\d.]+/g).map(Number); return { r: m[0], g: m[1], b: m[2], a: m[3] ?? 1 }; };
  const light = ({ r, g, b }) => {
    const [x, y, z] = [r, g, b].map((v) => v / 255).map((v) => (v <= 0.03928 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4));
    return 0.2126 * x + 0.7152 * y + 0.0722 * z;
  };
  const over = (top, below) => ({
    r: top.r * top.a + below.r * (1 - top.a), g: top.g * top.a + below.g * (1 - top.a), b: top.b * top.a + below.b * (1 - top.a), a: 1,
  });
  const behind = (element) => {
    const layers = [];
    for (let e = element; e; e = e.parentElement) layers.push(parse(getComputedStyle(e).backgroundColor));
    return layers.reverse().reduce((below, top) => over(top, below), { r: 255, g: 255, b: 255, a: 1 });
  };
  const bad = [];
  const walker = document.createTreeWalker(document.querySelector("#work"), NodeFilter.SHOW_TEXT);
  while (walker.nextNode()) {
    const element = walker.currentNode.parentElement;
    const text = walker.currentNode.textContent.trim();
    if (!text || element.closest("svg, :disabled, .sr-only, kbd") || !element.getClientRects().length) continue;
    const [a, b] = [light(parse(getComputedStyle(element).color)), light(behind(element))];
    const ratio = (Math.max(a, b) + 0.05) / (Math.min(a, b) + 0.05);
    if (ratio < 4.45) bad.push(`${ratio.toFixed(2)} ${text.slice(0, 40)}`);
  }
  return bad;
}"""

UNNAMED = """() => [...document.querySelectorAll("button, a[href], input, select")]
  .filter((e) => e.getClientRects().length && e.getAttribute("aria-hidden") !== "true")
  .filter((e) => !(e.textContent.trim() || e.getAttribute("aria-label") || e.labels?.length || e.title))
  .map((e) => e.outerHTML.slice(0, 120))"""

CUT = """() => {
  const wide = document.documentElement.scrollWidth > document.documentElement.clientWidth;
  const out = [...document.querySelectorAll("#work *")].filter((e) => {
    const box = e.getBoundingClientRect();
    return box.width && box.right > innerWidth + 1 && !e.closest(".overflow-x-auto, .truncate, .overflow-auto");
  });
  return wide || out.length ? out.slice(0, 3).map((e) => e.outerHTML.slice(0, 120)).concat(wide ? ["the page scrolls sideways"] : []) : [];
}"""


@pytest.fixture(scope="module")
def paths(application: Application) -> Iterator[list[str]]:
    """The paths of all screens, with one deployment that is planned and filled and one that stops, with as long a name as there is and no blank
    in it."""
    with httpx.Client(base_url=f"{application.url}/api", timeout=30, headers=application.token) as client:

        def ask(method: str, path: str, body: object = None) -> Any:
            return client.request(method, path, json=body).raise_for_status().json()

        made = [
            ask("POST", "/deployments", {"recipe": "platen", "name": name})["id"] for name in ("Screen 1", "M" * 80)
        ]
        plan = ask("GET", f"/deployments/{made[0]}/plan")
        unit = next(u["id"] for u in plan["units"] if u["board_name"] == "Larkspur R")
        ask("PUT", f"/deployments/{made[0]}/plan", {"board_unit_id": unit, "card_gb": 16})
        chosen = next(c for c in ask("GET", f"/deployments/{made[0]}/image")["choices"] if c["suggested"])
        ask("PUT", f"/deployments/{made[0]}/image", {"image_id": chosen["image"]["id"]})
        ask("PUT", f"/deployments/{made[0]}/settings", {"keyboard": "us", "passphrase": "spring tide at nine"})
        busy = ask("POST", "/deployments", {"recipe": "gramary", "name": "Busy header", "fill": True})["id"]
        for kind in ("reed-modem", "gull-camera", "twin-pad"):
            ask("PUT", f"/deployments/{busy}/plan", {"add_kinds": [kind]})
        stations = [f"/deployments/{pk}/{station}" for pk in made for station in STATIONS]
        yield [
            "/",
            "/new",
            "/images",
            f"/images/{chosen['image']['id']}",
            "/shelf",
            "/site",
            "/log",
            "/nowhere",
            "/matrix",
            "/recipes",
            "/recipes/recipe/platen",
            "/recipes/board/new",
            f"/deployments/{busy}/plan",
            *stations,
        ]
        for pk in (*made, busy):
            client.delete(f"/deployments/{pk}")


AXE = (PROJECT / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text()

# Every rule of axe-core for WCAG 2.2 A and AA, and its best practices.
VIOLATIONS = """async () => (await axe.run(document)).violations
  .flatMap((v) => v.nodes.map((n) => `${v.id}: ${n.html.slice(0, 140)}`))"""


def places(paths: list[str]) -> list[str]:
    return paths[: -2 * len(STATIONS)]


def ordinary(paths: list[str]) -> list[str]:
    """Return the stations of the deployment that is planned and filled."""
    return paths[-2 * len(STATIONS) : -len(STATIONS)]


def long_named(paths: list[str]) -> list[str]:
    return paths[-len(STATIONS) :]


# Each width and each theme once: what is cut hangs on the one, what is pale on the other. The narrow one has the long name.
@pytest.mark.parametrize(
    ("width", "theme", "stations"), [(1280, "light", ordinary), (390, "dark", long_named)], ids=["desk", "phone"]
)
def test_every_screen_can_be_read(
    browser: Browser,
    application: Application,
    paths: list[str],
    width: int,
    theme: Any,
    stations: Callable[[list[str]], list[str]],
) -> None:
    troubles: list[str] = []
    context = browser.new_context(
        base_url=application.url, viewport={"width": width, "height": 844}, color_scheme=theme, reduced_motion="reduce"
    )
    page = context.new_page()
    page.on("console", lambda m: troubles.append(m.text) if m.type in ("error", "warning") else None)
    for path in (*places(paths), *stations(paths)):
        page.goto(path)
        expect(page.get_by_role("heading", level=1)).to_be_visible()
        expect(page.get_by_text("Reading the")).to_have_count(0)
        for name, script in (("contrast", CONTRAST), ("unnamed", UNNAMED), ("cut", CUT)):
            troubles += [f"{path} {name}: {found}" for found in page.evaluate(script)]
        page.evaluate(AXE)
        troubles += [f"{path} {found}" for found in page.evaluate(VIOLATIONS)]
        if page.locator("[data-main]").count() > 1:
            troubles.append(f"{path}: more than one main button")
    context.close()
    assert troubles == []


COVERED = """() => {
  const e = document.activeElement, r = e.getBoundingClientRect();
  if (e === document.body || !r.width) return null;
  const at = document.elementFromPoint(r.x + r.width / 2, Math.min(r.bottom, innerHeight) - Math.min(4, r.height / 2));
  const own = at && (e.contains(at) || at.contains(e) || [...(e.labels || [])].some((l) => l.contains(at)));
  return own ? null : e.outerHTML.slice(0, 140);
}"""
"""What the keyboard is at, where something else lies over its lower edge."""

AT_REST = """() => {
  const high = document.documentElement.scrollHeight, now = performance.now();
  if (window.high !== high) [window.high, window.since] = [high, now];
  return now - window.since > 1000;
}"""
"""Whether the page has its height: what comes later pushes down what the keyboard is at."""


def test_what_the_keyboard_comes_to_is_not_behind_a_bar(
    browser: Browser, application: Application, paths: list[str]
) -> None:
    """WCAG 2.2, 2.4.11 Focus Not Obscured: on a small screen a bar stays at the bottom."""
    page = browser.new_page(base_url=application.url, viewport={"width": 390, "height": 844}, reduced_motion="reduce")
    covered: list[str] = []
    for path in [*(p for p in places(paths) if p == "/new" or "/deployments/" in p), *long_named(paths)]:
        page.goto(path)
        expect(page.get_by_role("heading", level=1)).to_be_visible()
        expect(page.get_by_text("Reading the")).to_have_count(0)
        page.wait_for_function(AT_REST)
        for _ in range(40):
            page.keyboard.press("Tab")
            if found := page.evaluate(COVERED):
                covered.append(f"{path}: {found}")
    page.close()
    assert covered == []


def test_everything_by_keyboard(page: Page, paths: list[str]) -> None:
    deployment = ordinary(paths)[0].rsplit("/", 1)[0]
    page.goto(f"{deployment}/plan")
    expect(page.get_by_role("heading", name="What goes together")).to_be_visible()
    page.keyboard.press("]")
    expect(page.get_by_role("heading", name="From the library")).to_be_visible()
    page.keyboard.press("[")
    expect(page.get_by_role("heading", name="What goes together")).to_be_visible()
    for letter, place in (("i", "Images"), ("s", "Site"), ("l", "Log"), ("b", "Bench")):
        page.keyboard.press("g")
        page.keyboard.press(letter)
        expect(page.get_by_role("heading", level=1, name=place, exact=True)).to_be_visible()
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("previous and next station")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.keyboard.press("Control+k")
    page.get_by_role("dialog").get_by_role("combobox").fill("First boot of Screen 1")
    expect(page.get_by_role("option")).to_have_count(1)
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="In this order")).to_be_visible()
    page.keyboard.press("/")
    page.get_by_role("dialog").get_by_role("combobox").fill("nothing is called so")
    expect(page.get_by_text("Nothing here is called that.")).to_be_visible()


def test_single_letters_can_be_switched_off(page: Page) -> None:
    page.goto("/")
    expect(page.get_by_role("heading", name="Bench", exact=True)).to_be_visible()
    page.keyboard.press("?")
    page.get_by_role("switch", name="Single letters do something").click()
    page.keyboard.press("Escape")
    page.keyboard.press("n")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_have_count(0)
    expect(page.get_by_role("heading", name="Bench", exact=True)).to_be_visible()
    page.keyboard.press("Control+k")
    expect(page.get_by_role("dialog")).to_be_visible()


def test_what_cannot_be_asked_again_is_said(browser: Browser, application: Application) -> None:
    context = browser.new_context(base_url=application.url)
    page = context.new_page()
    page.goto("/log")
    expect(page.get_by_role("heading", name="Log")).to_be_visible()
    page.route("**/api/log*", lambda route: route.fulfill(status=503, json={"title": "The database does not answer"}))
    httpx.post(
        f"{application.url}/api/deployments",
        json={"recipe": "platen", "name": "Unseen"},
        headers=application.token,
        timeout=30,
    ).raise_for_status()
    expect(page.get_by_text("What you see is from")).to_be_visible()
    expect(page.get_by_text("The database does not answer")).to_be_visible()
    page.unroute("**/api/log*")
    httpx.post(
        f"{application.url}/api/deployments",
        json={"recipe": "platen", "name": "Seen again"},
        headers=application.token,
        timeout=30,
    ).raise_for_status()
    expect(page.get_by_text("What you see is from")).to_have_count(0)
    context.close()


def test_a_copy_that_fails_says_so(page: Page, application: Application) -> None:
    page.add_init_script("Object.defineProperty(navigator, 'clipboard', { value: undefined })")
    page.route("**/api/deployments/*/find", lambda route: route.fulfill(json=_found(route.fetch().json())))
    pk = httpx.post(
        f"{application.url}/api/deployments",
        json={"recipe": "platen", "name": "Copied"},
        headers=application.token,
        timeout=30,
    ).json()["id"]
    page.goto(f"/deployments/{pk}/find")
    page.get_by_role("button", name="Copy").click()
    expect(page.get_by_text("Could not copy: select it")).to_be_visible()
    # An answer that is still on its way would otherwise fail whatever comes next.
    page.unroute_all(behavior="ignoreErrors")


def _found(answer: dict[str, Any]) -> dict[str, Any]:
    return {**answer, "claimed": "127.77.15.9", "url": "http://127.77.15.9:5310/", "qr_path": "", "powered": True}


def test_taken_off_the_bench_and_undone(page: Page, application: Application) -> None:
    httpx.post(
        f"{application.url}/api/deployments",
        json={"recipe": "platen", "name": "Fleeting"},
        headers=application.token,
        timeout=30,
    ).raise_for_status()
    page.goto("/")
    page.get_by_role("button", name="More for Fleeting").click()
    page.get_by_role("menuitem", name="Take it off the bench").click()
    expect(page.get_by_role("region", name="Fleeting")).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("region", name="Fleeting")).to_be_visible()


def test_the_site_is_edited_and_judged(page: Page) -> None:
    page.goto("/site")
    # A refused value stays where it was typed, with the sentence beside it.
    own = page.get_by_label("Own network")
    own.fill("8.8.8.0/24")
    page.get_by_role("button", name="Save the place").click()
    expect(own).to_have_attribute("aria-invalid", "true")
    expect(own).to_have_value("8.8.8.0/24")
    described = own.get_attribute("aria-describedby")
    expect(page.locator(f'[id="{described}"]')).to_contain_text("8.8.8.0/24")
    own.fill("127.77.15.0/24")
    walk.pick(page, "Country", "Ireland")
    page.get_by_role("button", name="Save the place").click()
    expect(page.get_by_text("Saved.").first).to_be_visible()
    expect(own).not_to_have_attribute("aria-invalid", "true")
    walk.pick(page, "Country", "United Kingdom")
    page.get_by_role("button", name="Save the place").click()
    expect(page.get_by_role("button", name="Save the place")).to_be_disabled()
    page.get_by_text("Add a network").click()
    network = page.locator("form", has=page.locator('input[name="ssid"]'))
    network.get_by_label("Name", exact=True).fill("Boat shed")
    network.get_by_label("Passphrase").fill("short")
    page.get_by_role("button", name="Add it").click()
    expect(page.get_by_text("The passphrase has 5 characters")).to_be_visible()
    row = page.locator("div", has=page.get_by_text("Boat shed", exact=True)).last
    row.get_by_role("button", name="Show").click()
    expect(row.get_by_text("short", exact=True)).to_be_visible()
    guests = row.get_by_role("button", name="For guests").element_handle()
    guests.click()
    expect(page.get_by_role("img", name="Join code of Boat shed")).to_be_visible()
    guests.click()
    expect(page.get_by_role("img", name="Join code of Boat shed")).to_have_count(0)
    row.get_by_role("button", name="Change").click()
    page.get_by_role("button", name="Take it off").click()
    expect(page.get_by_text("Boat shed", exact=True)).to_have_count(0)
    walk.pick(page, "Language", "Welsh")
    page.get_by_role("button", name="Save the place").click()
    expect(page.get_by_role("button", name="Save the place")).to_be_disabled()
    page.reload()
    expect(page.get_by_role("combobox", name="Language")).to_contain_text("Welsh")
    walk.pick(page, "Language", "English (United Kingdom)")
    page.get_by_role("button", name="Save the place").click()
    expect(page.get_by_role("button", name="Save the place")).to_be_disabled()


def test_another_way_in_has_its_own_order(page: Page, application: Application) -> None:
    """The school changes with one choice under Plan; what is typed by hand stands there in its order, secrets on purpose only."""
    made = httpx.post(f"{application.url}/api/deployments", json={"recipe": "platen", "name": "By hand"}).json()
    at = f"{application.url}/api/deployments/{made['id']}"
    image = next(c["image"]["id"] for c in httpx.get(f"{at}/image").json()["choices"])
    httpx.put(f"{at}/image", json={"image_id": image})
    page.goto(f"/deployments/{made['id']}/plan")
    walk.pick(page, "Settings", "on the written card")
    page.goto(f"/deployments/{made['id']}/settings")
    steps = page.get_by_role("listitem").filter(has_text="Save this file")
    expect(steps.first).to_contain_text("platen-network.conf")
    with page.expect_download() as saved:
        page.get_by_role("link", name="Save this file").click()
    assert saved.value.suggested_filename == "platen-network.conf"
    assert "psk=" in saved.value.path().read_text()
    page.goto(f"/deployments/{made['id']}/plan")
    walk.pick(page, "Settings", "before the card is written")
    page.goto(f"/deployments/{made['id']}/settings")
    expect(page.get_by_role("heading", name="By hand, in this order")).to_have_count(0)
    page.goto("/")
    httpx.delete(at)
    over = httpx.post(f"{application.url}/api/deployments", json={"recipe": "lintel", "name": "Over a cable"}).json()
    httpx.put(f"{application.url}/api/deployments/{over['id']}/plan", json={"way_in": "cable-first", "way": "wifi"})
    page.goto(f"/deployments/{over['id']}/settings")
    expect(page.get_by_text("See the second address before anything else")).to_be_visible()
    word = page.get_by_role("listitem").filter(has_text="Type the passphrase")
    expect(word).to_contain_text("•")
    word.get_by_role("button", name="Show").click()
    expect(word).not_to_contain_text("•")
    page.goto("/")
    httpx.delete(f"{application.url}/api/deployments/{over['id']}")


def test_an_image_is_read_from_its_own_page(page: Page) -> None:
    page.goto("/images")
    page.get_by_role("link", name="platen-3.0-32.img.gz").click()
    expect(page.get_by_text("What is on it")).to_be_visible()
    page.get_by_role("button", name="Read it again").click()
    expect(page.get_by_text("Unpacking it once and looking at every volume")).to_be_visible()
    expect(page.get_by_role("button", name="Read it again")).to_be_enabled()
    page.get_by_role("button", name="platen-network.conf").click()
    expect(page.get_by_text("#network={")).to_be_visible()
    # A deployment that is started from an image uses that very image, though a newer one would be proposed.
    page.get_by_role("button", name="Start a deployment with Platen").or_(
        page.get_by_role("link", name="Start a deployment with Platen")
    ).click()
    expect(page.get_by_role("heading", name="What goes together")).to_be_visible()
    page.keyboard.press("]")
    expect(page.get_by_role("radio", name="platen-3.0-32.img.gz")).to_be_checked()


def test_the_windows_title_follows_the_place(page: Page) -> None:
    page.goto("/")
    expect(page).to_have_title("Bench · Mint Seed")
    page.get_by_role("link", name="Shelf").click()
    expect(page).to_have_title("Shelf · Mint Seed")
    made = page.request.get("/api/bench").json()["open"]["deployments"]
    if made:
        page.goto(f"/deployments/{made[0]['id']}/boot")
        expect(page).to_have_title(f"{made[0]['name']} · First boot · Mint Seed")


def test_what_is_used_is_asked_about_put_back_and_removed_for_good(page: Page, application: Application) -> None:
    made = httpx.post(
        f"{application.url}/api/deployments",
        json={"recipe": "platen", "name": "Porch press"},
        headers=application.token,
        timeout=30,
    ).json()
    site = made["site_id"]
    shelf = httpx.post(
        f"{application.url}/api/sites/{site}/shelf/supplies",
        json={"name": "Porch supply", "voltage_v": 5.1, "current_a": 3, "connector": "micro-USB"},
        headers=application.token,
        timeout=30,
    ).json()
    supply = next(s["id"] for s in shelf["supplies"] if s["name"] == "Porch supply")
    httpx.put(
        f"{application.url}/api/deployments/{made['id']}/plan",
        json={"supply_id": supply},
        headers=application.token,
        timeout=30,
    ).raise_for_status()
    page.goto("/shelf")
    page.get_by_role("button", name="Change Porch supply").click()
    page.get_by_role("button", name="Take it off").click()
    expect(page.get_by_role("dialog")).to_contain_text("Porch supply is used by Porch press")
    page.get_by_role("button", name="Leave it").click()
    expect(page.get_by_role("button", name="Change Porch supply")).to_be_visible()
    page.get_by_role("button", name="Take it off").click()
    page.get_by_role("button", name="Take it off all the same").click()
    expect(page.get_by_role("button", name="Change Porch supply")).to_have_count(0)
    page.get_by_role("link", name="Taken off").click()
    expect(page.get_by_text("goes back to Porch press")).to_be_visible()
    page.get_by_role("button", name="Put Porch supply back").click()
    expect(page.get_by_role("button", name="Put Porch supply back")).to_have_count(0)
    plan = httpx.get(
        f"{application.url}/api/deployments/{made['id']}/plan", headers=application.token, timeout=30
    ).json()
    assert plan["supply_id"] == supply
    httpx.delete(
        f"{application.url}/api/deployments/{made['id']}", headers=application.token, timeout=30
    ).raise_for_status()
    page.get_by_role("button", name="Remove Porch press for good").click()
    page.get_by_role("button", name="Remove it for good").click()
    expect(page.get_by_text("Porch press")).to_have_count(0)
    assert (
        httpx.get(f"{application.url}/api/deployments/{made['id']}", headers=application.token, timeout=30).status_code
        == 404
    )
