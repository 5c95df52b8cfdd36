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
from dataclasses import dataclass
from pathlib import Path

from torture.outcome import Outcome

PROJECT = Path(__file__).resolve().parents[1]
COPIED = ("src", "tests", "torture", "bench", "docs", "recipes", "boards", "parts", "manage.py")

SLICE = ("core/card/proof.py", "core/find/look.py", "core/plan/putting.py", "core/recipes/identity.py")
SLICE_TESTS = ("tests/core/test_policies.py",)
JUDGED_TESTS = tuple(
    f"tests/server/test_{name}.py"
    for name in ("changes", "due", "hands", "keeping", "line", "log", "networks", "proofs", "records", "topics", "two_at_once", "watch")
)  # fmt: skip
"""those that judge in their own process; the others start programs, in which no fault is"""
WHOLE = (("core", ("tests/core",), 2), ("server/judged", JUDGED_TESTS, 1))
"""what is changed, which tests have to notice, and how many run at once: a database serves one of them"""


KEPT = PROJECT / "var" / "mutants"
PASSED, UNREACHED = 0, 33
"""how mutmut writes down that the tests let a fault pass, and that no test reaches it"""


@dataclass(frozen=True)
class Noticed:
    """`survived`: names of the faults that tests reached and let pass; `unreached`: how many no test reached; `untried`: how many a
    run that was cut off left."""

    killed: int
    survived: tuple[str, ...]
    unreached: int
    untried: int = 0


def put_in_faults(
    modules: Sequence[str], tests: Sequence[str], *, most_s: float | None = None, only: str = "", kept: Path | None = None, at_once: int = 2
) -> Noticed:  # fmt: skip
    """Run `tests` against every fault in `modules` (below src/mintseed). `only`: a pattern of mutants' names. `kept`: a folder in which the
    run may be continued. Raises RuntimeError when the tests do not pass without a fault."""
    with _folder(kept) as folder:
        _copy(folder)
        settings = {
            "source_paths": ["src/mintseed"], "only_mutate": [pattern(m) for m in modules], "also_copy": list(COPIED),
            "pytest_add_cli_args_test_selection": list(tests), "pytest_add_cli_args": ["-m", "not reads_source"],
        }  # fmt: skip
        lines = [f"{key} = {json.dumps(value)}" for key, value in settings.items()]
        text = (PROJECT / "pyproject.toml").read_text()
        (folder / "pyproject.toml").write_text("\n".join([text, "[tool.mutmut]", *lines, ""]))
        said = _mutmut(folder, "run", "--max-children", str(at_once), *([only] if only else []), most_s=most_s)
        results = _mutmut(folder, "results", "--all", "true")
        found = [line.strip().rpartition(": ") for line in results.splitlines() if ": " in line]
        count = {
            word: sum(how == word for _, _, how in found)
            for word in ("killed", "survived", "no tests", "timeout", "not checked")
        }
        if not count["killed"]:
            raise RuntimeError(said[-2000:])
        survived = tuple(sorted(what for what, _, how in found if how == "survived"))
        return Noticed(count["killed"] + count["timeout"], survived, count["no tests"], count["not checked"])


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


def _copy(folder: Path) -> None:
    """Bring the project's present state into `folder`."""
    for part in COPIED:
        of, to = PROJECT / part, folder / part
        if of.is_dir():
            shutil.rmtree(to, ignore_errors=True)
            shutil.copytree(of, to, ignore=shutil.ignore_patterns("__pycache__", "browser"))
        else:
            shutil.copy2(of, to)
    digest = hashlib.sha256()
    for path in sorted((folder / "tests").rglob("*.py")):
        digest.update(path.read_bytes())
    stamp = folder / "tests.stamp"
    if stamp.exists() and stamp.read_text() != digest.hexdigest():
        _try_again(folder / "mutants")
    stamp.write_text(digest.hexdigest())


def _try_again(mutants: Path) -> None:
    """Forget of which faults it was seen that no test notices them."""
    for path in mutants.rglob("*.meta"):
        held = json.loads(path.read_text())
        ended = held.get("exit_code_by_key", {})
        held["exit_code_by_key"] = {k: None if v in (PASSED, UNREACHED) else v for k, v in ended.items()}
        path.write_text(json.dumps(held, indent=4))


def _mutmut(folder: Path, *arguments: str, most_s: float | None = None) -> str:
    environment = {k: v for k, v in os.environ.items() if not k.startswith(("PYTEST_", "MINTSEED_"))}
    # A session of its own, as it leaves processes behind where it is killed; asked to stop, it writes down what it saw.
    with subprocess.Popen(
        [sys.executable, "-m", "mutmut", *arguments], cwd=folder, text=True, stdout=subprocess.PIPE, stderr=subprocess.STDOUT,
        env=environment, start_new_session=True,
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


STOPS_WITHIN_S = 60.0


def faults_in_the_rules(most_s: float | None = None, places: Sequence[str] = ()) -> Outcome:
    """Every fault in the core and in the judging of the server, or in `places` of them, for `most_s` each. Survivors are listed beside the
    kept copies; they are no harm, but rules without a test."""
    outcome, began = Outcome("faults put into the rules"), time.monotonic()
    for place, tests, at_once in WHOLE:
        if places and place not in places:
            continue
        name = place.replace("/", "-")
        noticed = put_in_faults([place], tests, most_s=most_s, kept=KEPT / name, at_once=at_once)
        outcome.tried += noticed.killed + len(noticed.survived) + noticed.unreached
        untried = f", not tried {noticed.untried}" if noticed.untried else ""
        outcome.note(
            f"{place}: noticed {noticed.killed}, passed {len(noticed.survived)}, reached by no test {noticed.unreached}{untried}"
        )
        (KEPT / f"{name}.survived").write_text("\n".join([*noticed.survived, ""]))
    outcome.took_s = time.monotonic() - began
    return outcome
