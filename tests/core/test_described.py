"""Descriptions from elsewhere: everything wrong is told with its field and line, and nothing hostile is taken."""

from __future__ import annotations

import json
import pathlib
import re
from datetime import date

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from mintseed import wiring
from mintseed.core.boards.model import Board
from mintseed.core.described import Around, Described, read_described, read_or_tell
from mintseed.core.errors import DescriptionError
from mintseed.core.limits import MAX_DESCRIPTION_BYTES
from mintseed.core.parts.model import Part
from mintseed.core.price import Price
from mintseed.core.recipes.model import Recipe

PLATEN = (wiring.PROJECT / "recipes" / "platen.yaml").read_text()
MODELS = {"recipes": Recipe, "boards": Board, "parts": Part}


@pytest.mark.parametrize(
    "path", sorted(p for f in MODELS for p in (wiring.PROJECT / f).glob("*.yaml")), ids=lambda p: p.stem
)
def test_what_ships_can_be_read(path: object) -> None:
    model = MODELS[path.parent.name]  # type: ignore[attr-defined]
    read, problems = read_or_tell(model, path.read_text())  # type: ignore[attr-defined]
    assert problems == ()
    assert read is not None
    assert read.id == path.stem  # type: ignore[attr-defined]


@pytest.mark.parametrize(
    ("old", "new", "path", "says"),
    [
        ("least_gb: 4", "least_gb: four", "card.least_gb", "four is not a whole number"),
        ("kind: print server", "kinds: print server", "kind", "is missing"),
        ("  port: 5310", "  port: 531000", "page.port", ""),
        ("bits: 64, boards", "bits: 65, boards", "releases.0.builds.0.bits", "65 is none of 32, 64"),
        ("ways: [wifi, cable]", "ways: [pigeon]", "ways.0", "wifi"),
        ("least_gb: 4", "leest_gb: 4", "card.leest_gb", "is no field here; is least_gb meant?"),
        ("kind: print server", "zzz: print server", "zzz", "is no field here; there are recipe, id, name, "),
        ('version: "3.2"', 'verison: "3.2"', "releases.0.verison", "is no field here; is version meant?"),
        ("bits: 64, boards", "bitts: 64, boards", "releases.0.builds.0.bitts", "is no field here; is bits meant?"),
    ],
)  # fmt: skip
def test_a_mistake_is_told_at_its_line(old: str, new: str, path: str, says: str) -> None:
    old = old if old in PLATEN else old.strip()
    new = new if old in PLATEN else new.strip()
    text = (
        PLATEN.replace("page: {scheme: http, port: 5310,", "page: {scheme: http, port: 531000,")
        if "531000" in new
        else PLATEN.replace(old, new, 1)
    )
    _, problems = read_or_tell(Recipe, text)
    mine = next(p for p in problems if p.path == path)
    assert says in mine.message
    changed = next(n for n, (a, b) in enumerate(zip(PLATEN.splitlines(), text.splitlines(), strict=True), 1) if a != b)
    # Of a field that is missing, the line is that of what it is missing from.
    assert mine.line == (1 if "missing" in says else changed)


def test_every_mistake_is_told_at_once() -> None:
    text = PLATEN.replace("least_gb: 4", "least_gb: four").replace("ways: [wifi, cable]", "ways: [pigeon]")
    _, problems = read_or_tell(Recipe, text)
    assert [p.path for p in problems][:2] == ["card.least_gb", "ways.0"]
    assert problems[0].line < problems[1].line


def test_a_rule_over_several_fields_is_told_at_the_field_it_names() -> None:
    text = PLATEN.replace('HOST_NAME: "{host_name}"', 'HOST_NAME: "{ghost_name}"')
    _, problems = read_or_tell(Recipe, text)
    assert "nothing is called {ghost_name}" in problems[0].message
    assert "{host_name}" in PLATEN.splitlines()[problems[0].line - 1]
    assert problems[0].path == "files.1.values.HOST_NAME"


