"""A place with several networks, a plan of addresses and a scheme for names; a written card read, mended and filled from the page."""

from __future__ import annotations

import base64
import re
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
import segno
from playwright.sync_api import Page, expect

from tests.browser import walk
from tests.browser.conftest import Application


@pytest.fixture
def place_as_it_was(application: Application) -> Iterator[str]:
    """The place's address in the API; afterwards it is as before, for the tests that share it."""
    with httpx.Client(base_url=application.url, headers=application.token, timeout=30) as client:
        pk = client.get("/api/sites").json()[0]["id"]
        yield f"{application.url}/api/sites/{pk}"
        empty = {"address_plan": {}, "name_scheme": "", "admin_name": "", "admin_password_gone": True}
        client.put(f"/api/sites/{pk}", json=empty)
        for n in client.get(f"/api/sites/{pk}").json()["wifi"]:
            if n["ssid"] in ("Boat shed", "Harbour guests"):
                client.delete(f"/api/things/network/{n['id']}?sure=true")


def test_a_join_code_is_photographed_and_several_networks_are_filled(
    page: Page, application: Application, place_as_it_was: str, tmp_path: Path
) -> None:
    picture = tmp_path / "label.png"
    segno.make(r"WIFI:S:Boat shed;T:WPA;P:low water\; at six;H:true;;").save(str(picture), scale=9, border=6)
    page.goto("/site")
    page.get_by_text("Add a network").click()
    page.locator('input[type="file"][accept="image/*"]').set_input_files(picture)
    form = page.locator("form", has=page.locator('input[name="ssid"]'))
    expect(form.get_by_label("Name", exact=True)).to_have_value("Boat shed")
    expect(form.get_by_label("Passphrase")).to_have_value("low water; at six")
    expect(form.get_by_label("the router hides its name")).to_be_checked()
    form.get_by_label("Channel").fill("14")
    page.get_by_role("button", name="Add it").click()
    expect(page.get_by_text("Channel 14 is not for GB")).to_be_visible()
    # A picture without a code says so, and one that is none too.
    nothing = tmp_path / "nothing.png"
    segno.make_qr("not a network").save(str(nothing), scale=4)
    page.locator('input[type="file"][accept="image/*"]').set_input_files(nothing)
    expect(page.get_by_text("this is no join code")).to_be_visible()
    (tmp_path / "text.png").write_bytes(b"no picture")
    page.locator('input[type="file"][accept="image/*"]').set_input_files(tmp_path / "text.png")
    expect(page.get_by_text("That file is no picture this browser can read")).to_be_visible()
    form.get_by_label("Name", exact=True).fill("Harbour guests")
    form.get_by_role("combobox", name="Security").click()
    page.get_by_role("option", name="Open, without a passphrase").click()
    expect(form.get_by_label("Passphrase")).to_have_count(0)
    page.get_by_role("button", name="Add it").click()
    expect(page.get_by_text("Harbour guests would be joined without a passphrase")).to_be_visible()
    httpx.put(place_as_it_was, json={"name_scheme": "{place}-{appliance}-{n}"}, headers=application.token)
    walk.start(page, "Platen", "Several networks")
    walk.plan(page, "Larkspur R, bare", "Black one with switch")
    walk.use_suggested_image(page)
    expect(page.get_by_label("Host name")).to_have_value("quay-house-platen-1")
    page.get_by_role("button", name="Let it know Boat shed too").click()
    known = page.get_by_role("list", name="Further networks, the sooner one first")
    expect(known).to_contain_text("Boat shed")
    page.get_by_role("button", name="Let it know Harbour guests too").click()
    expect(known.get_by_role("listitem")).to_have_count(2)
    page.get_by_role("button", name="Join Harbour guests sooner").click()
    expect(known.get_by_role("listitem").first).to_contain_text("Harbour guests")
    expect(
        page.get_by_text(re.compile("^The device: Joins Quay House 2G, or Harbour guests, or Boat shed"))
    ).to_be_visible()
    expect(page.get_by_text("low water")).to_have_count(0)
    page.get_by_role("button", name="Leave Harbour guests out").click()
    expect(known.get_by_role("listitem")).to_have_count(1)
    page.goto("/")


