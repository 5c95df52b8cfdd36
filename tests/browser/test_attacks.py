"""Requests no library would send, and another site's page that puts ours into a frame."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from urllib.parse import urlsplit

import httpx
import pytest
from playwright.sync_api import Browser
from torture.running import raw_attacks, sent

from tests.browser.conftest import Application


def test_an_attack_list_brings_no_error_and_stops_nobody_else(application: Application) -> None:
    port = urlsplit(application.url).port or 0
    for name, request in raw_attacks(port).items():
        if name == "half a body":
            continue  # it waits for the other half for as long as the sender does
        status, answer = sent(port, request)
        assert not status.startswith("5"), (name, status)
        assert b"root:" not in answer, name
        assert httpx.get(f"{application.url}/api/place", timeout=30).status_code == 200, name


@pytest.fixture
def framing_page(application: Application) -> Iterator[str]:
    class Page(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            self.send_response(200)
            self.send_header("Content-Type", "text/html")
            self.end_headers()
            self.wfile.write(f'<h1>A game</h1><iframe name="inside" src="{application.url}/"></iframe>'.encode())

        def log_message(self, format: str, *args: object) -> None:
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), Page)
    threading.Thread(target=server.serve_forever, kwargs={"poll_interval": 0.02}, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_address[1]}/"
    server.shutdown()
    server.server_close()


def test_no_other_page_puts_ours_into_a_frame(browser: Browser, framing_page: str) -> None:
    with browser.new_context() as context:
        page = context.new_page()
        page.goto(framing_page)
        page.wait_for_load_state("networkidle")
        inside = page.frame("inside")
        assert inside is not None
        assert inside.url.startswith("chrome-error:")
        assert inside.get_by_text("Mint Seed").count() == 0
