"""Homes whose database took a migration as it stood before somebody changed it.

Four migrations were changed after they had been on main, so databases that had taken them as they were lack what came in
later, and no migration will ever bring it. Each of these steps looks at the tables, not at a version: a database may have
taken any of the four either way. Migrations are not changed any more: `make check` compares them with migrations/kept.sha256.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from django.db import connection

from mintseed.server.start.tables import Table, tables_now

_RENAMED, _NOW = "0005_names_and_copies", "0005_names_copies_ranges"


@dataclass(frozen=True)
class Database:
    """What a repair looks at: the tables, and the migrations that were taken."""

    tables: dict[str, Table]
    taken: frozenset[str]

    def lacks(self, table: str, column: str) -> bool:
        return table in self.tables and column not in self.tables[table].columns

    @staticmethod
    def now() -> Database:
        tables = tables_now()
        if "django_migrations" not in tables:
            return Database(tables, frozenset())
        with connection.cursor() as cursor:
            cursor.execute("SELECT name FROM django_migrations WHERE app = 'mintseed'")
            return Database(tables, frozenset(name for (name,) in cursor.fetchall()))


@dataclass(frozen=True)
class Repair:
    """`wanted`: whether a database needs it. `statements`: what mends it; each may be the last one, so a second time finds the
    rest still to do."""

    of: str
    wanted: Callable[[Database], bool]
    statements: tuple[str, ...]


REPAIRS = (
    # Its digests were of another function, which is why the column was renamed: what they say is not carried over.
    Repair(
        "0001_initial",
        lambda d: d.lacks("mintseed_deployment", "card_digest") and not d.lacks("mintseed_deployment", "card_sha256"),
        (
            "UPDATE mintseed_deployment SET card_sha256 = ''",
            "ALTER TABLE mintseed_deployment RENAME COLUMN card_sha256 TO card_digest",
        ),
    ),
    Repair(
        _NOW,
        lambda d: bool({_RENAMED, _NOW} & d.taken) and d.lacks("mintseed_site", "shared_range"),
        ("ALTER TABLE mintseed_site ADD COLUMN shared_range bool NOT NULL DEFAULT 0",),
    ),
    Repair(
        _NOW,
        lambda d: _RENAMED in d.taken,
        (f"UPDATE django_migrations SET name = '{_NOW}' WHERE app = 'mintseed' AND name = '{_RENAMED}'",),
    ),
    Repair(
        "0006_lists",
        lambda d: "0006_lists" in d.taken and d.lacks("mintseed_deployment", "demo"),
        (
            "ALTER TABLE mintseed_deployment ADD COLUMN demo bool NOT NULL DEFAULT 0, "
            "ADD INDEX mintseed_deployment_demo_7f7a37a6 (demo)",
        ),
    ),
    Repair(
        "0007_plan",
        lambda d: "0007_plan" in d.taken and d.lacks("mintseed_write", "clears_end"),
        ("ALTER TABLE mintseed_write ADD COLUMN clears_end bool NOT NULL DEFAULT 0",),
    ),
)


def needed() -> list[Repair]:
    """Return the repairs this database needs, in their order."""
    found = Database.now()
    return [repair for repair in REPAIRS if repair.wanted(found)]


def repair() -> int:
    """Mend what needs it; return how much. Done before the next migration, which may rest on it."""
    done = 0
    for one in REPAIRS:
        if one.wanted(Database.now()):
            with connection.cursor() as cursor:
                for statement in one.statements:
                    cursor.execute(statement)
            done += 1
    return done
