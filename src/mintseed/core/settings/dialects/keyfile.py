"""The NetworkManager keyfile syntax. Source: nm-settings-keyfile(5), GLib key files, and the reader's behaviour."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects.keyfile_fields import FIELDS, KEY_MANAGEMENT, escaped, ssid_octets, unescaped
from mintseed.core.settings.dialects.value_table import Field
from mintseed.core.settings.meaning import BY_ITSELF, KEY, NOTHING, OPEN, PHRASE, Joined, Meaning
from mintseed.core.settings.sections import BLANKS, at, read_lines, section_of, set_key, span, spans
from mintseed.core.settings.values import PASSPHRASE_LEAST, PASSPHRASE_MOST, SSID_MOST_OCTETS, SettingValues
from mintseed.core.site.ranges import is_address
from mintseed.core.units import counted
from mintseed.core.visible import one_line

SOURCE = "nm-settings-keyfile(5)"

_ALIASES = {"802-11-wireless": "wifi", "802-11-wireless-security": "wifi-security", "802-3-ethernet": "ethernet"}
_KNOWN_SECTIONS = frozenset(
    [
        "6lowpan",
        "802-1x",
        "adsl",
        "bluetooth",
        "bond",
        "bond-port",
        "bridge",
        "bridge-port",
        "cdma",
        "connection",
        "dcb",
        "dummy",
        "ethernet",
        "ethtool",
        "generic",
        "gsm",
        "hostname",
        "infiniband",
        "ip-tunnel",
        "ipv4",
        "ipv6",
        "keyfile",
        "link",
        "loopback",
        "macsec",
        "macvlan",
        "match",
        "olpc-mesh",
        "ovs-bridge",
        "ovs-dpdk",
        "ovs-external-ids",
        "ovs-interface",
        "ovs-patch",
        "ovs-port",
        "ppp",
        "pppoe",
        "proxy",
        "serial",
        "sriov",
        "tc",
        "team",
        "team-port",
        "tun",
        "user",
        "veth",
        "vlan",
        "vpn",
        "vpn-secrets",
        "vrf",
        "vxlan",
        "wifi",
        "wifi-p2p",
        "wifi-security",
        "wifi-wowl",
        "wimax",
        "wireguard",
        "wpan",
    ]
)
KNOWN_KEYS = {
    "connection": frozenset(
        [
            "auth-retries",
            "autoconnect",
            "autoconnect-ports",
            "autoconnect-priority",
            "autoconnect-retries",
            "autoconnect-slaves",
            "dns-over-tls",
            "gateway-ping-timeout",
            "id",
            "interface-name",
            "lldp",
            "llmnr",
            "master",
            "mdns",
            "metered",
            "mptcp-flags",
            "mud-url",
            "multi-connect",
            "permissions",
            "read-only",
            "secondaries",
            "slave-type",
            "stable-id",
            "timestamp",
            "type",
            "uuid",
            "wait-activation-delay",
            "wait-device-timeout",
            "zone",
        ]
    ),
    "wifi": frozenset(
        [
            "ap-isolation",
            "band",
            "bssid",
            "channel",
            "cloned-mac-address",
            "generate-mac-address-mask",
            "hidden",
            "mac-address",
            "mac-address-blacklist",
            "mac-address-randomization",
            "mode",
            "mtu",
            "powersave",
            "rate",
            "seen-bssids",
            "ssid",
            "tx-power",
            "wake-on-wlan",
        ]
    ),
    "wifi-security": frozenset(
        [
            "auth-alg",
            "fils",
            "group",
            "key-mgmt",
            "leap-password",
            "leap-password-flags",
            "leap-username",
            "pairwise",
            "pmf",
            "proto",
            "psk",
            "psk-flags",
            "wep-key-flags",
            "wep-key-type",
            "wep-key0",
            "wep-key1",
            "wep-key2",
            "wep-key3",
            "wep-tx-keyidx",
            "wps-method",
        ]
    ),
}
"""Keys of the sections that decide about joining. Source: nm-settings-keyfile(5), NetworkManager 1.42."""

_NEEDS_A_KEY = ("wpa-psk", "sae")


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with the network set; comments, order and all other lines stay. Writes the derived key; for WPA3, which
    works from nothing else, the passphrase.

    What may keep the board from joining goes: a key that is to be asked for, and every line of the table that says so.
    """
    lines = text.split("\n")
    wanted = [("connection", "type", "wifi"), ("wifi", "ssid", ssid_value(values.ssid))]
    if values.hidden:
        wanted.append(("wifi", "hidden", "true"))
    if not values.open_network:
        key = escaped(values.passphrase) if values.wpa3_only else values.key
        wanted += [
            ("wifi-security", "key-mgmt", "sae" if values.wpa3_only else "wpa-psk"), ("wifi-security", "psk", key)
        ]  # fmt: skip
    if rank := values.networks[0].priority:
        wanted.append(("connection", "autoconnect-priority", str(rank)))
    if at := values.address:
        wanted += [
            ("ipv4", "method", "manual"),
            ("ipv4", "address1", f"{at.cidr},{at.gateway}" if at.gateway else at.cidr),
        ]
        wanted += [("ipv4", "dns", "".join(f"{one};" for one in at.dns))] if at.dns else []
        _drop_others(lines, "ipv4", r"address(es|[2-9]|1[0-9]+)?|gateway|dns|routes?[0-9]*")
    # A section for addresses without its method is refused.
    said = {(line.section, line.key) for line in read_lines(text, ("#",), _ALIASES)}
    auto = [s for s in ("ipv4", "ipv6") if (s, None) in said and (s, "method") not in said]
    wanted += [(s, "method", "auto") for s in auto if not (s == "ipv4" and values.address)]
    for section, key, value in wanted:
        set_key(lines, section, key, value, same=_SAME.get(value, ()), aliases=_ALIASES)
    gone = [
        ("wifi-security", "psk-flags"),
        ("wifi", "channel"),
        *(name for name, field in FIELDS.items() if field.goes),
    ]
    if values.wpa3_only:
        _drop(lines, "wifi-security", "pmf", harmless=(("pmf", "0"), ("pmf", "3")))
    for section, key in gone:
        _drop(lines, section, key)
    if values.open_network:
        _drop_section(lines, "wifi-security")
        _drop(lines, "wifi", "security")
    return "\n".join(lines)


