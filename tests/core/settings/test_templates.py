"""What a template may say: values by name, and for what is so or not the two words of the file."""

from __future__ import annotations

import json

import pytest
import yaml

from mintseed import shipped, wiring
from mintseed.core.described import Around, read_or_tell
from mintseed.core.errors import SettingsFileError
from mintseed.core.recipes.model import FileToFill, Recipe
from mintseed.core.settings.dialects import json_file, key_value, yaml_file
from mintseed.core.settings.meaning import of_pairs
from tests.core.settings.test_values import values

HOME = values(hidden=True, band_ghz=5.0, locale="en_GB.UTF-8")


@pytest.mark.parametrize(
    ("template", "by_wifi", "by_cable"),
    [
        ("{wifi_hidden:yes|no}", "yes", ""),
        ("{wpa3_only:SAE|WPA-PSK}", "WPA-PSK", ""),
        ("{by_cable:on|off}", "off", "on"),
        ("eth0 {by_cable:up|}", "eth0 ", "eth0 up"),
        ("{wifi_band_ghz} GHz", "5 GHz", " GHz"),
        ("{locale}", "en_GB.UTF-8", "en_GB.UTF-8"),
    ],
)
def test_what_stands_there(template: str, by_wifi: str, by_cable: str) -> None:
    assert HOME.for_template(template) == by_wifi
    assert values(way="cable", locale="en_GB.UTF-8").for_template(template) == by_cable


def test_a_question_of_an_older_recipe_stays_a_question() -> None:
    assert (
        values(answers={"locale": "as I said", "by_cable": "mine"}).for_template("{locale} {by_cable}")
        == "as I said mine"
    )


def recipe_with(template: str, asks: str = "") -> str:
    text = shipped.PROJECT.joinpath("recipes/platen.yaml").read_text()
    assert "{host_name}" in text
    return text.replace("{host_name}", template, 1) + asks


@pytest.mark.parametrize(
    ("template", "taken"),
    [
        ("{by_cable:on|off}", True), ("{wifi_hidden:1|0}", True), ("{wpa3_only:|x}", True), ("{wifi_band_ghz}", True),
        ("{by_cable}", False), ("{by_cable:on}", False), ("{by_cable:a|b|c}", False), ("{host_name:a|b}", False), ("{host_name:>9}", False),
        ("{by_cable!r}", False), ("{wifi_name.x}", False),
    ],
)  # fmt: skip
def test_a_recipe_that_says_it_otherwise_is_refused_at_its_line(template: str, taken: bool) -> None:
    read, mistakes = read_or_tell(Recipe, recipe_with(template), Around(boards=wiring.boards(), parts=wiring.parts()))
    assert (read is not None) is taken, mistakes
    assert bool(mistakes) is not taken


def test_true_and_false_are_not_texts_where_a_file_knows_types() -> None:
    file = FileToFill(
        path="f",
        dialect="json",
        title="",
        values={"eth/on": "{by_cable:true|false}", "net/hidden": "{wifi_hidden:1|0}"},
    )
    assert json.loads(json_file.apply("{}", file, HOME)) == {"eth": {"on": False}, "net": {"hidden": 1}}
    as_yaml = file.model_copy(
        update={"dialect": "yaml", "values": {"eth": "{by_cable:true|false}", "word": "{by_cable:on|off}"}}
    )
    assert yaml.safe_load(yaml_file.apply("", as_yaml, HOME)) == {"eth": False, "word": "off"}


def test_a_file_of_ones_own_keys_says_what_it_does() -> None:
    file = FileToFill(
        path="f", dialect="key-value", title="",
        values={"SSID": "{wifi_name}", "WORD": "{wifi_passphrase}", "HIDDEN": "{wifi_hidden:1|0}", "CABLE": "{by_cable:on|off}"},
    )  # fmt: skip
    text = key_value.apply("CABLE=on\n", file, HOME)
    assert text == "CABLE=off\nSSID=Quay House 2G\nWORD=spring tide at noon\nHIDDEN=1\n"
    said = of_pairs(dict(line.split("=") for line in text.split()[:1]) | {"HIDDEN": "1"}, file).sentence()
    assert "sets HIDDEN to 1" in said.replace("Sets", "sets")
    assert "answer of yours" not in said


@pytest.mark.parametrize(("text", "said"), [
    ("", {"net": {"name": "press", "port": "80"}}), ("{}", {"net": {"name": "press", "port": "80"}}),
    ('{"net": {"port": 1}}', {"net": {"port": 80, "name": "press"}}), ('{"net": {"port": "1"}}', {"net": {"port": "80", "name": "press"}}),
    ('{"net": {"name": "x", "more": [1]}, "z": 1}', {"net": {"name": "press", "more": [1], "port": "80"}, "z": 1}),
])  # fmt: skip
def test_json_is_set_as_what_stands_there(text: str, said: object) -> None:
    """What is a number there stays one; a value that has nothing to say leaves the others theirs."""
    file = FileToFill(
        path="a.json",
        dialect="json",
        title="a",
        values={"net/key": "{nobody_answered}", "net/name": "{host_name}", "net/port": "{port}"},
    )
    assert json.loads(json_file.apply(text, file, values(host_name="press", answers={"port": "80"}))) == said


@pytest.mark.parametrize("place", ["²", "9" * 5000, "7", "x"])
def test_a_place_that_a_list_does_not_have_is_refused(place: str) -> None:
    """A recipe may name a place in a list by its number."""
    file = FileToFill(path="a", dialect="json", title="a", values={f"list/{place}": "{host_name}"})
    with pytest.raises(SettingsFileError):
        json_file.apply('{"list": ["one"]}', file, HOME)
    with pytest.raises(SettingsFileError):
        yaml_file.apply("list:\n  - one\n", file.model_copy(update={"dialect": "yaml"}), HOME)
