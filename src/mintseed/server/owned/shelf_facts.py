"""Rows of the shelf become the core's values."""

from __future__ import annotations

from collections.abc import Iterable

from mintseed.core.boards.model import Battery
from mintseed.core.boards.model import Cable as CableFacts
from mintseed.core.boards.model import Supply as SupplyFacts
from mintseed.core.plan.cards import CLASSES
from mintseed.core.plan.copper import MILLIOHM_PER_M
from mintseed.core.plan.plan import Card as CardFacts
from mintseed.core.plan.plan import PlannedPart as PartOfPlan
from mintseed.core.site.model import WifiNetwork as NetworkFacts
from mintseed.server.kept.models import Cable, OwnedCard, PlannedPart, Supply, WifiNetwork
from mintseed.server.owned import descriptions


def _gauge(awg: int | None) -> int | None:
    return awg if awg in MILLIOHM_PER_M else None


def supply_facts(row: Supply) -> SupplyFacts:
    battery = (
        Battery(capacity_mah=row.battery_mah, cell_v=row.cell_v, efficiency=row.efficiency) if row.battery_mah else None
    )
    return SupplyFacts.model_validate(
        {"name": row.name, "voltage_v": row.voltage_v, "current_a": row.current_a, "connector": row.connector,
         "length_m": row.length_m, "awg": _gauge(row.awg), "battery": battery}
    )  # fmt: skip


def cable_facts(row: Cable) -> CableFacts:
    return CableFacts.model_validate(
        {"name": row.name, "plug_to_supply": row.plug_to_supply, "plug_to_board": row.plug_to_board, "length_m": row.length_m,
         "awg": _gauge(row.awg)}
    )  # fmt: skip


def card_facts(row: OwnedCard) -> CardFacts:
    return CardFacts(row.size_gb, tuple(c for c in row.classes if c in CLASSES), row.endurance, row.name)


def network_facts(row: WifiNetwork) -> NetworkFacts:
    return NetworkFacts(
        ssid=row.ssid,
        band_ghz=row.band_ghz,
        hidden=row.hidden,
        wpa3_only=row.wpa3_only,
        open=row.open,
        channel=row.channel,
    )


def planned_parts(rows: Iterable[PlannedPart]) -> tuple[PartOfPlan, ...]:
    """Return the parts of a plan; one whose description is gone is left out, as nothing is known of it."""
    kinds = descriptions.parts()
    return tuple(PartOfPlan(kinds[r.kind], r.part.name if r.part else "") for r in rows if r.kind in kinds)
