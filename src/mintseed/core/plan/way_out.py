"""The way out: when something stands against a plan, the smallest changes after which it does not.

Every proposal is judged by the plan's own rules before it is shown: what it cures is gone, and nothing worse came.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from mintseed.core.findings import Finding, Severity, verdict, worst_first
from mintseed.core.plan.changes import EFFORT_WORDS, Change, Effort, PlanField, Step, both, small_changes
from mintseed.core.plan.choosing import OF_THE_BOARD
from mintseed.core.plan.fit import check_plan
from mintseed.core.plan.plan import Plan
from mintseed.core.plan.shelf import Shelf
from mintseed.core.price import Price

SHOWN = 4
"""Proposals for one finding; of more, the cheapest and easiest."""

MOST_PAIRS = 250
"""pairs of changes that are tried when no single one helps."""

_WORTH_CURING = (Severity.STOP, Severity.CHECK)


@dataclass(frozen=True, slots=True)
class Proposal:
    """A change that cures the finding `cures`. `findings` is what stands for and against the plan after it."""

    cures: str
    title: str
    steps: tuple[Step, ...]
    effort: Effort
    effort_text: str
    price: Price | None
    """in the first of its currencies; None where nothing is bought, or a price is not known"""
    price_text: str
    verdict: Severity
    findings: tuple[Finding, ...]
    stops_fewer: bool
    """whether a stop goes, and not only a check"""


def counts(findings: Iterable[Finding]) -> tuple[int, int]:
    """Return how many stops and how many checks there are: what a proposal must not make more of."""
    listed = [f.severity for f in findings]
    return listed.count(Severity.STOP), listed.count(Severity.CHECK)


def ways_out(plan: Plan, shelf: Shelf) -> tuple[Proposal, ...]:
    """Return proposals for each stop and check of `plan`, the cheapest and easiest first; none for a plan that fits."""
    now = check_plan(plan)
    wanted = [f for f in worst_first(now) if f.severity in _WORTH_CURING]
    if not wanted:
        return ()
    changes = list(small_changes(plan, shelf))
    judged = [(change, check_plan(change.plan)) for change in changes]
    found: list[Proposal] = []
    pairs: list[tuple[Change, tuple[Finding, ...]]] | None = None
    for finding in wanted:
        cures = [_proposal(finding, c, after) for c, after in judged if _cures(finding, now, after)]
        if not cures and finding.severity is Severity.STOP:
            pairs = list(_pairs(judged, shelf, counts(now)[0])) if pairs is None else pairs
            cures = [_proposal(finding, c, after) for c, after in pairs if _cures(finding, now, after)]
        elif finding.severity is Severity.STOP and (dear := _dear_board(cures)) is not None:
            pairs = list(_pairs(judged, shelf, counts(now)[0])) if pairs is None else pairs
            alone = [frozenset(p.steps) for p in cures]
            also = [
                _proposal(finding, c, after)
                for c, after in pairs
                if _cures(finding, now, after) and not any(one <= frozenset(c.steps) for one in alone)
            ]
            cures += [p for p in also if p.price and p.price.currency == dear.currency and p.price.amount < dear.amount]
        found += _best(cures)
    return tuple(found)


NOT_KNOWN = OF_THE_BOARD | {
    "plan.card-marks-unknown",
    "plan.cable-unknown",
    "plan.board-not-told",
    "plan.board-cannot-be-told",
}
"""What is said where something is not known. A change after which nobody knows any more cures no check."""


def _cures(finding: Finding, now: Sequence[Finding], after: Sequence[Finding]) -> bool:
    """Return whether after a change `finding` is gone and neither more stops nor, at the same number of them, more checks are there."""
    alike = [f for f in after if f.code == finding.code]
    # Another board that is not listed either cures nothing; one of two missing parts cures one of two.
    if any(f.where == finding.where for f in alike) or len(alike) >= sum(f.code == finding.code for f in now):
        return False
    if OF_THE_BOARD & ({f.code for f in after} - {f.code for f in now}):
        return False
    # What was stopped and is not known yet is a way on; what was only to be checked and is not known any more is none.
    if finding.severity is not Severity.STOP and NOT_KNOWN & ({f.code for f in after} - {f.code for f in now}):
        return False
    # A wrong plug in place of a thin cable is no cure either.
    if {f.code for f in after if f.severity is Severity.STOP} - {f.code for f in now if f.severity is Severity.STOP}:
        return False
    before, then = counts(now), counts(after)
    if finding.severity is Severity.STOP:
        return then[0] < before[0]
    return then[0] <= before[0] and then[1] < before[1]


def _dear_board(cures: Sequence[Proposal]) -> Price | None:
    """Return what the cheapest board to buy among `cures` costs: two small parts may do it for less. None where there is none."""
    boards = [p.price for p in cures if p.price and any(name in OTHER_DEVICE for name, _ in p.steps)]
    return min(boards, key=lambda price: price.amount, default=None)


def _proposal(finding: Finding, change: Change, after: tuple[Finding, ...]) -> Proposal:
    return Proposal(
        finding.code, change.title, change.steps, change.effort, EFFORT_WORDS[change.effort],
        None if change.unpriced else change.price, change.cost_text, verdict(after), worst_first(after), finding.severity is Severity.STOP,
    )  # fmt: skip


def _rank(proposal: Proposal) -> tuple[object, ...]:
    free = proposal.price is None and not proposal.price_text
    cost = proposal.price.amount if proposal.price else 0.0 if free else float("inf")
    unknown = len(NOT_KNOWN & {f.code for f in proposal.findings})
    fields = {name for name, _ in proposal.steps}
    return (
        # To do without it is always possible, and seldom what was meant.
        "drop_part" in fields,
        *counts(proposal.findings),
        unknown,
        proposal.effort is Effort.BUY,
        proposal.effort,
        # Nobody buys a board to cure a cable, whatever the cable costs.
        bool(fields & OTHER_DEVICE) and not free,
        cost,
        len(proposal.steps),
    )


OTHER_DEVICE = {"board"}

ALIKE = 2
"""proposals that change the same fields: three boards in a row would hide the stick that does it too"""


def _best(proposals: list[Proposal]) -> list[Proposal]:
    """Return the first few, of those that change the same fields only the best two; nobody wants five larger cards."""
    kept: list[Proposal] = []
    alike: Counter[tuple[PlanField, ...]] = Counter()
    shown: set[frozenset[Step]] = set()
    titles: set[str] = set()
    for proposal in sorted(proposals, key=_rank):
        if frozenset(proposal.steps) in shown or proposal.title in titles:
            continue  # the same two things, found from the other end; or one of two that are alike
        shown.add(frozenset(proposal.steps))
        titles.add(proposal.title)
        fields = tuple(name for name, _ in proposal.steps)
        alike[fields] += 1
        if alike[fields] <= (1 if {"card_gb", "network_id"} & set(fields) else ALIKE):
            kept.append(proposal)
    left_out = [p for p in kept if any(name == "drop_part" for name, _ in p.steps)]
    others = [p for p in kept if p not in left_out]
    return (others[: SHOWN - 1] + left_out[:1] if left_out and others else kept)[:SHOWN]


def _pairs(
    judged: Sequence[tuple[Change, tuple[Finding, ...]]], shelf: Shelf, stops: int
) -> Iterator[tuple[Change, tuple[Finding, ...]]]:
    """Yield pairs of changes: first one that could be half of a cure, those that bring no new stop first; then what it asks for."""
    first = [
        (c, after) for c, after in judged if c.fields & {"board_unit_id", "image_id", "add_part", "add_kind", "way"}
    ]
    first.sort(key=lambda pair: max(0, counts(pair[1])[0] - stops))
    tried = 0
    for one, _ in first:
        for two in small_changes(one.plan, shelf):
            if two.fields & {
                "card_gb",
                "network_id",
                "drop_part",
                "way_in",
                "supply_id",
                "cable_id",
                "owned_card_id",
                "supply",
                "cable",
                "release",
            }:
                continue
            if two.fields & one.fields and not two.fields <= {"add_part", "add_kind"}:
                continue
            tried += 1
            if tried > MOST_PAIRS:
                return
            yield both(one, two, two.plan), check_plan(two.plan)
