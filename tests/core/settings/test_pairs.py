"""What a text with levels says, place by place: as the readers of the same text say it (tomllib, json, yaml of Python)."""

from __future__ import annotations

import json
import tomllib
from collections.abc import Iterator
from typing import Any

import yaml

from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects import toml_file
from mintseed.core.settings.pairs import pairs_of
from mintseed.core.settings.typed import flat

TOML = """
host = "reed"
on = true
watts = 2.5
many = 7
list = [1, 2]
made = 2026-12-01
[net]
name = "fen"
[net.radio]
band = "5"
after = 1
"""


def leaves(said: Any, before: str = "") -> Iterator[tuple[str, object]]:
    for key, value in said.items():
        if isinstance(value, dict):
            yield from leaves(value, f"{before}{key}/")
        elif not isinstance(value, list):
            yield f"{before}{key}", value


def test_everything_that_is_one_value_has_its_place() -> None:
    said = tomllib.loads(TOML)
    assert dict(flat(said)) == {
        "host": "reed", "on": "true", "watts": "2.5", "many": "7", "made": '"2026-12-01"', "net/name": "fen", "net/radio/band": "5",
        "net/radio/after": "1",
    }  # fmt: skip
    assert [place for place, _ in flat(said)] == [place for place, _ in leaves(said)]


def test_a_number_of_thousands_of_digits_is_told_too() -> None:
    """Python makes no decimal digits of such a one (int max str digits)."""
    numbers = [2**63, 2**64 - 1, 2**64, 10**5000, -1, None, False]
    told = [str(2**63), str(2**64 - 1), hex(2**64), hex(10**5000), "-1", "null", "false"]
    assert [dict(flat({"n": number}))["n"] for number in numbers] == told


def test_the_same_in_yaml_json_and_sections() -> None:
    text = "host: reed\n? [a, b]\n: odd\nnet:\n  radio: {band: '5', list: [1]}\n  after: z\nlast: 1\n"
    places = {"host": "reed", "net/radio/band": "5", "net/after": "z", "last": "1"}
    assert pairs_of("yaml", text) == places
    as_json = json.dumps(yaml.load(text.replace("? [a, b]\n: odd\n", ""), yaml.BaseLoader))
    assert pairs_of("json", as_json) == places
    assert pairs_of("yaml", "- a\n- b\n") == {}
    assert pairs_of("yaml", "a: [") == {}
    assert pairs_of("json", "{") == {}
    assert pairs_of("ini", "first=1\n[net]\nName=fen\n") == {"first": "1", "net/Name": "fen"}


def test_what_a_recipe_puts_there_is_what_it_means() -> None:
    file = FileToFill.model_validate(
        {"path": "d.toml", "dialect": "toml", "title": "d", "values": {"net/name": "{host_name}"}}
    )
    assert toml_file.means(TOML, "d.toml", file).does == ("is called fen",)
    assert toml_file.means("[", "d.toml", file).does == ()
