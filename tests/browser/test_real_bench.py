"""The real bench, from an empty log to an opened page: a loop device stands for the card, power is by hand, no lease file
is read, and the board is a host in a network namespace with a real DHCP server before it and a real web server on it."""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from mintseed.standins.forge.build import build_image
from mintseed.standins.forge.own_sources import WEIR_POST
from tests.browser import walk
from tests.browser.conftest import Application, environment_for, start, stop

NETWORK = "10.213.7"
IMAGE = "platen-3.2-64.img.xz"

PAGE_SERVER = """
import http.server
class Page(http.server.BaseHTTPRequestHandler):
    def say(self, status, text):
        self.send_response(status)
        self.send_header("Content-Length", str(len(text)))
        self.end_headers()
        self.wfile.write(text)
    def do_GET(self):
        self.say(200, b"<title>TITLE</title><h1>TITLE</h1>")
    def do_POST(self):
        self.say(401, b"no")
    def log_message(self, *words):
        pass
http.server.ThreadingHTTPServer(("0.0.0.0", PORT), Page).serve_forever()
"""


def run(*arguments: str) -> str:
    return subprocess.run(arguments, check=True, capture_output=True, text=True).stdout.strip()


@dataclass
class House:
    """One host beside ours: a network namespace behind a veth pair. Ours has the DHCP server, as a router would."""

    name: str
    folder: Path
    running: list[subprocess.Popen[bytes]] = field(default_factory=list)

    def build(self) -> None:
        ours, theirs = f"{self.name}h", f"{self.name}b"
        run("ip", "netns", "add", self.name)
        run("ip", "link", "add", ours, "type", "veth", "peer", "name", theirs, "netns", self.name)
        run("ip", "addr", "add", f"{NETWORK}.1/24", "dev", ours)
        run("ip", "link", "set", ours, "up")
        run("ip", "-n", self.name, "link", "set", "lo", "up")
        self._start(
            "dnsmasq", "--keep-in-foreground", "--conf-file=/dev/null", "--port=0", f"--interface={ours}", "--bind-interfaces",
            f"--dhcp-range={NETWORK}.50,{NETWORK}.99,1h", f"--dhcp-leasefile={self.folder}/leases", "--pid-file=", "--user=root",
        )  # fmt: skip

    def _start(self, *arguments: str) -> None:
        self.running.append(subprocess.Popen(arguments, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL))

    def board_boots(self, host_name: str = "reading-press", title: str = "Platen print desk", port: int = 5310) -> None:
        """The board comes onto the network: takes a lease from the DHCP server, then serves its page."""
        script = self.folder / "lease.sh"
        script.write_text('#!/bin/sh\n[ "$1" = bound ] && ip addr add "$ip/24" dev "$interface"\nexit 0\n')
        script.chmod(0o755)
        inside = ("ip", "netns", "exec", self.name)
        run("ip", "-n", self.name, "link", "set", f"{self.name}b", "up")
        run(
            *inside,
            "udhcpc",
            "-i",
            f"{self.name}b",
            "-s",
            str(script),
            "-x",
            f"hostname:{host_name}",
            "-n",
            "-q",
            "-t",
            "8",
        )
        server = self.folder / "page.py"
        server.write_text(PAGE_SERVER.replace("TITLE", title).replace("PORT", str(port)))
        self._start(*inside, sys.executable, str(server))

    def tear_down(self) -> None:
        for process in reversed(self.running):
            process.terminate()
            process.wait(10)
        subprocess.run(["ip", "link", "del", f"{self.name}h"], check=False, capture_output=True)
        subprocess.run(["ip", "netns", "del", self.name], check=False, capture_output=True)


@pytest.fixture
def house(tmp_path: Path) -> Iterator[House]:
    if os.geteuid() != 0:
        pytest.skip("network namespaces need root")
    built = House(f"ms{os.getpid() % 10000}", tmp_path)
    try:
        built.build()
    except (subprocess.CalledProcessError, FileNotFoundError) as error:
        built.tear_down()
        pytest.skip(f"no network namespace here: {error}")
    yield built
    built.tear_down()


