"""mutmut, with the tests collected once for all faults. python -m torture.one_collection run --max-children 2

By itself it starts pytest anew for each fault, which takes ten times as long as the tests that reach one (measured). Here every fault's
process is forked from one in which they lie collected, with what a whole session shares set up (a database, the demo's images), and runs
those that run its statement, until one fails: first those that noticed another fault of the same function, then a few that together go every
way through it, then one of each file in turn, for as long as is worth it.
"""

from __future__ import annotations

import gc
import hashlib
import os
import signal
from collections import Counter
from collections.abc import Iterable, Mapping
from functools import _lru_cache_wrapper, partial
from math import ceil
from pathlib import Path
from types import FrameType
from typing import Any

import mutmut.__main__ as program
from _pytest.config import ExitCode, _prepareconfig
from _pytest.main import Session
from _pytest.outcomes import Skipped
from _pytest.runner import CallInfo
from _pytest.tmpdir import tmppath_result_key
from django.db import connections
from mutmut.configuration import config
from mutmut.mutation.trampoline import get_mutant_under_test
from mutmut.runners.harness import PytestRunner
from mutmut.state import state
from mutmut.utils.file_utils import change_cwd
from mutmut.utils.format_utils import mangled_name_from_mutant_name
from mutmut.workers import isolation
from mutmut.workers.isolation import run_in_fork

from torture.kinds import fewer
from torture.mutants import FAILS_ANYWAY
from torture.reached import Reached, recorded, union_of

SOURCES = Path("mutants/src").absolute()
LINES = Path("lines").absolute()
NOTICED = Path("noticed").absolute()
"""a file for each function, with the tests that noticed a fault in it, for its other faults and the next run"""

MOST_S = float(os.environ.get("FAULTS_MOST_S", "inf"))
"""seconds of tests that are worth running against one fault. Without an end most of a run's time goes into those no test notices."""


BEGINS_S = 0.3
"""what any test takes beside its own time"""

SLOW_S = 1.5
"""a test that takes longer is run where no quicker one has noticed"""


class Collected(PytestRunner):
    """`session`: None until the faults begin; before, the tests are run as ever. `remembering`: functions of ours that keep what they
    returned."""

    session: Session | None = None
    tests: dict[str, Any]
    remembering: list[_lru_cache_wrapper[Any]]
    reaches: Counter[str]
    reached: Reached

    def collect(self) -> None:
        # Without capturing: it would begin here, in the process that says how the run goes.
        selected = (*self._pytest_add_cli_args_test_selection, *self._pytest_add_cli_args)
        with change_cwd("mutants"):
            config = _prepareconfig(["--rootdir=.", "-q", "-s", *selected])
            self.session = Session.from_config(config)
            config._do_configure()
            config.hook.pytest_sessionstart(session=self.session)
            config.hook.pytest_collection(session=self.session)
            self.tests = {item.nodeid: item for item in self.session.items}
            # The one that asks for most stands for all.
            self.run(max(self.session.items, key=lambda item: len(getattr(item, "fixturenames", ()))))
        self.reached = Reached(LINES, SOURCES)
        # A process and its parent cannot share one.
        connections.close_all()
        self.remembering = [
            one
            for one in gc.get_objects()
            if type(one) is _lru_cache_wrapper and one.__module__.startswith("mintseed.")
        ]
        self.reaches = Counter(test for tests in state().tests_by_mangled_function_name.values() for test in tests)
        NOTICED.mkdir(exist_ok=True)

    def in_order(self, function: Path, tests: Iterable[str]) -> list[str]:
        """Return those of `tests` that are worth running: first what noticed another fault of the same function, then what goes every way
        through it, then in turn one of each file, beginning with those that are about least."""
        before = Counter(function.read_text().splitlines() if function.exists() else ())
        took_s = state().duration_by_test
        place, met = dict[str, int](), Counter[str]()
        for test in sorted(tests, key=lambda test: (took_s[test] > SLOW_S, self.reaches[test], took_s[test])):
            file = test.partition("::")[0]
            place[test], met[file] = met[file], met[file] + 1
        ways = every_way(self.reached.ways_through(function.name, place), took_s)
        left_s, chosen = MOST_S, list[str]()
        for test in sorted(
            place,
            key=lambda test: (
                -before[test],
                ways.get(test, len(ways)),
                took_s[test] > SLOW_S,
                place[test],
                took_s[test],
            ),
        ):
            if not chosen or took_s[test] <= left_s:
                chosen.append(test)
                left_s -= took_s[test]
        return chosen

    def run(self, item: Any) -> bool:
        """Run a test, keeping what the session shares; return whether it passed. Nobody reads why it did not, so nothing puts that together:
        in a file that holds every fault it takes longer than the test."""
        if not item._request:
            item._initrequest()
        item.stash[tmppath_result_key] = {}
        hooks, excused = item.ihook, True
        for step in (hooks.pytest_runtest_setup, hooks.pytest_runtest_call):
            ended = CallInfo.from_call(partial(step, item=item), "call")
            if ended.excinfo is not None:
                excused = ended.excinfo.errisinstance(Skipped)
                break
        ended = CallInfo.from_call(partial(hooks.pytest_runtest_teardown, item=item, nextitem=self.session), "teardown")
        item._request = item.funcargs = None
        return excused and ended.excinfo is None

    def fails(self, test: str) -> int:
        """Return 1 where a test fails, else 0."""
        with change_cwd("mutants"):
            return int(not self.run(self.tests[test]))

    def run_within(self, test: str) -> bool:
        """Run a test; one that works much longer than it does without a fault ends this process. What waits for something is ended by mutmut,
        in the time of all of them."""
        signal.setitimer(
            signal.ITIMER_PROF,
            (state().duration_by_test[test] + config().timeout_constant) * config().timeout_multiplier,
        )
        return self.run(self.tests[test])

    def run_tests(self, *, mutant_name: str | None, tests: Iterable[str]) -> int:
        if self.session is None or mutant_name is None:
            if get_mutant_under_test():  # where all are to fail
                return int(super().run_tests(mutant_name=mutant_name, tests=tests))
            if LINES.exists():
                return ExitCode.OK
            # Without a fault: which test runs which statement.
            half = LINES.with_suffix(".half")
            with recorded(half, SOURCES) as plugins, change_cwd("mutants"):
                ended = self.execute_pytest(self._pytest_args_regular_run(tests), plugins=plugins)
            # A recording that was cut off says of what it did not come to that no test runs it.
            if ended == ExitCode.OK:
                half.replace(LINES)
            return ended
        function = NOTICED / mangled_name_from_mutant_name(mutant_name)
        # What was worked out before there was a fault holds none.
        for one in self.remembering:
            one.cache_clear()
        signal.signal(signal.SIGPROF, _hangs)
        with change_cwd("mutants"):
            try:
                failed = next((test for test in self.in_order(function, tests) if not self.run_within(test)), None)
            except BaseException:
                # Whatever it is, this process is not the one that goes on to the next fault; and no test has noticed anything.
                return ExitCode.OK
        if failed is None:
            return ExitCode.OK
        with function.open("a") as file:
            file.write(f"{failed}\n")
        return ExitCode.TESTS_FAILED


