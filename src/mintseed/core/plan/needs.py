"""What the appliance needs beside its board: what is there, what is missing, what is to be bought."""

from __future__ import annotations

from collections.abc import Iterator

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.parts.model import role_words
from mintseed.core.plan.plan import Plan
from mintseed.core.recipes.model import PartNeed
from mintseed.core.words import an, sentence


def unmet(plan: Plan) -> tuple[PartNeed, ...]:
    """Return what is needed and not in the plan."""
    return tuple(
        need for need in plan.recipe.needs
        if need.need == "needed" and not any(need.met_by(p.part) for p in plan.parts)
    )  # fmt: skip


def needs(plan: Plan) -> Iterator[Finding]:
    """Yield what is missing and what is still to be bought."""
    for need in unmet(plan):
        words = role_words(need.role)
        yield Finding("plan.part-missing", Severity.CHECK, f"Still needed: {an(words)}", sentence(need.why),
                      f"Put {an(words)} into the plan, from the shelf or to buy.", Where(part="parts", field=need.role))  # fmt: skip
    to_buy = [p for p in plan.parts if not p.owned_name]
    if to_buy:
        yield Finding("plan.part-to-buy", Severity.NOTE, f"To buy: {', '.join(p.part.name for p in to_buy)}",
                      "The card can be written before it arrives.", where=Where(part="parts"))  # fmt: skip


def fits_board(plan: Plan) -> Iterator[Finding]:
    """Yield which parts are made for other boards."""
    board = plan.board
    for planned in plan.parts if board else ():
        if board and planned.part.fits and board.id not in planned.part.fits:
            yield Finding("plan.part-other-board", Severity.STOP, f"{planned.name} is not made for {board.name}",
                          f"It is made for {', '.join(planned.part.fits)}.", "Take one that fits, or leave it out.", Where(part="parts", field=planned.name))  # fmt: skip