@pytest.fixture
def loop_card(tmp_path: Path) -> Iterator[str]:
    backing = tmp_path / "card"
    with backing.open("wb") as file:
        file.truncate(8 * 10**9)
    made = subprocess.run(["losetup", "--show", "-f", str(backing)], capture_output=True, text=True, check=False)
    if made.returncode:
        pytest.skip(f"no loop device here: {made.stderr.strip()}")
    device = made.stdout.strip()
    yield device
    subprocess.run(["losetup", "-d", device], check=False, capture_output=True)


@pytest.fixture
def real(loop_card: str, house: House, library: Path) -> Iterator[Application]:
    """The application on the real bench, without any of root's capabilities: what a user in the right group may do."""
    home = Path(tempfile.mkdtemp(prefix="mintseed-"))
    (home / "library").mkdir()
    environment = environment_for(home, MINTSEED_BENCH="real", MINTSEED_LOOP_CARDS=loop_card, MINTSEED_LEASES="")
    started = start(environment, before=["setpriv", "--bounding-set=-all", "--inh-caps=-all"])
    with contextlib.ExitStack() as cleanup:
        cleanup.callback(shutil.rmtree, home)
        yield started
        assert stop(started) == []
        assert "Traceback" not in started.output, started.output[-4000:]


def test_from_an_empty_log_to_an_opened_page(
    real: Application, browser: Browser, house: House, loop_card: str, library: Path
) -> None:
    with browser.new_context(base_url=real.url, viewport={"width": 1280, "height": 800}) as context:
        page = context.new_page()
        # A plain visit is told where the link is; the link opens it, and does so once.
        page.goto("/log")
        expect(page.get_by_text("opens by a link that is printed where it was started")).to_be_visible()
        page.goto(real.link)
        expect(page.get_by_role("heading", name="Bench", exact=True)).to_be_visible()
        assert "come-in" not in page.url
        with browser.new_context(base_url=real.url) as other:
            late = other.new_page()
            late.goto(real.link)
            expect(late.get_by_text("this link was used, or is too old")).to_be_visible()
        page.goto("/log")
        expect(page.get_by_role("heading", name="Log")).to_be_visible()
        _own_things(page)
        # The image is dropped into the folder.
        for name in (IMAGE, "platen-3.2.sha256"):
            shutil.copy(library / name, real.home / "library" / name)
        _to_a_written_card(page, loop_card)
        _power_by_hand(page, loop_card)
        house.board_boots()
        page.get_by_role("link", name="Go on to Find").click(timeout=60_000)
        walk.station(page, "Find")
        expect(page.get_by_text("its page says Platen print desk").first).to_be_visible(timeout=60_000)
        expect(page.get_by_text("new since power-on").first).to_be_visible()
        with context.expect_page() as opened:
            page.get_by_role("link", name="Open its page").click()
        expect(opened.value.get_by_text("Platen print desk")).to_be_visible()
        page.get_by_role("button", name="This is it", exact=True).first.click()
        assert NETWORK in opened.value.url
        _keep(page)


def test_an_image_and_a_board_that_nobody_described(
    real: Application, browser: Browser, house: House, loop_card: str
) -> None:
    """From a dropped file to the label, with no text typed and nothing of the demo touched."""
    with browser.new_context(base_url=real.url, viewport={"width": 1280, "height": 800}) as context:
        page = context.new_page()
        page.goto(real.link)
        expect(page.get_by_role("heading", name="Bench", exact=True)).to_be_visible()
        _own_place(page)
        build_image(WEIR_POST, real.home / "library")
        walk.use_own_image(page, WEIR_POST.file)
        walk.with_its_image(page, "8 GB")
        page.get_by_role("button", name="Put on a card").click()
        walk.station(page, "Card")
        walk.write(page, f"at {loop_card}")
        _power_by_hand(page, loop_card)
        house.board_boots("weir-post", "Weir post: level and flow", 8765)
        page.get_by_role("link", name="Go on to Find").click(timeout=60_000)
        walk.station(page, "Find")
        expect(page.get_by_text("new since power-on").first).to_be_visible(timeout=60_000)
        walk.own_page_kept(page)
        page.get_by_role("button", name="Put it in service").click()
        expect(page.get_by_text("In service at 10.213.7.").first).to_be_visible()


