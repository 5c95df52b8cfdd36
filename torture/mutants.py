"""Faults put into the rules one by one: the tests have to notice each. What survives is a rule no test holds.

mutmut makes the faults and runs the tests in a copy of the project; nothing of the project itself is changed. The whole takes hours:
its copy is kept under var/mutants, and a run that was cut off goes on where it was. There, faults that passed are tried again when the tests
have changed, and those in a function when it has.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

from torture.outcome import Outcome

PROJECT = Path(__file__).resolve().parents[1]
COPIED = ("src", "tests", "torture", "bench", "docs", "recipes", "boards", "parts", "manage.py")

JUDGED_TESTS = tuple(
    f"tests/server/test_{name}.py"
    for name in ("changes", "due", "hands", "job_state", "keeping", "line", "lists", "loaded", "log", "networks", "proofs", "records", "taken_off", "topics", "watch")
)  # fmt: skip
"""those that judge in their own process; the others start programs, in which no fault is"""


@dataclass(frozen=True)
class Place:
    """What is changed (files and folders below src/mintseed), and which tests have to notice. `at_once`: how many run at once in one
    home; `homes`: how many copies of the project share the files among them, each with a home and a database. `arguments`: more of pytest's. `worth_s`: seconds of tests that are run against one. `begins_s`: seconds the tests may take to begin, such as those of a database; one that takes HANGS times these and its own hangs."""

    modules: tuple[str, ...]
    tests: tuple[str, ...]
    at_once: int = 2
    arguments: tuple[str, ...] = ()
    begins_s: float = 0.5
    worth_s: float = 1.5
    homes: int = 1

    def shares(self) -> list[Place]:
        """Return what each home does; the files are dealt out, longest first, to whom has least."""
        if self.homes == 1:
            return [self]
        left = sorted(((path.stat().st_size, module) for module, path in self._files()), reverse=True)
        shares: list[list[tuple[int, str]]] = [[] for _ in range(self.homes)]
        for one in left:
            min(shares, key=lambda share: sum(size for size, _ in share)).append(one)
        return [replace(self, modules=tuple(sorted(module for _, module in share)), homes=1) for share in shares]

    def _files(self) -> Iterator[tuple[str, Path]]:
        package = PROJECT / "src" / "mintseed"
        for module in self.modules:
            for path in [package / module] if module.endswith(".py") else sorted((package / module).rglob("*.py")):
                yield str(path.relative_to(package)), path


HANGS = 6
"""A test that never ends costs this long each time; a machine that is busy with something else makes one no six times slower."""

SLICE = Place(
    ("core/card/proof.py", "core/find/look.py", "core/plan/putting.py", "core/recipes/identity.py"), ("tests/core/test_policies.py",)
)  # fmt: skip
WHOLE = {
    "core": Place(("core",), ("tests/core",)),
    # In one database they would wait for each other's rows; each walks the whole line, and the one that notices may be the last.
    "server/judged": Place(("server/judged",), JUDGED_TESTS, 1, ("--reuse-db",), begins_s=2.0, worth_s=8.0, homes=2),
}

KEPT = PROJECT / "var" / "mutants"
KINDS = PROJECT / "torture" / "kinds.py"
PASSED, UNREACHED = 0, 33
"""how mutmut writes down that the tests let a fault pass, and that no test reaches it"""


@dataclass(frozen=True)
class Noticed:
    """`killed`: how many some test noticed; `hung`: with how many no test came to its end; `survived`: names of the faults that tests reached
    and let pass; `unreached`: how many no test reached; `untried`: how many a run that was cut off left."""

    killed: int
    hung: int
    survived: tuple[str, ...]
    unreached: int
    untried: int = 0