def test_a_fixed_address_is_taken_from_the_plan_and_refused_where_somebody_has_it(
    page: Page, application: Application, place_as_it_was: str
) -> None:
    page.goto("/site")
    page.get_by_label("Net", exact=True).fill("192.168.7.0/24")
    page.get_by_label("Router", exact=True).fill("192.168.7.1")
    page.get_by_label("First address handed out").fill("192.168.7.150")
    page.get_by_label("Last address handed out").fill("192.168.7.100")
    page.get_by_role("button", name="Save the plan").click()
    expect(page.get_by_text("The pool does not run from a first to a later address")).to_be_visible()
    page.get_by_label("First address handed out").fill("192.168.7.100")
    page.get_by_label("Last address handed out").fill("192.168.7.199")
    page.get_by_label("Reserved").fill("192.168.7.9 the old printer")
    page.get_by_role("button", name="Save the plan").click()
    expect(page.get_by_text("The pool does not run")).to_have_count(0)
    walk.start(page, "Lintel", "Fixed")
    number = re.search(r"/deployments/(\d+)/", page.url)
    assert number is not None
    httpx.put(f"{application.url}/api/deployments/{number[1]}/plan", json={"way": "wifi"}, headers=application.token)
    walk.plan(page, "Larkspur R, bare", "Black one with switch")
    walk.use_suggested_image(page)
    page.get_by_role("button", name="192.168.7.200").click()
    expect(page.get_by_label("Address", exact=True)).to_have_value("192.168.7.200")
    expect(page.get_by_text(re.compile("^The device: .*takes the address 192.168.7.200"))).to_be_visible()
    walk.fill(page, "Address", "192.168.7.9")
    expect(page.get_by_text("192.168.7.9 is reserved for the old printer").first).to_be_visible()
    expect(page.get_by_role("button", name="Put on a card")).to_be_disabled()
    walk.fill(page, "Address", "")
    expect(page.get_by_text("Fixed, the place’s plan leaves")).to_be_visible()
    page.goto("/")


def test_a_written_card_is_filled_read_and_mended_from_the_page(
    page: Page, application: Application, cards_in_reader: None
) -> None:
    walk.start(page, "Platen", "Filled after")
    walk.plan(page, "Larkspur R, bare", "Black one with switch")
    walk.use_suggested_image(page)
    walk.fill(page, "Host name", "filled-after")
    number = re.search(r"/deployments/(\d+)/", page.url)
    assert number is not None
    page.goto(f"/deployments/{number[1]}/plan")
    walk.pick(page, "Settings", "on the written card")
    page.goto(f"/deployments/{number[1]}/settings")
    walk.put_on_card(page, "QH-C16-02")
    page.goto(f"/deployments/{number[1]}/settings")
    mine = page.get_by_role("listitem").filter(has_text="Card of Filled after")
    mine.get_by_role("button", name=re.compile("^Put the files on the card")).click()
    expect(page.get_by_role("status").filter(has_text="and read back")).to_contain_text("platen-network.conf")
    page.goto(f"/deployments/{number[1]}/card")
    expect(page.get_by_role("heading", name=re.compile("^Proven"))).to_be_visible()
    # The doctor reads the same card, and puts one file back.
    page.goto(f"/doctor?for={number[1]}")
    mine = page.get_by_role("listitem").filter(has_text="Card of Filled after")
    mine.get_by_role("button", name=re.compile("^Read the files on")).click()
    on_card = page.get_by_role("list", name="Settings files on the card")
    on_card.get_by_role("button", name="platen-network.conf").click()
    expect(page.get_by_text("Joins Quay House 2G with its key and keeps the radio to GB.")).to_be_visible()
    back = page.get_by_role("button", name="Put it back on the card")
    expect(back).to_be_disabled()
    text = page.get_by_label("Its text")
    text.fill(text.input_value().replace("country=GB", "country=IE"))
    expect(page.get_by_text("Joins Quay House 2G with its key and keeps the radio to IE.")).to_be_visible()
    back.click()
    expect(page.get_by_role("status").filter(has_text="was read back")).to_be_visible()
    made = httpx.get(f"{application.url}/api/drives", headers=application.token).json()
    drive = next(d for d in made if "QH-C16-02" in (d["serial"], d["model"]))
    body = {"drive_id": drive["id"], "path": drive["path"], "serial": drive["serial"]}
    with httpx.Client(base_url=application.url, headers=application.token) as client:
        errand = client.post("/api/card-files", json=body).json()["id"]
        for _ in range(200):
            said = client.get(f"/api/card-files/{errand}").json()
            if said["state"] == "done":
                break
            page.wait_for_timeout(100)
    held = {f["name"]: base64.b64decode(f["content"]) for f in said["files"]}
    assert b"country=IE" in held["platen-network.conf"]
    page.goto(f"/deployments/{number[1]}/card")
    expect(page.get_by_text("settings files were put on its card").first).to_be_visible()
    page.goto("/")