def _drop_others(lines: list[str], section: str, keys: str) -> None:
    """Take the lines out whose keys match; a first address stays, and is set in its place."""
    for start, end in reversed(spans(lines, section, _ALIASES)):
        for i in range(end - 1, start, -1):
            if re.fullmatch(keys, lines[i].partition("=")[0].strip()) and "=" in lines[i]:
                del lines[i]


def _drop_section(lines: list[str], section: str) -> None:
    """Take a section out, but not the comments in it."""
    while found := span(lines, section, _ALIASES):
        inside = [line for line in lines[found[0] + 1 : found[1]] if line.lstrip().startswith("#")]
        lines[found[0] : found[1]] = [*inside, *([""] if inside and found[1] < len(lines) else [])]


def ssid_value(ssid: str) -> str:
    """Return `ssid` as the reader wants it: plain, or as a list of octets where plain would be misread, or taken for
    a name that somebody put in quotes."""
    plain = (
        all(32 <= ord(c) <= 126 for c in ssid) and ssid == ssid.strip() and not re.search(r"""[;\\"]|^'.*'$""", ssid)
    )
    if plain:
        return ssid
    return "".join(f"{octet};" for octet in ssid.encode())


_SAME = {"wifi": ("802-11-wireless",)}
"""other names of a type"""


_HARMLESS = (
    ("psk-flags", "0"), ("autoconnect", "true"), ("autoconnect", "1"), ("mode", "infrastructure"), ("auth-alg", "open"), ("pmf", "0"), ("pmf", "1"),
    ("pmf", "2"),
)  # fmt: skip
"""What stays though its key goes: it says what holds without it."""


def _drop(lines: list[str], section: str, key: str, harmless: tuple[tuple[str, str], ...] = _HARMLESS) -> None:
    for i in reversed(at(lines, section, key, _ALIASES)):
        if (key, _value(lines[i])) not in harmless:
            del lines[i]


