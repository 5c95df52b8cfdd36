"""What one types survives what another saves: the later one is told, shown both, and says which it shall be."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import httpx
import pytest
from playwright.sync_api import Page, Route, expect

from tests.browser.conftest import Application


@pytest.fixture
def other(application: Application) -> Iterator[httpx.Client]:
    """Somebody else at the same bench."""
    with httpx.Client(base_url=f"{application.url}/api", headers=application.token, timeout=30) as client:
        yield client


def test_a_form_of_the_shelf(page: Page, other: httpx.Client) -> None:
    site = other.get("/sites").json()[0]["id"]
    sent = {"name": "Cube", "voltage_v": 5.1, "current_a": 3, "connector": "micro-USB"}
    shelf = other.post(f"/sites/{site}/shelf/supplies", json=sent).json()
    cube = next(s["id"] for s in shelf["supplies"] if s["name"] == "Cube")

    def held() -> dict[str, Any]:
        rows = other.get(f"/sites/{site}/shelf").json()["supplies"]
        return next(s for s in rows if s["id"] == cube)

    page.goto("/shelf")
    page.get_by_role("button", name="Change Cube").click()
    amperes = page.get_by_label("Amperes").first
    amperes.fill("2.5")
    # Another field of it is saved elsewhere meanwhile: neither is lost.
    other.put(f"/shelf/supplies/{cube}", json={"note": "in the hall", "was": {"note": ""}}).raise_for_status()
    expect(page.get_by_text("in the hall")).to_be_visible()
    expect(amperes).to_have_value("2.5")
    page.get_by_role("button", name="Save it").click()
    expect(page.get_by_role("button", name="Save it")).to_have_count(0)
    assert (held()["current_a"], held()["note"]) == (2.5, "in the hall")
    # The same field.
    page.get_by_role("button", name="Change Cube").click()
    amperes.fill("2")
    other.put(f"/shelf/supplies/{cube}", json={"current_a": 1.5}).raise_for_status()
    page.get_by_role("button", name="Save it").click()
    expect(page.get_by_role("alert")).to_contain_text("Amperes is now 1.5")
    expect(amperes).to_have_value("2")
    assert held()["current_a"] == 1.5
    page.get_by_role("button", name="Keep mine").click()
    expect(page.get_by_role("button", name="Save it")).to_have_count(0)
    assert held()["current_a"] == 2


def test_a_field_that_is_being_typed_in(page: Page, other: httpx.Client) -> None:
    pk = other.post("/deployments", json={"recipe": "platen", "name": "Typed at"}).json()["id"]
    page.goto(f"/deployments/{pk}/settings")
    name = page.get_by_label("Host name")
    name.fill("mine")
    other.put(f"/deployments/{pk}/settings", json={"host_name": "theirs-now"}).raise_for_status()
    expect(page.get_by_role("alert")).to_contain_text("Changed meanwhile to theirs-now")
    expect(name).to_have_value("mine")
    name.press("Tab")  # leaving it saves nothing before one said which
    assert other.get(f"/deployments/{pk}/settings").json()["host_name"] == "theirs-now"
    # The question goes at once; what is asked of the server next may only be asked once it has answered.
    with page.expect_response(lambda answered: answered.request.method == "PUT"):
        page.get_by_role("button", name="Keep mine").click()
    expect(page.get_by_text("Changed meanwhile")).to_have_count(0)
    expect(name).to_have_value("mine")
    assert other.get(f"/deployments/{pk}/settings").json()["host_name"] == "mine"
    name.fill("again")
    other.put(f"/deployments/{pk}/settings", json={"host_name": "theirs-again"}).raise_for_status()
    page.get_by_role("button", name="Take that").click()
    expect(name).to_have_value("theirs-again")
    page.goto("about:blank")  # else it asks for what is gone
    other.delete(f"/deployments/{pk}")


def test_what_is_typed_while_a_save_is_on_its_way_stays(page: Page, other: httpx.Client) -> None:
    pk = other.post("/deployments", json={"recipe": "platen", "name": "Typed on"}).json()["id"]
    page.goto(f"/deployments/{pk}/settings")
    held: list[tuple[Route, Any]] = []

    def hold(route: Route) -> None:
        if route.request.method == "PUT" and not held:
            held.append((route, route.fetch()))
        else:
            route.continue_()

    page.route("**/api/deployments/*/settings", hold)
    name = page.get_by_label("Host name")
    name.fill("first")
    name.press("Enter")
    while not held:
        page.wait_for_timeout(50)
    name.fill("second")
    route, answered = held[0]
    route.fulfill(response=answered)
    expect(page.get_by_text("Changed meanwhile")).to_have_count(0)
    expect(name).to_have_value("second")
    name.press("Enter")
    page.unroute("**/api/deployments/*/settings")
    expect(page.get_by_role("alert")).to_have_count(0)
    page.reload()
    expect(name).to_have_value("second")
    page.goto("about:blank")
    other.delete(f"/deployments/{pk}")


def test_a_text_in_the_editor(page: Page, other: httpx.Client) -> None:
    text = other.get("/descriptions/board/sprig").json()["text"]
    page.goto("/recipes/board/sprig")
    editor = page.locator(".cm-content")
    expect(editor).to_be_visible()
    editor.fill(text.replace("price:", "# mine\nprice:") if "price:" in text else f"# mine\n{text}")
    other.put("/descriptions/board", json={"text": f"# theirs\n{text}"}).raise_for_status()
    expect(page.get_by_role("button", name="Keep it")).to_be_enabled()
    page.get_by_role("button", name="Keep it").click()
    expect(page.get_by_text("Another text was kept meanwhile")).to_be_visible()
    expect(editor).to_contain_text("# mine")
    page.get_by_role("button", name="Take that one").click()
    expect(page.locator(".cm-content")).to_contain_text("# theirs")
    brought = other.get("/descriptions/board/sprig").json()
    other.delete(f"/things/text/{brought['text_id']}").raise_for_status()
