"""python -m torture [--kills N] [--starts N] [--races N] [--images N] [--settings N] [--seed N] [--only KIND ...]

Runs everything and writes docs/reliability.md. It takes hours at its full counts; each kind can be asked for alone.
"""

from __future__ import annotations

import argparse
import os
import platform
import signal
import subprocess
import time
from collections.abc import Callable, Iterable, Sequence
from datetime import UTC, datetime
from pathlib import Path

from torture import cards, doors, files, mutants, races, running
from torture.homes import earlier_homes
from torture.outcome import Outcome
from torture.update_kills import updates_killed

PROJECT = Path(__file__).resolve().parents[1]
TABLE = PROJECT / "docs" / "reliability.md"
KINDS = (
    "updates", "cards", "doors", "kills", "starts", "races", "attacks", "images", "settings", "judged", "tables", "fills", "pairs", "requests",
    "mutants",
)  # fmt: skip


def _by_tests(
    what: str, count: int, tests: Sequence[str], well: str, ill: str, *, each: bool = False, **environment: object
) -> Outcome:
    """Run tests of chance, as pytest is told which, with a larger `count` than they have by themselves. `each`: what differs is listed one by one."""
    outcome, began = Outcome(what, count), time.monotonic()
    done = subprocess.run(
        [".venv/bin/python", "-m", "pytest", "-q", *tests], cwd=PROJECT, check=False, capture_output=True, text=True,
        env={**os.environ, **{f"MINTSEED_{name}": str(value) for name, value in environment.items()}},
    )  # fmt: skip
    outcome.took_s = time.monotonic() - began
    outcome.note(well if done.returncode == 0 else ill)
    if done.returncode:
        lines = done.stdout.strip().splitlines()
        failed = [line for line in lines if line.startswith("FAILED")] if each else []
        outcome.harm += failed or lines[-1:] or ["the tests did not begin"]
    return outcome


def requests(examples: int) -> Outcome:
    """Any request of the OpenAPI document, `examples` an operation, by schemathesis."""
    return _by_tests(
        "generated requests an operation (schemathesis)", examples, ["tests/server/test_any_request.py"], "operations clean", "operations not clean",
        EXAMPLES=examples,
    )  # fmt: skip


def fills(count: int, seed: int) -> Outcome:
    """Root volumes filled at random: names, sizes, modes, block sizes, full ones; judged by e2fsck and debugfs."""
    return _by_tests(
        "root volumes filled at random", count, ["tests/adapters/test_ext_skeleton.py", "-k", "random"], "e2fsck -fn clean, every other file as it was",
        "not all clean", FILLS=count, SEED=seed,
    )  # fmt: skip


def judged(count: int, seed: int) -> Outcome:
    """Settings files spoiled at random, `count` a dialect, judged by us and by the real reader."""
    return _by_tests(
        "spoiled settings files a dialect, judged by their real readers too", count, ["tests/core/settings/test_judged.py"], "no difference", "differences",
        each=True, SPOILED=count, SEED=seed,
    )  # fmt: skip


def tables(count: int, seed: int) -> Outcome:
    """Partition tables made at random, `count` of each kind, read as their makers' own tools read them."""
    return _by_tests(
        "partition tables of chance of each kind, read by sgdisk and sfdisk too", count, ["tests/core/image/test_partition_zoo.py"], "no difference",
        "differences", each=True, TABLES=count, SEED=seed,
    )  # fmt: skip


def pairs() -> Outcome:
    """Every image there is on every board there is."""
    return _by_tests(
        "every image on every board", 1, ["tests/standins/test_every_pair.py"], "the board does what the plan says", "differences", each=True,
        PAIRS="every",
    )  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    for name, count in (
        ("updates", 200),
        ("cards", 200),
        ("halves", 2300),
        ("bodies", 60),
        ("passwords", 40),
        ("kills", 200),
        ("starts", 100),
        ("races", 200),
        ("images", 10_000),
        ("settings", 20_000),
        ("judged", 2000),
        ("fills", 200),
        ("tables", 300),
        ("requests", 50),
    ):
        parser.add_argument(f"--{name}", type=int, default=count)
    parser.add_argument("--seed", type=int, default=int(datetime.now(UTC).timestamp()))
    parser.add_argument(
        "--mutants-s", type=float, help="seconds for the faults of one place; what is left is tried the next time"
    )
    parser.add_argument("--mutants-in", nargs="*", default=[], choices=list(mutants.WHOLE))
    parser.add_argument("--only", nargs="*", choices=KINDS, default=KINDS)
    asked = parser.parse_args()
    # A shell's background job is started with SIGINT ignored, and what it starts would ignore it too.
    signal.signal(signal.SIGINT, signal.default_int_handler)
    print(f"seed {asked.seed}", flush=True)
    work: dict[str, Callable[[], Iterable[Outcome]]] = {
        "cards": lambda: [
            cards.false_capacities(asked.cards, asked.seed),
            cards.changed_cards(asked.cards, asked.seed),
        ],
        "doors": lambda: [
            doors.half_requests(asked.halves),
            doors.bodies(asked.bodies),
            doors.passwords(asked.passwords),
        ],
        "updates": lambda: [earlier_homes(), updates_killed(asked.updates, asked.seed)],
        "settings": lambda: [files.settings(asked.settings, asked.seed)],
        "judged": lambda: [judged(asked.judged, asked.seed)],
        "images": lambda: [files.images(asked.images, asked.seed, os.cpu_count() or 1)],
        "attacks": lambda: [running.attacks()],
        "mutants": lambda: mutants.faults_in_the_rules(asked.mutants_s, asked.mutants_in),
        "tables": lambda: [tables(asked.tables, asked.seed)],
        "fills": lambda: [fills(asked.fills, asked.seed)],
        "pairs": lambda: [pairs()],
        "requests": lambda: [requests(asked.requests)],
        "races": lambda: races.races(asked.races, asked.seed),
        "starts": lambda: [running.starts(asked.starts, asked.seed)],
        "kills": lambda: running.kills(asked.kills, asked.seed),
    }
    for kind, do in work.items():
        if kind in asked.only:
            for outcome in do():
                print(outcome.row(), flush=True)
                write(outcome, asked.seed)


def write(outcome: Outcome, seed: int) -> None:
    """Put one row into the table; the others stay as they were when they were made."""
    held = {}
    if TABLE.exists():
        rows = [
            line for line in TABLE.read_text().splitlines() if line.startswith("| ") and not line.startswith("| What")
        ]
        held = {row.split("|")[1].strip(): row for row in rows}
    day = datetime.now(UTC).strftime("%Y-%m-%d")
    held[outcome.name] = f"{outcome.row()} {day}, seed {seed} |"
    machine = (
        f"{platform.system()} {platform.machine()}, {os.cpu_count()} processors, Python {platform.python_version()}"
    )
    TABLE.write_text(
        "# Reliability\n\n"
        "What was done to it, how often, and what was lost. Made by `make torture`, which takes hours; a short slice of it runs\n"
        f"with the tests. Last machine: {machine}.\n\n"
        "| What | Times | Seen | Lost, hung or untrue | Took | When |\n|---|---|---|---|---|---|\n"
        + "\n".join(held.values())
        + "\n\nA kill is followed by: the page answers again, no deployment and no log line is gone, and every card that is called\n"
        "proven holds, byte for byte, what was written (BLAKE3 of the pretend card against the record).\n\n"
        "Faults are put into the rules one at a time, in an order of chance, and some seconds of the tests that run its statement\n"
        "are run against it: it passed where none of them noticed. Those that hang are ended.\n"
    )


if __name__ == "__main__":
    main()
