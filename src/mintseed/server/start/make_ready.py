"""Everything between an installed program and a running one: the database, its tables, the demo.

python -m mintseed.server.start.make_ready

It can be cut off at any moment and started again. MariaDB cannot roll back changes of tables, so a first database is built in
`database.fresh`, tables and all, and renamed to `database` when it is whole; and before an update a whole copy is laid beside it
(whole_copy.py). Where a database of the owner's was, none is ever built anew: the start says what lies there, and stops.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Literal

import django
from django.core.management import CommandError, call_command
from django.db import connection, connections
from django.db.migrations.executor import MigrationExecutor

from mintseed.core.errors import MintSeedError, OutsideError
from mintseed.core.visible import one_line
from mintseed.server.start import database, whole_copy
from mintseed.server.start.database import DatabaseFolder, started
from mintseed.server.start.home_kind import keep_kind, refuse_other_kind
from mintseed.wiring import config, keep_own_lan

LOG_BYTES = 5 * 1024 * 1024
"""bytes at which the database's own log begins anew."""

Say = Callable[[str], None]


def say(text: str) -> None:
    print(f"  {text}", flush=True)


def make_ready(place: DatabaseFolder, tell: Say = say) -> None:
    """Bring the home to where the application can start. Raises MintSeedError saying what is in the way."""
    place.home.mkdir(parents=True, exist_ok=True, mode=0o700)
    refuse_other_kind(config())
    whole_copy.go_back(place, tell)
    _shorten(place.home / "database.log")
    if not place.data.exists():
        _refuse_to_begin_anew(place)
        _build(place, tell)
    _note_that_one_was_made(place)
    database.prepare(place)
    django.setup()  # only now: it reads the account's password
    with started(place):
        waiting = _waiting()
        if not waiting:
            _refuse_other_tables(place)
            _fill()
            return
    if waiting == "never finished":
        _note(place).unlink()
        place.data.rename(place.home / f"{place.name}.fresh")  # which is what is removed before one is built
        _build(place, tell)
        _note_that_one_was_made(place)
    else:
        _update(place, tell)
    with started(place):
        _refuse_other_tables(place)
        _fill()


def _note(place: DatabaseFolder) -> Path:
    return place.home / "database-was-made"


def _note_that_one_was_made(place: DatabaseFolder) -> None:
    """Say for all later starts that a database of the owner's was here, so that none is built in its place."""
    _note(place).touch(mode=0o600)


def _refuse_to_begin_anew(place: DatabaseFolder) -> None:
    """Raise OutsideError where the database is gone and one was here."""
    there = whole_copy.what_lies_there(place)
    if not (there or _note(place).exists()):
        return
    lies = f"what lies there: {', '.join(there)}" if there else "nothing of it lies there"
    raise OutsideError(
        f"the database of this home is gone; {lies}", expected=f"a folder called {place.name}", where=str(place.home),
        next_step=f"Put it back, or rename the one of those you trust to {place.name}. To begin anew and lose what was in it, "
        f"remove these folders and {_note(place).name}.",
    )  # fmt: skip


def _refuse_other_tables(place: DatabaseFolder) -> None:
    """Raise OutsideError, in words, where the tables are not as this version wants them: every answer would be an error."""
    from mintseed.server.start.tables import differences

    try:
        found = differences()
    finally:
        connections.close_all()
    if found:
        more = f", and {len(found) - 5} more" if len(found) > 5 else ""
        raise OutsideError(
            f"the tables of the database are not as this version wants them: {'; '.join(found[:5])}{more}", where=str(place.data),
            next_step="Nothing was changed. Go on with the version that made them, or report this with the lines above.",
        )  # fmt: skip


def _fill() -> None:
    """Load what belongs to this home, and ask for an account where one is needed."""
    from mintseed.server.doors.door import is_closed, note_what_is_kept, token
    from mintseed.server.start.carried import adopt_proofs, find_waiting_tasks, freeze_older

    try:
        keep_kind(config())
        token()  # made now, so that the owner's scripts find its file, whenever the door closes
        note_what_is_kept()
        is_closed()
        find_waiting_tasks()
        adopt_proofs()
        freeze_older()
        call_command("seed")
        call_command("account", require=True)
    finally:
        connections.close_all()


def _build(place: DatabaseFolder, tell: Say) -> None:
    tell("making the database (once)")
    keep_own_lan(place.home)
    fresh = database.make(place)
    django.setup()
    connections["default"].settings_dict["PASSWORD"] = fresh.password()  # a new account has a new one
    with started(fresh):
        _first_tables()
    fresh.data.rename(place.data)


def _update(place: DatabaseFolder, tell: Say) -> None:
    """Bring the tables up to date, with a whole copy beside them until it is done. The database does not run meanwhile."""
    tell("bringing the database up to date; a copy is kept until it is done")
    whole_copy.lay(place)
    try:
        with started(place):
            _migrate()
    except Exception as error:
        whole_copy.go_back(place, tell)
        others = [name for name in whole_copy.what_lies_there(place) if name != place.name]
        lies = f" Beside it lies {', '.join(others)}." if others else ""
        raise OutsideError(f"the database could not be brought up to date ({type(error).__name__}: {one_line(str(error))[:200]})",
                           where=str(place.home),
                           next_step=f"It is as it was before.{lies} Go on with the version you had, and report this.") from error  # fmt: skip
    whole_copy.let_go(place)


def _waiting() -> Literal["", "steps", "never finished"]:
    """Return whether steps of the tables are still to be taken. A first start of an older version that was cut off left
    tables of ours without a single step taken, and nothing in them: nobody ever used them."""
    from mintseed.server.start import repairs

    try:
        executor = MigrationExecutor(connection)
        taken = any(app == "mintseed" for app, _ in executor.loader.applied_migrations)
        if not taken and not _anything_kept():
            return "never finished"
        waits = executor.migration_plan(executor.loader.graph.leaf_nodes())
        return "steps" if waits or repairs.needed() else ""
    finally:
        connections.close_all()


def _anything_kept() -> bool:
    """Return whether a table of ours holds a row."""
    with connection.cursor() as cursor:
        names = [n for n in connection.introspection.table_names(cursor) if n.startswith("mintseed_")]
        for name in names:
            cursor.execute(f"SELECT EXISTS (SELECT 1 FROM {connection.ops.quote_name(name)})")
            if cursor.fetchone()[0]:
                return True
    return False


def _first_tables() -> None:
    from mintseed.server.start.first_tables import make_tables

    try:
        make_tables()
    finally:
        connections.close_all()


def _migrate() -> None:
    from mintseed.server.start import repairs

    try:
        repairs.repair()
        call_command("migrate", interactive=False, verbosity=0)
    finally:
        connections.close_all()


def _shorten(log: Path) -> None:
    if log.exists() and log.stat().st_size > LOG_BYTES:
        log.replace(log.with_suffix(".log.old"))


def main() -> int:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "mintseed.server.settings")
    place = database.folder()
    try:
        make_ready(place)
    except MintSeedError as error:
        print(one_line(error.sentence()), file=sys.stderr)
        return 1
    except CommandError as error:
        print(error, file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130
    return 0


if __name__ == "__main__":
    sys.exit(main())
