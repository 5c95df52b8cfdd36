"""Whether this home holds something of its owner's: a file says so for good, made before the first secret is stored.

It is what closes the door (`doors/door.py`), and it never goes again by itself.
"""

from __future__ import annotations

import logging
import os
from contextvars import ContextVar
from pathlib import Path

from mintseed.server.kept.made_up_words import WORDS
from mintseed.wiring import config

log = logging.getLogger("mintseed.door")

closed_by_this_request: ContextVar[bool] = ContextVar("closed_by_this_request", default=False)
"""whether this very request brought the first passphrase of the owner's; nothing else that closes the door lets anybody in"""


def closed_mark() -> Path:
    """Return the file that says that this home holds something of its owner's. Whoever removes it is the owner."""
    return config().home / "secrets" / "closed"


def close(why: str) -> bool:
    """Close the door for good; return whether it was this call."""
    mark = closed_mark()
    if mark.exists():
        return False
    mark.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    try:
        descriptor = os.open(mark, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        return False
    with os.fdopen(descriptor, "w") as file:
        file.write(f"{why}\n")
    log.info("the door is closed from now on: %s; a link lets a browser in: .venv/bin/python manage.py link", why)
    return True


def kept_word(word: str) -> None:
    """Note that `word`, a passphrase or password, is kept here: one of the owner's closes the door before it is stored."""
    if word not in WORDS and close("it holds a passphrase that is not the demo's"):
        closed_by_this_request.set(True)