def every_way(ways: Mapping[str, int], took_s: Mapping[str, float]) -> dict[str, int]:
    """Return the places of a few tests that together go every way through a function that some test goes (a bit for each): in turn the one that
    adds most for its time, as a greedy cover does."""
    left, chosen = union_of(ways.values()), dict[str, int]()
    while left:
        best = max(ways, key=lambda test: (ways[test] & left).bit_count() / (took_s[test] + BEGINS_S))
        chosen[best] = len(chosen)
        left &= ~ways[best]
    return chosen


def _hangs(_number: int, _frame: FrameType | None) -> None:
    """End this process as mutmut does one in which no test comes to its end."""
    os.kill(os.getpid(), signal.SIGXCPU)


class Forking(isolation.ForkRunner):
    def __init__(self, max_workers: int, tests: Collected) -> None:
        super().__init__(max_workers, tests)
        self._tests = tests

    def startup(self) -> None:
        self._tests.collect()
        super().startup()

    def submit(self, mutant_name: str, tests: list[str], cpu_time_limit: int, estimated_time: float) -> None:
        tests = self._tests.reached.tests_of(mutant_name, tests)
        # Nobody waits for tests that are not run.
        takes_s = min(sum(state().duration_by_test[test] for test in tests), MOST_S)
        limit = ceil((takes_s + config().timeout_constant) * config().timeout_multiplier * 2)
        super().submit(mutant_name, tests, min(cpu_time_limit, limit), takes_s)

    def shutdown(self) -> None:
        """Run, where no fault is, the tests that noticed some: one that fails all the same has noticed something else."""
        super().shutdown()
        if self._tests.session is not None:
            noticed = {test for path in NOTICED.iterdir() for test in path.read_text().splitlines()}
            failed = [t for t in sorted(noticed & self._tests.tests.keys()) if run_in_fork(self._tests.fails, t)]
            if failed:
                print(FAILS_ANYWAY, *failed)


def runner(max_workers: int) -> Forking:
    tests = Collected()
    tests.prepare_main_test_run()
    return Forking(max_workers, tests)


def by_chance(fault: str) -> bytes:
    """Return the place of a fault in the order in which they are tried: a run that is cut off has tried some of everywhere, and not those
    whose tests are quick."""
    return hashlib.blake2s(fault.encode()).digest()


def silent(*_: object, **__: object) -> None:
    """Show nothing of how far it is: it would count over all faults anew for each."""


if __name__ == "__main__":
    fewer()
    vars(program).update(get_mutant_runner=runner, print_stats=silent, estimated_worst_case_time=by_chance)
    program.cli()
