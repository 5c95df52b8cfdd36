"""What editors, copies and people do to settings files: each mistake by its name, with what is to be said of it.

Every mistake is made in a file that is right, alone and with each other one of its kind; sources are the readers' own behaviour (see judges.py) and
common practice.
"""

from __future__ import annotations

import difflib
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from tests.builders.judges import JUDGES, PHRASE

WPA = JUDGES["wpa-supplicant"].right[1]
KEYFILE = JUDGES["keyfile"].right[1]
NETPLAN = JUDGES["netplan"].right[1]
INTERFACES = JUDGES["interfaces"].right[1]
USER_DATA = JUDGES["cloud-init-user-data"].right[0]
SHELL = JUDGES["shell-vars"].right[0]
INI = JUDGES["ini"].right[0]
JSON = JUDGES["json"].right[0]
YAML = JUDGES["yaml"].right[0]
NETWORKD = JUDGES["systemd-networkd"].right[0]
CONNMAN = JUDGES["connman"].right[1]

BASES = {
    "wpa-supplicant": WPA, "keyfile": KEYFILE, "netplan": NETPLAN, "interfaces": INTERFACES, "cloud-init-user-data": USER_DATA, "shell-vars": SHELL, "ini": INI, "json": JSON,
    "yaml": YAML, "systemd-networkd": NETWORKD, "connman": CONNMAN,
}  # fmt: skip


@dataclass(frozen=True)
class Mistake:
    """`codes`: all that must be said of it. `mends`: whether the doctor can put it right by itself, so that the file means the same as before. `hides`: whether
    its reader stops there, so that what else is wrong can be told only once a person has mended it."""

    name: str
    dialect: str
    make: Callable[[str], str]
    codes: frozenset[str]
    mends: bool = True
    hides: bool = False


def swap(old: str, new: str) -> Callable[[str], str]:
    def make(text: str) -> str:
        assert old in text, f"{old!r} is not in the text"
        return text.replace(old, new, 1)

    return make


def _m(
    name: str, dialect: str, make: Callable[[str], str], *codes: str, mends: bool = True, hides: bool = False
) -> Mistake:
    return Mistake(name, dialect, make, frozenset(codes), mends, hides)


def _commented_block(text: str) -> str:
    head, _, block = text.partition("network={")
    return head + "\n".join("#" + line if line else line for line in ("network={" + block).split("\n"))


W, K, N, F, U, S, I, J, Y, D, C = BASES  # noqa: E741

