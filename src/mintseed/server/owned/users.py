"""Who plans with a thing of the shelf, a network or a part."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from django.db import connection

from mintseed.server.kept.models import Deployment, PlannedPart

MOST_NAMED = 5
"""deployments named as users of one thing; of more it is only said that there are more."""


@dataclass(frozen=True)
class Users:
    """Deployments that plan with one thing: the first few names, and whether there are `more`."""

    names: tuple[str, ...] = ()
    more: bool = False

    @property
    def words(self) -> list[str]:
        return [*self.names, *(["and more"] if self.more else [])]


_ALSO = (
    f"(SELECT CAST(%s AS UNSIGNED), name FROM {Deployment._meta.db_table} WHERE removed_at IS NULL AND also_networks <> '[]'"
    " AND JSON_CONTAINS(also_networks, %s) AND id <> %s ORDER BY id LIMIT %s)"
)


def users_of(
    field: Literal["board_unit", "supply", "cable", "owned_card", "network", "image"],
    keys: Iterable[int],
    *,
    but: int | None = None,
    beside: bool = False,
) -> dict[int, Users]:
    """Return who plans with each row of `keys`, by deployment field `field`, looking at a few rows of each only. `but` is a
    deployment that does not count. `beside`: of a network also those that know it beside their first one; that looks at every deployment, so
    it is asked where one is about to be taken off, and by no screen."""
    column, wanted = connection.ops.quote_name(f"{field}_id"), list(keys)
    names: dict[int, list[str]] = defaultdict(list)
    if wanted:
        # Written by hand: composing some forty alike statements takes the ORM longer than answering them takes MariaDB.
        one = f"(SELECT {column}, name FROM {Deployment._meta.db_table} WHERE removed_at IS NULL AND {column} = %s AND id <> %s ORDER BY id LIMIT %s)"
        asked = [one] * len(wanted)
        values: list[int | str] = [v for key in wanted for v in (key, but or 0, MOST_NAMED + 1)]
        if beside and field == "network":
            asked += [_ALSO] * len(wanted)
            values += [v for key in wanted for v in (key, str(key), but or 0, MOST_NAMED + 1)]
        with connection.cursor() as cursor:
            cursor.execute(" UNION ALL ".join(asked), values)
            for key, name in cursor.fetchall():
                names[key].append(name)
    users = {key: Users(tuple(held[:MOST_NAMED]), len(held) > MOST_NAMED) for key, held in names.items()}
    return defaultdict(Users, users)


def part_users(keys: Iterable[int], *, but: int | None = None) -> dict[int, Users]:
    """Return who plans with each part of `keys`; a part goes into one device at a time, so these are few."""
    names: dict[int, list[str]] = defaultdict(list)
    planned = (
        PlannedPart.objects.filter(part__in=list(keys), deployment__removed_at=None)
        .exclude(deployment=but)
        .order_by("deployment_id")
    )
    for key, name in planned.values_list("part_id", "deployment__name"):
        if key is not None and len(names[key]) <= MOST_NAMED:
            names[key].append(name)
    return defaultdict(Users, {k: Users(tuple(held[:MOST_NAMED]), len(held) > MOST_NAMED) for k, held in names.items()})
