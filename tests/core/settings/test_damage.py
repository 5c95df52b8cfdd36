"""What each reader makes of what editors do: every row of core/settings/reader.py, asked of the reader itself."""

from __future__ import annotations

from pathlib import Path

import pytest

from mintseed.core.findings import Severity, verdict
from mintseed.core.settings.dialects.registry import DIALECTS
from mintseed.core.settings.fill import check_file, reader_of
from mintseed.core.settings.repair import look_at
from tests.builders.judges import JUDGES

DAMAGES = {
    "mark": lambda data: b"\xef\xbb\xbf" + data,
    "utf_16": lambda data: data.decode().encode("utf-16"),
    "crlf": lambda data: data.replace(b"\n", b"\r\n"),
    "cr_twice": lambda data: data.replace(b"\n", b"\r\r\n"),
    "cr_blank": lambda data: data.replace(b"\n", b"\r \n"),
    "lone_cr": lambda data: data.replace(b"\n", b"\r"),
    "old_letters_in_comments": lambda data: data.replace(b"# ", b"# \xe9 ", 1),
}

MEANT_OTHERWISE = {
    # Taken, and the last word of each line is another one (POSIX.1-2017 XCU §2.2); a carriage return alone makes one line of all.
    ("shell-vars", "crlf"), ("shell-vars", "cr_twice"), ("shell-vars", "cr_blank"), ("shell-vars", "lone_cr"),
    # configparser's text is decoded before it is read; whoever reads bytes refuses the mark.
    ("ini", "mark"), ("ini", "old_letters_in_comments"), ("ini", "lone_cr"),
}  # fmt: skip
"""rows that the judges cannot tell: they say whether a text is taken, and not what each value became"""


@pytest.mark.parametrize("damage", DAMAGES)
@pytest.mark.parametrize("dialect", sorted(JUDGES))
def test_a_damage_is_as_bad_as_its_reader_takes_it(dialect: str, damage: str, tmp_path: Path) -> None:
    judge = JUDGES[dialect]
    data = DAMAGES[damage](judge.right[0].encode())
    if data == judge.right[0].encode() or (dialect, damage) in MEANT_OTHERWISE:
        return
    stopped = verdict(check_file(data, "settings.conf", dialect, judge.file)) is Severity.STOP
    assert judge.takes(data, tmp_path) is not stopped


@pytest.mark.parametrize("dialect", sorted(JUDGES))
def test_letters_of_an_old_encoding_in_a_value_are_a_stop_everywhere(dialect: str) -> None:
    base = JUDGES[dialect].right[0].encode()
    data = base.replace(b"press", b"pr\xe9ss").replace(b"Quay House", b"Qu\xe9y House")
    assert data != base
    assert "file.not-utf-8" in {
        f.code for f in check_file(data, "f", dialect, JUDGES[dialect].file) if f.severity is Severity.STOP
    }


@pytest.mark.parametrize(
    ("line", "code", "severity"),
    [
        ('ssid="Dana’s"', "file.curly-inside", Severity.NOTE), ('ssid=“Quay”', "file.curly-quotes", Severity.STOP), ('ssid="Quay”', "file.curly-quotes", Severity.STOP), ("wpa-ssid “Quay House”", "file.curly-quotes", Severity.STOP),
        ("wpa-ssid Quay House „2G“", "file.curly-inside", Severity.NOTE), ("ssid=Quay House “2G”", "file.curly-inside", Severity.NOTE), ("# “said”\u00a0so", "", Severity.OK),
        ("ssid=\u00a0x", "file.no-break-space", Severity.STOP), ("ssid=x\u200b", "file.unseen-letter", Severity.STOP),
    ],
)  # fmt: skip
def test_letters_count_where_they_stand(line: str, code: str, severity: Severity) -> None:
    """A network may be called Dana’s, with the letter that phones write: straight quotes would name another one."""
    found = {
        f.code: f.severity
        for f in check_file(f"{line}\n".encode(), "f", "wpa-supplicant", None)
        if f.code.startswith("file.")
    }
    assert found == ({code: severity} if code else {})


@pytest.mark.parametrize(
    ("data", "code"),
    [
        (b"{\\rtf1 A=1}", "file.rich-text"), (b"<!DOCTYPE html><html>", "file.web-page"), (b"\xef\xbb\xbf\n <html lang=en>", "file.web-page"), (b"A=1\0", "file.binary"),
    ],
)  # fmt: skip
def test_what_is_no_settings_file_is_named_as_what_it_is(data: bytes, code: str) -> None:
    for dialect in JUDGES:
        assert [f.code for f in check_file(data, "f", dialect, None)] == [code]


def test_readers_differ() -> None:
    assert reader_of("netplan", None) != reader_of("json", None)


LONG = "9" * 5000
"""more digits than Python makes a number of (sys.int_info.default_max_str_digits)"""


@pytest.mark.parametrize(("dialect", "text"), [
    ("json", f'{{"a": {LONG}}}'), ("json", f'{{"a": -{LONG}, "b": 1e{LONG}}}'), ("toml", f"a = 0x{'f' * 5000}\n"), ("toml", f"a = {LONG}\n"), ("yaml", f"a: {LONG}\n"),
    ("ini", f"[a]\nb = {LONG}\n"), ("systemd-networkd", f"[Match]\nName=wlan0\n[Network]\nAddress=192.168.1.1/{LONG}\n"),
    ("systemd-networkd", f"[NetDev]\nKind=vlan\n[VLAN]\nId={LONG}\n"), ("systemd-networkd", f"[Match]\nName=wlan0\n[Bridge]\nVLANId={LONG}\n"),
    ("netplan", f"network:\n  version: {LONG}\n"), ("keyfile", f"[wifi]\nssid={LONG};\nchannel={LONG}\n"), ("wpa-supplicant", f"network={{\n ssid=\"x\"\n priority={LONG}\n}}\n"),
    ("connman", f"[service_x]\nType=wifi\nName=x\nIPv4={LONG}/{LONG}\n"), ("shell-vars", f"A={LONG}\n"),
])  # fmt: skip
def test_a_number_of_thousands_of_digits_is_judged_as_any_other(dialect: str, text: str) -> None:
    looked = look_at(text.encode(), "settings.conf", dialect)
    DIALECTS[dialect].means(text, "settings.conf", None).sentence()
    assert LONG not in " ".join(f.title for f in looked.findings)


@pytest.mark.parametrize(
    ("length", "taken"),
    [
        ("24", True),
        ("024", True),
        ("0024", True),
        ("0", True),
        ("32", True),
        ("33", False),
        ("", False),
        (LONG, False),
        ("²", False),
    ],
)
def test_the_length_of_a_net(length: str, taken: bool) -> None:
    text = f"[Match]\nName=wlan0\n\n[Network]\nAddress=192.168.1.20/{length}\n"
    said = {f.code for f in look_at(text.encode(), "wlan0.network", "systemd-networkd").findings}
    assert ("networkd.value" not in said) is taken
