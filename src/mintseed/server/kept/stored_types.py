"""The core's values as they lie in JSON columns. What an older version stored in another shape is left out, never an error."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime
from functools import lru_cache
from typing import Any

from cryptography.fernet import InvalidToken
from pydantic import TypeAdapter, ValidationError

from mintseed.core.boot.causes import Cause
from mintseed.core.boot.console import ConsoleFacts
from mintseed.core.find.before import Seen
from mintseed.core.find.candidates import Candidate
from mintseed.core.find.naming import NameFacts
from mintseed.core.findings import Finding
from mintseed.core.image.report import FileOnImage, XRay
from mintseed.core.settings.secrets_in import holds_secrets
from mintseed.core.site.addresses import AddressPlan
from mintseed.server.kept.models import Image
from mintseed.server.kept.secret_field import cipher

XRAY = TypeAdapter(XRay)
CANDIDATES = TypeAdapter(tuple[Candidate, ...])
NAMING = TypeAdapter(NameFacts)
CONSOLE = TypeAdapter(ConsoleFacts)
CAUSES = TypeAdapter(tuple[Cause, ...])
FINDING = TypeAdapter(Finding)
INSIDE = TypeAdapter(list[tuple[str, int]])
ADDRESS_PLAN = TypeAdapter(AddressPlan)


@lru_cache(maxsize=256)
def opened_xray(text: str) -> XRay | None:
    """Return a stored X-ray as it was before it was stored; None for one of another shape."""
    try:
        xray = XRAY.validate_json(text)
        return replace(xray, files=tuple(_opened(file) for file in xray.files))
    except (ValidationError, InvalidToken):
        return None  # stored by an older version, or sealed with another key: it is to be read again


def xray_text(xray: XRay) -> str:
    """Return `xray` as it lies in its column: files that hold something which opens something are sealed."""
    return XRAY.dump_json(replace(xray, files=tuple(_sealed(file) for file in xray.files))).decode()


_SEALED = b"\0sealed\0"


def _sealed(file: FileOnImage) -> FileOnImage:
    if not holds_secrets(file.path, file.content) and not file.content.startswith(_SEALED):
        return file
    return replace(file, content=_SEALED + cipher().encrypt(file.content))


def _opened(file: FileOnImage) -> FileOnImage:
    if not file.content.startswith(_SEALED):
        return file
    return replace(file, content=cipher().decrypt(file.content.removeprefix(_SEALED)))


def xray_of(image: Image | None) -> XRay | None:
    """Return the stored X-ray of `image`, or None when it was not read yet, or not by this version."""
    return opened_xray(image.xray) if image is not None and image.xray else None


def outline_of_row(image: Image) -> XRay | None:
    """Return the stored X-ray of `image` without its files and findings, None when it was not read yet."""
    return opened_xray(image.outline) if image.outline else None


def stored(adapter: TypeAdapter[Any], value: Any, default: Any) -> Any:
    """Return a stored value, or `default` when an older version stored it in another shape."""
    try:
        return adapter.validate_json(value) if isinstance(value, str) else adapter.validate_python(value)
    except ValidationError:
        return default


def seen_of(stored: Mapping[str, Mapping[str, str]]) -> dict[str, Seen]:
    """Return what a bench remembers, as it stands in its row. What cannot be read is left out."""
    found = {}
    for key, value in stored.items():
        try:
            found[key] = Seen(datetime.fromisoformat(value["first"]), datetime.fromisoformat(value["last"]))
        except (KeyError, TypeError, ValueError):
            continue
    return found
