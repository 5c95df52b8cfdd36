"""In which order a board is put together. Order matters: a case may hide the card slot, the supply comes last."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mintseed.core.boards.model import Board, Cable, Supply
from mintseed.core.plan.plan import PlannedPart
from mintseed.core.words import an


@dataclass(frozen=True, slots=True)
class AssemblyStep:
    title: str
    why: str = ""


def _supply_words(board: Board, wanted: str) -> str:
    need = board.supply
    if need is None:
        return "its supply: the one its maker names, since nobody said here what it wants"
    return an(f"{need.voltage_v:g} V, {wanted or f'{need.least_current_a:g} A'} supply")


def assembly_steps(
    board: Board,
    supply: Supply | None,
    way: str,
    *,
    released: bool,
    parts: Sequence[PlannedPart] = (),
    cable: Cable | None = None,
    wanted: str = "",
    transmits: bool = False,
) -> tuple[AssemblyStep, ...]:
    """Return the steps from the card in the hand to the supply plugged in (common practice).

    `wanted`: what a supply has to give with all that hangs on it, as text. `released`: the card was flushed and read back, and the kernel
    held nothing more for it. `transmits`: it may send by itself as soon as it runs.
    """
    later = [p for p in parts if p.part.when == "after-first-boot"]
    parts = [p for p in parts if p.part.when == "before-power"]
    steps = [
        *_fitted(parts),
        *_antennas(parts, transmits=transmits),
        AssemblyStep(
            "Take the card out of the reader",
            "Flushed and read back, and the kernel holds nothing more for it: pulling it out is safe."
            if released
            else "Wait until its light is still, or eject it first.",
        ),
        AssemblyStep(
            f"Put it into the board{f': {board.card_slot}' if board.card_slot else ''}",
            "Card first: a case may hide the slot.",
        ),
    ]
    # A case is closed once nothing has to go under it any more.
    cases = _closed(parts)
    steps += [] if later else cases
    steps += [AssemblyStep(f"Plug in {p.name}", "Into its socket, before the power.") for p in parts if _plugs_in(p)]
    if way == "cable":
        steps.append(AssemblyStep("Plug in the network cable", "At both ends, before the power."))
    if supply is None and any(p.part.feeds_board and p.part.header for p in parts):
        feeder = next(p.name for p in parts if p.part.feeds_board and p.part.header)
        steps.append(
            AssemblyStep(f"Plug in the supply of {feeder}", "It feeds the board too: no second supply beside it.")
        )
        return (*steps, *_later(later, cases))
    if cable is not None:
        steps.append(
            AssemblyStep(f"Plug {cable.name} into the supply", "Its other end waits until everything else is in.")
        )
    name = supply.name if supply else _supply_words(board, wanted)
    steps.append(
        AssemblyStep(
            f"Plug in {name}",
            "The supply last; only low voltage comes to the board. Follow the supply's own safety notes.",
        )
    )
    return (*steps, *_later(later, cases))


def _antennas(parts: Sequence[PlannedPart], *, transmits: bool) -> list[AssemblyStep]:
    """What sends without an antenna sends into itself, and can be destroyed by it (common practice)."""
    why = (
        "Before any power: it may send as soon as it runs, and without an antenna that can destroy it."
        if transmits
        else "Before the power, while nothing is in the way."
    )
    own = [p.name for p in parts if p.part.role == "antenna"]
    if not own and transmits:
        return [AssemblyStep("Screw its antenna on", why)]
    return [AssemblyStep(f"Screw {name} on", why) for name in own]


def _later(parts: Sequence[PlannedPart], cases: Sequence[AssemblyStep]) -> list[AssemblyStep]:
    """What waits until the bare board was seen to work: then it is known what is to blame if it does not any more (common practice)."""
    if not parts:
        return []
    names = " and ".join(p.name for p in parts)
    first = AssemblyStep(
        "Wait until it is on the network, then shut it down and pull the supply",
        f"{names} {'wait' if len(parts) > 1 else 'waits'} for a board that is known to work bare.",
    )
    return [first, *_fitted(parts), *[AssemblyStep(f"Plug in {p.name}", "Into its socket.") for p in parts if _plugs_in(p)],
            *cases, AssemblyStep("Power it again", "The supply last, as before.")]  # fmt: skip


def _fitted(parts: Sequence[PlannedPart]) -> list[AssemblyStep]:
    """What goes onto the bare board, nothing plugged in: the header first, then the flat cables."""
    steps = []
    for planned in parts:
        if planned.part.header is not None:
            steps.append(
                AssemblyStep(
                    f"Put {planned.name} onto the header",
                    "No power yet. No pin may show beside its socket on either side; stand-offs before screws."
                    + (f" It lies with {planned.part.faces}." if planned.part.faces else ""),
                )
            )
        if planned.part.camera_contacts is not None:
            steps.append(
                AssemblyStep(
                    f"Put the flat cable of {planned.name} in",
                    "No power yet. Lift the clasp, contacts as marked, press it down; take the film off the lens.",
                )
            )
    return steps


def _closed(parts: Sequence[PlannedPart]) -> list[AssemblyStep]:
    return [
        AssemblyStep(f"Close {p.name}", "Only now: it hides the card slot.")
        for p in parts
        if "card-slot" in p.part.hides
    ]


def _plugs_in(planned: PlannedPart) -> bool:
    part = planned.part
    return bool(part.usb or part.display or part.adapter) and part.camera_contacts is None and part.header is None