def _own_things(page: Page) -> None:
    page.goto("/shelf")
    page.get_by_role("button", name="Examples, made up").click()
    walk.pick(page, "Mark", "LARKSPUR R")
    expect(page.get_by_text("Looks like Larkspur C")).to_be_visible()
    boards = page.get_by_label("Name").first
    boards.fill("My bare one")
    page.get_by_role("button", name="Add the board").click()
    expect(page.get_by_text("My bare one", exact=True)).to_be_visible()
    supply = page.locator("form", has_text="Amperes")
    supply.get_by_label("Name").fill("Black one")
    supply.get_by_label("Amperes").fill("2.5")
    page.get_by_role("button", name="Add the supply").click()
    expect(page.get_by_text("5.1 V, 2.5 A, micro-USB")).to_be_visible()
    _own_place(page)


def _own_place(page: Page) -> None:
    page.goto("/site")
    place = page.locator("form", has_text="Own network")
    for label, value in (("Name", "At home"), ("Own network", f"{NETWORK}.0/24")):
        place.get_by_label(label).fill(value)
    walk.pick(page, "Country", "United Kingdom")
    walk.pick(page, "Time zone", "Europe/London")
    walk.pick(page, "Keyboard", "English (UK)")
    page.get_by_role("button", name="Save the place").click()
    expect(page.get_by_text("Saved.", exact=True)).to_be_visible()
    page.get_by_text("Add a network").click()
    network = page.locator("form", has=page.locator('input[name="ssid"]'))
    network.get_by_label("Name", exact=True).fill("Home 2G")
    network.get_by_label("Passphrase").fill("a made-up passphrase")
    page.get_by_role("button", name="Add it").click()
    expect(page.get_by_text("Home 2G")).to_be_visible()


def _to_a_written_card(page: Page, loop_card: str) -> None:
    walk.start(page, "Platen", "Reading-room press", examples=True)
    walk.plan(page, "My bare one", "Black one", "8 GB")
    page.get_by_role("radio", name=IMAGE).click()
    expect(page.get_by_text("Whole, and the file that was published").first).to_be_visible(timeout=60_000)
    page.get_by_role("link", name="Go on to Settings").click()
    walk.station(page, "Settings")
    walk.fill(page, "Host name", "reading-press")
    page.get_by_role("button", name="Put on a card").click()
    walk.station(page, "Card")
    walk.write(page, f"at {loop_card}")
    expect(page.get_by_text("Pulling it out is safe: flushed")).to_be_visible()


def _power_by_hand(page: Page, loop_card: str) -> None:
    page.get_by_role("link", name="Go on to First boot").click()
    walk.station(page, "First boot")
    # While the card is still in the reader it cannot be in the board.
    expect(page.get_by_text("Its card is still in the reader").first).to_be_visible()
    run("losetup", "-d", loop_card)
    powered = page.get_by_role("button", name="I powered it")
    expect(powered).to_be_enabled()
    # The look at who is there already is over.
    expect(page.get_by_text("Who is on the network already was looked at")).to_be_visible()
    powered.click()
    expect(page.get_by_role("heading", name="Nothing to do yet")).to_be_visible()


def _keep(page: Page) -> None:
    walk.set_up(page)
    page.get_by_role("button", name="Put it in service").click()
    expect(page.get_by_text("In service at 10.213.7.").first).to_be_visible()
    for text in ("Card proven", "Powered by hand", "On the network after", "Claimed 10.213.7."):
        expect(page.get_by_text(text).first).to_be_visible()