MISTAKES: tuple[Mistake, ...] = (
    # the supplicant's file
    _m("an editor's curly quotes round the name", W, swap('"Quay House"', "“Quay House”"), "file.curly-quotes"),
    _m("curly quotes round the passphrase", W, swap(f'"{PHRASE}"', f"“{PHRASE}”"), "file.curly-quotes"),
    _m("no quotes round the name", W, swap('"Quay House"', "Quay House"), "wifi.ssid-quotes"),
    _m("single quotes round the name", W, swap('"Quay House"', "'Quay House'"), "wifi.ssid-quotes"),
    _m("no quotes round the passphrase", W, swap(f'"{PHRASE}"', PHRASE), "wifi.passphrase-quotes"),
    _m("one quote of the passphrase lost", W, swap(f'{PHRASE}"', PHRASE), "wifi.passphrase-length"),
    _m("a blank beside the equals sign", W, swap("ssid=", "ssid = "), "wifi.blank-at-equals"),
    _m("a passphrase of seven letters", W, swap(PHRASE, "springs"), "wifi.passphrase-length", mends=False),
    _m("a name of 33 letters", W, swap("Quay House", "Q" * 33), "wifi.ssid-length", mends=False),
    _m("a name that ends in a blank", W, swap('"Quay House"', '"Quay House "'), "wifi.ssid-blank", mends=False),
    _m("a passphrase with a letter beyond ASCII", W, swap(PHRASE, "spring tide at nöon"), "wifi.passphrase-letters", mends=False),
    _m("the country in small letters", W, swap("country=GB", "country=gb"), "wifi.country-letters"),
    _m("the country people say", W, swap("country=GB", "country=UK"), "wifi.country-none"),
    _m("no country", W, swap("country=GB\n", ""), "wifi.country-missing", mends=False),
    _m("two countries", W, swap("country=GB\n", "country=FR\ncountry=GB\n"), "wifi.country-doubled", mends=False),
    _m("the same country twice", W, swap("country=GB\n", "country=GB\ncountry=GB\n"), "wifi.country-doubled"),
    _m("the closing brace left commented", W, swap("\n}", "\n#}"), "wifi.block-unclosed", hides=True),
    _m("the whole block left commented", W, _commented_block, "wifi.no-network"),
    _m("blanks in the line that opens the block", W, swap("network={", "network = {"), "wifi.block-open", mends=False),
    _m("the first line of the block left commented", W, swap("network={", "#network={"), "wifi.brace-alone"),
    _m("a network switched off", W, swap("    priority=5", "    disabled=1"), "wifi.disabled"),
    _m("a cipher that is none", W, swap("    priority=5", "    pairwise=AES"), "wifi.value-refused"),
    _m("a kind of network that is none", W, swap("    priority=5", "    proto=wpa3"), "wifi.value-refused"),
    _m("a word misspelt", W, swap("ssid=", "sssid="), "wifi.field-unknown", "wifi.ssid-missing"),
    _m("hyphens for underscores", W, swap("    priority=5", "    auth-alg=OPEN"), "wifi.line"),
    _m("a kind of key as people call it", W, swap("    priority=5", "    key_mgmt=WPA2-PSK"), "wifi.key-management"),
    _m("a fixed access point", W, swap("    priority=5", "    bssid=02:00:00:00:00:01"), "wifi.bssid-fixed"),
    _m("only some channels", W, swap("    priority=5", "    freq_list=2412"), "wifi.channels-fixed"),
    _m("an access point of its own", W, swap("    priority=5", "    mode=2"), "wifi.mode-other"),
    _m("a line of prose", W, lambda text: text + "remember to ask Ann\n", "wifi.line"),
    _m("a no-break space before a setting", W, swap("    psk", "\u00a0   psk"), "file.no-break-space"),
    _m("an unseen letter in the name", W, swap("Quay House", "Quay\u200b House"), "file.unseen-letter"),
    # the network manager's
    _m("quotes round the name", K, swap("Quay House", '"Quay House"'), "keyfile.quotes"),
    _m("quotes round the passphrase", K, swap(PHRASE, f'"{PHRASE}"'), "keyfile.quotes"),
    _m("a kind of key as people call it", K, swap("wpa-psk", "WPA2-PSK"), "keyfile.key-management"),
    _m("a blank behind the kind of key", K, swap("wpa-psk", "wpa-psk "), "keyfile.key-management"),
    _m("a blank behind the passphrase", K, swap(PHRASE, f"{PHRASE} "), "keyfile.key-blank"),
    _m("a comment behind the method", K, swap("method=auto", "method=auto # by itself"), "keyfile.comment-behind"),
    _m("a section as another system calls it", K, swap("[wifi-security]", "[wireless-security]"), "keyfile.section-unknown"),
    _m("a section misspelt", K, swap("[wifi]", "[wfi]"), "keyfile.section-unknown"),
    _m("a key misspelt", K, swap("key-mgmt", "key_mgmt"), "keyfile.key-unknown"),
    _m("a method as other files call it", K, swap("method=auto", "method=dhcp"), "keyfile.value-refused"),
    _m("a band in gigahertz", K, swap("mode=infrastructure", "band=5"), "keyfile.value-refused"),
    _m("a channel without its band", K, swap("mode=infrastructure", "channel=6"), "keyfile.channel-alone"),
    _m("an access point of its own", K, swap("mode=infrastructure", "mode=ap"), "keyfile.mode-other"),
    _m("not by itself", K, swap("id=house", "id=house\nautoconnect=false"), "wifi.disabled"),
    _m("for one account alone", K, swap("id=house", "id=house\npermissions=user:ann:;"), "keyfile.permissions"),
    _m("a line of prose", K, swap("[ipv4]", "remember to ask Ann\n[ipv4]"), "keyfile.line"),
    _m("no kind of connection", K, swap("type=wifi\n", ""), mends=True),
    # netplan's
    _m("a tab for blanks", N, swap("      dhcp4", "\tdhcp4"), "yaml.tab"),
    _m("one blank too few", N, swap("      access-points", "     access-points"), "yaml.not-yaml", mends=False, hides=True),
    _m("a key misspelt", N, swap("dhcp4", "dhcpv4"), "netplan.key-unknown", mends=False),
    _m("an address without its net", N, swap("dhcp4: true", "addresses: [192.168.1.5]"), "netplan.address", mends=False),
    _m("neither true nor false", N, swap("dhcp4: true", "dhcp4: maybe"), "netplan.value", mends=False),
    _m("a band as a number", N, swap(f'password: "{PHRASE}"', f'password: "{PHRASE}"\n          band: 5'), "netplan.value", mends=False),
    _m("a passphrase too short", N, swap(PHRASE, "short"), "wifi.passphrase-length", mends=False),
    _m("curly quotes round the name", N, swap('"Quay House"', "“Quay House”"), "file.curly-quotes"),
    _m("a list where a name belongs", N, swap('        "Quay House":\n', '        - "Quay House":\n'), "wifi.ssid-missing", mends=False, hides=True),
    # ifupdown's
    _m("an equals sign", F, swap("wpa-ssid Quay House", "wpa-ssid=Quay"), "interfaces.no-value", mends=False),
    _m("nothing that brings it up", F, swap("allow-hotplug wlan0\n", ""), "wifi.disabled"),
    _m("a capital letter", F, swap("iface wlan0", "Iface wlan0"), "interfaces.misplaced"),
    _m("a method that is none", F, swap("inet dhcp", "inet dhcpd"), "interfaces.method", mends=False),
    _m("a fixed address left out", F, swap("inet dhcp", "inet static"), "interfaces.address", mends=False),
    _m("the name twice", F, swap("    wpa-ssid Quay House", "    wpa-ssid Quay House\n    wpa-ssid Quay House"), "interfaces.option-doubled"),
    # cloud-init's
    _m("a blank line before the first", U, lambda text: "\n" + text, "cloud-init.header"),
    _m("a blank in the first line", U, swap("#cloud-config", "# cloud-config"), "cloud-init.header"),
    _m("the network in the wrong file", U, lambda text: text + "network:\n  version: 2\n", "cloud-init.not-here", mends=False),
    _m("a password as it is typed", U, swap('"$6$abc$def"', "spring"), "cloud-init.password-plain", mends=False),
    _m("a password that is locked", U, swap("    lock_passwd: false\n", ""), "cloud-init.locked"),
    _m("a list without dashes", U, swap("runcmd:\n  - [ls, -l]", "runcmd: ls"), "cloud-init.value", mends=False),
    _m("a name that is a number", U, swap("hostname: press", "hostname: 1234"), "yaml.other-type", mends=False),
    _m("a word misspelt", U, swap("passwd: \"$6", "paswd: \"$6"), "cloud-init.key-unknown"),
    # what a shell reads
    _m("blanks round the equals sign", S, swap("NAME='press'", "NAME = 'press'"), "key-value.blank-at-equals"),
    _m("a quote that is not closed", S, swap("NAME='press'", "NAME='press"), "key-value.quote-open"),
    _m("two words without quotes", S, swap("NAME='press'", "NAME=the press"), "key-value.words", mends=False),
    _m("a sign the shell acts on", S, swap("ON=yes", "ON=yes;no"), "key-value.shell-sign", mends=False),
    _m("a line of prose", S, lambda text: text + "remember to ask Ann\n", mends=False),
    # sections and keys
    _m("quotes round a value", I, swap("name = press", 'name = "press"'), "ini.quotes"),
    _m("a section twice", I, lambda text: text + "[device]\n", "ini.section-doubled", mends=False),
    _m("a key twice", I, swap("name = press\n", "name = press\nname = press\n"), "ini.key-doubled"),
    _m("a key before the first section", I, lambda text: "name = x\n" + text, "ini.no-section", mends=False),
    _m("a comment behind the section", I, swap("[radio]", "[radio] # said"), "ini.section-tail", mends=False),
    # JSON
    _m("a comma before the brace", J, swap('"Europe/London"\n', '"Europe/London",\n'), "json.not-json"),
    _m("a comment", J, swap('  "list"', '  // the list\n  "list"'), "json.not-json"),
    _m("single quotes", J, swap('"Europe/London"', "'Europe/London'"), "json.not-json"),
    _m("a comma forgotten", J, swap("true},", "true}"), "json.not-json", mends=False, hides=True),
    _m("a key twice", J, swap('"zone": "Europe/London"', '"zone": "Europe/London", "zone": "x"'), "json.key-doubled", mends=False),
    # YAML
    _m("a tab for blanks", Y, swap("  name", "\tname"), "yaml.tab"),
    _m("a quote that is not closed", Y, swap("'Europe/London'", "'Europe/London"), "yaml.not-yaml", mends=False, hides=True),
    _m("a key twice", Y, swap("zone:", "device: x\nzone:"), "yaml.key-doubled", mends=False),
    _m("a colon without a blank", Y, swap("name: press", "name:press"), "yaml.not-yaml", mends=False, hides=True),
    # systemd's network
    _m("a section in small letters", D, swap("[Network]", "[network]"), "networkd.section-unknown"),
    _m("a bracket left out", D, swap("[DHCPv4]", "[DHCPv4"), "networkd.section-broken"),
    _m("a key in small letters", D, swap("DHCP=yes", "dhcp=yes"), "networkd.key-unknown"),
    _m("a word for DHCP that is none", D, swap("DHCP=yes", "DHCP=auto"), "networkd.value"),
    _m(
        "an address without its net", D, swap("DHCP=yes", "Address=192.168.7.40"), "networkd.address-alone", mends=False
    ),
    _m(
        "a mask behind an address",
        D,
        swap("DHCP=yes", "Address=192.168.7.40/255.255.255.0"),
        "networkd.value",
        mends=False,
    ),
    _m(
        "a device's name that is too long",
        D,
        swap("Name=wlan0", "Name=wireless-of-the-house"),
        "networkd.value",
        "networkd.no-match",
        mends=False,
    ),
    _m("no word of the device", D, swap("Name=wlan0\n", ""), "networkd.no-match", mends=False),
    _m("a line of prose", D, swap("[DHCPv4]", "remember to ask Ann\n[DHCPv4]"), "networkd.line"),
    # ConnMan's
    _m("a service without its word", C, swap("[service_wifi]", "[wifi]"), "connman.section-unknown"),
    _m("a hyphen for the underscore", C, swap("[service_wifi]", "[service-wifi]"), "connman.section-unknown"),
    _m("a key in small letters", C, swap("Name = Quay", "name = Quay"), "connman.key-unknown"),
    _m("no kind of service", C, swap("Type = wifi\n", ""), "connman.no-type", mends=False, hides=True),
    _m("a passphrase too short", C, swap(PHRASE, "short"), "wifi.passphrase-length", mends=False),
    _m(
        "an address without its net",
        C,
        swap("192.168.7.40/255.255.255.0/192.168.7.1", "192.168.7.40"),
        "connman.address",
        mends=False,
    ),
    _m(
        "a backslash in the passphrase", C, swap(PHRASE, "spring\\tide at noon\\"), "connman.value-dropped", mends=False
    ),
    _m("a name of 33 letters", C, swap("Quay House", "Q" * 33), "wifi.ssid-length", mends=False),
    _m("a line of prose", C, swap("[service_wifi]", "remember to ask Ann\n[service_wifi]"), "connman.line"),
)  # fmt: skip


