"""What a recipe may ask, and what its templates may use."""

from __future__ import annotations

import pytest

from mintseed import wiring
from mintseed.core.described import read_described
from mintseed.core.errors import DescriptionError
from mintseed.core.findings import Severity, verdict
from mintseed.core.recipes.model import FileToFill, Recipe
from mintseed.core.settings.dialects import key_value
from mintseed.core.settings.values import check_answers
from tests.core.settings.test_values import values

TEXT = (wiring.PROJECT / "recipes" / "platen.yaml").read_text()
ASKS = """
asks:
  - {id: call_sign, title: Call sign, hint: as on your licence, pattern: "[A-Z0-9]{3,8}"}
  - {id: station, title: Station, default: harbour}
  - {id: pin, title: Pin, secret: true}
"""


def recipe(text: str) -> Recipe:
    return read_described(Recipe, text, where="mine.yaml")


def test_answers_are_judged_by_the_recipes_own_pattern() -> None:
    asks = recipe(TEXT + ASKS).asks
    assert [f.code for f in check_answers(asks, {})] == ["settings.answer-missing", "settings.answer-missing"]
    assert check_answers(asks, {"call_sign": "ZZ0AB", "pin": "1234"}) == ()
    wrong = check_answers(asks, {"call_sign": "zz 0", "pin": "7777\n5"})
    assert [f.code for f in wrong] == ["settings.answer-shape", "settings.answer-letters"]
    assert verdict(wrong) is Severity.STOP
    assert "7777" not in "".join(f.title + f.detail for f in wrong)


def test_answers_reach_the_file() -> None:
    file = FileToFill(
        path="d.conf", dialect="key-value", title="d", values={"CALL": "{call_sign}", "NAME": "{host_name}-{station}"}
    )
    after = key_value.apply(
        "CALL=\nNAME=x\n", file, values(host_name="hub", answers={"call_sign": "ZZ0AB", "station": "harbour"})
    )
    assert after == "CALL=ZZ0AB\nNAME=hub-harbour\n"


@pytest.mark.parametrize(
    "template",
    [
        "{unknown}",
        "{host_name.__class__}",
        "{host_name!r}",
        "{host_name:>99999999}",
        "{0}",
        "{}",
        "{host_name[0]}",
        "{open",
    ],
)
def test_a_template_takes_plain_known_names_and_nothing_else(template: str) -> None:
    with pytest.raises(DescriptionError):
        recipe(TEXT.replace('"{host_name}"', f'"{template}"'))


@pytest.mark.parametrize(
    "asks", ["asks: [{id: host_name, title: x}]", "asks: [{id: A-b, title: x}]", 'asks: [{id: a, title: x, pattern: "("}]', r'asks: [{id: a, title: x, pattern: "(a)\\1"}]',
             f'asks: [{{id: a, title: x, pattern: "{"a" * 200}"}}]'],
)  # fmt: skip
def test_a_question_that_makes_no_sense_is_refused(asks: str) -> None:
    with pytest.raises(DescriptionError):
        recipe(TEXT + asks)


def test_a_pattern_made_to_be_slow_is_not() -> None:
    # Takes a backtracking matcher 2^127 steps; RE2 runs in time linear in the text.
    ask = recipe(TEXT + 'asks: [{id: a, title: Word, pattern: "(a+)+$"}]').asks
    assert [f.code for f in check_answers(ask, {"a": "a" * 127 + "!"})] == ["settings.answer-shape"]
