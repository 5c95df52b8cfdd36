"""The doctor and the files it mends, with the mouse alone: spoiled, seen, repaired; a deployment's own file told by its name."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser import walk
from tests.browser.conftest import Application

SPOILED = 'ctrl_interface=/run/wpa\r\ncountry=gb\r\n\r\n#network={\r\n    ssid=“Quay House”\r\n    psk="spring tide at noon"\r\n    pairwise=AES\r\n}\r\n'


def test_a_spoiled_file_is_dropped_seen_and_mended(page: Page, application: Application, tmp_path: Path) -> None:
    page.goto(application.url)
    page.get_by_role("navigation", name="Places").get_by_role("link", name="Doctor").click()
    expect(page.get_by_text("Nothing of it is kept.")).to_be_visible()
    file = tmp_path / "wpa_supplicant.conf"
    file.write_bytes(SPOILED.encode())
    page.get_by_label("A settings file").set_input_files(file)
    wrong = page.locator("section", has=page.get_by_role("heading", name="What is wrong"))
    expect(wrong.get_by_text("The line that opens the block of line 8 is commented out")).to_be_visible()
    expect(wrong.get_by_text("Curly quotes in line 5")).to_be_visible()
    expect(page.get_by_text("nothing: its reader stops at it")).to_be_visible()
    # One alone: the rest stays as it was.
    wrong.get_by_role("button", name="Write GB in line 2").click()
    expect(page.get_by_label("Its text")).to_have_value(re.compile(r"country=GB\s+#network="))
    wrong.get_by_role("button", name="Mend all that can be").click()
    expect(wrong.get_by_text("wpa_supplicant.conf reads well")).to_be_visible()
    expect(page.get_by_text("Joins Quay House with its passphrase and keeps the radio to GB.")).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("button", name="Save the file").click()
    saved = Path(download.value.path()).read_text()
    assert (
        saved
        == 'ctrl_interface=/run/wpa\ncountry=GB\n\nnetwork={\n    ssid="Quay House"\n    psk="spring tide at noon"\n#     pairwise=AES\n}\n'
    )


def test_what_is_typed_is_judged_once_it_rests_and_can_be_read_as_another_kind(
    page: Page, application: Application
) -> None:
    page.goto(f"{application.url}/doctor")
    page.get_by_label("Its text").fill("name = press")
    expect(page.get_by_text("1 of its 1 lines are KEY=value.")).to_be_visible()
    page.get_by_label("Read as").click()
    page.get_by_role("option", name="yaml", exact=True).click()
    expect(page.get_by_text("yaml reads well").or_(page.get_by_text("settings reads well"))).to_be_visible()


def test_a_deployments_file_is_told_by_its_name(page: Page, application: Application, tmp_path: Path) -> None:
    page.goto(application.url)
    walk.start(page, "Platen", "Doctor's press")
    walk.plan(page, "Larkspur R, bare", "Black one with switch")
    walk.use_suggested_image(page)
    expect(page.get_by_text("The device:")).to_be_visible()
    expect(page.get_by_text(re.compile("^The device: Joins Quay House 2G with its key"))).to_be_visible()
    page.get_by_role("link", name="Show it to the doctor").click()
    file = tmp_path / "platen-network.conf.txt"
    file.write_text("country=GB\n")
    page.get_by_label("A settings file").set_input_files(file)
    expect(page.get_by_text("A second extension hides behind the name")).to_be_visible()
    expect(page.get_by_text("The recipe names it: platen-network.conf.")).to_be_visible()
    expect(page.get_by_text("No network is active in this file")).to_be_visible()
