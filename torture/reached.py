"""Which tests run which statement: a fault is tried with those that run the statement it is in, and not with all that run its function."""

from __future__ import annotations

import ast
import json
import textwrap
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from functools import cached_property
from pathlib import Path
from typing import Any

import coverage
import pytest


class _Contexts:
    """A pytest plugin that tells coverage.py which test runs."""

    def __init__(self, measuring: coverage.Coverage) -> None:
        self._measuring = measuring

    @pytest.hookimpl(tryfirst=True)
    def pytest_runtest_logstart(self, nodeid: str) -> None:
        self._measuring.switch_context(nodeid)


@contextmanager
def recorded(data_file: Path, sources: Path) -> Iterator[list[object]]:
    """While it is open, which test runs which line below `sources` is written down in `data_file`; gives the plugins for pytest."""
    data_file.unlink(missing_ok=True)
    measuring = coverage.Coverage(str(data_file), include=[f"{sources}/*"], config_file=False, messages=False)
    measuring.start()
    try:
        yield [_Contexts(measuring)]
    finally:
        measuring.stop()
        measuring.save()


class _Module:
    """A module with every fault in it. `runs`: for each of its lines the tests that run it, a bit for each."""

    def __init__(self, path: Path, runs: dict[int, int]) -> None:
        self._lines = path.read_text().split("\n")
        self._spans: dict[str, list[int]] = json.loads(path.with_name(f"{path.name}.spans").read_text())["spans"]
        self._runs = runs
        self._statements: dict[str, list[tuple[int, int]]] = {}

    def tests_of(self, function: str, fault: str) -> int | None:
        """Return the tests that run the statement in which the two differ; None where it is none, such as in what stands before the first one."""
        statements = self._of(function)
        whole, changed = (self._text(name) for name in (function, fault))
        # Above its statements stands its name, which is another each time.
        above = min((start for start, _ in statements), default=len(whole))
        at = next((n for n in range(above, len(whole)) if changed[n : n + 1] != [whole[n]]), -1)
        around = [(start, end) for start, end in statements if start <= at <= end]
        if not around:
            return None
        first = self._spans[function][0]
        start, end = min(around, key=lambda one: one[1] - one[0])
        return union_of(self._runs.get(first + n, 0) for n in range(start, end + 1))

    def lines_of(self, function: str) -> list[int]:
        """Return for each line of a function the tests that run it."""
        start, end = self._spans[function]
        return [self._runs.get(line, 0) for line in range(start, end + 1)]

    def _text(self, name: str) -> list[str]:
        start, end = self._spans[name]
        return self._lines[start - 1 : end]

    def _of(self, function: str) -> list[tuple[int, int]]:
        """Return where the statements of a function are, of one with a body its head alone; lines count from 0, the first of the function."""
        if function not in self._statements:
            made = ast.parse(textwrap.dedent("\n".join(self._text(function))))
            self._statements[function] = [
                (one.lineno - 1, _head_ends(one) - 1)
                for one in ast.walk(made)
                if isinstance(one, ast.stmt) and one not in made.body
            ]
        return self._statements[function]


def _head_ends(one: ast.stmt) -> int:
    body: list[ast.stmt] = getattr(one, "body", []) or getattr(one, "cases", [])
    first = min((getattr(part, "lineno", None) or part.pattern.lineno for part in body), default=None)  # type: ignore[attr-defined]
    return max(one.lineno, first - 1) if first else one.end_lineno or one.lineno


def union_of(bits: Iterable[int]) -> int:
    found = 0
    for one in bits:
        found |= one
    return found


class Reached:
    """What was recorded in `data_file`, about the modules below `sources`."""

    def __init__(self, data_file: Path, sources: Path) -> None:
        self._data = coverage.CoverageData(str(data_file))
        self._data.read()
        self._sources = sources
        self._modules: dict[str, _Module] = {}

    @cached_property
    def _bits(self) -> dict[str, int]:
        return {name: number for number, name in enumerate(sorted(self._data.measured_contexts()))}

    def tests_of(self, fault: str, tests: Iterable[str]) -> list[str]:
        """Return those of `tests` that run the statement with `fault` in it, by its whole name; all where nothing is known of it."""
        module, _, name = fault.rpartition(".")
        function = f"{name.rpartition('__mutmut_')[0]}__mutmut_orig"
        run = self._module(module).tests_of(function, name)
        if run is None:
            return list(tests)
        return [test for test in tests if run >> self._bits.get(test, len(self._bits)) & 1]

    def ways_through(self, function: str, tests: Iterable[str]) -> dict[str, int]:
        """Return which lines of `function`, by its whole name, each of `tests` runs, a bit for each."""
        module, _, name = function.rpartition(".")
        lines = self._module(module).lines_of(f"{name}__mutmut_orig")
        bits = {test: self._bits.get(test, len(self._bits)) for test in tests}
        return {test: union_of(1 << n for n, runs in enumerate(lines) if runs >> bit & 1) for test, bit in bits.items()}

    def _module(self, name: str) -> _Module:
        if name not in self._modules:
            path = self._sources.joinpath(*name.split("."))
            path = path / "__init__.py" if path.is_dir() else path.with_suffix(".py")
            lines: dict[int, list[Any]] = self._data.contexts_by_lineno(str(path))
            runs = {line: union_of(1 << self._bits[one] for one in by if one) for line, by in lines.items()}
            self._modules[name] = _Module(path, runs)
        return self._modules[name]
