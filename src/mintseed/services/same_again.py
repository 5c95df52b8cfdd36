"""Start another deployment with the same choices and a name of its own."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.keep.label import next_name
from mintseed.services.refuse import refuse_stops

COPIED = (
    "recipe", "site", "supply", "cable", "card_gb", "way", "way_in", "load_share", "network", "also_networks", "image", "country", "time_zone", "keyboard", "locale",
    "admin_name",
    "admin_hash", "passphrase", "answers",
)  # fmt: skip
"""Chosen fields that the next one takes over."""

ITS_OWN = (
    "id",
    "name",
    "host_name",
    "created_at",
    "removed_at",
    "board_unit",
    "owned_card",
    "settings_agreed",
    "demo",
    "name_shared",
    "address",
)
"""Chosen fields that the next one must have for itself: its names, its address, its board, its card, its look over the settings."""


def check(name: str, host_name: str, names_taken: frozenset[str]) -> tuple[Finding, ...]:
    """Return why the next one cannot be called so; nothing when it can."""
    where = Where(field="host_name")
    if not name or not host_name:
        return (Finding("keep.next-unnamed", Severity.STOP, "The next one needs a name and a host name", where=where),)
    if host_name.lower() in names_taken:
        free = next_name(host_name, names_taken)
        return (
            Finding(
                "keep.next-name-taken",
                Severity.STOP,
                f"{host_name} is taken",
                fix=f"{free} is not taken here.",
                where=where,
            ),
        )
    return ()


def execute(chosen: Mapping[str, Any], *, name: str, host_name: str, names_taken: frozenset[str]) -> dict[str, Any]:
    """Return the fields of the next deployment, from the `chosen` fields of this one. Raises RefusedError."""
    refuse_stops(check(name, host_name, names_taken))
    return {**{field: chosen[field] for field in COPIED}, "name": name, "host_name": host_name}
