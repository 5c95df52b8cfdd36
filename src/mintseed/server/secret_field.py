"""A text column that is encrypted at rest. The key lies in a file outside the database, for the owner alone."""

from __future__ import annotations

import os
from functools import cache
from typing import Any

from cryptography.fernet import Fernet
from django.db import models

from mintseed.wiring import config


@cache
def _cipher() -> Fernet:
    path = config().home / "secrets" / "key"
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        try:
            descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        except FileExistsError:
            pass  # another process of ours made it a moment ago
        else:
            with os.fdopen(descriptor, "wb") as file:
                file.write(Fernet.generate_key())
    return Fernet(path.read_bytes())


class SecretField(models.TextField):  # type: ignore[type-arg]
    """Holds text in clear in Python and as a Fernet token in the database. Empty stays empty."""

    def get_prep_value(self, value: Any) -> Any:
        return _cipher().encrypt(str(value).encode()).decode() if value else ""

    def from_db_value(self, value: str | None, expression: Any, connection: Any) -> str:
        return _cipher().decrypt(value.encode()).decode() if value else ""
