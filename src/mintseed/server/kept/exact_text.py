"""A text column that is compared byte for byte: no letter equals another one, not by case, accent or trailing blank."""

from __future__ import annotations

from typing import Any

from django.db import models


class ExactTextField(models.CharField):  # type: ignore[type-arg]
    """Holds text in Python and its UTF-8 in a VARBINARY column; `max_length` counts bytes."""

    def db_type(self, connection: Any) -> str:
        return f"varbinary({self.max_length})"

    def get_prep_value(self, value: Any) -> Any:
        return None if value is None else str(value).encode()

    def from_db_value(self, value: bytes | str | None, expression: Any, connection: Any) -> str | None:
        return value.decode("utf-8", "replace") if isinstance(value, bytes) else value