def _value(line: str) -> str:
    return line.partition("=")[2].lstrip(BLANKS)


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield what the real reader would refuse or silently misread in `text`."""
    section = ""
    found: dict[str, dict[str, str]] = {}
    protected: list[Finding] = []
    for number, line in enumerate(text.split("\n"), 1):
        where = Where(file=path, line=number)
        bare = line.strip()
        if not bare or bare.startswith("#"):
            continue
        if (opened := section_of(line, _ALIASES)) is not None:
            section = opened
            if section in found and section in KNOWN_KEYS:
                yield Finding("keyfile.section-doubled", Severity.NOTE, f"[{section}] stands here twice", "The reader joins them.",
                              "Keep one.", where, SOURCE)  # fmt: skip
            found.setdefault(section, {})
            if section not in _KNOWN_SECTIONS and not section.startswith(("wireguard-peer.", "vpn", "ovs-", "sriov")):
                yield Finding("keyfile.section-unknown", Severity.CHECK, f"[{section}] is not a section", "The reader drops it silently, with all that stands below it.",
                              "Mend the word: [connection], [wifi], [wifi-security], [ipv4], [ipv6].", where, SOURCE)  # fmt: skip
            continue
        key, equals, _ = line.partition("=")
        key, value = key.strip(BLANKS), _value(line)
        if not equals or not section or not _KEY_NAME.fullmatch(key):
            yield _stop("keyfile.line", f"Line {number} is no setting", "The whole file is refused.",
                        "Write key=value below a [section].", where)  # fmt: skip
            continue
        found[section][key] = value
        for one in _check_value(section, key, value, where):
            if one.code == "keyfile.frames-protected":
                protected.append(one)  # which kind of key it has may stand further down
            else:
                yield one
    if found.get("wifi-security", {}).get("key-mgmt", "").lower() not in _PROTECTS:
        yield from protected
    yield from _check_whole(found, path, file)


_KEY_NAME = re.compile(r"[^\[\]]+(\[[A-Za-z0-9_.@-]+\])?")
"""Source: GLib, g_key_file_is_key_name: no brackets but those of a language at its end"""

_PROTECTS = ("sae", "owe")
"""kinds of key that demand protected frames (WPA3 specification §2.3, §4)"""


_QUOTED = ("ssid", "psk", "key-mgmt", "type", "mode", "method")
"""keys whose quotes are no part of what is meant; the name of a connection may have some"""


_WHOLE = (
    ("ipv4", "method"),
    ("ipv6", "method"),
    ("connection", "type"),
    ("wifi", "mode"),
    ("wifi-security", "key-mgmt"),
)
"""values that are one word of a few"""


def _check_value(section: str, key: str, value: str, where: Where) -> Iterator[Finding]:
    field = FIELDS.get((section, key))
    if key in _QUOTED and len(value) > 1 and value[0] in "\"'" and value[-1] == value[0]:
        yield _stop(
            "keyfile.quotes",
            f"Quotes around {key}",
            "Here quotes become part of the value.",
            "Remove the quotes.",
            where,
        )
    elif (section, key) in _WHOLE and "#" in value:
        yield _stop("keyfile.comment-behind", f"A comment behind {key} becomes part of it", "The whole file is refused.",
                    "Put the comment in a line of its own.", where)  # fmt: skip
    elif section == "wifi-security" and key == "psk":
        yield from _check_key(value, where)
    elif section == "wifi-security" and key == "key-mgmt" and value.lower() not in KEY_MANAGEMENT:
        blank = value.rstrip().lower() in KEY_MANAGEMENT
        yield _stop(
            "keyfile.key-management",
            f"{value.strip()} with a blank behind it is no kind of key"
            if blank
            else f"{value.strip()} is no kind of key",
            "The whole file is refused.",
            "Take the blank away." if blank else "Write key-mgmt=wpa-psk.",
            where,
        )
    elif field is not None:
        yield from _check_field(field, key, value, where)
    elif section in KNOWN_KEYS and key not in KNOWN_KEYS[section] and "." not in key:
        yield Finding("keyfile.key-unknown", Severity.CHECK, f"{key} is no key of [{section}]", "The reader drops it silently.",
                      "Mend the word, or take the line out.", where, SOURCE)  # fmt: skip
    elif section == "wifi" and key == "ssid":
        yield from _check_name(value, where)


def _check_field(field: Field, key: str, value: str, where: Where) -> Iterator[Finding]:
    """Yield what the table says of a value."""
    if unescaped(value) is None and key not in ("type", "method"):
        yield Finding("keyfile.value-dropped", Severity.CHECK, f"{key}={value} is dropped silently", "A backslash before such a letter spoils the line; the reader goes on as if it were not there.",
                      f"Write {field.expected or 'the value without it'}.", where, SOURCE)  # fmt: skip
        return
    taken = field.taken(value)
    if taken == "refused":
        yield _stop("keyfile.value-refused", f"{key}={value} is none the reader knows", "The whole file is refused.",
                    f"Write {field.expected}, or take the line out.", where)  # fmt: skip
    elif taken == "dropped":
        yield Finding("keyfile.value-dropped", Severity.CHECK, f"{key}={value} is dropped silently", "The reader goes on as if the line were not there.",
                      f"Write {field.expected}, or take the line out.", where, SOURCE)  # fmt: skip
    elif (away := field.keeps_away) is not None and away.when(value):
        yield Finding(away.code, away.severity, away.title, away.detail, "Take the line out.", where, SOURCE)


def _check_name(value: str, where: Where) -> Iterator[Finding]:
    octets = ssid_octets(value)
    if octets is not None and octets > SSID_MOST_OCTETS:
        yield _stop("wifi.ssid-length", f"The network name has {octets} octets", "The whole file is refused.",
                    f"At most {SSID_MOST_OCTETS}: copy it from the router's page.", where)  # fmt: skip
    elif value != value.rstrip():
        yield Finding("wifi.ssid-blank", Severity.CHECK, "The network name ends with a blank", "It becomes part of the name.",
                      "Remove it, unless the router's page shows it too.", where, SOURCE)  # fmt: skip


_FIXED = re.compile(r"([0-9A-Fa-f.:]+)([/;][0-9]+)?([,;].*)?")


def _fixed(said: Mapping[str, str], section: str) -> str:
    """Return the first fixed address the reader finds in the section ipv4 or ipv6; one it cannot read is dropped, and says nothing. Seen with nmcli 1.42."""
    for key, value in said.items():
        found = _FIXED.fullmatch(value) if re.fullmatch(r"address(es)?([1-9][0-9]*)?", key) else None
        if found and is_address(found[1]) and (":" in found[1]) is (section == "ipv6"):
            return f"{found[1]}{(found[2] or '').replace(';', '/')}"
    return ""


def _check_whole(found: dict[str, dict[str, str]], path: str, file: FileToFill | None) -> Iterator[Finding]:
    where, wifi, security = Where(file=path), found.get("wifi"), found.get("wifi-security")
    if not any(found.values()):
        yield _stop(
            "keyfile.empty",
            "Nothing is set in this file",
            "The reader refuses it.",
            "Start from the image's own file.",
            where,
        )
        return
    for name in ("ipv4", "ipv6"):
        if name in found and "method" not in found[name]:
            yield _stop(
                "keyfile.method-missing",
                f"[{name}] does not say how its address comes",
                "The whole file is refused.",
                f"Add method=auto to [{name}].",
                where,
            )
        elif found.get(name, {}).get("method", "").strip() == "manual" and not _fixed(found[name], name):
            yield _stop(
                "keyfile.address-missing",
                f"[{name}] wants a fixed address, and none is said",
                "The whole file is refused.",
                "Add address1=, or write method=auto.",
                where,
            )
    kind = found.get("connection", {}).get("type", "").strip()
    if not kind and wifi is None and "ethernet" not in found:
        yield _stop(
            "keyfile.no-type",
            "It does not say what it connects",
            "The reader refuses it.",
            "Add type=wifi to [connection].",
            where,
        )
    if wifi is None and kind not in ("wifi", "802-11-wireless"):
        if file is not None and file.when == "wifi":
            yield _stop(
                "wifi.no-network",
                "No Wi-Fi network is named in this file",
                f"It connects by {one_line(kind)}.",
                "Write type=wifi, and the network below [wifi].",
                where,
            )
        return
    name = (wifi or {}).get("ssid", "")
    if not name or unescaped(name.replace("\\;", ";")) is None:  # a line that its backslash spoils is dropped
        yield _stop("wifi.ssid-missing", "No network name", "The reader refuses it.", "Add ssid= to [wifi].", where)
    if security is None:
        # A key that stands in no section its reader knows was meant for this one.
        keyed = any(key in ("psk", "key-mgmt") for said in found.values() for key in said)
        yield Finding("keyfile.no-security", Severity.STOP if keyed else Severity.CHECK, "No [wifi-security] section", "It would join without a passphrase; that is right for an open network alone.",
                      "Add [wifi-security] with key-mgmt and psk.", where, SOURCE)  # fmt: skip
        return
    if (
        (wifi or {}).get("channel", "").strip().isdigit()
        and (wifi or {})["channel"].strip() != "0"
        and not (wifi or {}).get("band")
    ):
        yield _stop(
            "keyfile.channel-alone",
            "A channel without its band",
            "The whole file is refused.",
            "Take the line channel= out.",
            where,
        )
    kinds = security.get("key-mgmt", "").strip().lower()
    asks = security.get("psk-flags", "0").strip() not in ("0", "")
    if kinds in _NEEDS_A_KEY and (asks or not security.get("psk")):
        yield _stop("wifi.key-missing", "The key is not in the file", "It would wait for somebody to type it.",
                    "Add psk= and take psk-flags out.", where)  # fmt: skip
    elif kinds == "owe" and security.get("psk"):
        yield Finding("wifi.key-unused", Severity.CHECK, "A key stands there and is not used", "key-mgmt=owe joins a network of this name only where it asks for none.",
                      "Write key-mgmt=wpa-psk; for an open network, take psk= out.", where, SOURCE)  # fmt: skip
    elif not kinds or (kinds in KEY_MANAGEMENT and kinds not in (*_NEEDS_A_KEY, "owe")):
        yield _stop("wifi.key-management-other", f"It would join with {kinds or 'no kind of key'}, not with a passphrase",
                    "The board would start and never join.", "Write key-mgmt=wpa-psk.", where)  # fmt: skip
    if found.get("connection", {}).get("autoconnect", "true") in ("false", "0"):
        yield _stop(
            "wifi.disabled",
            "It would not connect by itself",
            "The line autoconnect= says so.",
            "Take the line autoconnect= out.",
            where,
        )
    if wifi and wifi.get("bssid"):
        yield Finding("wifi.bssid-fixed", Severity.CHECK, "Only one access point would do",
                      "The line bssid= keeps it from every other one of this name.", "Take the line out.", where, SOURCE)  # fmt: skip


def _stop(code: str, title: str, detail: str, fix: str, where: Where) -> Finding:
    return Finding(code, Severity.STOP, title, detail, fix, where, SOURCE)


def _check_key(value: str, where: Where) -> Iterator[Finding]:
    if re.fullmatch(r"[0-9a-fA-F]{64}", value):
        return
    if (said := unescaped(value)) is None:
        yield _stop("keyfile.key-dropped", "A backslash in the passphrase drops its line", "The reader goes on without a key and never joins.",
                    "Write \\\\ for a backslash.", where)  # fmt: skip
        return
    if re.fullmatch(r"[0-9a-fA-F]{64}\s+", value):
        yield _stop(
            "keyfile.key-blank",
            "A blank behind the key becomes part of it",
            "What is left is neither a key nor a passphrase.",
            "Remove it.",
            where,
        )
        return
    if value != value.rstrip() and not value.rstrip().endswith("#"):
        yield Finding("keyfile.key-blank", Severity.CHECK, "A blank behind the passphrase becomes part of it", "Most passphrases end with none.",
                      "Remove it, unless the router's page shows it too.", where, SOURCE)  # fmt: skip
    if re.match(r"[0-9a-fA-F]{64}\s", value):
        yield _stop("keyfile.comment-behind", "A comment behind the key becomes part of it",
                    "Here # begins a comment only at the start of a line.", "Put the comment in a line of its own.", where)  # fmt: skip
    elif not PASSPHRASE_LEAST <= len(said) <= PASSPHRASE_MOST:
        yield _stop("wifi.passphrase-length", f"The passphrase has {counted(len(said), 'character')}", "The reader takes it and never joins.",
                    f"{PASSPHRASE_LEAST} to {PASSPHRASE_MOST} characters, or 64 hex digits.", where)  # fmt: skip


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return the network that would be joined by itself and the address; nothing where the reader refuses the file."""
    if any(f.severity is Severity.STOP for f in check(text, path, file)):
        return NOTHING
    said = {(line.section, line.key): line.value for line in read_lines(text, ("#",), _ALIASES) if line.key}
    name = said.get(("wifi", "ssid"), "")
    octets = re.fullmatch(r"(?:[0-9]{1,3};)+", name.strip())
    if octets and all(int(n) < 256 for n in name.strip().rstrip(";").split(";")):
        shown = bytes(int(n) for n in name.strip().rstrip(";").split(";")).decode("utf-8", "replace")
    else:
        shown = unescaped(name) or name
    keyless = said.get(("wifi-security", "key-mgmt"), "").strip().lower() == "owe"  # RFC 8110
    key = "" if keyless else said.get(("wifi-security", "psk"), "")
    how = KEY if re.fullmatch(r"[0-9a-fA-F]{64}", key) else PHRASE if key else OPEN
    method = said.get(("ipv4", "method"), "auto").strip()
    fixed = _fixed({key: value for (section, key), value in said.items() if section == "ipv4" and key}, "ipv4")
    joins = (Joined(shown, how, said.get(("wifi", "hidden"), "").strip().lower() in ("true", "1")),) if name else ()
    if method == "auto":
        return Meaning(joins, address=BY_ITSELF, beside=fixed)
    return Meaning(joins, address=fixed if method == "manual" else "")
