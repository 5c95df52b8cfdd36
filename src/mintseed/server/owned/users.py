"""Who plans with a thing of the shelf, a network or a part."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
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


Field = Literal["board_unit", "supply", "cable", "owned_card", "network", "image", "part"]

_DEPLOYMENT, _PLANNED = Deployment._meta.db_table, PlannedPart._meta.db_table
_PART = (
    f"(SELECT 'part', p.part_id, d.name FROM {_PLANNED} p JOIN {_DEPLOYMENT} d ON d.id = p.deployment_id"
    " WHERE p.part_id = %s AND d.removed_at IS NULL AND d.id <> %s ORDER BY d.id LIMIT %s)"
)
_ALSO = (
    f"(SELECT 'network', CAST(%s AS UNSIGNED), name FROM {_DEPLOYMENT} WHERE removed_at IS NULL AND also_networks <> '[]'"
    " AND JSON_CONTAINS(also_networks, %s) AND id <> %s ORDER BY id LIMIT %s)"
)


def _one(field: Field) -> str:
    """Return the statement that names who plans with one thing."""
    if field == "part":
        return _PART
    column = connection.ops.quote_name(f"{field}_id")
    return f"(SELECT '{field}', {column}, name FROM {_DEPLOYMENT} WHERE removed_at IS NULL AND {column} = %s AND id <> %s ORDER BY id LIMIT %s)"


def users_of_each(
    wanted: Mapping[Field, Iterable[int]], *, but: int | None = None, beside: bool = False
) -> Mapping[Field, dict[int, Users]]:
    """Return who plans with each thing of the keys in `wanted`, by what it is to a plan, in one statement that looks at a few rows of each only.
    `but` is a deployment that does not count. `beside`: of a network also those that know it beside their first one; that looks at every
    deployment, so it is asked where one is about to be taken off, and by no screen."""
    keys = {field: list(of) for field, of in wanted.items()}
    # Written by hand: composing some forty alike statements takes the ORM longer than answering them takes MariaDB.
    asked = [one for field, of in keys.items() for one in [_one(field)] * len(of)]
    values: list[int | str] = [v for of in keys.values() for key in of for v in (key, but or 0, MOST_NAMED + 1)]
    if beside:
        networks = keys.get("network", [])
        asked += [_ALSO] * len(networks)
        values += [v for key in networks for v in (key, str(key), but or 0, MOST_NAMED + 1)]
    names: dict[Field, dict[int, list[str]]] = {field: defaultdict(list) for field in keys}
    if asked:
        with connection.cursor() as cursor:
            cursor.execute(" UNION ALL ".join(asked), values)
            for field, key, name in cursor.fetchall():
                names[field][key].append(name)
    return {
        field: defaultdict(
            Users, {key: Users(tuple(held[:MOST_NAMED]), len(held) > MOST_NAMED) for key, held in of.items()}
        )
        for field, of in names.items()
    }


def users_of(field: Field, keys: Iterable[int], *, but: int | None = None, beside: bool = False) -> dict[int, Users]:
    """Return who plans with each thing of `keys`, as `users_of_each` does."""
    return users_of_each({field: keys}, but=but, beside=beside)[field]
