"""A change carries what it started from. Where somebody else changed the same meanwhile, the later one is told, and shown both."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, TypeVar

from ninja import Body
from pydantic import ValidationError

from mintseed.core.errors import ChangedError, InputError
from mintseed.server.api.wire import Wire

S = TypeVar("S", bound=Wire)


ChangeIn = Body[dict[str, Any]]
"""Only the fields that change, by their names; `was` holds what they were when somebody began to change them."""


def changed_by(model: type[S], now: Mapping[str, Any], payload: Mapping[str, Any]) -> tuple[S, frozenset[str]]:
    """Return what a thing that is `now` becomes, as `model` reads it, and which fields are changed.

    Raises InputError for what cannot be, and ChangedError where a field is no longer what the change started from.
    """
    sent = {name: value for name, value in payload.items() if name != "was"}
    was = payload.get("was") or {}
    if not isinstance(was, dict):
        raise InputError("what it was is a list of fields", where="was")
    for name in sent:
        if name not in model.model_fields:
            raise InputError(f"{name[:40]} is nothing that can be changed here", where=name[:40])
    try:
        read = model.model_validate({**now, **sent})
    except ValidationError as error:
        first = error.errors()[0]
        raise InputError(
            str(first["msg"]).removeprefix("Value error, "), where=str(first["loc"][0]) if first["loc"] else ""
        ) from error
    refuse_changed(now, was, sent)
    return read, frozenset(sent)


def refuse_changed(now: Mapping[str, Any], was: Mapping[str, Any], wanted: Mapping[str, Any]) -> None:
    """Raise ChangedError for each field of `wanted` that is neither what it `was` nor what is wanted already."""
    theirs = {
        name: now[name]
        for name in wanted
        if name in was and name in now and not _same(now[name], was[name]) and not _same(now[name], wanted[name])
    }
    if theirs:
        raise ChangedError.of(theirs)


def _same(one: Any, other: Any) -> bool:
    if isinstance(one, str) and isinstance(other, str):
        return one.strip() == other.strip()
    return bool(one == other) or (one in (None, "") and other in (None, ""))