def test_releases_stand_in_their_order() -> None:
    """The order says which release is older than another, whatever their versions are called."""
    _, problems = read_or_tell(Recipe, PLATEN.replace("date: 2025-01-20", "date: 2027-01-20"))
    assert [(p.path, PLATEN.splitlines()[p.line - 1].strip()) for p in problems] == [
        ("releases.1.date", "date: 2025-01-20")
    ]
    assert "newer than the one above it" in problems[0].message


BOMB = "a: &a [x,x,x,x,x,x,x,x,x]\n" + "".join(
    f"{chr(98 + n)}: &{chr(98 + n)} [*{chr(97 + n)},*{chr(97 + n)}]\n" for n in range(8)
)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (BOMB, "anchors and aliases"),
        ("recipe: !!python/object/apply:os.system ['id']\n", "tags (!)"),
        ("a: !!binary aGk=\n", "tags (!)"),
        ("recipe: 1\nrecipe: 2\n", "second time"),
        ("x: " + "[" * 40 + "]" * 40, "nested deeper"),
        ("x: [" + "1," * 30_000 + "]", "more than"),
        ("x: '" + "a" * MAX_DESCRIPTION_BYTES + "'", "longer than"),
        ("- a\n- b\n", "holds no fields"),
        ("", "holds no fields"),
        ("just words", "holds no fields"),
        ("a: [1\nb: 2\n", "not readable as YAML"),
        ("a:\tb\n\t c: d\n", "not readable as YAML"),
        ("a: 2026-99-99\n", "not readable as YAML"),
        ("? [a, b]\n: c\n", ""),
        ('recipe: 1\nname: "Plat\\u202een"\n', "invisible character"),
        ('recipe: 1\nname: "Plat\\x1b[2Jen"\n', "invisible character"),
    ],
    ids=lambda v: v[:24] if isinstance(v, str) else None,
)
def test_hostile_and_broken_texts_are_refused(text: str, says: str) -> None:
    read, problems = read_or_tell(Recipe, text)
    assert read is None
    assert says in problems[0].message
    assert problems[0].line >= 1
    with pytest.raises(DescriptionError) as refused:
        read_described(Recipe, text, where="theirs.yaml")
    assert "theirs.yaml" in refused.value.sentence()


@given(st.text(max_size=400))
def test_any_text_is_told(text: str) -> None:
    for model in MODELS.values():
        read, problems = read_or_tell(model, text)
        assert (read is None) == bool(problems)


@given(
    st.recursive(
        st.none() | st.booleans() | st.floats() | st.text(max_size=8),
        lambda c: (
            st.lists(c, max_size=3) | st.dictionaries(st.sampled_from(sorted(Recipe.model_fields)), c, max_size=4)
        ),
        max_leaves=12,
    )
)
def test_any_value_under_a_recipes_names_is_told(value: object) -> None:
    text = yaml.safe_dump({"recipe": 1, "id": "x", "files": value, "releases": value, "page": value})
    read, problems = read_or_tell(Recipe, text)
    assert read is None
    assert problems


AROUND = Around(wiring.boards(), wiring.parts(), date(2026, 11, 28))


def told(model: type[Described], text: str) -> list[tuple[str, str, bool]]:
    """Return (path, what stands in that line, whether it bars) of everything said of `text`."""
    _, problems = read_or_tell(model, text, AROUND)
    return [(p.path, text.splitlines()[p.line - 1].strip(), p.bars) for p in problems]


@pytest.mark.parametrize(
    "path", sorted(p for f in MODELS for p in (wiring.PROJECT / f).glob("*.yaml")), ids=lambda p: p.stem
)
def test_nothing_that_ships_is_faulty_or_odd(path: object) -> None:
    model = MODELS[path.parent.name]  # type: ignore[attr-defined]
    assert told(model, path.read_text()) == []  # type: ignore[attr-defined]


