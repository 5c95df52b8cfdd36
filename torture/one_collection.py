"""mutmut, with the tests collected once for all faults. python -m torture.one_collection run --max-children 2

By itself it starts pytest anew for each fault, which takes ten times as long as the tests that reach one (measured). Here every fault's
process is forked from one in which they lie collected, and runs those that reach it, until one fails.
"""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import mutmut.__main__ as program
from _pytest.config import ExitCode, _prepareconfig
from _pytest.main import Failed, Session
from mutmut.runners.harness import PytestRunner
from mutmut.utils.file_utils import change_cwd
from mutmut.workers import isolation


class Collected(PytestRunner):
    """`session`: None until the faults begin; before, the tests are run as ever."""

    session: Session | None = None
    tests: dict[str, Any]

    def collect(self) -> None:
        # Without capturing: it would begin here, in the process that says how the run goes. Why a test failed is told in the shortest way.
        selected = (*self._pytest_add_cli_args_test_selection, *self._pytest_add_cli_args)
        with change_cwd("mutants"):
            config = _prepareconfig(["--rootdir=.", "--tb=native", "-x", "-q", "-s", *selected])
            self.session = Session.from_config(config)
            config._do_configure()
            config.hook.pytest_sessionstart(session=self.session)
            config.hook.pytest_collection(session=self.session)
        self.tests = {item.nodeid: item for item in self.session.items}

    def run_tests(self, *, mutant_name: str | None, tests: Iterable[str]) -> int:
        if self.session is None or mutant_name is None:
            return int(super().run_tests(mutant_name=mutant_name, tests=tests))
        session = self.session
        # What it says of each test is for nobody.
        session.config.get_terminal_writer()._file = Path(os.devnull).open("w")
        with change_cwd("mutants"):
            try:
                session.items = [self.tests[test] for test in tests]
                session.config.hook.pytest_runtestloop(session=session)
            except Failed:
                return ExitCode.TESTS_FAILED
            except BaseException:
                # Whatever it is, this process is not the one that goes on to the next fault; and no test has noticed anything.
                return ExitCode.OK
        return ExitCode.TESTS_FAILED if session.testsfailed else ExitCode.OK


class Forking(isolation.ForkRunner):
    def __init__(self, max_workers: int, tests: Collected) -> None:
        super().__init__(max_workers, tests)
        self._tests = tests

    def startup(self) -> None:
        self._tests.collect()
        super().startup()


def runner(max_workers: int) -> Forking:
    tests = Collected()
    tests.prepare_main_test_run()
    return Forking(max_workers, tests)


def silent(*_: object, **__: object) -> None:
    """Show nothing of how far it is: it would count over all faults anew for each."""


if __name__ == "__main__":
    vars(program).update(get_mutant_runner=runner, print_stats=silent)
    program.cli()
