"""A fault is tried with the tests that run the statement it is in."""

from __future__ import annotations

import importlib.util
import json
from pathlib import Path

import pytest
from torture.one_collection import every_way
from torture.reached import Reached, recorded

FUNCTION = '''

def x_size__mutmut_{name}(gb, most={most}):
    """Say it."""
    if (
        gb > {limit}
    ):
        return (
            "large",
            {large},
        )
    words = ["small"]
    return {small}
'''
WHOLE = {"name": "orig", "most": "8", "limit": "8", "large": "1", "small": "words[0]"}
FAULTS = {"1": {"limit": "9"}, "2": {"large": "2"}, "3": {"small": "None"}, "4": {"most": "9"}}


@pytest.fixture
def reached(tmp_path: Path) -> Reached:
    """What was recorded while one test asked for something large, one for something small, and one for nothing."""
    sources = tmp_path / "src"
    path = sources / "cards.py"
    text, spans = "SIZE = 1", {}
    for change in (WHOLE, *(WHOLE | {"name": name} | fault for name, fault in FAULTS.items())):
        made = FUNCTION.format(**change)
        first = text.count("\n") + 2
        text += made
        spans[f"x_size__mutmut_{change['name']}"] = [first, text.count("\n")]
    sources.mkdir()
    path.write_text(text)
    path.with_name("cards.py.spans").write_text(json.dumps({"version": 1, "spans": spans}))
    spec = importlib.util.spec_from_file_location("cards", path)
    assert spec is not None
    assert spec.loader is not None
    cards = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(cards)
    with recorded(tmp_path / "lines", sources) as [contexts]:
        for test, gb in (("large", 16), ("small", 2), ("none", None)):
            contexts.pytest_runtest_logstart(test)  # type: ignore[attr-defined]
            if gb:
                cards.x_size__mutmut_orig(gb)
    return Reached(tmp_path / "lines", sources)


@pytest.mark.parametrize(("fault", "tests"), [
    ("1", ["large", "small"]),
    ("2", ["large"]),
    ("3", ["small"]),
    ("4", ["large", "small", "none"]),
], ids=["head of an if", "within it", "behind it", "no statement of it"])  # fmt: skip
def test_those_that_run_its_statement(reached: Reached, fault: str, tests: list[str]) -> None:
    assert reached.tests_of(f"cards.x_size__mutmut_{fault}", ["large", "small", "none"]) == tests


def test_which_ways_a_test_goes_through_a_function(reached: Reached) -> None:
    ways = reached.ways_through("cards.x_size", ["large", "small", "none"])
    assert ways["none"] == 0
    assert ways["large"] & ways["small"]  # where both ask
    assert ways["large"] & ~ways["small"]
    assert ways["small"] & ~ways["large"]


def test_a_few_tests_that_together_go_every_way_come_first() -> None:
    ways = {"both": 0b0110, "long": 0b0111, "other": 0b1000, "same": 0b0010, "none": 0}
    assert every_way(ways, dict.fromkeys(ways, 1.0)) == {"long": 0, "other": 1}
    assert every_way(ways, {**dict.fromkeys(ways, 1.0), "long": 9.0}) == {"both": 0, "other": 1, "long": 2}
    assert every_way({"none": 0}, {"none": 1.0}) == {}
