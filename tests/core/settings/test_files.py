"""Files as editors leave them, the marked view, and the fingerprint of what goes on a card."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed import wiring
from mintseed.core.errors import MintSeedError, SettingsFileError
from mintseed.core.findings import Severity, verdict
from mintseed.core.settings.dialects.registry import DIALECTS
from mintseed.core.settings.diff import hide, mark_lines
from mintseed.core.settings.editor_damage import check_name, read_text
from mintseed.core.settings.fill import check_file, fill_files, fingerprint
from mintseed.standins.forge.sources import PLATEN_DEVICE, PLATEN_NETWORK
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
    filled = fill_files(wiring.recipes()["platen"], values(), ORIGINALS)
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
    filled = fill_files(wiring.recipes()["platen"], values(), {"device.conf": PLATEN_DEVICE.encode()})
    assert verdict(filled[0].findings) is Severity.STOP
    assert filled[0].findings[0].where.file == "platen-network.conf"


def test_over_the_cable_the_radio_file_is_left_alone() -> None:
    filled = fill_files(wiring.recipes()["platen"], values(way="cable"), ORIGINALS)
    assert [f.path for f in filled] == ["device.conf"]


def test_the_fingerprint_follows_every_change() -> None:
    recipe = wiring.recipes()["platen"]
    prints = {
        fingerprint(image, fill_files(recipe, v, ORIGINALS))
        for image in ("a" * 64, "b" * 64)
        for v in (values(), values(host_name="other"), values(passphrase="spring tide at nine"))
    }
    assert len(prints) == 6
    assert fingerprint("a" * 64, fill_files(recipe, values(), ORIGINALS)) in prints
