"""What a recipe may ask, and what its templates may use."""

from __future__ import annotations

import pytest

from mintseed import wiring
from mintseed.core.described import Around, read_described
from mintseed.core.errors import DescriptionError
from mintseed.core.findings import Severity, verdict
from mintseed.core.recipes.model import FileToFill, Recipe
from mintseed.core.settings.answers import answers_in_force, check_answers
from mintseed.core.settings.dialects import key_value
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


CHOICES = """
asks:
  - {id: mode, title: Mode, default: simple, choices: [{value: simple}, {value: linked, text: linked with others}]}
  - {id: number, title: Number, pattern: "[0-9]{7}", only_if: {mode: linked}}
  - {id: latitude, title: Latitude, at_least: -90, at_most: 90}
"""


def test_a_question_that_hangs_on_another_is_asked_only_then() -> None:
    asks = recipe(TEXT + CHOICES).asks
    assert answers_in_force(asks, {"number": "1234567", "latitude": "54.3"}) == {"mode": "simple", "latitude": "54.3"}
    assert check_answers(asks, {"latitude": "54.3"}) == ()
    assert [f.code for f in check_answers(asks, {"mode": "linked", "latitude": "1"})] == ["settings.answer-missing"]
    assert check_answers(asks, {"mode": "linked", "number": "1234567", "latitude": "1"}) == ()
    assert [f.code for f in check_answers(asks, {"mode": "other", "latitude": "1"})] == ["settings.answer-choice"]


@pytest.mark.parametrize(
    ("value", "good"),
    [
        ("90", True),
        ("-90.0", True),
        ("90.1", False),
        ("-91", False),
        ("north", False),
        ("1e1", False),
        ("", False),
        ("+54.32", True),
    ],
)
def test_a_number_keeps_to_its_range(value: str, good: bool) -> None:
    """A latitude has 90 degrees (ISO 6709)."""
    asks = recipe(TEXT + CHOICES).asks
    assert (check_answers(asks, {"latitude": value}) == ()) is good


USED = TEXT.replace('"{host_name}"', '"{host_name}{a}"', 1)
"""with a file that takes the answer"""


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("{id: a, title: A, choices: [{value: x}], default: y}", "none of its choices"), ("{id: a, title: A, at_least: 2, at_most: 1}", "is less than at_least"),
        ("{id: a, title: A, choices: [{value: x}], pattern: x}", "have no pattern"), ("{id: a, title: A, only_if: {zzz: x}}", "no question above it is called zzz"),
        ("{id: a, title: A, only_if: {a: x}}", "no question above it is called a"),
    ],
)  # fmt: skip
def test_a_question_nobody_could_answer_is_refused_with_its_text(line: str, says: str) -> None:
    with pytest.raises(DescriptionError, match=says):
        read_described(
            Recipe, f"{USED}\nasks:\n  - {line}\n", where="mine.yaml", around=Around(boards={}, parts=wiring.parts())
        )
