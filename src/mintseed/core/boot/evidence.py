"""What speaks for and against each cause of a late boot, gathered from what the other stations found."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from mintseed.core.boards.model import Board
from mintseed.core.boot.causes import BootEvidence
from mintseed.core.boot.run import RunFacts
from mintseed.core.findings import Finding, Severity, verdict
from mintseed.core.settings.fill import FilledFile
from mintseed.core.settings.values import SettingValues

POWER_CODES = ("plan.supply-", "plan.cable-", "plan.feeder-", "plan.usb-overdrawn", "plan.two-supplies")
"""Findings of the plan that speak of too little power at the board."""


BOARD_CODES = (
    "plan.board-fits",
    "plan.board-not-in-image",
    "plan.board-newer-than-release",
    "plan.image-other-processor",
)


def gather(
    values: SettingValues,
    run: RunFacts | None,
    board: Board | None,
    *,
    plan: Sequence[Finding],
    image: Sequence[Finding],
    filled: Sequence[FilledFile],
    proven_at: datetime | None,
) -> BootEvidence:
    """Return the evidence about a boot. `plan` and `image` are the findings of those stations, `filled` the files on its card."""
    doubts = tuple(
        f.title for f in plan if f.severity in (Severity.STOP, Severity.CHECK) and f.code.startswith(POWER_CODES)
    )
    supply = any(f.code in ("plan.supply-fits", "plan.supply-tight", "plan.feeder-carries") for f in plan)
    return BootEvidence(
        way=values.way,
        network=values.ssid,
        passphrase_is_sites=run.key_is_sites if run else None,
        joined_with_same_key=run.joined_same if run else 0,
        joined_with_other_key=run.joined_other if run else 0,
        country=values.country,
        country_in_file=any(f.carries_country for f in filled) if filled else None,
        files_sound=verdict(f for file in filled for f in file.findings) in (Severity.OK, Severity.NOTE)
        if filled
        else None,
        board_in_image=next((f.severity is Severity.OK for f in image if f.code in BOARD_CODES), None),
        board_name=board.name if board else "",
        supply_carries=False if doubts else True if supply else None,
        supply_doubts=doubts,
        console_wrong={heard.what: heard.line for heard in run.console.wrong} if run else {},
        card_proven_ago_s=(run.powered_at - proven_at).total_seconds() if run and proven_at else None,
    )
