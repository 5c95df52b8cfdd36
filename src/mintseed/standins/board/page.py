"""The page a simulated appliance serves: its own HTML from the card, a login, and a change of password.

Not simulated: sessions, TLS, anything the appliance would really do.
"""

from __future__ import annotations

import html
import secrets
import subprocess
import threading
import time
from collections.abc import Callable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs

from mintseed.standins.board.boot import Outcome

MAX_FORM_BYTES = 4096


class Account:
    """The appliance's login. `keep` stores what the card must remember after a change."""

    def __init__(self, outcome: Outcome, kept: dict[str, str] | None, keep: Callable[[dict[str, str]], None]) -> None:
        self.name = outcome.login_name
        self._keep = keep
        self.is_default = not outcome.login_hash and kept is None
        self._hash = kept["hash"] if kept else outcome.login_hash or crypt(outcome.login_word, secrets.token_hex(6))

    def opens(self, name: str, word: str) -> bool:
        salt = self._hash.split("$")[2]
        return name == self.name and secrets.compare_digest(crypt(word, salt), self._hash)

    def change(self, word: str) -> None:
        self._hash, self.is_default = crypt(word, secrets.token_hex(6)), False
        self._keep({"hash": self._hash})


def crypt(word: str, salt: str) -> str:
    """Return SHA-512-crypt of `word` as openssl(1) makes it; the word goes in by standard input."""
    done = subprocess.run(
        ["openssl", "passwd", "-6", "-salt", salt, "-stdin"], input=word.encode(), capture_output=True, check=True
    )
    return done.stdout.decode().strip()


def serve_page(address: str, outcome: Outcome, account: Account) -> ThreadingHTTPServer:
    """Serve the appliance's page on `address` until `shutdown()` of what comes back."""

    since = time.strftime("%d %B %Y, %H:%M")

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            if self.path != "/":
                self._send(404, _note("mind", "No such page here."))
                return
            self._send(200, _front(account.is_default))

        def do_POST(self) -> None:
            length = min(int(self.headers.get("Content-Length") or 0), MAX_FORM_BYTES)
            form = {k: v[0] for k, v in parse_qs(self.rfile.read(length).decode("utf-8", "replace")).items()}
            if not account.opens(form.get("name", ""), form.get("word", "")):
                self._send(
                    401, _note("mind", "That name and word do not open it.", role="alert") + _front(account.is_default)
                )
            elif self.path == "/enter":
                self._send(200, _note("well", f"You are in, as {account.name}."))
            elif self.path == "/word" and len(form.get("fresh", "")) >= 8:
                account.change(form["fresh"])
                self._send(200, _note("well", "The word has changed. Use the new one from now on."))
            else:
                self._send(
                    422, _note("mind", "The new word needs 8 characters.", role="alert") + _front(account.is_default)
                )

        def _send(self, status: int, part: str) -> None:
            whole = outcome.page.decode("utf-8", "replace")
            whole = whole.replace("{{host}}", html.escape(outcome.host_name)).replace("{{since}}", since)
            whole = whole.replace("{{part}}", part)
            body = whole.encode()
            self.send_response(status)
            self.send_header("Content-Type", "text/html; charset=utf-8")
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, format: str, *args: Any) -> None:
            pass

    server = ThreadingHTTPServer((address, outcome.port), Handler)
    server.daemon_threads = True
    threading.Thread(target=server.serve_forever, kwargs={"poll_interval": 0.05}, daemon=True).start()
    return server


def _note(kind: str, text: str, *, role: str = "status") -> str:
    return f"<section class={kind}><p role={role} style=margin:0>{html.escape(text)}</p></section>"


def _front(is_default: bool) -> str:
    def field(label: str, name: str, kind: str) -> str:
        return f'<label>{label}<input name="{name}" type="{kind}" autocomplete="off" autocapitalize="none" required></label>'

    warning = _note("mind", "This box still has the login it came with. Change it before others find it.")
    enter = field("Name", "name", "text") + field("Word", "word", "password")
    change = (
        field("Name", "name", "text")
        + field("Old word", "word", "password")
        + field("New word, 8 or more", "fresh", "password")
    )
    return (
        f"{warning if is_default else ''}"
        f"<section><h2>Log in</h2><form method=post action=/enter>{enter}<button>Log in</button></form></section>"
        f"<section><h2>Change the word</h2><form method=post action=/word>{change}<button>Change it</button></form></section>"
    )
