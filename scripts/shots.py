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

PROJECT = Path(__file__).resolve().parents[1]
PORT, DB_PORT, LAN = "4879", "34879", "127.77.4.0/24"
FLAGS = [
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip


@contextmanager
def application() -> Iterator[str]:
    """Run the application until the context ends; yields its address."""
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
        yield url
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
    """Brings deployments to where a picture wants them, through the API."""

    def __init__(self, url: str) -> None:
        self._client = httpx.Client(base_url=f"{url}/api", timeout=30)

    def ask(self, method: str, path: str, body: object = None) -> Any:
        answer = (
            self._client.request(method, path, json=body) if body is not None else self._client.request(method, path)
        )
        answer.raise_for_status()
        return answer.json()

    def planned(
        self, recipe: str, name: str, unit: str, supply: str, host_name: str, card_gb: int, **plan: object
    ) -> str:
        """Start a deployment and plan it; return its path in the API."""
        path = f"/deployments/{self.ask('POST', '/deployments', {'recipe': recipe, 'name': name})['id']}"
        choices = self.ask("GET", f"{path}/plan")
        body = {
            "board_unit_id": next(u["id"] for u in choices["units"] if u["name"] == unit),
            "supply_id": next(s["id"] for s in choices["supplies"] if s["name"] == supply),
            "card_gb": card_gb,
            **plan,
        }
        self.ask("PUT", f"{path}/plan", body)
        self.ask("PUT", f"{path}/settings", {"host_name": host_name})
        return path

    def imaged(self, path: str) -> None:
        suggested = next(c for c in self.ask("GET", f"{path}/image")["choices"] if c["suggested"])
        self.ask("PUT", f"{path}/image", {"image_id": suggested["image"]["id"]})

    def write(self, path: str, serial: str) -> None:
        self.ask("POST", f"{path}/settings/agree")
        drive = next(d for d in self.ask("GET", f"{path}/card")["drives"] if d["serial"] == serial)
        self.ask("POST", f"{path}/card/write", {"drive_id": drive["id"], "path": drive["path"], "serial": serial, "again": drive["path"]})

    def boot(self, path: str) -> None:
        wait_for(lambda: bool(self.ask("GET", f"{path}/card")["current"]), 60)
        self.ask("POST", f"{path}/boot/power-on", {"ago_s": 0})

    def claim(self, path: str) -> str:
        wait_for(lambda: bool((self.ask("GET", f"{path}/find")["winner"] or {}).get("page_answers")), 60)
        found = self.ask("GET", f"{path}/find")
        self.ask("POST", f"{path}/find/claim", {"address": found["winner"]["address"]})
        return str(found["url"])


class Camera:
    def __init__(self, page: Page, url: str, folder: Path) -> None:
        self._page, self._url, self._folder = page, url, folder

    def shoot(self, name: str, path: str, wait_text: str) -> None:
        """Open `path`, wait for a text of that screen, and keep a picture."""
        self._page.goto(self._url + path)
        self._page.get_by_text(wait_text).first.wait_for()
        self.keep(name)

    def keep(self, name: str) -> None:
        self._page.evaluate("document.fonts.ready")
        self._page.screenshot(path=str(self._folder / f"{name}.png"))


def take(url: str, folder: Path) -> None:
    demo = Demo(url)
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        desk = Camera(chromium.new_page(viewport={"width": 1280, "height": 800}), url, folder)
        phone = Camera(chromium.new_page(viewport={"width": 390, "height": 844}), url, folder)
        dark = Camera(chromium.new_page(viewport={"width": 1280, "height": 800}, color_scheme="dark"), url, folder)
        desk.shoot("new", "/new", "Lintel")
        twin = demo.planned(
            "platen", "Gallery press", "Larkspur C, green case", "Black one with switch", "gallery-press", 32
        )
        desk.shoot("plan", twin + "/plan", "has no radio")
        hub = demo.planned("lintel", "Tide-room hub", "Tansy, workshop", "Grey USB-C one", "tide-hub", 32, way="wifi")
        demo.imaged(hub)
        demo.ask(
            "PUT", f"{hub}/settings", {"admin_name": "keeper", "admin_password": "three wet boots", "keyboard": "us"}
        )
        desk.shoot("settings", hub + "/settings", "as on the card")
        phone.shoot("phone-settings", hub + "/settings", "as on the card")
        map_room = demo.planned(
            "platen", "Map-room press", "Larkspur R, bare", "Black one with switch", "map-press", 16
        )
        demo.imaged(map_room)
        desk.shoot("image", map_room + "/image", "Where its page will be")
        demo.ask("PUT", f"{map_room}/settings", {"passphrase": "spring tide at nine"})
        demo.write(map_room, "QH-C16-02")
        demo.boot(map_room)
        reading = demo.planned(
            "platen", "Reading-room press", "Larkspur R, clear case", "Black one with switch", "reading-press", 32
        )
        demo.imaged(reading)
        demo.write(reading, "QH-C32-07")
        desk.shoot("card", reading + "/card", "leave the card in the reader")
        demo.boot(reading)
        wait_for(lambda: bool((demo.ask("GET", f"{reading}/find")["winner"] or {}).get("page_answers")), 60)
        desk.shoot("bench", "/", "New on the network")
        dark.shoot("bench-dark", "/", "New on the network")
        desk.shoot("find", reading + "/find", "Found it")
        phone.shoot("phone-find", reading + "/find", "Found it")
        page_url = demo.claim(reading)
        demo.ask("POST", f"{reading}/setup/check", {"step": "page"})
        demo.ask("POST", f"{reading}/setup/check", {"step": "password"})
        desk.shoot("setup", reading + "/setup", "still opens it")
        httpx.post(f"{page_url}word", data={"name": "inkwell", "word": "inkwell", "fresh": "a harbour wall"})
        demo.ask("POST", f"{reading}/setup/check", {"step": "password"})
        demo.ask("POST", f"{reading}/setup/tick", {"step": "printer", "done": True})
        demo.ask("POST", f"{reading}/keep/done")
        desk.shoot("keep", reading + "/keep", "Label for the box")
        wait_for(lambda: bool(demo.ask("GET", f"{map_room}/boot")["causes"]), 60)
        desk.shoot("boot", map_room + "/boot", "Most likely why")
        desk.shoot("images", "/images", "lintel-11.4")
        desk.shoot("shelf", "/shelf", "told apart by the mark")
        desk.shoot("site", "/site", "Wi-Fi networks")
        desk.shoot("log", "/log", "newest first")
        chromium.close()


if __name__ == "__main__":
    target = Path(sys.argv[1]) if len(sys.argv) > 1 else PROJECT / "docs" / "screenshots"
    target.mkdir(parents=True, exist_ok=True)
    with application() as address:
        take(address, target)
