"""A text column that is encrypted at rest. The key lies in a file outside the database, for the owner alone."""

from __future__ import annotations

from functools import cache
from typing import Any

from cryptography.fernet import Fernet
from django.db import models

from mintseed.server.secret_files import kept_secret
from mintseed.wiring import config


@cache
def _cipher() -> Fernet:
    key = kept_secret(config().home / "secrets" / "key", lambda: Fernet.generate_key().decode())
    return Fernet(key.encode())


class SecretField(models.TextField):  # type: ignore[type-arg]
    """Holds text in clear in Python and as a Fernet token in the database. Empty stays empty."""

    def get_prep_value(self, value: Any) -> Any:
        return _cipher().encrypt(str(value).encode()).decode() if value else ""

    def from_db_value(self, value: str | None, expression: Any, connection: Any) -> str:
        return _cipher().decrypt(value.encode()).decode() if value else ""
