"""What can hurt someone or something. The usual caution, never more: local rules and licensed people decide."""

from __future__ import annotations

from collections.abc import Iterator

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.plan.plan import Plan
from mintseed.core.recipes.model import Hazard, Recipe

TEXTS: dict[Hazard, tuple[str, str, str]] = {
    "heat": (
        "plan.caution-heat",
        "It leads something hot",
        "Never unattended. A smoke alarm, and a thermal cut-out that does not depend on this board. Follow local rules; ask someone licensed.",
    ),
    "mains": (
        "plan.caution-mains",
        "Mains or gas may hang on it",
        "That side is work for a licensed person; follow local rules.",
    ),
    "transmit": (
        "plan.caution-transmit",
        "It transmits",
        "It needs a licence and a call sign where local rules ask for them; keep to the band plan, never transmit without an antenna.",
    ),
    "camera": (
        "plan.caution-camera",
        "It films",
        "Film only what is yours to film, and tell people; follow the privacy law where you are.",
    ),
    "copyright": (
        "plan.caution-copyright",
        "Other people's works go onto it",
        "Use what is yours to use; copyright holds for music, games and firmware.",
    ),
    "exposure": (
        "plan.caution-exposure",
        "Its page is for your own network",
        "Do not forward a port of your router to it. From outside, a virtual private network is the usual way.",
    ),
    "aircraft": (
        "plan.caution-aircraft",
        "What it shows is no aid to navigation",
        "Positions are as received, late and incomplete.",
    ),
}  # fmt: skip


def cautions(plan: Plan) -> Iterator[Finding]:
    """Yield what to be careful with, and whether it must not be left alone."""
    for hazard in plan.recipe.hazards:
        code, title, text = TEXTS[hazard]
        yield Finding(code, Severity.NOTE, title, text, where=Where(part="cautions", field=hazard))
    if not plan.recipe.unattended:
        battery = " On a battery it stops by itself when that is empty, at no good moment." if plan.battery else ""
        yield Finding("plan.caution-unattended", Severity.NOTE, "Stay with it while it works",
                      f"{plan.recipe.name} is not meant to run with nobody beside it.{battery}", where=Where(part="cautions"))  # fmt: skip


def caution_texts(recipe: Recipe) -> tuple[str, ...]:
    """Return everything to be careful with, in sentences: the usual of its hazards, then what its recipe says itself."""
    usual = (f"{title}. {text}" for _, title, text in (TEXTS[h] for h in recipe.hazards))
    return (*usual, *recipe.cautions)
