"""In which order a board is put together. Order matters: a case may hide the card slot, the supply comes last."""

from __future__ import annotations

from dataclasses import dataclass

from mintseed.core.boards.model import Board, Supply


@dataclass(frozen=True, slots=True)
class AssemblyStep:
    title: str
    why: str = ""


def assembly_steps(board: Board, supply: Supply | None, way: str, *, released: bool) -> tuple[AssemblyStep, ...]:
    """Return the steps from the card in the hand to the supply plugged in (common practice).

    `released`: the card was flushed and read back, and the kernel held nothing more for it.
    """
    steps = [
        AssemblyStep(
            "Take the card out of the reader",
            "Flushed and read back, and the kernel holds nothing more for it: pulling it out is safe."
            if released
            else "Wait until its light is still, or eject it first.",
        ),
        AssemblyStep(f"Put it into the board: {board.card_slot}", "Card first: a case may hide the slot."),
    ]
    if way == "cable":
        steps.append(AssemblyStep("Plug in the network cable", "At both ends, before the power."))
    name = supply.name if supply else f"a {board.supply.voltage_v:g} V, {board.supply.least_current_a:g} A supply"
    steps.append(
        AssemblyStep(
            f"Plug in {name}",
            "The supply last; only low voltage comes to the board. Follow the supply's own safety notes.",
        )
    )
    return tuple(steps)
