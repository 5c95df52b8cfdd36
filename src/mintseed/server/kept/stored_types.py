"""The core's values as they lie in JSON columns. What an older version stored in another shape is left out, never an error."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from pydantic import TypeAdapter, ValidationError

from mintseed.core.boot.causes import Cause
from mintseed.core.find.candidates import Candidate
from mintseed.core.find.naming import NameFacts
from mintseed.core.findings import Finding
from mintseed.core.image.report import XRay
from mintseed.server.kept.models import Image

XRAY = TypeAdapter(XRay)
CANDIDATES = TypeAdapter(tuple[Candidate, ...])
NAMING = TypeAdapter(NameFacts)
CAUSES = TypeAdapter(tuple[Cause, ...])
FINDING = TypeAdapter(Finding)


@lru_cache(maxsize=256)
def _xray(text: str) -> XRay | None:
    try:
        return XRAY.validate_json(text)
    except ValidationError:
        return None  # stored by an older version: it is to be read again


def xray_of(image: Image | None) -> XRay | None:
    """Return the stored X-ray of `image`, or None when it was not read yet, or not by this version."""
    return _xray(image.xray) if image is not None and image.xray else None


def outline_of_row(image: Image) -> XRay | None:
    """Return the stored X-ray of `image` without its files and findings, None when it was not read yet."""
    return _xray(image.outline) if image.outline else None


def stored(adapter: TypeAdapter[Any], value: Any, default: Any) -> Any:
    """Return a stored value, or `default` when an older version stored it in another shape."""
    try:
        return adapter.validate_json(value) if isinstance(value, str) else adapter.validate_python(value)
    except ValidationError:
        return default
