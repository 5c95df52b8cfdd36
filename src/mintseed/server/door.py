"""Who comes in: on the stand-in bench everybody on this machine; on a real bench who holds its link; from the network who
has an account."""

from __future__ import annotations

import hashlib
import hmac
import os
import secrets
import time
from pathlib import Path
from typing import Literal

from mintseed.server.address import host, is_reachable_from_outside, serves_tls
from mintseed.server.secret_files import kept_secret
from mintseed.wiring import config

Door = Literal["open", "link", "account"]

LINK_LASTS_S = 24 * 3600
"""seconds after which a link nobody used opens nothing."""


def door() -> Door:
    """Return what is asked of who comes in. Other users of this machine reach loopback too, so a real bench asks there."""
    if is_reachable_from_outside():
        return "account"
    return "open" if config().is_standin else "link"


def _links() -> Path:
    return config().home / "secrets" / "links"


def new_link() -> str:
    """Return a link that lets one browser in, once. Its code stands behind the #, so no server and no log sees it."""
    folder, code = _links(), secrets.token_urlsafe(32)
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    (folder / _name(code)).touch(mode=0o600)
    scheme = "https" if serves_tls() else "http"
    return f"{scheme}://{host()}:{os.environ.get('MINTSEED_PORT') or 4870}/#come-in={code}"


def use_link(code: str) -> bool:
    """Return whether `code` opens; it does once."""
    file = _links() / _name(code)
    try:
        fresh = time.time() - file.stat().st_mtime < LINK_LASTS_S
        file.unlink()  # of two that come at once, one finds it gone
    except FileNotFoundError:
        return False
    return fresh


def _name(code: str) -> str:
    return hashlib.sha256(code.encode("utf-8", "surrogatepass")).hexdigest()


def token() -> str:
    """Return the owner's token for scripts, from its file (mode 0600)."""
    return kept_secret(config().home / "secrets" / "token")


def shows_token(authorization: str) -> bool:
    """Return whether an Authorization header shows the owner's token (RFC 6750)."""
    kind, _, shown = authorization.partition(" ")
    return kind.lower() == "bearer" and hmac.compare_digest(shown.strip().encode("utf-8", "replace"), token().encode())
