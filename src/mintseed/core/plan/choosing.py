"""What is said of what was not chosen yet: nothing is wrong with it."""

from __future__ import annotations

from mintseed.core.findings import Finding, Severity, Where


def not_chosen(code: str, field: str, title: str, fix: str, detail: str = "") -> Finding:
    """Return the finding `code` about `field`, which somebody still has to choose."""
    return Finding(code, Severity.YET, title, detail, fix, Where(part="plan", field=field))


def not_told(code: str, title: str, detail: str, fix: str, where: Where) -> Finding:
    """Return the finding `code` about what nobody said of a board or an image: it is said, and stops nothing."""
    return Finding(code, Severity.NOTE, title, detail, fix, where)


OF_THE_BOARD = frozenset(
    {
        "plan.board-tree-not-told", "plan.supply-not-told", "plan.radio-not-told", "plan.ethernet-not-told", "plan.sockets-not-told",
    }
)  # fmt: skip
"""What nobody said of a board. One of which nobody knows whether it does the same cures nothing."""
