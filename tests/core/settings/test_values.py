"""Keys, names and accounts against standards and reference tools."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mintseed.core.findings import Severity, verdict
from mintseed.core.settings.accounts import check_admin_password, password_hash
from mintseed.core.settings.values import SettingValues, check_values, derived_key
from tests.builders.readers import wpa_passphrase

# IEEE 802.11i Annex H.4.3, the three test vectors.
KEY_VECTORS = [
    ("password", "IEEE", "f42c6fc52df0ebef9ebb4b90b38a5f902e83fe1b135a70e23aed762e9710a12e"),
    ("ThisIsAPassword", "ThisIsASSID", "0dc0d6eb90555ed6419756b9a15ec3e3209b63df707dd508d14581f8982721af"),
    ("a" * 32, "Z" * 32, "becb93866bb8c3832cb777c2f559807c8c59afcb6eae734885001300a981cc62"),
]


def values(**changes: object) -> SettingValues:
    base: dict[str, object] = {
        "host_name": "press", "country": "GB", "time_zone": "Europe/London", "keyboard": "gb", "way": "wifi",
        "ssid": "Quay House 2G", "passphrase": "spring tide at noon",
    }  # fmt: skip
    return SettingValues(**(base | changes))  # type: ignore[arg-type]


def codes(checked: SettingValues, default: str = "platen", taken: frozenset[str] = frozenset()) -> dict[str, Severity]:
    return {f.code: f.severity for f in check_values(checked, default_host_name=default, names_taken=taken)}


@pytest.mark.parametrize(("passphrase", "ssid", "key"), KEY_VECTORS)
def test_the_standards_key_vectors(passphrase: str, ssid: str, key: str) -> None:
    assert derived_key(passphrase, ssid) == key


@pytest.mark.parametrize(("passphrase", "ssid", "key"), KEY_VECTORS)
def test_the_reference_tool_agrees_with_the_vectors(passphrase: str, ssid: str, key: str) -> None:
    # wpa_passphrase(8) of wpasupplicant 2.10
    assert wpa_passphrase(ssid, passphrase) == key


printable = st.text(st.characters(min_codepoint=32, max_codepoint=126), min_size=8, max_size=63)


@settings(max_examples=25, deadline=None)
@given(passphrase=printable, ssid=st.text(st.characters(min_codepoint=33, max_codepoint=126), min_size=1, max_size=32))
def test_keys_agree_with_wpa_passphrase(passphrase: str, ssid: str) -> None:
    # Blank ends are cut by the tool's own line reading, so they are left out here.
    if passphrase == passphrase.strip() and len(passphrase) >= 8 and not ssid.startswith("-"):
        assert derived_key(passphrase, ssid) == wpa_passphrase(ssid, passphrase)


def test_sixty_four_hex_digits_are_the_key_itself() -> None:
    assert derived_key("AB" * 32, "any") == "ab" * 32


def test_sha512_crypt_vector() -> None:
    # Drepper, "Unix crypt using SHA-256 and SHA-512", first test vector of SHA-512; as printed by
    # `openssl passwd -6 -salt saltstring`.
    wanted = "$6$saltstring$svn8UoSVapNtMuq1ukKS4tPQd8iKwSMHWjl/O817G3uBnIFNjnQJuesI68u4OTLiBFdcbYEdFCoEOfaS35inz1"
    assert password_hash("Hello world!", "saltstring") == wanted


def test_sha512_crypt_agrees_with_openssl() -> None:
    # openssl passwd -6
    done = subprocess.run(
        ["openssl", "passwd", "-6", "-salt", "abcdefgh", "-stdin"],
        input=b"three wet boots",
        capture_output=True,
        check=True,
    )
    assert password_hash("three wet boots", "abcdefgh") == done.stdout.decode().strip()


@pytest.mark.parametrize(
    ("ssid", "refused"),
    [("", True), ("x", False), ("y" * 32, False), ("y" * 33, True), ("é" * 16, False), ("é" * 17, True)],
)
def test_a_network_name_is_counted_in_octets(ssid: str, refused: bool) -> None:
    # IEEE 802.11 §9.4.2.2: 0 to 32 octets; é takes two in UTF-8.
    assert ("wifi.ssid-length" in codes(values(ssid=ssid))) is refused


@pytest.mark.parametrize(
    ("passphrase", "code"),
    [
        ("", "wifi.passphrase-length"),
        ("seven77", "wifi.passphrase-length"),
        ("eight888", "wifi.passphrase-shape"),
        ("x" * 63, "wifi.passphrase-shape"),
        ("x" * 64, "wifi.passphrase-length"),
        ("a1" * 32, "wifi.passphrase-is-key"),
        ("curly “quote”", "wifi.passphrase-letters"),
        ("tab\tinside", "wifi.passphrase-letters"),
    ],
)
def test_passphrase_rules(passphrase: str, code: str) -> None:
    assert code in codes(values(passphrase=passphrase))


@pytest.mark.parametrize("country", ["UK", "uk", "gb", "XX", "GBR"])
def test_countries_that_are_none(country: str) -> None:
    # ISO 3166-1: it is GB; UK is only reserved.
    found = check_values(values(country=country), default_host_name="", names_taken=frozenset())
    finding = next(f for f in found if f.code == "wifi.country-unknown")
    assert finding.severity is Severity.STOP
    if country.lower() in ("uk", "gb"):
        assert finding.action is not None
        assert finding.action.value == "GB"


def test_a_country_nobody_chose_is_asked_for() -> None:
    found = check_values(values(country=""), default_host_name="", names_taken=frozenset())
    assert ("settings.country-missing", Severity.STOP) in [(f.code, f.severity) for f in found]
    assert not [f for f in found if f.code == "wifi.country-unknown"]


@pytest.mark.parametrize("name", ["", "-press", "press-", "pre ss", "press.local", "prässe", "p" * 64, "a_b"])
def test_host_names_the_standards_refuse(name: str) -> None:
    # RFC 1123 §2.1, RFC 952
    assert codes(values(host_name=name))["settings.host-name-letters"] is Severity.STOP


@pytest.mark.parametrize("name", ["p", "3d", "reading-press", "p" * 63])
def test_host_names_the_standards_allow(name: str) -> None:
    assert "settings.host-name-letters" not in codes(values(host_name=name))


def test_a_name_heard_on_the_network() -> None:
    def found(heard: dict[str, str] | None) -> dict[str, str]:
        checked = check_values(
            values(host_name="Press"), default_host_name="platen", names_taken=frozenset(), names_heard=heard
        )
        return {f.code: f.detail for f in checked if f.code.startswith("settings.host-name-")}

    assert "29 November" in found({"press": "29 November, 10:00"})["settings.host-name-heard"]
    assert "nothing its bench heard" in found({"lamp": "29 November, 10:00"})["settings.host-name-free"]
    assert "was not asked" in found(None)["settings.host-name-free"]


def test_taken_default_and_long_names() -> None:
    assert codes(values(), taken=frozenset({"press"}))["settings.host-name-taken"] is Severity.STOP
    assert codes(values(host_name="Platen"))["settings.host-name-default"] is Severity.NOTE
    # RFC 1001 §14: 15 characters
    assert codes(values(host_name="p" * 16))["settings.host-name-cut"] is Severity.NOTE
    assert "settings.host-name-cut" not in codes(values(host_name="p" * 15))


def test_a_keyboard_unlike_the_sites_is_said_with_its_cure() -> None:
    found = check_values(values(keyboard="us"), default_host_name="", names_taken=frozenset(), site_keyboard="gb")
    finding = next(f for f in found if f.code == "settings.keyboard-differs")
    assert finding.severity is Severity.CHECK
    assert finding.action is not None
    assert (finding.action.field, finding.action.value) == ("keyboard", "gb")
    assert "settings.keyboard-differs" not in codes(values(keyboard="gb"))


def test_over_the_cable_nothing_is_asked_about_radio() -> None:
    found = codes(values(way="cable", ssid="", passphrase="", country=""))
    assert not any(code.startswith("wifi.") for code in found)


def test_account_needs_both_halves() -> None:
    assert codes(values(admin_name="keeper"))["settings.admin-incomplete"] is Severity.STOP
    assert "settings.admin-incomplete" not in codes(values(admin_name="keeper", admin_hash="$6$x$y"))
    assert codes(values(admin_name="Keeper!", admin_hash="h"))["settings.admin-name-letters"] is Severity.STOP


def test_short_admin_password_is_refused() -> None:
    assert verdict(check_admin_password("short")) is Severity.STOP
    assert check_admin_password("three wet boots") == ()


def test_secrets_stay_out_of_the_repr() -> None:
    shown = repr(values(admin_hash="$6$salt$hash"))
    assert "spring tide" not in shown
    assert "$6$" not in shown


@pytest.mark.parametrize("name", ["localhost", "LocalHost", "local", "ip6-loopback"])
def test_names_that_are_nobodys_are_a_stop(name: str) -> None:
    # RFC 6761 §6.3: localhost is always the machine itself
    assert codes(values(host_name=name))["settings.host-name-reserved"] is Severity.STOP
    assert "settings.host-name-reserved" not in codes(values(host_name="localhost-2"))


PASSWD_MASTER = Path("/usr/share/base-passwd/passwd.master")


@pytest.mark.skipif(not PASSWD_MASTER.exists(), reason="no base-passwd here")
def test_accounts_of_the_system_are_a_stop() -> None:
    # Debian's base-passwd: every account its systems begin with
    names = [line.split(":")[0] for line in PASSWD_MASTER.read_text().splitlines() if line]
    assert "root" in names
    for name in names:
        if name.startswith("_"):
            continue  # no name a person would choose
        assert codes(values(admin_name=name, admin_hash="x"))["settings.admin-name-system"] is Severity.STOP, name
    assert "settings.admin-name-system" not in codes(values(admin_name="keeper", admin_hash="x"))


def test_a_language_is_one_of_the_list_or_may_be_one() -> None:
    assert not [c for c in codes(values(locale="")) if "locale" in c]
    assert not [c for c in codes(values(locale="en_GB.UTF-8")) if "locale" in c]
    assert codes(values(locale="en_XX.UTF-8"))["settings.locale-unknown"] is Severity.CHECK
    for wrong in ("english", "en-GB", "en_GB UTF-8", "en_GB.UTF-8\nX=1", "../en_GB"):
        assert codes(values(locale=wrong))["settings.locale-shape"] is Severity.STOP, wrong


def test_the_account_of_the_images_own_has_the_name_it_has() -> None:
    """A password alone is enough there, and root is nobody else's."""
    alone = values(admin_hash=password_hash("a long enough one", "salt"))
    assert codes(alone)["settings.admin-incomplete"] is Severity.STOP
    found = check_values(alone, default_host_name="platen", names_taken=frozenset(), own_account="root")
    assert not [f for f in found if f.code.startswith("settings.admin")]


@pytest.mark.parametrize("word", ["password123", "qwertyuiop", "aaaaaaaaaaaa", "1234567890", "letmein2024"])
def test_a_password_that_is_tried_first_is_told(word: str) -> None:
    """Common lists of leaked passwords have them (common practice)."""
    assert [(f.code, f.severity) for f in check_admin_password(word)] == [
        ("settings.admin-password-guessable", Severity.CHECK)
    ]
    assert word not in repr(check_admin_password(word))


def test_unrelated_words_are_taken() -> None:
    assert check_admin_password("lantern over quay") == ()
    assert check_admin_password("x" * 500)[0].code == "settings.admin-password-guessable", "weighed in bounds"