def text_of(kind: str, name: str) -> str:
    return (wiring.PROJECT / kind / f"{name}.yaml").read_text()


@pytest.mark.parametrize(
    ("kind", "name", "old", "new", "path"),
    [
        ("recipes", "platen", "late_after_s: 300", "late_after_s: 30", "boot.late_after_s"),
        ("recipes", "platen", "usual_to_s: 120", "usual_to_s: 20", "boot.usual_to_s"),
        ("recipes", "platen", "advised_gb: 8", "advised_gb: 2", "card.advised_gb"),
        ("recipes", "lintel", "unpacked_mb: ", "unpacked_mb: 99", "releases.0.builds.0.unpacked_mb"),
        ("recipes", "platen", "options: [printer-cable]", "options: [printer-cabel]", "needs.0.options.0"),
        ("recipes", "platen", "options: [printer-cable]", "options: [finch]", "needs.0.options.0"),
        ("recipes", "reedwave", 'default: "433500000"', 'default: "433.5"', "asks.1.default"),
        ("recipes", "reedwave", 'FREQUENCY_HZ: "{frequency_hz}"', 'FREQUENCY_HZ: "433500000"', "asks.1.id"),
        ("recipes", "platen", "ways: [wifi, cable]", "ways: [wifi, wifi]", "ways.1"),
        ("recipes", "platen", "ways_in: [fill-before, fill-after]", "ways_in: [fill-after, fill-after]", "ways_in.1"),
        ("recipes", "platen", "host_name: platen", "host_name: platen desk", "host_name"),
        ("recipes", "farsight", "{unit: aircraft, at_least: 1}", "{unit: aircraft}", "setup.2.reading.unit"),
        ("recipes", "platen", "path: device.conf", "path: Platen-Network.conf", "files.1.path"),
        ("recipes", "platen", "  - id: password", "  - id: page", "setup.1.id"),
        ("recipes", "platen", "file: platen-3.0-32.img.gz", "file: platen-3.2-32.img.xz", "releases.1.builds.1.file"),
        ("boards", "tansy", "idle_current_a: 0.6", "idle_current_a: 3.6", "supply.idle_current_a"),
        ("boards", "tansy", "radio_ghz: [2.4, 5]", "radio_ghz: [900]", "radio_ghz.0"),
        ("boards", "larkspur-r", "twin: larkspur-c", "twin: larkspur-r", "twin"),
        ("boards", "tansy", "currency: EUR", "currency: EUX", "price.currency"),
        ("boards", "tansy", "display: [micro, micro]", "display: micro", "drawing.places.4.what"),
        ("boards", "tansy", "camera_contacts: 15", "camera_contacts: [15, 15]", "drawing.places"),
        ("boards", "tansy", "ethernet: true", "ethernet: false", "drawing.places.8.what"),
        ("boards", "tansy", "printed_mark: TANSY", "printed_mark: tansy ii", "printed_mark"),
        ("boards", "tansy", 'compatible: ["fernworks,tansy"]', 'compatible: ["fernworks,sprig"]', "compatible.0"),
        ("parts", "chorus", 'i2c: ["0x4d"]', 'i2c: ["0x90"]', "header.i2c.0"),
        ("parts", "chorus", 'i2c: ["0x4d"]', 'i2c: ["left"]', "header.i2c.0"),
        ("parts", "finch", "radio_ghz: [2.4, 5]\n", "", "role"),
        ("parts", "quad-hub", "gives_usb: 4\n", "", "role"),
        ("parts", "larkspur-case", "fits: [larkspur-c", "fits: [larkspur-x", "fits.0"),
        ("parts", "chorus", "takes: {12:", "takes: {2:", "header.takes.2"),
        ("parts", "chorus", "idle_current_a: 0.05", "idle_current_a: 0.5", "idle_current_a"),
    ],
)  # fmt: skip
def test_what_cannot_be_meant_is_refused_at_its_own_line(kind: str, name: str, old: str, new: str, path: str) -> None:
    before = text_of(kind, name)
    assert old in before
    text = before.replace(old, new, 1)
    said = told(MODELS[kind], text)
    assert [p for p, _, _ in said] == [path]
    assert said[0][2], "it bars keeping the text"
    _, problems = read_or_tell(MODELS[kind], text, AROUND)
    assert not re.search(r"Input should|Value error|pydantic|http", problems[0].message)
    last = path.rsplit(".", 1)[-1]
    if not last.isdigit():
        assert last in said[0][1], "the line is the field's own"


