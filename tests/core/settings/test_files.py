"""Files as editors leave them, the marked view, and the fingerprint of what goes on a card."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed import wiring
from mintseed.core.errors import MintSeedError, SettingsFileError
from mintseed.core.findings import Severity, verdict
from mintseed.core.plan.plan import PlannedPart
from mintseed.core.recipes.model import Recipe
from mintseed.core.settings.dialects.registry import DIALECTS
from mintseed.core.settings.diff import hide, mark_lines
from mintseed.core.settings.editor_damage import check_name, read_text
from mintseed.core.settings.fill import check_file, fill_files, fingerprint, overlays_by_hand
from mintseed.standins.forge.sources import PLATEN_DEVICE, PLATEN_NETWORK
from tests.builders import readers
from tests.builders.xrays import holding
from tests.core.settings.test_values import values

ORIGINALS = {"platen-network.conf": PLATEN_NETWORK.encode(), "device.conf": PLATEN_DEVICE.encode()}


@pytest.mark.parametrize(
    ("data", "code", "severity"),
    [
        (b"A=1\r\nB=2\r\n", "file.crlf", Severity.NOTE),
        (b"A=1\rB=2\r", "file.cr-only", Severity.STOP),
        (b"\xef\xbb\xbfA=1\n", "file.byte-order-mark", Severity.STOP),
        ("A=1\n".encode("utf-16"), "file.utf-16", Severity.STOP),
        (b"A=caf\xe9\n", "file.not-utf-8", Severity.STOP),
        ("A=“x”\n".encode(), "file.curly-quotes", Severity.STOP),
        ("A=x\u00a0y\n".encode(), "file.no-break-space", Severity.STOP),
        (b"A=1", "file.no-last-newline", Severity.NOTE),
    ],
)
def test_what_an_editor_did_is_named(data: bytes, code: str, severity: Severity) -> None:
    _, found = read_text(data, name="device.conf")
    assert {f.code: f.severity for f in found}[code] is severity


def test_rich_text_is_no_settings_file() -> None:
    with pytest.raises(SettingsFileError, match="rich text"):
        read_text(b"{\\rtf1 A=1}", name="device.conf")


@pytest.mark.parametrize("name", ["device.conf.txt", "device (1).conf", "Device.CONF", "devices.conf"])
def test_a_wrong_name_is_a_stop(name: str) -> None:
    assert verdict(check_name(name, "device.conf")) is Severity.STOP


def test_the_right_name_is_nothing() -> None:
    assert list(check_name("device.conf", "device.conf")) == []


@given(st.binary(max_size=400), st.sampled_from(sorted(DIALECTS)))
def test_any_bytes_get_an_answer(data: bytes, dialect: str) -> None:
    try:
        found = check_file(data, "any.conf", dialect)
    except MintSeedError:
        return
    assert all(f.title and f.code for f in found)


def test_a_filled_file_shows_its_changes_and_hides_its_key() -> None:
    filled = fill_files(wiring.recipes()["platen"], values(), holding(ORIGINALS))
    network = filled[0]
    assert network.changed_lines == 6
    shown = hide(network.lines, (values().key, "spring tide at noon"))
    text = "\n".join(line.text for line in shown)
    assert values().key not in text
    assert f"{values().key[:4]}…{values().key[-4:]}" in text
    # Read without the struck lines, it is the file.
    assert "\n".join(line.text for line in network.lines if line.mark != "removed") + "\n" == network.content.decode()


def test_short_secrets_are_hidden_whole() -> None:
    shown = hide(mark_lines("", "psk=spring tide"), ("spring tide",))
    assert shown[0].text == "psk=…"


def test_a_missing_file_is_a_stop_that_names_it() -> None:
    filled = fill_files(wiring.recipes()["platen"], values(), holding({"device.conf": PLATEN_DEVICE.encode()}))
    assert verdict(filled[0].findings) is Severity.STOP
    assert filled[0].findings[0].where.file == "platen-network.conf"


def test_over_the_cable_the_radio_file_is_left_alone() -> None:
    filled = fill_files(wiring.recipes()["platen"], values(way="cable"), holding(ORIGINALS))
    assert [f.path for f in filled] == ["device.conf"]


def test_the_fingerprint_follows_every_change() -> None:
    recipe = wiring.recipes()["platen"]
    prints = {
        fingerprint(image, fill_files(recipe, v, holding(ORIGINALS)))
        for image in ("a" * 64, "b" * 64)
        for v in (values(), values(host_name="other"), values(passphrase="spring tide at nine"))
    }
    assert len(prints) == 6
    assert fingerprint("a" * 64, fill_files(recipe, values(), holding(ORIGINALS))) in prints


def recipe_with(place: int, **changes: object) -> Recipe:
    """Return Platen with one of its files changed."""
    platen = wiring.recipes()["platen"]
    files = [*platen.files]
    files[place] = files[place].model_copy(update=changes)
    return platen.model_copy(update={"files": tuple(files)})


@pytest.mark.parametrize(
    ("dialect", "path"),
    [("key-value", "device.conf"), ("wpa-supplicant", "wpa.conf"), ("keyfile", "wifi.nmconnection")],
)
def test_a_file_the_image_lacks_is_made_where_its_recipe_says_so(dialect: str, path: str, tmp_path: Path) -> None:
    kept = {} if dialect != "key-value" else {"HOST": "{host_name}"}
    refused = recipe_with(0, dialect=dialect, path=path, values=kept)
    assert fill_files(refused, values(), holding({}))[0].findings[0].code == "settings.file-missing"
    made = fill_files(recipe_with(0, dialect=dialect, path=path, values=kept, absent="make"), values(), holding({}))[0]
    assert {f.code for f in made.findings} >= {"settings.file-made", "settings.file-sound"}
    assert verdict(made.findings) is Severity.NOTE
    # The real readers are the judges: wpa_supplicant(8) and nmcli(1) take it and join the network that was meant.
    if dialect == "wpa-supplicant":
        (tmp_path / path).write_bytes(made.content)
        assert readers.wpa_supplicant(tmp_path / path).accepted
    elif dialect == "keyfile":
        assert readers.nmcli(made.content.decode()).accepted
    else:
        assert made.content == b"HOST=press\n"


def test_an_empty_file_whose_name_is_all_can_be_made() -> None:
    presence = recipe_with(1, path="remote-login", values={}, absent="make")
    made = fill_files(presence, values(), holding({"platen-network.conf": PLATEN_NETWORK.encode()}))[1]
    assert (made.content, verdict(made.findings)) == (b"", Severity.NOTE)


def test_the_lines_that_drivers_want_go_into_the_file_that_takes_them_or_are_said_to_be_ones_own() -> None:
    chorus = PlannedPart(wiring.parts()["chorus"], "own chorus")
    taking = recipe_with(1, overlays=True)
    filled = fill_files(taking, values(overlays=chorus.part.overlay), holding(ORIGINALS))
    assert b"\noverlay=chorus-audio\n" in filled[1].content
    assert not overlays_by_hand(taking, (chorus,), filled)
    again = fill_files(taking, values(overlays=chorus.part.overlay), holding({f.path: f.content for f in filled}))
    assert again[1].content == filled[1].content, "a line that stands there is not written twice"
    plain = wiring.recipes()["platen"]
    told = overlays_by_hand(
        plain, (chorus,), fill_files(plain, values(overlays=chorus.part.overlay), holding(ORIGINALS))
    )
    assert [f.code for f in told] == ["settings.overlay-by-hand"]
    assert "overlay=chorus-audio" in told[0].detail
    assert b"overlay" not in fill_files(plain, values(overlays=chorus.part.overlay), holding(ORIGINALS))[1].content


def test_many_keys_in_a_long_file_are_set_in_one_pass() -> None:
    """Linear: each line is looked at once, however many keys are set; counted, not timed."""
    keys = {f"KEY_{n}": "{host_name}" for n in range(250)}
    text = "".join(f"# line {n}\nKEY_{n}=old\n" for n in range(0, 250, 2)) + "#KEY_1=old\nKEY_0=again\n"
    file = wiring.recipes()["platen"].files[1].model_copy(update={"values": keys})
    after = DIALECTS["key-value"].apply(text, file, values()).split("\n")
    assert [line for line in after if line.startswith("KEY_0=")] == ["KEY_0=press"]
    assert sum(line.endswith("=press") for line in after) == 250
    assert after[0:2] == ["# line 0", "KEY_0=press"]
    assert "#KEY_1=old" not in after


class Counting(str):
    """A text that counts how often it is split into lines."""

    splits = 0

    def split(self, *args: Any, **more: Any) -> list[str]:
        Counting.splits += 1
        return super().split(*args, **more)


def test_a_text_is_not_walked_for_every_key() -> None:
    file = wiring.recipes()["platen"].files[1]
    many = file.model_copy(update={"values": {f"K{n}": "{host_name}" for n in range(100)}})
    for one in (file, many):
        Counting.splits = 0
        DIALECTS["key-value"].apply(Counting("A=1\n"), one, values())
        assert Counting.splits == 2
