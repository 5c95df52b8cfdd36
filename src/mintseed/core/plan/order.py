"""What has to happen before what when it is put together (common practice)."""

from __future__ import annotations

from collections.abc import Iterator

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.plan.plan import Plan


def order(plan: Plan) -> Iterator[Finding]:
    """Yield the constraints on the order of assembly that this plan brings."""
    shut = next((p for p in plan.parts if "card-slot" in p.part.hides), None)
    if shut is not None and (plan.board is None or plan.board.medium == "card"):
        yield Finding("plan.order-card-first", Severity.NOTE, "Card first, then the case",
                      f"{shut.name} hides the card slot: a card cannot be put in or taken out once it is closed.",
                      "Write the card, put it in, boot it once, then close the case.", Where(part="order"))  # fmt: skip
    on_header = [p for p in plan.parts if p.part.header is not None]
    covered = next((p for p in plan.parts if "header" in p.part.hides), None)
    if covered is not None and on_header:
        yield Finding("plan.order-header-covered", Severity.STOP, f"{covered.name} leaves no room for {on_header[0].name}",
                      "It closes above the header.", "Take an open case, or leave it off.", Where(part="order", field=covered.name))  # fmt: skip
    if covered is not None and plan.recipe.unattended:
        yield Finding("plan.case-heat", Severity.NOTE, f"{covered.name} keeps the warmth in",
                      f"It is closed above, and {plan.recipe.name} runs with nobody beside it: a warm board slows down, and a hot one may stop.",
                      "Look at its temperature after an hour at work, and leave air around it. An open case, or one with a heat sink, stays cooler.",
                      Where(part="order", field=covered.name))  # fmt: skip
    if len(on_header) > 1 and not any(p.part.stacks for p in on_header):
        yield Finding("plan.order-stack", Severity.CHECK, f"{on_header[0].name} and {on_header[1].name} want the same place",
                      "Both sit on the header, and of neither it is known that another goes on top of it.",
                      "See whether one of them has pins on its upper side; a stacking strip or a ribbon cable may help.",
                      Where(part="order", field=on_header[1].name))  # fmt: skip
    if on_header or any(p.part.camera_contacts for p in plan.parts):
        names = [p.name for p in plan.parts if p.part.header is not None or p.part.camera_contacts]
        yield Finding("plan.order-power-off", Severity.NOTE, f"Fit {' and '.join(names)} with the power off",
                      "Plugged in or pulled under power they can be destroyed; shut a running board down first. Stand-offs before screws.",
                      where=Where(part="order"))  # fmt: skip
