"""The shelf as a table, out and in."""

from __future__ import annotations

from typing import Annotated

from django.db import transaction
from django.db.models import Model
from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import Field

from mintseed.core.limits import MAX_DESCRIPTION_BYTES
from mintseed.core.plan.shelf_csv import RowProblem, ShelfRow, read_shelf, write_shelf
from mintseed.server.api.wire import Wire
from mintseed.server.judged.journal import record
from mintseed.server.kept.models import BoardUnit, Cable, OwnedCard, Part, Site, Supply
from mintseed.server.owned import descriptions

router = Router(tags=["shelf"])


class TableIn(Wire):
    text: Annotated[str, Field(max_length=MAX_DESCRIPTION_BYTES)]


class TableOut(Wire):
    """What came of a table: how many things were added, which were there already, and the lines that were not taken."""

    added: int
    there: int
    problems: list[RowProblem]


CELLS = ("cell_v", "efficiency")
"""said of a supply with cells alone"""

MODELS: dict[str, type[Model]] = {"board": BoardUnit, "card": OwnedCard, "supply": Supply, "cable": Cable, "part": Part}
OWN_COLUMNS: dict[str, tuple[str, ...]] = {
    "board": ("board", "macs", "note"),
    "card": ("size_gb", "classes", "endurance", "note"),
    "supply": ("voltage_v", "current_a", "connector", "length_m", "awg", "battery_mah", "cell_v", "efficiency", "note"),
    "cable": ("plug_to_supply", "plug_to_board", "length_m", "awg", "note"),
    "part": ("kind", "note"),
}


@router.get("/sites/{site_pk}/shelf/table", response={200: None})
def table(request: HttpRequest, site_pk: int) -> HttpResponse:
    """The whole shelf as a table."""
    site = Site.there.get(pk=site_pk)
    rows = [
        ShelfRow(
            what, str(row["name"]), {c: row[c] for c in OWN_COLUMNS[what] if row.get("battery_mah") or c not in CELLS}
        )
        for what, model in MODELS.items()
        for row in model._default_manager.filter(site=site, removed_at=None)
        .order_by("pk")
        .values("name", *OWN_COLUMNS[what])
    ]
    response = HttpResponse(write_shelf(rows), content_type="text/csv; charset=utf-8")
    response.headers["Content-Disposition"] = 'attachment; filename="shelf.csv"'
    return response


@router.post("/sites/{site_pk}/shelf/table", response=TableOut)
def take_table(request: HttpRequest, site_pk: int, payload: TableIn) -> TableOut:
    """Add what a table names. What is there under the same name stays as it is; lines that are wrong are told."""
    site = Site.there.get(pk=site_pk)
    rows, problems = read_shelf(payload.text, descriptions.boards(), descriptions.parts())
    added = 0
    with transaction.atomic():
        site = Site.objects.select_for_update().get(pk=site.pk)
        there = {
            what: set(m._default_manager.filter(site=site, removed_at=None).values_list("name", flat=True))
            for what, m in MODELS.items()
        }
        for row in rows:
            if row.name not in there[row.what]:
                MODELS[row.what]._default_manager.create(site=site, name=row.name, **row.values)
                there[row.what].add(row.name)
                added += 1
        if added:
            record(None, "", "shelf.table", f"{added} thing{'s' * (added != 1)} put on the shelf from a table")
    return TableOut(added=added, there=len(rows) - added, problems=list(problems))
