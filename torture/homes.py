"""Homes of earlier versions, brought to now: made of the dumps in tests/data/homes, updated, and killed at any step of it."""

from __future__ import annotations

import json
import lzma
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from mintseed.server.start import database
from mintseed.server.start.database import DatabaseFolder
from mintseed.server.start.home_kind import kind_file
from mintseed.server.start.supervise import RUN_MARK, end_leftovers
from torture.outcome import Outcome
from torture.ports import free_port

PROJECT = Path(__file__).resolve().parents[1]
DATA = PROJECT / "tests" / "data" / "homes"
EARLIER = sorted(DATA.glob("*.sql.xz"), key=lambda path: int(path.name.split("-")[0]))

ASKED = """
import json, os, sys
from mintseed.server.start import database
import django
with database.started(database.folder()):
    django.setup()
    from mintseed.server.judged.judging import judged
    from mintseed.server.kept.models import Deployment
    cards = [judged(pk).loaded for pk in Deployment.objects.order_by("pk").values_list("pk", flat=True)]
    print("ANSWER", json.dumps([
        {"proven": bool(c.write and c.write.holds), "current": c.walk.card_current} for c in cards
    ]))
"""


@contextmanager
def homes() -> Iterator[Path]:
    """Make one home with an empty database and the keys of the dumps, to be copied."""
    folder = Path(tempfile.mkdtemp(prefix="mintseed-"))  # a short path: the database's socket lies in it
    try:
        (folder / "secrets").mkdir(mode=0o700)
        for name in ("key", "django"):
            shutil.copy(DATA / name, folder / "secrets" / name)
            (folder / "secrets" / name).chmod(0o600)
        kind_file(folder).write_text("real\n")  # so that no images are built, whatever the dump's bench was
        database.prepare(DatabaseFolder(folder, free_port()))
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)


@dataclass
class Home:
    """A home of its own, in which make_ready is run as a start does."""

    folder: Path
    place: DatabaseFolder

    @classmethod
    @contextmanager
    def like(cls, other: Path) -> Iterator[Home]:
        folder = Path(tempfile.mkdtemp(prefix="mintseed-"))
        subprocess.run(["cp", "-a", "--reflink=auto", "--sparse=always", f"{other}/.", str(folder)], check=True)
        try:
            yield cls(folder, DatabaseFolder(folder, free_port()))
        finally:
            end_leftovers(f"{folder} test")
            shutil.rmtree(folder, ignore_errors=True)

    @property
    def environment(self) -> dict[str, str]:
        return {
            **os.environ, "MINTSEED_HOME": str(self.folder), "MINTSEED_LIBRARY": str(self.folder / "library"), "MINTSEED_BENCH": "real",
            "MINTSEED_DB_PORT": str(self.place.port), RUN_MARK: f"{self.folder} test",
            "DJANGO_SETTINGS_MODULE": "mintseed.server.settings",
        }  # fmt: skip

    def sql(self, statements: str) -> str:
        """Run statements as the database's owner; return what they print, tab-separated."""
        with database.started(self.place):
            return self._sql(statements)

    def _sql(self, statements: str) -> str:
        done = subprocess.run(
            ["mariadb", "--no-defaults", f"--socket={self.place.socket}", "--skip-column-names", "mintseed"], input=statements, text=True,
            capture_output=True, check=False,
        )  # fmt: skip
        if done.returncode:
            raise RuntimeError(done.stderr)
        return done.stdout

    def load(self, dump: Path) -> dict[str, int]:
        """Put a dump in; return how many rows each table has then."""
        with database.started(self.place):
            self._sql(lzma.decompress(dump.read_bytes()).decode())
            return self._counts()

    def filled_otherwise_then(self) -> None:
        """Have the version that made this home have filled its files in another way than this one does."""
        if "mintseed_write" in self.counts():  # the oldest kept it elsewhere
            self.sql("UPDATE mintseed_write SET fingerprint = SHA2(CONCAT(fingerprint, 'filled otherwise then'), 256)")

    def counts(self) -> dict[str, int]:
        with database.started(self.place):
            return self._counts()

    def _counts(self) -> dict[str, int]:
        names = self._sql("SELECT table_name FROM information_schema.tables WHERE table_schema = 'mintseed'").split()
        each = " UNION ALL ".join(f"SELECT '{name}', COUNT(*) FROM {name}" for name in names)
        return {name: int(count) for name, count in (line.split("\t") for line in self._sql(each).splitlines())}

    def run(self, *command: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, *command], cwd=PROJECT, env=self.environment, text=True, stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT, check=False, timeout=180,
        )  # fmt: skip

    def make_ready(self) -> subprocess.CompletedProcess[str]:
        return self.run("-m", "mintseed.server.start.make_ready")

    def cards(self) -> list[dict[str, Any]]:
        """Return for each deployment whether its card is proven, and holds what is chosen."""
        said = self.run("-c", ASKED)
        answer = next((line for line in said.stdout.splitlines() if line.startswith("ANSWER ")), None)
        if answer is None:
            raise RuntimeError(said.stdout)
        found: list[dict[str, Any]] = json.loads(answer.removeprefix("ANSWER "))
        return found


def earlier_homes() -> Outcome:
    """Bring the home of every earlier commit on main to now; its rows are there, and its proofs stand."""
    outcome, began = Outcome("homes of every earlier commit brought to now"), time.monotonic()
    with homes() as empty:
        for dump in EARLIER:
            with Home.like(empty) as home:
                before = home.load(dump)
                home.filled_otherwise_then()
                said = home.make_ready()
                outcome.tried += 1
                if said.returncode:
                    outcome.harm.append(f"{dump.name}: {said.stdout[-200:]}")
                    continue
                after = home.counts()
                if any(
                    after.get(t, 0) < n for t, n in before.items() if t not in ("mintseed_job", "django_migrations")
                ):
                    outcome.harm.append(f"{dump.name}: rows are lost")
                if [(c["proven"], c["current"]) for c in home.cards()] != [(True, True), (True, False)]:
                    outcome.harm.append(f"{dump.name}: its proofs do not stand as they did")
                outcome.note("brought to now")
    outcome.took_s = time.monotonic() - began
    return outcome