def put_in_faults(place: Place, *, most_s: float | None = None, kept: Path | None = None) -> Noticed:
    """Run the tests of `place` against every fault in its modules. `kept`: a folder in which the run may be continued. Raises RuntimeError
    when the tests do not pass without a fault, before all of them or after."""
    with _folder(kept) as folder:
        _copy(folder, place.tests)
        _forget_lines(folder, place.modules)
        settings = {
            "source_paths": ["src/mintseed"], "only_mutate": [pattern(m) for m in place.modules], "also_copy": list(COPIED),
            "pytest_add_cli_args_test_selection": list(place.tests), "pytest_add_cli_args": ["-m", LEFT_OUT, *place.arguments],
            "timeout_constant": place.begins_s, "timeout_multiplier": HANGS,
        }  # fmt: skip
        lines = [f"{key} = {json.dumps(value)}" for key, value in settings.items()]
        text = (PROJECT / "pyproject.toml").read_text()
        (folder / "pyproject.toml").write_text("\n".join([text, "[tool.mutmut]", *lines, ""]))
        said = _mutmut(folder, "run", "--max-children", str(place.at_once), most_s=most_s, worth_s=place.worth_s)
        if FAILS_ANYWAY in said:
            # Of none of it is known any more what noticed it.
            for part in ("mutants", "noticed"):
                shutil.rmtree(folder / part, ignore_errors=True)
            raise RuntimeError(said[said.index(FAILS_ANYWAY) :][:2000])
        results = _mutmut(folder, "results", "--all", "true")
        found = [line.strip().rpartition(": ") for line in results.splitlines() if ": " in line]
        count = {
            word: sum(how == word for _, _, how in found)
            for word in ("killed", "survived", "no tests", "timeout", "not checked")
        }
        if not count["killed"]:
            raise RuntimeError(said[-2000:])
        survived = tuple(sorted(what for what, _, how in found if how == "survived"))
        return Noticed(count["killed"], count["timeout"], survived, count["no tests"], count["not checked"])


def pattern(module: str) -> str:
    """Return what mutmut goes by to change `module`, a file or a folder below src/mintseed. Its * takes slashes too (fnmatch(3), without FNM_PATHNAME)."""
    return f"src/mintseed/{module}" if module.endswith(".py") else f"src/mintseed/{module}/*.py"


@contextlib.contextmanager
def _folder(kept: Path | None) -> Iterator[Path]:
    if kept is not None:
        kept.mkdir(parents=True, exist_ok=True)
        yield kept
        return
    with tempfile.TemporaryDirectory(prefix="mintseed-") as name:
        yield Path(name)


def _copy(folder: Path, tests: Sequence[str]) -> None:
    """Bring the project's present state into `folder`; what passed there is tried again where `tests`, or what tests share, are others now."""
    for part in COPIED:
        of, to = PROJECT / part, folder / part
        if of.is_dir():
            shutil.rmtree(to, ignore_errors=True)
            shutil.copytree(of, to, ignore=shutil.ignore_patterns("__pycache__", "browser"))
        else:
            shutil.copy2(of, to)
    digest = hashlib.sha256()
    for path in sorted((folder / "tests").rglob("*")):
        bears = any(path.is_relative_to(folder / test) for test in tests) or not path.name.startswith("test_")
        if path.is_file() and bears:
            digest.update(path.read_bytes())
    # The faults are known by their numbers.
    kinds = hashlib.sha256(KINDS.read_bytes()).hexdigest()
    if (folder / "kinds.stamp").exists() and (folder / "kinds.stamp").read_text() != kinds:
        shutil.rmtree(folder / "mutants", ignore_errors=True)
    (folder / "kinds.stamp").write_text(kinds)
    stamp = folder / "tests.stamp"
    if stamp.exists() and stamp.read_text() != digest.hexdigest():
        _try_again(folder / "mutants")
    stamp.write_text(digest.hexdigest())


def _forget_lines(folder: Path, modules: Sequence[str]) -> None:
    """Have it recorded anew which test runs which line, where a file that is changed, or a test, is another one now."""
    package, digest = folder / "src" / "mintseed", hashlib.sha256((folder / "tests.stamp").read_bytes())
    for path in sorted(
        p for m in modules for p in ([package / m] if m.endswith(".py") else (package / m).rglob("*.py"))
    ):
        digest.update(path.read_bytes())
    stamp = folder / "lines.stamp"
    if not stamp.exists() or stamp.read_text() != digest.hexdigest():
        (folder / "lines").unlink(missing_ok=True)
    stamp.write_text(digest.hexdigest())


def _try_again(mutants: Path) -> None:
    """Forget of which faults it was seen that no test notices them."""
    for path in mutants.rglob("*.meta"):
        held = json.loads(path.read_text())
        ended = held.get("exit_code_by_key", {})
        held["exit_code_by_key"] = {k: None if v in (PASSED, UNREACHED) else v for k, v in ended.items()}
        path.write_text(json.dumps(held, indent=4))


