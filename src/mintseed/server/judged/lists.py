"""Lists of deployments, from their stored judgements: read in pages, newest first, each page the same few queries."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import connection
from django.db.models import QuerySet

from mintseed import wiring
from mintseed.core.line import Line
from mintseed.server.judged.frozen import NAMES, Names
from mintseed.server.judged.judging import LINE, judge
from mintseed.server.judged.load import load_many, rows_to_list, rows_to_load
from mintseed.server.judged.loaded import names_of, without_removed
from mintseed.server.kept.models import Closing, Deployment, Judgement
from mintseed.server.kept.stored_types import stored
from mintseed.server.owned import descriptions

PAGE = 20
COUNTED_TO = 1000
"""beyond this a list only says that there are more."""


@dataclass(frozen=True)
class Listed:
    """A deployment as lists show it."""

    row: Deployment
    line: Line
    closed: bool
    closed_at: datetime | None
    names: Names


@dataclass(frozen=True)
class Page:
    """`total` is counted up to COUNTED_TO; `older_before` is where the next page begins, None at the end."""

    rows: list[Listed]
    total: int
    older_before: int | None


def count_up_to(rows: QuerySet[Any], most: int = COUNTED_TO) -> int:
    """Return how many rows there are, `most` when there are more, without looking at those."""
    return int(rows.order_by()[:most].count())


def page_of(place: str, *, before: int | None = None, search: str = "", only: str = "") -> Page:
    """Return a page of what is at `place` (`open` or `service`), from deployment `before` on down.

    `only`: `needs-you` or `running`. `search`: part of a name, host name or appliance.
    """
    chosen = Judgement.objects.filter(place=place)
    if only in ("needs-you", "running"):
        chosen = chosen.filter(**{only.replace("-", "_"): True})
    if search:
        names = {r.id for r in descriptions.recipes().values() if search.lower() in f"{r.name} {r.kind}".lower()}
        found = Deployment.objects.filter(name__icontains=search) | Deployment.objects.filter(
            host_name__icontains=search
        )
        chosen = chosen.filter(deployment__in=found | Deployment.objects.filter(recipe__in=names))
    older = chosen if before is None else chosen.filter(deployment_id__lt=before)
    rows = list(older.order_by("-deployment_id")[: PAGE + 1])
    return _page(rows, PAGE, listed(rows[:PAGE]), count_up_to(chosen))


def _page(found: list[Judgement], size: int, shown: list[Listed], total: int) -> Page:
    """Return the first `size` of `found`, of which one more than that was asked for, as `shown`."""
    return Page(shown, total, found[size - 1].deployment_id if len(found) > size else None)


_COUNTS = """
SELECT (SELECT COUNT(*) FROM (SELECT 1 FROM mintseed_judgement WHERE place = 'open' LIMIT %(most)s) o),
  (SELECT COUNT(*) FROM (SELECT 1 FROM mintseed_judgement WHERE place = 'service' LIMIT %(most)s) s),
  (SELECT COUNT(*) FROM (SELECT 1 FROM mintseed_judgement WHERE place = 'open' AND needs_you LIMIT %(most)s) n)
"""


@dataclass(frozen=True, slots=True)
class BenchLists:
    """The first page of what is on the bench and of what is in service, and how many on the bench need somebody, counted up to COUNTED_TO."""

    open: Page
    service: Page
    needs_you: int


def bench_lists(service_size: int) -> BenchLists:
    """Return both lists as the bench shows them, in the statements of one."""
    sizes = {"open": PAGE, "service": service_size}
    found = {
        place: list(Judgement.objects.filter(place=place).order_by("-deployment_id")[: size + 1])
        for place, size in sizes.items()
    }
    with connection.cursor() as cursor:
        cursor.execute(_COUNTS, {"most": COUNTED_TO})
        on_bench, in_service, needs_you = cursor.fetchone()
    first = {place: found[place][:size] for place, size in sizes.items()}
    lines = {one.row.pk: one for one in listed([*first["open"], *first["service"]])}

    def page(place: str, total: int) -> Page:
        shown = [lines[j.deployment_id] for j in first[place] if j.deployment_id in lines]
        return _page(found[place], sizes[place], shown, total)

    return BenchLists(page("open", on_bench), page("service", in_service), needs_you)


def listed(judgements: list[Judgement]) -> list[Listed]:
    """Return what `judgements` are of; those that are due are made again first."""
    now = wiring.bench().clock.now()
    ids = [j.deployment_id for j in judgements]
    rows = {row.pk: without_removed(row) for row in rows_to_list().filter(pk__in=ids)}
    lines = {j.deployment_id: stored(LINE, j.line, None) for j in judgements}
    due = [
        j.deployment_id
        for j in judgements
        if j.deployment_id in rows
        and not j.closed
        and (lines[j.deployment_id] is None or (j.again_at and j.again_at <= now))
    ]
    if due:
        views = judge(load_many(rows_to_load().filter(pk__in=due)))
        lines |= {view.loaded.row.pk: view.line for view in views}
    closed = [j.deployment_id for j in judgements if j.closed]
    closings = {
        c.deployment_id: c for c in Closing.objects.defer("frozen").filter(deployment__in=closed, reopened_at=None)
    }
    return [
        Listed(rows[pk], line, j.closed, closing.at if closing else None, _names(rows[pk], closing))
        for j in judgements
        if (pk := j.deployment_id) in rows and (line := lines[pk]) is not None
        for closing in [closings.get(pk) if j.closed else None]
    ]


def _names(row: Deployment, closing: Closing | None) -> Names:
    return (stored(NAMES, closing.names, None) if closing and closing.names else None) or names_of(row)
