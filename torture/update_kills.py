"""An update that is killed between any two of its steps, and a start after it.

python -m torture.update_kills STEP    run make_ready in this home and kill it right before its STEP-th step (0: count them)

A step is whatever changes something: a statement to the database, a file opened for writing, renamed or removed, a folder made
or removed, a program started. Python's own audit events say when (sys.addaudithook), Django's execute wrappers for statements.
"""

from __future__ import annotations

import os
import random
import signal
import sys
import time
from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any

from torture.homes import EARLIER, Home, homes
from torture.outcome import Outcome

FILE_EVENTS = ("os.rename", "os.remove", "os.rmdir", "os.mkdir", "subprocess.Popen")
ALWAYS = ("os.rename", "mark")
"""steps of which each is a place of its own to be killed; of the others, hundreds, some of each kind are chosen"""


class Steps:
    """Counts the steps of this process, and ends it before one of them."""

    def __init__(self, home: Path, last: int) -> None:
        self._home, self._last, self.seen = str(home), last, list[str]()

    def step(self, kind: str) -> None:
        self.seen.append(kind)
        if len(self.seen) == self._last:
            os.kill(os.getpid(), signal.SIGKILL)

    def audit(self, event: str, arguments: tuple[Any, ...]) -> None:
        if event in FILE_EVENTS:
            self.step(event)
        elif event == "open" and isinstance(arguments[0], (str, bytes)) and _writes(arguments):
            path = os.fsdecode(arguments[0])
            if path.startswith(self._home) or "/" not in path:
                self.step("mark" if path.endswith("copy-is-whole") else "open")

    def statement(self, execute: Any, sql: str, params: Any, many: bool, context: Any) -> Any:
        if not sql.lstrip("( \n").upper().startswith(("SELECT", "SHOW", "SET")):
            self.step("statement")
        return execute(sql, params, many, context)


def _writes(arguments: tuple[Any, ...]) -> bool:
    mode, flags = arguments[1], arguments[2]
    return (isinstance(mode, str) and any(c in mode for c in "wax+")) or bool(
        isinstance(flags, int) and flags & (os.O_WRONLY | os.O_RDWR)
    )


def be_killed(step: int) -> int:
    """Make this home ready, and end right before that step."""
    steps = Steps(Path(os.environ["MINTSEED_HOME"]), step)
    from django.db.backends.signals import connection_created

    from mintseed.server.start import make_ready

    def wrap(connection: Any, **_: Any) -> None:
        connection.execute_wrappers.append(steps.statement)

    connection_created.connect(wrap)
    sys.addaudithook(steps.audit)
    status = make_ready.main()
    print("STEPS", " ".join(steps.seen))
    return status


@contextmanager
def bases(dumps: Sequence[Path]) -> Iterator[list[Home]]:
    """Make a home of each earlier commit, once."""
    with homes() as empty, ExitStack() as stack:
        made = []
        for dump in dumps:
            home = stack.enter_context(Home.like(empty))
            home.load(dump)
            made.append(home)
        yield made


def chosen(kinds: list[str], most: int, dice: random.Random) -> list[int]:
    """Return `most` numbers of steps: every one of ALWAYS, and of each other kind as many as of the next, from all over."""
    found = [n for n, kind in enumerate(kinds, 1) if kind in ALWAYS]
    others = {kind: [n for n, k in enumerate(kinds, 1) if k == kind] for kind in set(kinds) - set(ALWAYS)}
    while len(found) < most and any(others.values()):
        for numbers in (others[kind] for kind in sorted(others)):
            if numbers and len(found) < most:
                found.append(numbers.pop(dice.randrange(len(numbers))))
    return sorted(found[:most])


def updates_killed(times: int, seed: int, dumps: Sequence[Path] = EARLIER) -> Outcome:
    """Kill an update before `times` of its steps, homes of all earlier commits in turn; each time start again and look."""
    outcome, dice, began = Outcome("an update killed before one of its steps"), random.Random(seed), time.monotonic()
    with bases(dumps) as made:
        kinds = []
        for base in made:
            with Home.like(base.folder) as home:
                said = home.run("-m", "torture.update_kills", "0")
                line = next((x for x in said.stdout.splitlines() if x.startswith("STEPS ")), "")
                if said.returncode or not line:
                    outcome.harm.append(f"it was not brought to now at all: {said.stdout[-200:]}")
                kinds.append(line.split()[1:])
        share = -(-times // len(made))
        for base, steps in zip(made, kinds, strict=True):
            for number in chosen(steps, min(share, times - outcome.tried), dice):
                _killed_once(base, number, steps[number - 1], outcome)
    outcome.took_s = time.monotonic() - began
    return outcome


def _killed_once(base: Home, number: int, kind: str, outcome: Outcome) -> None:
    where = f"before step {number} ({kind})"
    with Home.like(base.folder) as home:
        killed = home.run("-m", "torture.update_kills", str(number))
        outcome.tried += 1
        outcome.note(f"before {kind}")
        if killed.returncode != -signal.SIGKILL:
            outcome.harm.append(f"{where}: it was not killed: {killed.stdout[-200:]}")
            return
        again = home.make_ready()
        if again.returncode:
            outcome.harm.append(f"{where}: it does not start: {again.stdout[-300:]}")
            return
        counts = home.counts()
        if counts["mintseed_deployment"] != 2 or counts["mintseed_wifinetwork"] < 2 or counts["mintseed_write"] < 2:
            outcome.harm.append(f"{where}: rows are lost")
        left = sorted(p.name for p in home.folder.glob("database.*") if p.is_dir())
        if left:
            outcome.harm.append(f"{where}: left {left}")


if __name__ == "__main__":
    sys.exit(be_killed(int(sys.argv[1])))
