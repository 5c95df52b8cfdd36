"""The eight stations, in the order in which people work."""

from __future__ import annotations

from enum import StrEnum


class Station(StrEnum):
    PLAN = "plan"
    IMAGE = "image"
    SETTINGS = "settings"
    CARD = "card"
    BOOT = "boot"
    FIND = "find"
    SETUP = "setup"
    KEEP = "keep"


ORDER: tuple[Station, ...] = tuple(Station)

TITLES: dict[Station, str] = {
    Station.PLAN: "Plan",
    Station.IMAGE: "Image",
    Station.SETTINGS: "Settings",
    Station.CARD: "Card",
    Station.BOOT: "First boot",
    Station.FIND: "Find",
    Station.SETUP: "Set up",
    Station.KEEP: "Keep",
}