@dataclass(frozen=True)
class Saved:
    """What an editor does to a whole file when it saves it."""

    name: str
    make: Callable[[bytes], bytes]
    code: str


SAVED: tuple[Saved, ...] = (
    Saved("with a mark at the beginning", lambda data: b"\xef\xbb\xbf" + data, "file.byte-order-mark"),
    Saved("as UTF-16", lambda data: data.decode().encode("utf-16"), "file.utf-16"),
    Saved("with CR LF", lambda data: data.replace(b"\n", b"\r\n"), "file.crlf"),
    Saved("with CR alone", lambda data: data.replace(b"\n", b"\r"), "file.cr-only"),
    Saved("with line ends put in twice", lambda data: data.replace(b"\n", b"\r\r\n"), "file.cr-twice"),
    Saved("without a last line end", lambda data: data.rstrip(b"\n"), "file.no-last-newline"),
)


def alone() -> Iterator[Mistake]:
    yield from MISTAKES


def _touched(base: str, after: str) -> set[int]:
    """Return the lines of `base` that a mistake changes, or stands beside."""
    old, new = base.split("\n"), after.split("\n")
    steps = difflib.SequenceMatcher(None, old, new, autojunk=False).get_opcodes()
    return {
        line for tag, i1, i2, _, _ in steps if tag != "equal" for line in range(i1 - (tag == "insert"), max(i2, i1 + 1))
    }


def pairs() -> Iterator[tuple[Mistake, Mistake]]:
    """Yield the mistakes of one dialect that are made in different lines."""
    for number, first in enumerate(MISTAKES):
        base = BASES[first.dialect]
        for second in MISTAKES[number + 1 :]:
            if first.dialect == second.dialect and not _touched(base, first.make(base)) & _touched(
                base, second.make(base)
            ):
                yield first, second
