"""Who comes in: everybody on this machine only while all behind it is made up; else who holds its link; from the network who has
an account.

The door closes by what is behind it, not by how this process was started: as soon as a bench on record is or was real, or a
passphrase is kept that is not the demo's. Other users of the machine reach loopback too. It never opens again by itself.
"""

from __future__ import annotations

import hashlib
import hmac
import os
import secrets
import time
from html import escape
from pathlib import Path
from typing import Literal

from django.db.models import Q

from mintseed.server.doors.address import host, is_reachable_from_outside, serves_tls
from mintseed.server.kept.closed import close, closed_mark, kept_word
from mintseed.server.kept.models import Bench, Deployment, WifiNetwork
from mintseed.server.kept.secret_files import kept_secret
from mintseed.wiring import config

Door = Literal["open", "link", "account"]

LINK_LASTS_S = 24 * 3600
"""seconds after which a link nobody used opens nothing."""

DOORS = "doors"
"""the topic that says that somebody was shut out: streams look whether they may still listen."""


def door() -> Door:
    """Return what is asked of who comes in, as things stand now."""
    if is_reachable_from_outside():
        return "account"
    return "link" if is_closed() else "open"


def is_closed() -> bool:
    """Return whether anything behind the door is real."""
    if not config().plays_boards:
        close("a real bench was started from this home")
    if closed_mark().exists():
        return True
    # A bench on another machine tells it by its row alone.
    if Bench.objects.filter(Q(was_real=True) | Q(kind=Bench.Kind.REAL)).exists():
        close("a real bench is on record")
        return True
    return False


def note_what_is_kept() -> None:
    """Close the door of a home that keeps a passphrase of its owner's: for homes from before the door minded. What cannot be read is
    not the demo's."""
    for rows in (WifiNetwork.objects, Deployment.objects):
        for word in rows.exclude(passphrase="").values_list("passphrase", flat=True):
            kept_word(word)


def _links() -> Path:
    return config().home / "secrets" / "links"


FORGOTTEN_AFTER_S = 30 * 24 * 3600
"""seconds after which neither a link nor who used it is kept: a session lasts no longer"""


def new_link() -> str:
    """Return a link that lets one browser in, once. Its code stands behind the #, so no server and no log sees it."""
    folder, code = _links(), secrets.token_urlsafe(32)
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    for old in folder.iterdir():
        if time.time() - old.lstat().st_mtime > FORGOTTEN_AFTER_S:
            old.unlink(missing_ok=True)
    (folder / _name(code)).touch(mode=0o600)
    return f"{address()}#come-in={code}"


def address() -> str:
    """Return where the page is, on this machine."""
    there = "127.0.0.1" if host() in ("0.0.0.0", "::") else host()
    return f"{'https' if serves_tls() else 'http'}://{there}:{os.environ.get('MINTSEED_PORT') or 4870}/"


def opening_page(link: str) -> Path:
    """Return a file, for the owner alone, that leads a browser to `link`. A link in a command would be in the process list, where
    every user of the machine reads it."""
    page = config().home / "secrets" / "open.html"
    page.unlink(missing_ok=True)
    with os.fdopen(os.open(page, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
        file.write(
            f'<!doctype html><meta charset="utf-8"><title>Mint Seed</title><meta http-equiv="refresh" content="0;url={escape(link)}">\n'
        )
    return page


def take_link(code: str) -> str:
    """Return the name of the link with `code`, by which the session that took it is told; empty where it opens no more. It is used up by
    the first session that comes back: a page that was left too soon never got one."""
    file = _links() / _name(code)
    try:
        fresh = time.time() - file.stat().st_mtime < LINK_LASTS_S
    except FileNotFoundError:
        return ""
    return file.name if fresh else ""


def use_up(link: str, session: str) -> bool:
    """Use the link of that name up for `session`; return whether it is that session's. Of two that took it the first to come back has it."""
    own = hashlib.sha256(session.encode()).hexdigest()
    mark, fresh = _links() / f"{link}.used", _links() / f"{secrets.token_hex(8)}.new"
    fresh.write_text(own)
    try:
        os.link(fresh, mark)  # with what stands in it, or not at all
    except FileExistsError:
        return mark.read_text() == own
    finally:
        fresh.unlink()
    (_links() / link).unlink(missing_ok=True)
    return True


def _name(code: str) -> str:
    return hashlib.sha256(code.encode("utf-8", "surrogatepass")).hexdigest()


def token() -> str:
    """Return the owner's token for scripts, from its file (mode 0600)."""
    return kept_secret(config().home / "secrets" / "token")


def shows_token(authorization: str) -> bool:
    """Return whether an Authorization header shows the owner's token (RFC 6750)."""
    kind, _, shown = authorization.partition(" ")
    return kind.lower() == "bearer" and hmac.compare_digest(shown.strip().encode("utf-8", "replace"), token().encode())