def _mutmut(folder: Path, *arguments: str, most_s: float | None = None, worth_s: float = 0.0) -> str:
    environment = {k: v for k, v in os.environ.items() if not k.startswith(("PYTEST_", "MINTSEED_"))}
    environment |= {
        "PYTEST_DISABLE_PLUGIN_AUTOLOAD": "1", "PYTEST_ADDOPTS": " ".join(LITTLE_AROUND_IT), "FAULTS_MOST_S": str(worth_s),
    }  # fmt: skip
    # A session of its own, as it leaves processes behind where it is killed; asked to stop, it writes down what it saw.
    with _room() as room, subprocess.Popen(
        [sys.executable, "-m", "torture.one_collection", *arguments], cwd=folder, text=True, stdout=subprocess.PIPE, stderr=subprocess.STDOUT,
        env={**environment, "MINTSEED_TESTS_ROOM": room}, start_new_session=True,
    ) as running:  # fmt: skip
        try:
            return running.communicate(timeout=most_s)[0]
        except subprocess.TimeoutExpired:
            running.send_signal(signal.SIGINT)
        try:
            return running.communicate(timeout=STOPS_WITHIN_S)[0]
        except subprocess.TimeoutExpired:
            return "cut off"
        finally:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(running.pid, signal.SIGKILL)


def _room() -> tempfile.TemporaryDirectory[str]:
    """Return a place for the tests' database and cards: in memory where there is some, as a disk is what most of them wait for."""
    memory = Path("/dev/shm")
    return tempfile.TemporaryDirectory(
        prefix="mintseed-", dir=memory if memory.is_dir() else None, ignore_cleanup_errors=True
    )


STOPS_WITHIN_S = 180.0

FAILS_ANYWAY = "Without a fault fail too:"
"""what is said, with the tests, where what they noticed was no fault but something else that went wrong on the way"""

LEFT_OUT = "not reads_source and not django_db(transaction=True)"
"""Where a test reads the program's text, each file stands in all its forms; and what one wrote for good would be there for the next
fault, if it was ended in the middle."""

LITTLE_AROUND_IT = (
    "-p", "pytest_django.plugin", "-p", "_hypothesis_pytestplugin", "-p", "no:cacheprovider", "-p", "no:junitxml", "-p", "no:pastebin",
    "-p", "no:doctest", "--assert=plain",
)  # fmt: skip
"""no plugin that the tests do not use, and no words of why one failed"""


def _in_all_homes(place: Place, most_s: float | None, kept: Path) -> Noticed:
    shares = place.shares()
    if len(shares) == 1:
        return put_in_faults(place, most_s=most_s, kept=kept)
    with ThreadPoolExecutor(len(shares)) as homes:
        found = list(
            homes.map(lambda n: put_in_faults(shares[n], most_s=most_s, kept=kept / str(n)), range(len(shares)))
        )
    return Noticed(
        sum(one.killed for one in found), sum(one.hung for one in found), tuple(sorted(name for one in found for name in one.survived)),
        sum(one.unreached for one in found), sum(one.untried for one in found),
    )  # fmt: skip


def faults_in_the_rules(most_s: float | None = None, places: Sequence[str] = ()) -> Iterator[Outcome]:
    """Every fault in the core and in the judging of the server, or in `places` of them, for `most_s` each. Survivors are listed beside the
    kept copies; they are no harm, but rules without a test."""
    for called, place in WHOLE.items():
        if places and called not in places:
            continue
        began, name = time.monotonic(), called.replace("/", "-")
        noticed = _in_all_homes(place, most_s, KEPT / name)
        outcome = Outcome(f"faults put into {called}, all runs together")
        outcome.notes = {
            "noticed": noticed.killed, "hung": noticed.hung, "passed": len(noticed.survived), "reached by no test": noticed.unreached,
            "not tried yet": noticed.untried,
        }  # fmt: skip
        outcome.tried = sum(outcome.notes.values()) - noticed.untried
        (KEPT / f"{name}.survived").write_text("\n".join([*noticed.survived, ""]))
        outcome.took_s = time.monotonic() - began
        yield outcome
