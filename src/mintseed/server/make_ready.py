"""Everything between an installed program and a running one: the database, its tables, the demo.

python -m mintseed.server.make_ready

It can be cut off at any moment and started again. MariaDB cannot roll back changes of tables, so:
- a first database is built in `database.fresh`, tables and all, and renamed to `database` when it is whole;
- before an update of the tables a copy is made in `database.copying`, renamed to `database.before` when it is whole, and
  removed when the update is through. A start that finds `database.before` goes back to it.
"""

from __future__ import annotations

import os
import shutil
import subprocess
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
from mintseed.server import database
from mintseed.server.database import DatabaseFolder, started

LOG_BYTES = 5 * 1024 * 1024
"""bytes at which the database's own log begins anew."""

Say = Callable[[str], None]


def say(text: str) -> None:
    print(f"  {text}", flush=True)


def make_ready(place: DatabaseFolder, tell: Say = say) -> None:
    """Bring the home to where the application can start. Raises MintSeedError saying what is in the way."""
    go_back(place, tell)
    _shorten(place.home / "database.log")
    if not place.exists:
        _build(place, tell)
    database.prepare(place)
    django.setup()  # only now: it reads the account's password
    with started(place):
        waiting = _waiting()
        if not waiting:
            _fill()
            return
    if waiting == "never finished":
        shutil.rmtree(place.data)
        _build(place, tell)
    else:
        _update(place, tell)
    with started(place):
        _fill()


def _fill() -> None:
    """Load what belongs to this home, and ask for an account where one is needed."""
    try:
        call_command("seed")
        call_command("account", require=True)
    finally:
        connections.close_all()


def go_back(place: DatabaseFolder, tell: Say = say) -> None:
    """Undo an update that was cut off, and clear away what was not finished."""
    before = _beside(place, "before")
    if before.is_dir():
        tell("an update of the database was cut off; going back to how it was before")
        if place.data.exists():
            broken = _beside(place, "broken")
            shutil.rmtree(broken, ignore_errors=True)
            place.data.rename(broken)
        before.rename(place.data)
    for name in ("copying", "fresh", "broken"):
        shutil.rmtree(_beside(place, name), ignore_errors=True)


def _beside(place: DatabaseFolder, name: str) -> Path:
    return place.home / f"{place.name}.{name}"


def _build(place: DatabaseFolder, tell: Say) -> None:
    tell("making the database (once)")
    fresh = database.make(place)
    django.setup()
    connections["default"].settings_dict["PASSWORD"] = fresh.password()  # a new account has a new one
    with started(fresh):
        _migrate()
    fresh.data.rename(place.data)


def _update(place: DatabaseFolder, tell: Say) -> None:
    """Bring the tables up to date, with a whole copy beside them until it is done. The database does not run meanwhile."""
    tell("bringing the database up to date; a copy is kept until it is done")
    copying, before = _beside(place, "copying"), _beside(place, "before")
    done = subprocess.run(
        ["cp", "-a", "--reflink=auto", "--sparse=always", str(place.data), str(copying)],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    if done.returncode:
        shutil.rmtree(copying, ignore_errors=True)
        raise OutsideError(f"no copy of the database could be made: {done.stderr.strip()[-200:]}", where=str(place.home),
                           next_step="Nothing was changed. Make room on this disk, then start again.")  # fmt: skip
    copying.rename(before)
    try:
        with started(place):
            _migrate()
    except Exception as error:
        go_back(place, tell)
        raise OutsideError(f"the database could not be brought up to date ({type(error).__name__}: {one_line(str(error))[:200]})",
                           next_step="It is as it was before. Go on with the version you had, and report this.") from error  # fmt: skip
    shutil.rmtree(before)


def _waiting() -> Literal["", "steps", "never finished"]:
    """Return whether steps of the tables are still to be taken. A first start of an older version that was cut off left
    tables of ours without a single step taken: nobody ever used them."""
    try:
        executor = MigrationExecutor(connection)
        if not any(app == "mintseed" for app, _ in executor.loader.applied_migrations):
            return "never finished"
        return "steps" if executor.migration_plan(executor.loader.graph.leaf_nodes()) else ""
    finally:
        connections.close_all()


def _migrate() -> None:
    try:
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
