"""The first start as a new user has it: a place at work, made on real bytes, and an empty bench one click away."""

from __future__ import annotations

import re
import shutil
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser import walk
from tests.browser.conftest import Application, copy_of, environment_for, start, stop


@pytest.fixture(scope="module")
def at_work(made_home: Path) -> Iterator[Application]:
    home = copy_of(made_home)
    # Slower than the other tests, so that what boots can be seen booting.
    started = start(environment_for(home, MINTSEED_DEMO="", MINTSEED_STANDIN_PACE="20"))
    yield started
    left, said = stop(started), started.output
    shutil.rmtree(home)
    assert not left
    assert "Traceback" not in said, said[-3000:]


@pytest.fixture
def visitor(browser: Browser, at_work: Application) -> Iterator[Page]:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=at_work.url)
    yield context.new_page()
    context.close()


def test_each_state_is_there_to_be_seen(visitor: Page) -> None:
    visitor.goto("/")
    served = visitor.get_by_role("region").filter(has=visitor.get_by_text("the record is kept"))
    expect(served).to_have_count(3)
    # It is powered when the first visitor comes.
    booting = visitor.get_by_role("region", name="Keeper's cottage hub")
    expect(booting.get_by_text("Give it until")).to_be_visible()
    expect(booting.get_by_role("img", name="running")).to_be_visible()
    expect(
        visitor.get_by_role("region", name="Ticket window printer").get_by_text("See why it is late")
    ).to_be_visible()
    expect(
        visitor.get_by_role("region", name="Chart-room printer").get_by_text("Look over the settings")
    ).to_be_visible()
    expect(visitor.get_by_role("region", name="Ferry office printer").get_by_text("has no radio")).to_be_visible()
    # What stands there says what the program does.
    expect(visitor.get_by_text("From an image file to a device that works")).to_be_visible()
    # The board joins before their eyes; nobody asks for the page again.
    expect(booting.get_by_text("Open its page, then claim it")).to_be_visible(timeout=60_000)
    visitor.get_by_role("region", name="Ticket window printer").get_by_role("link", name="See why").click()
    expect(visitor.get_by_text("Passphrase is wrong", exact=True)).to_be_visible()


def test_the_served_devices_have_a_history_of_real_bytes(visitor: Page, at_work: Application) -> None:
    with httpx.Client(base_url=f"{at_work.url}/api", timeout=30) as client:
        for device in client.get("/deployments?place=service").json()["deployments"]:
            card = client.get(f"/deployments/{device['id']}/card").json()
            assert card["proven"]
            assert re.fullmatch("[0-9a-f]{64}", card["digest"])
            find = client.get(f"/deployments/{device['id']}/find").json()
            assert httpx.get(find["url"], timeout=30).status_code == 200
            steps = client.get(f"/deployments/{device['id']}/setup").json()["steps"]
            assert {s["state"] for s in steps} == {"done"}


def test_two_windows_stay_in_step(browser: Browser, at_work: Application, visitor: Page) -> None:
    context = browser.new_context(base_url=at_work.url)
    other = context.new_page()
    here = "/"
    visitor.goto(here)
    chart = visitor.get_by_role("region", name="Chart-room printer").get_by_role("link", name="Chart-room printer")
    plan = str(chart.get_attribute("href")).rsplit("/", 1)[0] + "/plan"
    for page in (visitor, other):
        page.goto(plan)
        expect(page.get_by_role("heading", name="What goes together")).to_be_visible()
    visitor.get_by_label("Name", exact=True).fill("Chart-room press")
    visitor.get_by_label("Name", exact=True).press("Enter")
    expect(other.get_by_role("heading", level=1, name="Chart-room press")).to_be_visible(timeout=5000)
    other.get_by_label("Name", exact=True).fill("Chart-room printer")
    other.get_by_label("Name", exact=True).press("Enter")
    expect(visitor.get_by_role("heading", level=1, name="Chart-room printer")).to_be_visible(timeout=5000)
    context.close()


def test_a_phone_goes_from_the_bench_to_the_label(browser: Browser, at_work: Application) -> None:
    context = browser.new_context(base_url=at_work.url, viewport={"width": 390, "height": 844}, has_touch=True)
    page = context.new_page()
    page.goto("/")
    page.get_by_role("region", name="Keeper's cottage hub").get_by_role(
        "link", name=re.compile("Continue|Watch")
    ).click()
    # The eight stations are one row, opened by a tap.
    line = page.get_by_role("navigation", name="The line of Keeper's cottage hub")
    row = line.get_by_role("button", name="all eight stations")
    box = row.bounding_box()
    assert box is not None
    assert box["height"] < 60
    expect(line.get_by_role("link")).to_have_count(0)
    row.click()
    expect(line.get_by_role("link")).to_have_count(8)
    line.get_by_role("link", name="Find").click()
    expect(page.get_by_text("its page says").first).to_be_visible(timeout=60_000)
    page.get_by_role("button", name="This is it", exact=True).first.click()
    # What is to be done next is where the thumb is.
    onward = page.get_by_role("link", name="Go on to Set up")
    place = onward.bounding_box()
    assert place is not None
    assert place["y"] > 700
    walk.set_up(page)
    expect(page.locator(".print-label")).to_contain_text("Keeper's cottage hub")
    context.close()


def test_an_empty_bench_is_one_click_away_and_the_demo_comes_back(visitor: Page) -> None:
    visitor.goto("/")
    visitor.get_by_role("button", name="Start with an empty bench").click()
    expect(visitor.get_by_role("heading", name="Nothing on the bench yet")).to_be_visible()
    visitor.get_by_role("button", name="Undo").click()
    expect(visitor.get_by_role("region", name="Ferry office printer")).to_be_visible()
