"""Which faults are put into a rule: of a text one, of an argument one."""

from __future__ import annotations

import pytest
from mutmut.mutation import file_mutation
from mutmut.mutation.mutators import mutation_operators
from torture.kinds import fewer


@pytest.fixture(autouse=True)
def _few(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(file_mutation, "mutation_operators", mutation_operators)
    fewer()


@pytest.mark.parametrize(("line", "faults"), [
    ('say("Too small")', ['say("XXToo smallXX")', "say(None)"]),
    ("say(size, most=limit)", ["say(None, most=limit)", "say(size, )"]),
    ("say(None, most=limit)", ["say(None, )"]),
    ("say(*words, **more)", ["say(**more)", "say(*words, )"]),
    ("size < 3", ["size <= 3", "size < 4"]),
])  # fmt: skip
def test_a_text_and_an_argument_are_spoiled_once(line: str, faults: list[str]) -> None:
    whole = f"def judged(size, limit, words, more):\n    return {line}\n"
    made = file_mutation.mutate_file_contents("rule.py", whole).code
    found = [one.strip().removeprefix("return ") for one in made.splitlines() if one.strip().startswith("return ")]
    assert sorted(one for one in found if one in faults) == sorted(faults)
    assert len([one for one in found if one != line and not one.startswith("_mutmut")]) == len(faults)
