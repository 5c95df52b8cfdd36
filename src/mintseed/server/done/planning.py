"""The plan of one deployment with what its shelf offers: the core's answers, computed from rows; and taking what is chosen."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from django.db import connection, transaction

from mintseed.core.errors import InputError, MissingError
from mintseed.core.plan.job_time import JobTime, job_time
from mintseed.core.plan.options import best_plan
from mintseed.core.plan.plan import Plan
from mintseed.core.plan.putting import Held, put_in
from mintseed.core.plan.shelf import Shelf
from mintseed.core.plan.shopping import PartsList, parts_list
from mintseed.core.plan.way_out import Proposal, ways_out
from mintseed.core.recipes.model import Recipe
from mintseed.server.judged.loaded import Loaded
from mintseed.server.kept.models import Deployment, Part, PlannedPart, Write
from mintseed.server.owned import descriptions
from mintseed.server.owned.shelf import shelf_at

LAST_WRITES = 12
"""proven writes whose rate is taken for how long the next one takes"""

LAST_JOBS = 10
"""finished deployments whose times are taken for how long the next one takes"""


def plan_of(one: Loaded, shelf: Shelf) -> Plan:
    """Return the plan as it stands, with its image's boards also where only the outline was read."""
    plan = one.walk.plan
    if plan.image is None and one.row.image is not None:
        outline = next((o.thing for o in shelf.images if o.key == one.row.image_id), None)
        return replace(plan, image=outline)
    return plan


def proposals(plan: Plan, shelf: Shelf) -> tuple[Proposal, ...]:
    """Return the ways out of what stands against `plan`; nothing while nothing does, or no board is chosen."""
    return ways_out(plan, shelf) if plan.board is not None else ()


def list_of(one: Loaded, plan: Plan, shelf: Shelf) -> PartsList:
    names = one.names
    return parts_list(
        plan, shelf, board_name=names.unit, supply_name=names.supply, card_name=names.card, cable_name=names.cable
    )


def time_of(one: Loaded, plan: Plan) -> JobTime | None:
    return job_time(plan, rates_mb_s(one.row), hands_s())


def rates_mb_s(row: Deployment) -> list[float]:
    """Return the rates of the last proven writes, in 10⁶ bytes a second: to this card where it was written before, else to any."""
    columns = ("written_bytes", "left_bytes", "phases", "proven_at")
    proven = Write.objects.filter(deployment__demo=False)  # what the demo's first start wrote took nobody's time
    own = proven.filter(owned_card=row.owned_card_id) if row.owned_card_id else proven.none()
    found: list[float] = []
    # The newest by their key, whatever place they are of: looking for those of one place would look at every write there ever was.
    for writes in (own, proven):
        for size, left, phases, proven_at in writes.order_by("-pk").values_list(*columns)[:LAST_WRITES]:
            took = next((p.get("took_s") for p in phases if p.get("phase") == "writing"), None)
            if proven_at is not None and size and isinstance(took, (int, float)) and took > 0:
                found.append((size - left) / took / 1e6)
        if found:
            break
    return found


_HANDS = """
SELECT TIMESTAMPDIFF(MICROSECOND, d.created_at, c.at) / 1e6
  - COALESCE((SELECT SUM(TIMESTAMPDIFF(MICROSECOND, w.begun_at, w.ended_at)) / 1e6 FROM mintseed_write w
      WHERE w.deployment_id = d.id AND w.ended_at IS NOT NULL), 0)
  - COALESCE((SELECT SUM(r.joined_after_s / (SELECT b.boot_pace FROM mintseed_bench b WHERE b.id = r.bench_id)) FROM mintseed_bootrun r
      WHERE r.deployment_id = d.id), 0)
FROM mintseed_closing c JOIN mintseed_deployment d ON d.id = c.deployment_id WHERE d.demo = 0 ORDER BY c.id DESC LIMIT %s
"""
"""Written by hand: four statements of the ORM otherwise. A bench is looked up a run: joined, MariaDB would rather walk through every run of one."""


def hands_s() -> list[float]:
    """Return how long the last finished jobs took beside writing and booting, in seconds."""
    with connection.cursor() as cursor:
        cursor.execute(_HANDS, [LAST_JOBS])
        return [float(left) for (left,) in cursor.fetchall() if left > 0]


def fill(row: Deployment, recipe: Recipe, board_unit: int | None = None) -> None:
    """Fill the plan of a new deployment with the best that fits from the shelf of its place."""
    shelf = shelf_at(row.site, recipe.id, mine=row)
    if board_unit is not None and all(o.key != board_unit for o in shelf.boards):
        raise MissingError("that board is not on the shelf of this place", next_step="Pick another one.")
    chosen, plan = best_plan(recipe, shelf, board_unit)
    size = plan.card.size_gb if plan.card else row.card_gb
    Deployment.objects.filter(pk=row.pk).update(
        board_unit=chosen.board, way=chosen.way or row.way, network=chosen.network, owned_card=chosen.card, card_gb=size,
        supply=chosen.supply, cable=chosen.cable,
    )  # fmt: skip
    owned = {p.pk: p.kind for p in Part.objects.filter(pk__in=chosen.parts)}
    PlannedPart.objects.bulk_create(
        [
            *(PlannedPart(deployment=row, kind=kind, part_id=pk) for pk, kind in owned.items()),
            *(PlannedPart(deployment=row, kind=kind) for kind in chosen.kinds),
        ]
    )


def same_parts(row: Deployment, kinds: Iterable[str]) -> None:
    """Plan `row` with a part of each of `kinds`: of the shelf where one is free, else to be bought."""
    shelf = shelf_at(row.site, mine=row)
    free = {o.key: o.thing.id for o in shelf.parts if not o.used_by}
    for kind in kinds:
        key = next((k for k, held in free.items() if held == kind), None)
        free.pop(key or 0, None)
        PlannedPart.objects.create(deployment=row, kind=kind, part_id=key)


def add_part(row: Deployment, *, part: int | None = None, kind: str = "") -> None:
    """Put a part of the shelf, or a kind that is to be bought, into the plan. Raises InputError, MissingError or RefusedError."""
    with transaction.atomic():
        Deployment.objects.select_for_update().get(pk=row.pk)
        owned = Part.there.get(pk=part, site=row.site) if part is not None else None
        kind = owned.kind if owned else kind
        if kind not in descriptions.parts():
            raise InputError(
                f"no part is called {kind}", where="add_kinds", expected="the id of a part that is described"
            )
        planned = list(PlannedPart.objects.filter(deployment=row).order_by("pk"))
        put = put_in([Held(p.kind, p.part_id) for p in planned], Held(kind, owned.pk if owned else None))
        if put.instead_of is not None:
            PlannedPart.objects.filter(pk=planned[put.instead_of].pk).update(part=owned)
        elif not put.already:
            PlannedPart.objects.create(deployment=row, kind=kind, part=owned)


def drop_part(row: Deployment, place: int) -> None:
    """Leave the part at `place` (from 0, as listed) out of the plan."""
    kinds = descriptions.parts()
    planned = [p.pk for p in PlannedPart.objects.filter(deployment=row).order_by("pk") if p.kind in kinds]
    if not 0 <= place < len(planned):
        raise MissingError("that part is no longer in the plan", next_step="Look again.")
    PlannedPart.objects.filter(pk=planned[place]).delete()
