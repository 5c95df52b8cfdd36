"""The whole application as `make start` starts it, in a home of its own, driven through Chromium."""

from __future__ import annotations

import contextlib
import os
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

import httpx
import pytest
from playwright.sync_api import Browser, ConsoleMessage, Page, Playwright, expect
from torture.ports import free_port

from tests.database_plugin import PROJECT

CHROMIUM = "/usr/bin/chromium-headless-shell"
"""Debian's Chromium without the window it would draw for nobody: a third less work for the same pages"""
FLAGS = [
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--force-prefers-reduced-motion",
]  # fmt: skip

LAN = "127.77.15.0/24"
"""the pretend network of the applications that are started here, another than that of any process of tests"""

expect.set_options(timeout=30_000)


@dataclass
class Application:
    """A started application. `output` is everything its processes said; `traces_expected` is set by a test that takes
    its database away."""

    url: str
    home: Path
    process: subprocess.Popen[bytes]
    output_file: Path
    traces_expected: bool = False

    @property
    def link(self) -> str:
        """The link that lets one browser in, where the start printed one."""
        found = re.search(r"(http\S+#come-in=\S+)", self.output)
        return found[1] if found else ""

    @property
    def token(self) -> dict[str, str]:
        """The header by which the owner's scripts come in where a link is asked for."""
        return {"Authorization": f"Bearer {(self.home / 'secrets' / 'token').read_text()}"}

    @property
    def output(self) -> str:
        return self.output_file.read_text(errors="replace")


def environment_for(home: Path, **more: str) -> dict[str, str]:
    """Return the environment of an application that lives in `home`, on ports of its own."""
    return {
        **os.environ,
        "MINTSEED_HOME": str(home),
        "MINTSEED_LIBRARY": str(home / "library"),
        "MINTSEED_PORT": str(free_port()),
        "MINTSEED_DB_PORT": str(free_port()),
        "MINTSEED_STANDIN_LAN": LAN,
        "MINTSEED_STANDIN_PACE": "40",
        "MINTSEED_DEMO": "empty",
        **more,
    }


def start(environment: dict[str, str], before: Sequence[str] = ()) -> Application:
    """Start the application by the README's own command and return when it answers. `before` goes before the command."""
    home = Path(environment["MINTSEED_HOME"])
    output_file = home / "output.txt"
    with output_file.open("wb") as output:
        process = subprocess.Popen(
            [*before, "make", "-s", "start"],
            cwd=PROJECT,
            env=environment,
            stdout=output,
            stderr=subprocess.STDOUT,
            start_new_session=True,
        )
    scheme = "https" if environment.get("MINTSEED_TLS_CERT") else "http"
    started = Application(f"{scheme}://127.0.0.1:{environment['MINTSEED_PORT']}", home, process, output_file)
    _wait_until_up(started)
    return started


def stop(application: Application) -> list[str]:
    """Stop it as Ctrl-C does and return the processes that are left."""
    with contextlib.suppress(ProcessLookupError):
        os.killpg(application.process.pid, signal.SIGINT)
    application.process.wait(30)
    listed = subprocess.run(["pgrep", "-f", str(application.home)], capture_output=True, text=True, check=False)
    return listed.stdout.split()


@pytest.fixture(scope="session")
def made_home(library: Path) -> Iterator[Path]:
    """A home whose first start is behind it, to be copied: a first start takes half a minute each time."""
    # A short path: the database's socket lies in it.
    home = Path(tempfile.mkdtemp(prefix="mintseed-"))
    shutil.copytree(library, home / "library")
    ready = [sys.executable, "-m", "mintseed.server.start.make_ready"]
    subprocess.run(ready, cwd=PROJECT, env=environment_for(home), check=True)
    yield home
    shutil.rmtree(home)


def copy_of(made_home: Path) -> Path:
    """Return a home of one's own like `made_home`."""
    home = Path(tempfile.mkdtemp(prefix="mintseed-"))
    subprocess.run(["cp", "-a", "--sparse=always", f"{made_home}/.", str(home)], check=True)
    return home


@pytest.fixture(scope="session")
def application(made_home: Path) -> Iterator[Application]:
    """The application all browser tests share; afterwards nothing may be left running."""
    home = copy_of(made_home)
    started = start(environment_for(home))
    yield started
    left, said = stop(started), started.output
    shutil.rmtree(home)
    assert not left, f"processes left running: {left}"
    if not started.traces_expected:
        assert "Traceback" not in said, said[-4000:]
        assert "ERROR" not in said, said[-4000:]


@pytest.fixture(autouse=True)
def _open_door(request: pytest.FixtureRequest) -> None:
    """A test that types a passphrase of its own closes the door for itself alone: the next one finds it open again."""
    if "application" in request.fixturenames:
        home: Path = request.getfixturevalue("application").home
        (home / "secrets" / "closed").unlink(missing_ok=True)


@pytest.fixture
def cards_in_reader(application: Application) -> Iterator[None]:
    """Whatever a test before or this one left running gives its card back: the readers are shared as the application is."""
    _power_all_off(application)
    yield
    _power_all_off(application)


def _power_all_off(application: Application) -> None:
    with httpx.Client(base_url=application.url, headers=application.token, timeout=30) as client:
        for place in ("open", "service"):
            try:
                listed = client.get("/api/deployments", params={"place": place}).raise_for_status().json()
            except httpx.HTTPError:
                continue
            for device in listed["deployments"]:
                # One that does not run refuses, and that is all right; what is busy is no fault of the test that has passed.
                with contextlib.suppress(httpx.HTTPError):
                    client.post(f"/api/deployments/{device['id']}/boot/power-off")


def _wait_until_up(application: Application, seconds: float = 900) -> None:
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        if application.process.poll() is not None:
            pytest.fail(f"it did not start:\n{application.output}")
        try:
            # It says where it is once it answers.
            if "is at" in application.output and httpx.get(
                f"{application.url}/api/bench", timeout=2, verify=False
            ).status_code in (200, 401):
                return
            time.sleep(0.2)
        except httpx.HTTPError:
            time.sleep(0.2)
    pytest.fail(f"it did not answer within {seconds} s:\n{application.output}")


@pytest.fixture(scope="session")
def browser(playwright: Playwright) -> Iterator[Browser]:
    chromium = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
    yield chromium
    chromium.close()


@pytest.fixture
def page(browser: Browser, application: Application) -> Iterator[Page]:
    """A fresh page; any console error or uncaught exception fails the test."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=application.url)
    context.grant_permissions(["clipboard-read", "clipboard-write"])
    fresh = context.new_page()
    troubles: list[str] = []

    def listen(message: ConsoleMessage) -> None:
        # What is refused is said on the screen, where the tests look for it.
        # What was asked for while a passphrase of one's own closed the door is asked for again with the session it gave.
        said = any(f"status of {status}" in message.text for status in (401, 409, 422))
        if message.type in ("error", "warning") and not said:
            troubles.append(message.text)

    fresh.on("console", listen)
    fresh.on("pageerror", lambda error: troubles.append(str(error)))
    yield fresh
    context.close()
    assert not troubles
