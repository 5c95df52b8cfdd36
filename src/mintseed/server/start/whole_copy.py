"""The copy of the database that is kept while its tables are brought up to date.

MariaDB cannot roll back changes of tables, and any step of an update may be its last. So every folder has one meaning:

    database           the one in use; it gets this name when it is whole, and nothing here ever removes it
    database.copying   a copy that is being made; worth nothing
    database.before    how it was before an update, for as long as the mark lies in it: go back to it
    database.broken    what an update that was cut off made of it, set aside while going back
    database.going     what is being removed
    database.aside-*   what this program does not understand and so does not touch

The mark is written into a copy last, before the copy gets its name, and taken first, after it lost it: what is left of a removal is
never taken for a copy.
"""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from mintseed.core.errors import OutsideError
from mintseed.server.start.database import DatabaseFolder

MARK = "mintseed-copy-is-whole"
"""the file that makes a copy valid; MariaDB leaves files it does not know alone."""

Say = Callable[[str], None]


def beside(place: DatabaseFolder, name: str) -> Path:
    """Return the folder called `name` beside the database."""
    return place.home / f"{place.name}.{name}"


def lay(place: DatabaseFolder) -> None:
    """Copy the database, which must not run. Raises OutsideError when there is no room; nothing is changed then."""
    copying, before = beside(place, "copying"), beside(place, "before")
    _remove(copying)
    done = subprocess.run(
        ["cp", "-a", "--reflink=auto", "--sparse=always", str(place.data), str(copying)],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    if done.returncode:
        _remove(copying)
        raise OutsideError(f"no copy of the database could be made: {done.stderr.strip()[-200:]}", where=str(place.home),
                           next_step="Nothing was changed. Make room on this disk, then start again.")  # fmt: skip
    # The copy reaches the disk before its mark does, and the mark before the name: a power cut is a kill too.
    _to_disk(copying)
    _write_mark(copying)
    copying.rename(before)
    _sync_folder(place.home)


def go_back(place: DatabaseFolder, tell: Say) -> None:
    """Undo an update that was cut off, finish what removing was cut off, and let nothing else be taken for a copy."""
    before, broken = beside(place, "before"), beside(place, "broken")
    if (before / MARK).is_file():
        tell("an update of the database was cut off; going back to how it was before")
        if place.data.exists():
            _remove(broken)  # of an earlier way back; the copy is here, so nothing is in it
            place.data.rename(broken)
        before.rename(place.data)
        _sync_folder(place.home)
    elif before.exists():
        _without_mark(place, before, tell)
    # Worth nothing once there is a database: made from it, or set aside for the copy that now is the database.
    if place.exists:
        (place.data / MARK).unlink(missing_ok=True)
        for name in ("copying", "broken", "going"):
            _remove(beside(place, name))


def let_go(place: DatabaseFolder) -> None:
    """Remove the copy: the update is through. From its renaming on it is no copy any more, however little was removed."""
    going = beside(place, "going")
    _remove(going)
    beside(place, "before").rename(going)
    _sync_folder(place.home)
    (going / MARK).unlink()
    _remove(going)


def _without_mark(place: DatabaseFolder, before: Path, tell: Say) -> None:
    """Set a copy of an older version aside: it made no mark, so nobody can tell whether it is whole, or what is left of one."""
    number = 1
    while (aside := beside(place, f"aside-{number}")).exists():
        number += 1
    before.rename(aside)
    tell(
        f"a copy of the database that is not marked as whole was set aside as {aside.name}; remove it when all is well"
    )


def what_lies_there(place: DatabaseFolder) -> tuple[str, ...]:
    """Return the folders that hold, or held, a database of this home."""
    folders = (place.data, *place.home.glob(f"{place.name}.*"))
    listed = sorted(p.name for p in folders if p.is_dir() and any(p.iterdir()))
    return tuple(name for name in listed if name != f"{place.name}.fresh")


def _remove(folder: Path) -> None:
    shutil.rmtree(folder, ignore_errors=True)


def _write_mark(folder: Path) -> None:
    with (folder / MARK).open("w") as file:
        file.write("The copy beside the database is whole. See mintseed/server/start/whole_copy.py.\n")
        file.flush()
        os.fsync(file.fileno())
    _sync_folder(folder)


def _to_disk(folder: Path) -> None:
    """Return when all files of `folder` are on the disk, where the system can say so."""
    with suppress(OSError):
        subprocess.run(["sync", "--file-system", str(folder)], check=False, capture_output=True)


def _sync_folder(folder: Path) -> None:
    descriptor = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)
