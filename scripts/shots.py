"""Make the pictures in docs/screenshots from the demo: starts the application in a home of its own and walks it.

usage: python scripts/shots.py [FOLDER]
"""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import httpx
from playwright.sync_api import Page, sync_playwright

from mintseed.standins.forge.build import build_image
from mintseed.standins.forge.own_sources import WEIR_POST

PROJECT = Path(__file__).resolve().parents[1]
PORT, DB_PORT, LAN = "4879", "24879", "127.77.4.0/24"
FLAGS = [
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip


@contextmanager
def application() -> Iterator[tuple[str, Path]]:
    """Run the application until the context ends; yields its address and its home."""
    home = Path(tempfile.mkdtemp(prefix="mintseed-shots-"))
    built = PROJECT / "var" / "library"
    if built.is_dir():
        shutil.copytree(built, home / "library")
    environment = {
        **os.environ, "MINTSEED_HOME": str(home), "MINTSEED_PORT": PORT, "MINTSEED_DB_PORT": DB_PORT, "MINTSEED_STANDIN_LAN": LAN,
    }  # fmt: skip
    process = subprocess.Popen(
        ["make", "-s", "start"], cwd=PROJECT, env=environment, stdout=subprocess.DEVNULL, start_new_session=True
    )
    url = f"http://127.0.0.1:{PORT}"
    try:
        wait_for(lambda: httpx.get(f"{url}/api/bench", timeout=2).status_code == 200, 300)
        wait_for(lambda: any(e["event"] == "demo.at-work" for e in httpx.get(f"{url}/api/log").json()["lines"]), 300)
        yield url, home
    finally:
        os.killpg(process.pid, signal.SIGINT)
        process.wait(60)
        shutil.rmtree(home)


def wait_for(condition: Callable[[], bool], seconds: float) -> None:
    """Return when `condition` holds; raise TimeoutError when it never does."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        try:
            if condition():
                return
        except httpx.HTTPError:
            pass
        time.sleep(0.3)
    raise TimeoutError("the picture's moment never came")


class Demo:
    """The demo's place at work, asked and moved on through the API."""

    def __init__(self, url: str) -> None:
        self._client = httpx.Client(base_url=f"{url}/api", timeout=30)
        bench = self.ask("GET", "/bench")
        self.path = {
            d["name"]: f"/deployments/{d['id']}" for part in ("open", "service") for d in bench[part]["deployments"]
        }

    def ask(self, method: str, path: str, body: object = None) -> Any:
        answer = (
            self._client.request(method, path, json=body) if body is not None else self._client.request(method, path)
        )
        answer.raise_for_status()
        return answer.json() if answer.content else None

    def write(self, path: str, serial: str) -> None:
        self.ask("POST", f"{path}/settings/agree")
        drive = next(d for d in self.ask("GET", f"{path}/card")["drives"] if d["serial"] == serial)
        self.ask(
            "POST",
            f"{path}/card/write",
            {"drive_id": drive["id"], "path": drive["path"], "serial": serial, "again": drive["path"]},
        )

    def work(self, does: str, serial: str) -> None:
        """Have something done to a card for no deployment, and wait until it is."""
        drive = next(r["drive"] for r in self.ask("GET", "/cards")["readers"] if r["drive"]["serial"] == serial)
        self.ask(
            "POST",
            "/cards/work",
            {"does": does, "drive_id": drive["id"], "path": drive["path"], "serial": serial, "again": drive["path"]},
        )
        wait_for(lambda: all(r["work"] is None for r in self.ask("GET", "/cards")["readers"]), 180)


class Camera:
    def __init__(self, page: Page, url: str, folder: Path) -> None:
        self._page, self._url, self._folder = page, url, folder

    def shoot(self, name: str, path: str, wait_text: str) -> None:
        """Open `path`, wait for a text of that screen, and keep a picture."""
        self._page.goto(self._url + path)
        self._page.get_by_text(wait_text).first.wait_for()
        self.keep(name)

    def show_the_doctor(self, name: str) -> None:
        """Paste a file as people bring one."""
        self._page.goto(f"{self._url}/doctor")
        self._page.get_by_label("Its name").fill("wpa_supplicant.conf")
        self._page.get_by_label("Its text").fill(SPOILED)
        self._page.get_by_role("heading", name="What is wrong").wait_for()
        self._page.wait_for_timeout(600)
        self.keep(name)

    def scroll_to(self, heading: str) -> None:
        self._page.get_by_role("heading", name=heading, exact=True).evaluate("(e) => e.scrollIntoView()")

    def keep(self, name: str) -> None:
        self._page.evaluate("document.fonts.ready")
        self._page.screenshot(path=str(self._folder / f"{name}.png"))


SPOILED = 'ctrl_interface=/run/wpa\ncountry=gb\n\n#network={\n    ssid=“Quay House”\n    psk="spring tide at noon"\n    pairwise=AES\n}\n'


def take(url: str, home: Path, folder: Path) -> None:
    demo = Demo(url)
    build_image(WEIR_POST, home / "library")
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=FLAGS)
        desk = Camera(chromium.new_page(viewport={"width": 1280, "height": 800}), url, folder)
        phone = Camera(chromium.new_page(viewport={"width": 390, "height": 844}), url, folder)
        stopped, chart, late, hub, press = (
            demo.path[name]
            for name in ("Ferry office printer", "Chart-room printer", "Ticket window printer", "Keeper's cottage hub", "Reading-room press")
        )  # fmt: skip
        # The first look powers the board that boots before one's eyes.
        desk.shoot("bench", "/", "Give it until")
        phone.shoot("phone-bench", "/", "Give it until")
        desk.shoot("boot", f"{late}/boot", "Most likely why")
        desk.shoot("plan", f"{stopped}/plan", "has no radio")
        desk.shoot("matrix", "/matrix", "Cinderwick")
        desk.shoot("recipe", "/recipes/recipe/hidewatch", "It describes")
        desk.shoot("image", f"{chart}/image", "Where its page will be")
        demo.ask("PUT", f"{chart}/settings", {"keyboard": "us"})
        desk.shoot("settings", f"{chart}/settings", "United Kingdom")
        desk.show_the_doctor("doctor")
        wait_for(lambda: bool((demo.ask("GET", f"{hub}/find")["winner"] or {}).get("page_answers")), 90)
        desk.shoot("find", f"{hub}/find", "Found it")
        found = demo.ask("GET", f"{hub}/find")
        demo.ask("POST", f"{hub}/find/claim", {"address": found["winner"]["address"]})
        for step in ("page", "password"):
            demo.ask("POST", f"{hub}/setup/check", {"step": step})
        desk.shoot("setup", f"{hub}/setup", "no longer opens it")
        desk.shoot("keep", f"{press}/keep", "Label for the box")
        desk.shoot("images", "/images", "lintel-11.4")
        # An image of one's own, which nobody described; while others are built it is read when it is asked for.
        own = demo.ask("GET", "/images?search=weir")["images"][0]["id"]
        demo.ask("POST", f"/images/{own}/read")
        wait_for(lambda: any(i["read_at"] for i in demo.ask("GET", "/images?search=weir")["images"]), 120)
        desk.shoot("use", f"/images/{own}/use", "Files to fill")
        desk.shoot("shelf", "/shelf", "told apart by the mark")
        desk.shoot("site", "/site", "United Kingdom")
        desk.shoot("log", "/log", "newest first")
        demo.write(chart, "QH-C32-07")
        desk.shoot("card", f"{chart}/card", "Write: leave the card in the reader")
        wait_for(lambda: demo.ask("GET", f"{chart}/card")["proven"], 180)
        demo.work("clear", "QH-C16-02")
        demo.work("back-up", "QH-C32-07")
        desk.shoot("cards", "/cards", "Read back into a file")
        chromium.close()


if __name__ == "__main__":
    target = Path(sys.argv[1]) if len(sys.argv) > 1 else PROJECT / "docs" / "screenshots"
    target.mkdir(parents=True, exist_ok=True)
    with application() as (address, at):
        take(address, at, target)
