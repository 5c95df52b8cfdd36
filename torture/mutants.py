"""Faults put into the rules one by one: the tests have to notice each. What survives is a rule no test holds.

mutmut makes the faults and runs the tests in a copy of the project; nothing of the project itself is changed.
"""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from torture.outcome import Outcome

PROJECT = Path(__file__).resolve().parents[1]
COPIED = ("src", "tests", "torture", "docs", "recipes", "boards", "parts", "manage.py")

SLICE = ("core/card/proof.py", "core/find/look.py", "core/plan/putting.py", "core/recipes/identity.py")
SLICE_TESTS = ("tests/core/test_policies.py",)
WHOLE = (("core", ("tests/core",)), ("server/judged", ("tests/server",)))
"""what is changed and which tests have to notice"""


@dataclass(frozen=True)
class Noticed:
    """`survived`: names of the faults that tests reached and let pass; `unreached`: how many no test reached."""

    killed: int
    survived: tuple[str, ...]
    unreached: int


def put_in_faults(
    modules: Sequence[str], tests: Sequence[str], *, most_s: float | None = None, only: str = ""
) -> Noticed:
    """Run `tests` against every fault in `modules` (below src/mintseed). `only`: a pattern of mutants' names. Raises RuntimeError when
    the tests do not pass without a fault."""
    with tempfile.TemporaryDirectory(prefix="mintseed-") as name:
        folder = Path(name)
        for part in COPIED:
            (shutil.copytree if (PROJECT / part).is_dir() else shutil.copy)(PROJECT / part, folder / part)
        shutil.rmtree(folder / "tests" / "browser")
        changed = [f"src/mintseed/{m}" if m.endswith(".py") else f"src/mintseed/{m}/**/*.py" for m in modules]
        settings = {
            "source_paths": ["src/mintseed"], "only_mutate": changed, "also_copy": list(COPIED),
            "pytest_add_cli_args_test_selection": list(tests),
        }  # fmt: skip
        lines = [f"{key} = {json.dumps(value)}" for key, value in settings.items()]
        text = (PROJECT / "pyproject.toml").read_text()
        (folder / "pyproject.toml").write_text("\n".join([text, "[tool.mutmut]", *lines, ""]))
        said = _mutmut(folder, "run", "--max-children", "2", *([only] if only else []), most_s=most_s)
        results = _mutmut(folder, "results", "--all", "true")
        found = [line.strip().rpartition(": ") for line in results.splitlines() if ": " in line]
        count = {
            word: sum(how == word for _, _, how in found) for word in ("killed", "survived", "no tests", "timeout")
        }
        if not count["killed"]:
            raise RuntimeError(said[-2000:])
        survived = tuple(sorted(what for what, _, how in found if how == "survived"))
        return Noticed(count["killed"] + count["timeout"], survived, count["no tests"])


def _mutmut(folder: Path, *arguments: str, most_s: float | None = None) -> str:
    try:
        done = subprocess.run(
            [sys.executable, "-m", "mutmut", *arguments], cwd=folder, text=True, stdout=subprocess.PIPE, stderr=subprocess.STDOUT,
            check=False, timeout=most_s,
            env={k: v for k, v in os.environ.items() if not k.startswith(("PYTEST_", "MINTSEED_"))},
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        return "cut off"
    return done.stdout


def faults_in_the_rules() -> Outcome:
    """Every fault in the core and in the judging of the server. Survivors are listed; they are no harm, but rules without a test."""
    outcome, began = Outcome("faults put into the rules"), time.monotonic()
    for place, tests in WHOLE:
        noticed = put_in_faults([place], tests)
        outcome.tried += noticed.killed + len(noticed.survived) + noticed.unreached
        outcome.note(
            f"{place}: noticed {noticed.killed}, passed {len(noticed.survived)}, reached by no test {noticed.unreached}"
        )
        print("\n".join(noticed.survived))
    outcome.took_s = time.monotonic() - began
    return outcome
