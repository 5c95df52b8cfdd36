"""Random values in files for the owner alone: made at first use, whole or not at all, whoever comes first."""

from __future__ import annotations

import os
import secrets
from collections.abc import Callable
from pathlib import Path


def kept_secret(path: Path, make: Callable[[], str] = lambda: secrets.token_urlsafe(48)) -> str:
    """Return the text in `path` (mode 0600); `make` gives it when there is none yet."""
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        fresh = path.with_name(f".{path.name}.{os.getpid()}-{secrets.token_hex(4)}")
        with os.fdopen(os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
            file.write(make())
        try:
            # A link takes the name only if nobody has it: of two that come at once, both read the first one's.
            os.link(fresh, path)
        except FileExistsError:
            pass
        finally:
            fresh.unlink()
    return path.read_text()
