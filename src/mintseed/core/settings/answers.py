"""Answers to a recipe's own questions: which are asked, and what is wrong with what was given."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.limits import MAX_ANSWER_CHARACTERS
from mintseed.core.patterns import matches_whole
from mintseed.core.recipes.model import Ask
from mintseed.core.words import sentence


def answers_in_force(asks: Sequence[Ask], answers: Mapping[str, str]) -> dict[str, str]:
    """Return the answers that count, by id: what was given, else what the recipe suggests; of a question that is not asked, none."""
    found: dict[str, str] = {}
    for ask in asks:
        if ask.asked(found):
            found[ask.id] = answers.get(ask.id, "") or ask.default
    return found


def check_answers(asks: Sequence[Ask], answers: Mapping[str, str]) -> tuple[Finding, ...]:
    """Return what is wrong with the answers to a recipe's own questions, those that are asked."""
    given = answers_in_force(asks, answers)
    return tuple(f for ask in asks if ask.id in given for f in _answer(ask, given[ask.id]))


def _answer(ask: Ask, value: str) -> Iterator[Finding]:
    where = Where(field=f"answers.{ask.id}")
    shown = "The answer" if ask.secret else f"\u201c{value}\u201d"
    if not value and ask.optional:
        return
    if not value:
        yield Finding("settings.answer-missing", Severity.STOP, f"{ask.title} is not answered", _wanted(ask),
                      f"Fill in {ask.title}.", where)  # fmt: skip
    elif len(value) > MAX_ANSWER_CHARACTERS or any(ord(c) < 32 for c in value):
        yield Finding("settings.answer-letters", Severity.STOP, f"{ask.title} is too long or holds a line end",
                      f"One line of at most {MAX_ANSWER_CHARACTERS} characters.", "Write it shorter.", where)  # fmt: skip
    elif ask.choices and value not in {c.value for c in ask.choices}:
        yield Finding("settings.answer-choice", Severity.STOP, f"{shown} is none of the answers to {ask.title}", f"There are {_listed(ask)}.",
                      "Choose one of them.", where)  # fmt: skip
    elif ask.is_number and (wrong := _out_of_range(ask, value)):
        yield Finding("settings.answer-range", Severity.STOP, f"{shown} {wrong}", _wanted(ask), f"Write {ask.title} as it is asked for.", where)  # fmt: skip
    elif ask.pattern and not matches_whole(ask.pattern, value):
        yield Finding("settings.answer-shape", Severity.STOP, f"{shown} does not look like {ask.title}", _wanted(ask),
                      f"Write {ask.title} as it is asked for.", where)  # fmt: skip


def _wanted(ask: Ask) -> str:
    return sentence(f"wanted: {ask.hint}") if ask.hint else ""


def _listed(ask: Ask) -> str:
    return ", ".join(c.text or c.value for c in ask.choices)


def _out_of_range(ask: Ask, value: str) -> str:
    """Return what is wrong with a number; empty for one in its range."""
    if not re.fullmatch(r"[+-]?[0-9]{1,15}(\.[0-9]{1,15})?", value):
        return "is no number"
    if ask.at_least is not None and float(value) < ask.at_least:
        return f"is less than {ask.at_least:g}"
    if ask.at_most is not None and float(value) > ask.at_most:
        return f"is more than {ask.at_most:g}"
    return ""
