"""A text column that is encrypted at rest. The key lies in a file outside the database, for the owner alone."""

from __future__ import annotations

from functools import cache
from typing import Any

from cryptography.fernet import Fernet, InvalidToken
from django.db import models

from mintseed.core.settings.values import Unreadable
from mintseed.server.kept.closed import kept_word
from mintseed.server.kept.secret_files import kept_secret
from mintseed.wiring import config


@cache
def cipher() -> Fernet:
    """Return what seals and opens secrets of this home."""
    key = kept_secret(config().home / "secrets" / "key", lambda: Fernet.generate_key().decode())
    return Fernet(key.encode())


class SecretField(models.TextField):  # type: ignore[type-arg]
    """Holds text in clear in Python and as a Fernet token in the database. Empty stays empty.

    `closes_door`: a passphrase; once one is kept that is not the demo's, not everybody on the machine may come in any more.
    """

    def __init__(self, *args: Any, closes_door: bool = False, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._closes_door = closes_door

    def get_prep_value(self, value: Any) -> Any:
        if isinstance(value, Unreadable):
            return value.kept  # saved as it lies there: the key may come back
        if value and self._closes_door:
            kept_word(str(value))
        return cipher().encrypt(str(value).encode()).decode() if value else ""

    def from_db_value(self, value: str | None, expression: Any, connection: Any) -> str:
        if not value:
            return ""
        try:
            return cipher().decrypt(value.encode()).decode()
        except (InvalidToken, ValueError):
            # Of another key, or damaged: that value's own finding, and nobody else's trouble.
            return Unreadable(value)
