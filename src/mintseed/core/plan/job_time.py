"""How long the whole job takes, from the card's rate, the boot times and what it took this person before: a range."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mintseed.core.boot.band import band_for
from mintseed.core.card.in_use import proposed_bytes
from mintseed.core.plan.cards import promised_mb_s, published_bytes
from mintseed.core.plan.plan import Plan
from mintseed.core.units import MB

USUAL_RATE_MB_S = (20.0, 90.0)
"""10⁶ bytes a second that cards and readers at hand write, the slow and the quick ones (common practice)."""

HANDS_S = (15 * 60.0, 40 * 60.0)
"""seconds of work with the hands of a usual build of 30 to 60 minutes in all (common practice)."""

ENOUGH = 3
"""finished jobs from which on a person's own times are taken instead of the usual ones."""


@dataclass(frozen=True, slots=True)
class Span:
    """One part of the job in seconds, from and to, and what that rests on."""

    what: str
    from_s: float
    to_s: float
    rests_on: str


@dataclass(frozen=True, slots=True)
class JobTime:
    spans: tuple[Span, ...]

    @property
    def from_s(self) -> float:
        return sum(s.from_s for s in self.spans)

    @property
    def to_s(self) -> float:
        return sum(s.to_s for s in self.spans)


def job_time(plan: Plan, measured_mb_s: Sequence[float] = (), hands_s: Sequence[float] = ()) -> JobTime | None:
    """Return how long the job takes. `measured_mb_s`: rates of earlier writes to this card, or to any; `hands_s`: seconds that
    earlier jobs took without writing and booting. None while no board is chosen."""
    if plan.board is None:
        return None
    spans = []
    if plan.board.medium == "card":
        spans.append(_writing(plan, measured_mb_s))
    band = band_for(plan.recipe, plan.board)
    page_s = plan.recipe.boot.page_after_s
    spans.append(Span("first boot until its page is there", band.usual_from_s + page_s, band.usual_to_s + page_s, "assumed, nobody said it" if band.assumed else f"recipe {plan.recipe.id}, on a {plan.board.speed} board"))  # fmt: skip
    if band.prepares_s[1]:
        spans.append(Span("while it prepares itself", *band.prepares_s, f"recipe {plan.recipe.id}"))
    if plan.recipe.boot.first_update_s:
        update_s = float(plan.recipe.boot.first_update_s)
        spans.append(Span("its first update", update_s, update_s, f"recipe {plan.recipe.id}"))
    if len(hands_s) >= ENOUGH:
        spans.append(Span("with your hands", min(hands_s), max(hands_s), f"your last {len(hands_s)} jobs"))
    else:
        spans.append(Span("with your hands", *HANDS_S, "common practice"))
    return JobTime(tuple(spans))


def _writing(plan: Plan, measured_mb_s: Sequence[float]) -> Span:
    size = proposed_bytes(plan.image) if plan.image else published_bytes(plan)
    if measured_mb_s:
        slow, quick, rests_on = min(measured_mb_s), max(measured_mb_s), f"{len(measured_mb_s)} writes measured here"
    else:
        promised = promised_mb_s(plan.card) if plan.card else None
        slow = max(promised or 0, USUAL_RATE_MB_S[0])
        quick, rests_on = (
            USUAL_RATE_MB_S[1],
            "usual cards and readers; verifying takes about as long again (common practice)",
        )
    return Span("write the card and read it back", 2 * size / (quick * MB), 2 * size / (slow * MB), rests_on)
