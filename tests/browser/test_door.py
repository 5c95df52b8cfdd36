"""Another user of this machine, at the page of somebody who keeps something of their own: shut out, and kept out of nothing else."""

from __future__ import annotations

import os
import re
import shutil
import socket
import subprocess
import tempfile
import time
from contextlib import ExitStack, suppress
from pathlib import Path
from urllib.parse import urlsplit

import httpx
import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser import walk
from tests.browser.conftest import Application, environment_for, start, stop


def test_who_types_a_passphrase_of_their_own_goes_on_and_nobody_else(
    page: Page, browser: Browser, application: Application
) -> None:
    with browser.new_context(base_url=application.url) as context:
        other = context.new_page()
        other.goto("/")
        expect(other.get_by_role("heading", name="Bench", exact=True)).to_be_visible()
        walk.start(page, "Platen", "Heron press")
        walk.plan(page, "Larkspur R, bare", "2.5 A")
        page.goto(page.url.rsplit("/", 1)[0] + "/settings")
        page.get_by_label("Passphrase").first.fill("nine wet herons")
        page.keyboard.press("Tab")
        expect(page.get_by_text("only for this card")).to_be_visible()
        page.goto("/log")
        expect(page.get_by_text("From now on a link is asked for").first).to_be_visible()
        # The other one is shut out without asking for anything: its stream has ended.
        expect(other.get_by_text("opens by a link that is printed where it was started")).to_be_visible()
        # The owner gets in there too, by a link, which ends the session that came by closing.
        page.goto("about:blank")
        printed = subprocess.run(
            [".venv/bin/python", "manage.py", "link"], capture_output=True, text=True, check=True,
            env=environment_for(application.home, MINTSEED_PORT=str(urlsplit(application.url).port)),
        ).stdout.strip()  # fmt: skip
        other.goto(printed)
        expect(other.get_by_role("heading", name="Bench", exact=True)).to_be_visible()


@pytest.fixture
def desktop(tmp_path: Path) -> dict[str, str]:
    """A desktop whose opener notes what it is asked to open, as any process list would show it."""
    opener = tmp_path / "xdg-open"
    opener.write_text(f'#!/bin/sh\nprintf "%s\\n" "$@" >{tmp_path}/opened\n')
    opener.chmod(0o755)
    return {"PATH": f"{tmp_path}:{os.environ['PATH']}", "DISPLAY": ":99"}


def test_a_link_is_in_no_process_list_and_no_environment(desktop: dict[str, str], tmp_path: Path) -> None:
    home = Path(tempfile.mkdtemp(prefix="mintseed-"))
    with ExitStack() as cleanup:
        cleanup.callback(shutil.rmtree, home)
        started = start(environment_for(home, MINTSEED_BENCH="real", **desktop))
        cleanup.callback(stop, started)
        code = started.link.partition("=")[2]
        assert len(code) > 20
        seen = []
        for entry in Path("/proc").iterdir():
            if entry.name.isdigit() and int(entry.name) != os.getpid():
                for name in ("cmdline", "environ"):
                    with suppress(OSError):
                        seen += [entry.name] if code.encode() in (entry / name).read_bytes() else []
        assert not seen
        until = time.monotonic() + 20
        while not (tmp_path / "opened").exists() and time.monotonic() < until:
            time.sleep(0.1)
        opened = Path((tmp_path / "opened").read_text().strip())
        assert opened == home.resolve() / "secrets" / "open.html"
        assert opened.stat().st_mode & 0o077 == 0
        assert re.search(rf"url=http://127\.0\.0\.1:\d+/#come-in={code}", opened.read_text())


def test_half_requests_by_the_hundred_keep_nobody_out(page: Page, application: Application) -> None:
    port = urlsplit(application.url).port or 0
    with ExitStack() as held:
        for number in range(400):
            half = held.enter_context(socket.create_connection(("127.0.0.1", port)))
            half.sendall(b"GET / HTTP/1.1\r\nHost: 127" if number % 2 else b"POST /api/deployments HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 9\r\n\r\n{")  # fmt: skip
        assert httpx.get(f"{application.url}/api/place", timeout=5).status_code == 200
        page.goto("/")
        expect(page.get_by_role("heading", name="Bench", exact=True)).to_be_visible()


def test_a_body_without_end_is_cut_off_and_lies_nowhere(application: Application) -> None:
    port = urlsplit(application.url).port or 0
    head = f"POST /api/deployments HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\nTransfer-Encoding: chunked\r\n\r\n".encode()
    sent_bytes, chunk = 0, b"10000\r\n" + b"x" * 0x10000 + b"\r\n"
    with socket.create_connection(("127.0.0.1", port), timeout=20) as stranger:
        stranger.sendall(head)
        with suppress(OSError):
            while sent_bytes < 100 * 1024 * 1024:
                stranger.sendall(chunk)
                sent_bytes += 0x10000
        answer = b""
        with suppress(OSError):
            answer = stranger.recv(200)
    assert sent_bytes < 100 * 1024 * 1024
    assert answer == b"" or b" 413 " in answer
    # Announced, it is not even begun.
    with socket.create_connection(("127.0.0.1", port), timeout=20) as stranger:
        stranger.sendall(head.replace(b"Transfer-Encoding: chunked", b"Content-Length: 1500000000"))
        assert b" 413 " in stranger.recv(200)