def test_a_32_bit_board_is_named_by_no_64_bit_build() -> None:
    text = text_of("recipes", "gramary").replace('"fernworks,larkspur-c", ', '"fernworks,sprig", ', 1)
    assert [p for p, _, _ in told(Recipe, text)] == ["releases.0.builds.0.boards.0"]


@pytest.mark.parametrize(
    ("name", "old", "new", "path"),
    [
        ("sprig", "voltage_v: 5.0", "voltage_v: 12", "supply.voltage_v"),
        ("sprig", 'since: "2021-03"', 'since: "2031-03"', "since"),
    ],
)
def test_what_is_only_odd_bars_nothing(name: str, old: str, new: str, path: str) -> None:
    text = text_of("boards", name).replace(old, new, 1)
    read, problems = read_or_tell(Board, text, AROUND)
    assert read is not None
    assert [(p.path, p.bars) for p in problems] == [(path, False)]
    assert read_described(Board, text, where="mine", around=AROUND).id == name


def test_a_text_that_was_kept_is_read_as_it_was_taken() -> None:
    """A stricter version of the program takes nothing away from whom it served."""
    text = PLATEN.replace("late_after_s: 300", "late_after_s: 30")
    read, problems = read_or_tell(Recipe, text)
    assert read is not None
    assert problems == ()


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ("host_name: platen", "hostname: platen", "is no field here; is host_name meant?"),
        ("least_gb: 4", "least_gb: -4", "-4 is refused; expected is more than 0"),
        ("least_gb: 4", "least_gb: 99999", "99999 is refused; expected is 2048 or less"),
        ("ways: [wifi, cable]", "ways: []", "is refused; expected is at least 1"),
        ("ways: [wifi, cable]", "ways: wifi", "wifi is not a list, such as [one, two]"),
        ("boot:\n", "boot: soon\nboots:\n", "soon is not fields, such as {name: value}"),
        (
            "host_name: platen",
            "host_name: NO",
            'YAML reads this as true or false, and a text is meant: put it in quotes, such as "NO"',
        ),
        (
            "name: Platen",
            "name: 1234",
            'YAML reads this as a number, and a text is meant: put it in quotes, such as "NO"',
        ),
        ("date: 2026-05-12", "date: May", "May is not a day, such as 2026-05-28"),
    ],
)
def test_every_refusal_is_in_our_words(old: str, new: str, says: str) -> None:
    assert old in PLATEN
    _, problems = read_or_tell(Recipe, PLATEN.replace(old, new, 1))
    assert says in {p.message for p in problems}


def test_currencies_are_those_of_the_standard() -> None:
    """The judge is Debian's iso-codes, ISO 4217 as a table, where it is installed; else a few everybody knows."""
    table = pathlib.Path("/usr/share/iso-codes/json/iso_4217.json")
    known = [c["alpha_3"] for c in json.loads(table.read_text())["4217"]] if table.exists() else ["EUR", "GBP", "JPY"]
    strange = [code for code in known if list(Price(amount=1, currency=code).faults(AROUND))]
    assert len(strange) <= 12, f"the two editions differ by a few codes that went out of use: {strange}"
    for code in ("EUX", "ZZZ"):
        assert list(Price(amount=1, currency=code).faults(AROUND)), code
