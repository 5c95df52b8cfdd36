"""The wpa_supplicant dialect against wpa_supplicant itself."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Severity, verdict
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects import wpa_supplicant
from mintseed.core.settings.dialects.wpa_values import GLOBAL_VALUES, VALUES
from mintseed.standins.forge.sources import PLATEN_NETWORK
from tests.builders.readers import wpa_supplicant as reader
from tests.core.settings.test_values import KEY_VECTORS, values

FILE = FileToFill(path="platen-network.conf", dialect="wpa-supplicant", title="Wi-Fi")


def understood_ssid(output: str) -> str:
    """Return the SSID the reader printed (hexdump_ascii of -dd)."""
    at = output.index("ssid - hexdump_ascii")
    return output[at : at + 400]


def hex_in(ssid: str) -> str:
    return " ".join(f"{b:02x}" for b in ssid.encode()[:16])


def test_commented_block_is_uncommented_whole_and_read(tmp_path: Path) -> None:
    after = wpa_supplicant.apply(PLATEN_NETWORK, FILE, values())
    path = tmp_path / "f.conf"
    path.write_text(after)
    judged = reader(path)
    assert judged.accepted, judged.output
    assert hex_in("Quay House 2G") in understood_ssid(judged.output)
    assert verdict(wpa_supplicant.check(after, "f")) is Severity.OK


def test_only_what_must_change_changes() -> None:
    after = wpa_supplicant.apply(PLATEN_NETWORK, FILE, values())
    kept = ["# Platen: the network it joins. Read once, before the first boot.", "ctrl_interface=/run/wpa",
            "#    # higher numbers are tried first", "    priority=5", "country=GB", "network={", "}"]  # fmt: skip
    lines = after.split("\n")
    assert [line for line in lines if line in kept] == [
        kept[0], kept[1], kept[4], kept[5], kept[2], kept[3], kept[6],
    ]  # fmt: skip
    assert "spring tide" not in after


def test_filling_twice_is_filling_once() -> None:
    once = wpa_supplicant.apply(PLATEN_NETWORK, FILE, values())
    assert wpa_supplicant.apply(once, FILE, values()) == once


@pytest.mark.parametrize(("passphrase", "ssid", "key"), KEY_VECTORS)
def test_the_derived_key_goes_in(passphrase: str, ssid: str, key: str) -> None:
    after = wpa_supplicant.apply(PLATEN_NETWORK, FILE, values(ssid=ssid, passphrase=passphrase))
    assert f"psk={key}" in after


def test_an_active_block_is_edited_in_place() -> None:
    text = 'country=US\nupdate_config=1\nnetwork={\n\tssid="old"\n\tpsk="old passphrase"\n\tpsk="twice here"\n}\n'
    after = wpa_supplicant.apply(text, FILE, values())
    assert after.startswith("country=GB\nupdate_config=1\nnetwork={\n\tssid=")
    assert after.count("psk=") == 1
    assert after.count("\tssid=") == 1


def test_a_file_without_block_gets_one(tmp_path: Path) -> None:
    after = wpa_supplicant.apply("# nothing here\n", FILE, values(hidden=True))
    path = tmp_path / "f.conf"
    path.write_text(after)
    assert reader(path).accepted
    assert "scan_ssid=1" in after


def test_a_block_without_end_is_not_touched() -> None:
    with pytest.raises(SettingsFileError, match="not closed"):
        wpa_supplicant.apply('#network={\n#ssid="x"\n', FILE, values())


names = st.text(st.characters(exclude_categories=("Cs", "Cc")), min_size=1, max_size=32).filter(
    lambda s: 1 <= len(s.encode()) <= 32
)


@settings(max_examples=25, deadline=None)
@given(ssid=names)
def test_any_network_name_arrives_as_meant(tmp_path_factory: pytest.TempPathFactory, ssid: str) -> None:
    path = tmp_path_factory.mktemp("wpa") / "f.conf"
    path.write_text(wpa_supplicant.apply(PLATEN_NETWORK, FILE, values(ssid=ssid)))
    judged = reader(path)
    assert judged.accepted, judged.output
    assert hex_in(ssid) in understood_ssid(judged.output)


REFUSED_BY_THE_READER = [
    'network = {\n ssid="x"\n psk="passphrase"\n}\n',
    'network={\n ssid ="x"\n psk="passphrase"\n}\n',
    'network={\n ssid=x y\n psk="passphrase"\n}\n',
    'network={\n ssid="x"\n psk=passphrase\n}\n',
    'network={\n ssid="x"\n psk="short"\n}\n',
    'network={\n ssid="x"\n psk="passphrase"\n',
]


@pytest.mark.parametrize("text", REFUSED_BY_THE_READER)
def test_what_the_reader_refuses_is_a_stop(tmp_path: Path, text: str) -> None:
    path = tmp_path / "f.conf"
    path.write_text(text)
    assert not reader(path).accepted
    assert verdict(wpa_supplicant.check(text, "f")) is Severity.STOP


def test_what_joins_nothing_though_read_is_a_stop(tmp_path: Path) -> None:
    # The reader takes a file whose block is commented out, and joins nothing.
    path = tmp_path / "f.conf"
    path.write_text(PLATEN_NETWORK)
    assert reader(path).accepted
    assert {f.code for f in wpa_supplicant.check(PLATEN_NETWORK, "f")} >= {"wifi.no-network"}


FORGIVEN = [
    ('country=gb\nnetwork={\n ssid="x"\n psk="passphrase"\n}\n', Severity.NOTE),
    ('country=GB\ncountry=GB\nnetwork={\n ssid="x"\n psk="passphrase"\n}\n', Severity.NOTE),
    ('network={\n ssid="x"\n psk="passphrase"\n}\n', Severity.CHECK),
]


@pytest.mark.parametrize(("text", "severity"), FORGIVEN)
def test_what_the_reader_forgives_is_no_stop(tmp_path: Path, text: str, severity: Severity) -> None:
    path = tmp_path / "f.conf"
    path.write_text(text)
    assert reader(path).accepted
    assert verdict(wpa_supplicant.check(text, "f")) is severity


def test_a_passphrase_cut_at_its_hash_is_seen() -> None:
    text = 'country=GB\nnetwork={\n ssid="x"\n psk="one"two#three"\n}\n'
    assert "wifi.passphrase-length" in {f.code for f in wpa_supplicant.check(text, "f")}


ACTIVE = """\
country=GB
network={
    ssid="old"
    psk="old passphrase"
    #disabled=1
    #bssid=02:00:00:00:00:01
    #key_mgmt=WPA-EAP
    priority=5 # the usual one
} # home
# network={
#   ssid="guests"
# }
"""


def test_comments_inside_an_active_block_stay_comments() -> None:
    after = wpa_supplicant.apply(ACTIVE, FILE, values())
    changed = [(a, b) for a, b in zip(ACTIVE.split("\n"), after.split("\n"), strict=True) if a != b]
    assert [a.strip() for a, _ in changed] == ['ssid="old"', 'psk="old passphrase"']


@pytest.mark.parametrize(
    "line", ["disabled=1", "bssid=02:00:00:00:00:01", "key_mgmt=WPA-EAP", "key_mgmt=NONE", "key_mgmt=SAE"]
)
def test_what_would_keep_it_from_joining_goes(line: str, tmp_path: Path) -> None:
    text = f'country=GB\nnetwork={{\n ssid="old"\n psk="old passphrase"\n {line}\n priority=3\n}}\n'
    after = wpa_supplicant.apply(text, FILE, values())
    assert line not in after
    assert " priority=3\n" in after
    path = tmp_path / "f.conf"
    path.write_text(after)
    assert reader(path).accepted


# Judged both ways: what wpa_supplicant 2.10 refuses is a stop, what it takes and means is none.
_ssid = st.sampled_from(
    [
        'ssid="home"',
        'ssid="home" # mine',
        'ssid=P"a\\x20b"',
        "ssid=6162",
        "ssid=616",
        "ssid=home",
        'ssid="home',
        f'ssid="{"x" * 33}"',
    ]
)
_psk = st.sampled_from(['psk="passphrase"', 'psk="passphrase" # c', f"psk={'a' * 64}", f"psk={'a' * 64} # c", f"psk={'a' * 63}",
                        'psk=P"passphrase"', 'psk="short"', "psk=passphrase", 'psk= "passphrase"', 'psk="pass"x', 'psk="with # in it"'])  # fmt: skip
_more = st.lists(
    st.sampled_from(["", "priority=5", "priority=high", "scan_ssid=1 # hidden", "key_mgmt=WPA-PSK", "key_mgmt=WPA2", "keymgmt=WPA-PSK",
                     "proto=RSN", "#disabled=1", "id_str=\"home\"", "PSK=1", "just words", "priority = 5"]), max_size=3,
)  # fmt: skip
_global = st.lists(
    st.sampled_from(["country=GB", "country=gb", "country=G", "update_config=1", "ctrl_interface=/run/wpa GROUP=netdev", "updateconfig=1",
                     "# a remark", "ap_scan=1", "fast_reauth=1 # yes"]), max_size=3,
)  # fmt: skip
_open_close = st.sampled_from(
    [("network={", "}"), ("network={ # home", "} # home"), ("network = {", "}"), ("network={", "#}")]
)


@settings(max_examples=120, deadline=None, derandomize=True)
@given(outer=_global, frame=_open_close, ssid=_ssid, psk=_psk, more=_more)
def test_generated_files_are_judged_as_the_real_reader_judges_them(
    outer: list[str],
    frame: tuple[str, str],
    ssid: str,
    psk: str,
    more: list[str],
    tmp_path_factory: pytest.TempPathFactory,
) -> None:
    text = "\n".join([*outer, frame[0], f"  {ssid}", *(f"  {m}" for m in more), f"  {psk}", frame[1], ""])
    path = tmp_path_factory.mktemp("wpa") / "f.conf"
    path.write_text(text)
    stopped = verdict(wpa_supplicant.check(text, "f")) is Severity.STOP
    assert stopped is not reader(path).accepted, (text, [f.title for f in wpa_supplicant.check(text, "f")])


def test_the_known_fields_are_known_to_the_reader(tmp_path: Path) -> None:
    from mintseed.core.settings.dialects.wpa_fields import GLOBAL_FIELDS, NETWORK_FIELDS

    path = tmp_path / "f.conf"
    body = "".join(f" {name}=1\n" for name in sorted(NETWORK_FIELDS - {"ssid"}))
    path.write_text("".join(f"{n}=1\n" for n in sorted(GLOBAL_FIELDS)) + f'network={{\n ssid="x"\n{body}}}\n')
    output = reader(path).output
    assert "Line" in output
    assert "unknown network field" not in output
    assert "unknown global field" not in output


@pytest.mark.parametrize(
    ("text", "code", "severity"),
    [
        ('country=XX\nnetwork={\n ssid="x"\n psk="passphrase"\n}\n', "wifi.country-none", Severity.CHECK),
        ('country=GB\nnetwork={\n ssid="x"\n psk="passphrase"\n}\nnetwork={\n ssid="x"\n psk="passphrase"\n}\n', "wifi.network-doubled", Severity.CHECK),
        ('country=GB\nnetwork={\n ssid="x"\n}\n', "wifi.key-missing", Severity.STOP),
        ('country=GB\nnetwork={\n ssid="x"\n psk="passphrase"\n disabled=1\n}\n', "wifi.disabled", Severity.STOP),
        ('country=GB\nnetwork={\n ssid="x"\n psk="passphrase"\n bssid=02:00:00:00:00:01\n}\n', "wifi.bssid-fixed", Severity.CHECK),
        ('country=GB\nnetwork={\n ssid="x"\n psk="passphrase"\n key_mgmt=WPA-EAP\n}\n', "wifi.key-management-other", Severity.STOP),
    ],
)  # fmt: skip
def test_what_the_reader_takes_and_never_joins_with_is_named(
    text: str, code: str, severity: Severity, tmp_path: Path
) -> None:
    path = tmp_path / "f.conf"
    path.write_text(text)
    assert reader(path).accepted
    assert {f.code: f.severity for f in wpa_supplicant.check(text, "f")}[code] is severity


def block(*lines: str, before: str = "") -> str:
    body = "".join(f"\t{line}\n" for line in lines)
    return f'country=GB\n{before}network={{\n\tssid="home"\n\tpsk="eight chars"\n{body}}}\n'


def taken(tmp_path: Path, text: str) -> bool:
    path = tmp_path / "w.conf"
    path.write_text(text)
    output = reader(path).output
    return not re.search(r"^Line \d+: (invalid|too (large|small)|failed|Invalid)", output, re.MULTILINE)


def stops(text: str) -> set[str]:
    return {f.code for f in wpa_supplicant.check(text, "f") if f.severity is Severity.STOP}


@pytest.mark.parametrize("name", [*VALUES, *GLOBAL_VALUES])
def test_the_table_says_what_the_reader_does(name: str, tmp_path: Path) -> None:
    """Every row is asked of wpa_supplicant(8), both ways."""
    row = VALUES.get(name) or GLOBAL_VALUES[name]

    def text(value: str) -> str:
        return block(f"{name}={value}") if name in VALUES else block(before=f"{name}={value}\n")

    assert row.taken(row.right) == "meant"
    assert taken(tmp_path, text(row.right))
    assert not stops(text(row.right))
    if row.wrong:
        assert row.taken(row.wrong) == "refused"
        assert not taken(tmp_path, text(row.wrong))
        assert "wifi.value-refused" in stops(text(row.wrong))


@pytest.mark.parametrize(
    "line",
    ["scan_ssid=2", "mode=9", "pairwise=AES", "proto=wpa3", "proto=rsn", "auth_alg=OPENX", "bssid=zz", "ieee80211w=x", "priority=5x", "group=aes", "id_str=a"],
)  # fmt: skip
def test_a_value_the_reader_refuses_is_a_stop(line: str, tmp_path: Path) -> None:
    assert not taken(tmp_path, block(line))
    assert stops(block(line))


@pytest.mark.parametrize(
    "line",
    [
        "priority=0x5",
        "scan_ssid=0x1",
        "disabled=0",
        "pairwise=CCMP TKIP",
        "proto=WPA RSN",
        "mode=0",
        "bssid=any",
        "ieee80211w=1",
        "priority=-1",
    ],
)
def test_a_value_the_reader_takes_and_means_is_none(line: str, tmp_path: Path) -> None:
    assert taken(tmp_path, block(line))
    assert [
        f.code for f in wpa_supplicant.check(block(line), "f") if f.severity in (Severity.STOP, Severity.CHECK)
    ] == []


@pytest.mark.parametrize(
    "other",
    [
        'network={\n\tssid="other"\n\tpsk="another one"\n\tdisabled=1\n}\n',
        'network={\n\tssid="work"\n\tkey_mgmt=WPA-EAP\n\teap=TLS\n}\n',
    ],
)
def test_another_network_beside_a_good_one_stops_nothing(other: str, tmp_path: Path) -> None:
    assert taken(tmp_path, block() + other)
    assert stops(block() + other) == set()
    assert "wifi.network-other" in {f.code for f in wpa_supplicant.check(block() + other, "f")}
    assert stops("country=GB\n" + other), "alone it is one that is never joined"


AWAY = (
    "mode=2",
    "proto=WPA",
    "pairwise=TKIP",
    "ieee80211w=2",
    "freq_list=2412",
    "scan_freq=5180",
    "bssid_whitelist=02:00:00:00:00:01",
    "auth_alg=SHARED",
    "proto=wpa3",
)


@pytest.mark.parametrize("line", AWAY)
def test_whatever_keeps_the_board_away_goes_when_it_is_filled(line: str) -> None:
    assert [f for f in wpa_supplicant.check(block(line), "f") if f.severity in (Severity.STOP, Severity.CHECK)]
    after = wpa_supplicant.apply(block(line), FILE, values())
    assert line not in after
    assert not [f for f in wpa_supplicant.check(after, "f") if f.severity in (Severity.STOP, Severity.CHECK)]


def test_what_does_no_harm_stays_when_it_is_filled() -> None:
    lines = ("pairwise=CCMP", "proto=RSN", "ieee80211w=1", "priority=5")
    assert all(line in wpa_supplicant.apply(block(*lines), FILE, values()) for line in lines)
