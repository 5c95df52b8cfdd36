"""A machine bench from the plan to the label: the card's very bytes start a real Debian, which joins a real radio cell and is found by the real
adapters; the detour of a wrong passphrase, told by the board's own console. Run by `make prove`; MINTSEED_PROVE=1 runs it with the tests."""

from __future__ import annotations

import json
import os
import re
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from mintseed.standins.machine import needs
from mintseed.standins.machine.assay import build as assay
from mintseed.wiring import PROJECT
from tests.browser import walk
from tests.browser.conftest import Application, environment_for, start, stop

pytestmark = pytest.mark.skipif(
    os.environ.get("MINTSEED_PROVE") != "1", reason="a machine takes a minute to boot: MINTSEED_PROVE=1 runs it"
)

MACHINES = Path(os.environ.get("MINTSEED_MACHINES") or PROJECT / "var" / "machines")
LAN = "10.91.6.0/24"
BOOT_MS = 240_000


@pytest.fixture(scope="module")
def machine_bench() -> Iterator[Application]:
    assert needs.missing() == ""
    home = Path(tempfile.mkdtemp(prefix="mintseed-"))
    image = assay.build_image("keyfile", MACHINES / "library", MACHINES, print)
    (home / "library").mkdir()
    shutil.copy(image, home / "library")
    shutil.copy(image.with_name(f".{image.name}.made-of"), home / "library")
    (home / "machines").symlink_to(MACHINES)
    before = interfaces()
    application = start(
        environment_for(home, MINTSEED_BENCH="machine", MINTSEED_MACHINE_LAN=LAN, MINTSEED_STANDIN_LAN="")
    )
    yield application
    left = stop(application)
    said = application.output
    shutil.rmtree(home)
    assert not left, f"processes left running: {left}"
    assert interfaces() == before
    assert "Traceback" not in said, said[-4000:]


def interfaces() -> set[str]:
    listed = subprocess.run(["ip", "-json", "link"], capture_output=True, check=True).stdout
    return {one["ifname"] for one in json.loads(listed)}


@pytest.fixture
def desk(browser: Browser, machine_bench: Application) -> Iterator[Page]:
    with browser.new_context(base_url=machine_bench.url) as context:
        yield context.new_page()


def test_from_plan_to_label_with_a_wrong_passphrase_on_the_way(desk: Page, machine_bench: Application) -> None:
    page = desk
    walk.start(page, "Assay keyfile", "North pane")
    page.get_by_role("radio", name="Glasshouse, north pane").click()
    expect(page.get_by_role("radio", name="Glasshouse, north pane")).to_be_checked()
    walk.pick(page, "Card", "2 GB")
    page.get_by_role("link", name="Go on to Image").click()
    walk.station(page, "Image")
    page.get_by_role("button", name=re.compile("^Use ")).click(timeout=120_000)
    page.get_by_role("link", name="Go on to Settings").click()
    walk.station(page, "Settings")
    walk.fill(page, "Host name", "north-pane")
    walk.fill(page, "Passphrase", "kettle on the fourth hob")
    walk.put_on_card(page, "PG-C2-01")
    walk.power_on(page)
    # The board itself says what is wrong, long before it is late.
    expect(page.get_by_text("By its console its kernel runs").first).to_be_visible(timeout=BOOT_MS)
    expect(page.get_by_text("By its console the access point refuses its key").first).to_be_visible(timeout=BOOT_MS)
    page.get_by_role("button", name="Power off").click()
    causes = page.get_by_role("listitem").filter(has=page.get_by_text("goes to"))
    expect(causes.first).to_contain_text("Passphrase is wrong")
    expect(causes.first).to_contain_text("its console says so")

    causes.first.get_by_role("link", name="Check the passphrase").click()
    walk.station(page, "Settings")
    page.get_by_role("button", name="Use the site's").click()
    page.get_by_role("button", name="Put on a card").click()
    walk.station(page, "Card")
    walk.write(page, "PG-C2-01")
    walk.power_on(page)
    expect(page.get_by_role("heading", name=re.compile("^On the network after"))).to_be_visible(timeout=BOOT_MS)
    page.get_by_role("link", name="Go on to Find").click()
    walk.station(page, "Find")
    expect(page.get_by_text("its page says").first).to_be_visible(timeout=60_000)
    with page.context.expect_page() as opened:
        page.get_by_role("link", name="Open its page").click()
    expect(opened.value.get_by_role("heading", name="Assay test page")).to_be_visible()
    page.get_by_role("button", name="This is it", exact=True).first.click()
    expect(page.get_by_role("heading", name="This is it")).to_be_visible()
    page.get_by_role("link", name="Go on to Set up").click()
    walk.station(page, "Set up")
    page.get_by_role("button", name="Check it").first.click()
    expect(page.get_by_text("Its page answers.")).to_be_visible()
    page.get_by_role("link", name="Go on to Keep").click()
    walk.station(page, "Keep")
    label = page.locator(".print-label")
    expect(label).to_contain_text("north-pane.local")
    page.get_by_role("button", name="Put it in service").click()
    expect(page.get_by_text("In service at")).to_be_visible()
    assert "kettle on the fourth hob" not in machine_bench.output
