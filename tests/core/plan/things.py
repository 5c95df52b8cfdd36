"""Plans to judge: the shipped boards, recipes and parts, and what one might own."""

from __future__ import annotations

from dataclasses import replace

from mintseed import wiring
from mintseed.core.boards.model import Supply
from mintseed.core.findings import Severity
from mintseed.core.plan.fit import check_plan
from mintseed.core.plan.plan import Card, Plan, PlannedPart
from mintseed.core.plan.shelf import Owned, Shelf
from mintseed.core.site.model import WifiNetwork

BOARDS, RECIPES, PARTS = wiring.boards(), wiring.recipes(), wiring.parts()
NET = WifiNetwork(ssid="Quay House 2G")
MICRO = Supply(name="Black one", voltage_v=5.1, current_a=2.5, connector="micro-USB")
USB_C = Supply(name="Grey one", voltage_v=5.1, current_a=3.0, connector="USB-C")


def plan(recipe: str, board: str, *parts: str, way: str = "wifi") -> Plan:
    """Return a plan with everything chosen but what is asked about."""
    return Plan(
        RECIPES[recipe], BOARDS[board], MICRO, None, Card(32), way, NET,  # type: ignore[arg-type]
        parts=tuple(PlannedPart(PARTS[p], f"own {p}") for p in parts),
    )  # fmt: skip


def with_parts(one: Plan, *parts: str) -> Plan:
    return replace(one, parts=tuple(PlannedPart(PARTS[p], f"own {p}") for p in parts))


def codes(one: Plan) -> dict[str, Severity]:
    return {f.code: f.severity for f in check_plan(one)}


def stops(one: Plan) -> set[str]:
    return {f.code for f in check_plan(one) if f.severity is Severity.STOP}


def shelf(*parts: str, boards: tuple[str, ...] = tuple(BOARDS)) -> Shelf:
    """Return a shelf with one of each of `boards`, two supplies, a card, `parts`, and a catalogue of everything."""
    return Shelf(
        boards=tuple(Owned(n, f"my {b}", BOARDS[b]) for n, b in enumerate(boards, 1)),
        cards=(Owned(1, "my card", Card(32, ("C10", "U1"), False, "my card")),),
        supplies=(Owned(1, "Black one", MICRO), Owned(2, "Grey one", USB_C)),
        parts=tuple(Owned(n, f"my {p}", PARTS[p]) for n, p in enumerate(parts, 1)),
        networks=(Owned(1, NET.ssid, NET), Owned(2, "Quay House 5G", WifiNetwork(ssid="Quay House 5G", band_ghz=5))),
        catalogue=PARTS,
    )
