"""Put a device into service: its record is closed and stays as it is."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from zoneinfo import ZoneInfo

from mintseed.core.find.candidates import page_url
from mintseed.core.findings import Finding, Severity, verdict
from mintseed.core.keep.label import Label, make_label
from mintseed.core.stations import TITLES
from mintseed.core.walk import Walk
from mintseed.services.refuse import refuse_stops


@dataclass(frozen=True, slots=True)
class Closed:
    label: Label
    log_text: str


def check(walk: Walk) -> tuple[Finding, ...]:
    """Return why the record cannot be closed; nothing when it can be, whatever was left undone."""
    if not walk.inputs.claimed:
        return (Finding("keep.no-address", Severity.STOP, "It has no address yet", fix="Find it first."),)
    if walk.inputs.xray is None and walk.writes_card:
        return (
            Finding(
                "keep.no-image",
                Severity.STOP,
                "No image was read",
                fix="Read the image again, so that the label can name it.",
            ),
        )
    return ()


def label_of(walk: Walk, *, name: str, made_at: datetime) -> Label | None:
    """Return the label of `walk`, dated as the site's calendar says, or None before it has an address."""
    i = walk.inputs
    if not i.claimed or (i.xray is None and walk.writes_card):
        return None
    made_of = (
        f"{i.recipe.name} {i.xray.release}, {i.xray.build}"
        if i.xray and walk.writes_card
        else f"{i.recipe.name}, over the network"
    )
    board = i.board.name if i.board else "a board"
    return make_label(
        name=name,
        host_name=f"{i.host_name}.local" if walk.name_answers else "",
        address=i.claimed,
        url=page_url(i.recipe.page, i.claimed),
        made_of=f"{made_of}, on {board}",
        made_on=made_at.astimezone(ZoneInfo(i.time_zone)).date(),
    )


def execute(walk: Walk, *, name: str) -> Closed:
    """Return the closing of the record. Raises RefusedError when there is nothing to close yet."""
    refuse_stops(check(walk))
    label = label_of(walk, name=name, made_at=walk.inputs.now)
    assert label is not None
    open_ends = [
        TITLES[station] for station, state in walk.states.items()
        if station != "keep" and (not state.done or verdict(walk.findings[station]) in (Severity.STOP, Severity.CHECK))
    ]  # fmt: skip
    as_it_was = f"; left as it was: {', '.join(open_ends)}" if open_ends else ""
    return Closed(label, f"In service at {walk.inputs.claimed}; its label is kept with it{as_it_was}")
