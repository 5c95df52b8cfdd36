"""Networks as netplan reads them: in /etc/netplan, and as cloud-init's network-config, version 2. Source: netplan-yaml(5), netplan 0.106, asked key by
key by a test: what its generator does not know it refuses the whole file for.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

import yaml

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings import yaml_text
from mintseed.core.settings.dialects import yaml_file
from mintseed.core.settings.dialects.netplan_keys import (
    ACCESS_POINT,
    BANDS,
    DEVICE,
    ENTERPRISE,
    KINDS,
    MANAGEMENT,
    MODES,
    NETWORK,
    RENDERERS,
    TYPES,
)
from mintseed.core.settings.meaning import BY_ITSELF, KEY, NOTHING, OPEN, PHRASE, Joined, Meaning
from mintseed.core.settings.values import (
    PASSPHRASE_LEAST,
    PASSPHRASE_MOST,
    SSID_MOST_OCTETS,
    KnownNetwork,
    SettingValues,
)
from mintseed.core.settings.yaml_text import Path, YamlFault, at, child, keys, quoted, set_value
from mintseed.core.site.addresses import FixedAddress
from mintseed.core.site.ranges import is_address
from mintseed.core.units import counted
from mintseed.core.visible import one_line
from mintseed.core.words import capital

SOURCE = "netplan-yaml(5)"
_HEX_KEY = re.compile(r"[0-9a-fA-F]{64}")
_TRUE = ("true", "on", "yes", "y")


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with the network set as the first access point of the first radio, and further ones behind it; other devices and access
    points stay.

    Raises SettingsFileError for what is no YAML, another version of the format, or a name that the reader cannot carry.
    """
    if odd := next((n.ssid for n in values.networks if any(ord(c) < 32 or ord(c) == 127 for c in n.ssid)), ""):
        raise SettingsFileError(f"the network name {odd!r} cannot stand in this file", expected="no control letters", where=file.place,
                                next_step="Use another network, or the cable.")  # fmt: skip
    place = file.place
    outer = _outer(text, file)
    if _text_at(text, (*outer, "version")) == "1":
        raise SettingsFileError(
            "is of version 1, which knows no Wi-Fi",
            expected="version: 2",
            where=place,
            next_step="Come by cable first.",
        )
    if _text_at(text, (*outer, "version")) is None:
        text = set_value(text, (*outer, "version"), "2", place=place)
    radio = (*outer, "wifis", next(iter(_keys_at(text, (*outer, "wifis"))), file.device))
    if values.address is not None:
        text = _with_address(text, radio, values.address, place)
    elif _text_at(text, (*radio, "addresses")) is None and not any(
        (_text_at(text, (*radio, k)) or "").lower() in _TRUE for k in ("dhcp4", "dhcp6")
    ):
        text = set_value(text, (*radio, "dhcp4"), "true", place=place)
    if values.country and _text_at(text, (*radio, "regulatory-domain")) != values.country:
        text = set_value(text, (*radio, "regulatory-domain"), quoted(values.country), place=place)
    points = (*radio, "access-points")
    there = _keys_at(text, points)
    if there and values.ssid not in there:
        text = yaml_text.rename(text, at(_node(text), points), there[0], quoted(values.ssid))
    for network in values.networks:
        text = _with_network(text, points, network, place)
    return text


def _with_network(text: str, points: Path, network: KnownNetwork, place: str) -> str:
    """Return `text` with one access point as it has to be: in place where its name stands there, else behind the others."""
    point = (*points, network.ssid)
    for inner, value in _joining(network):
        if network.ssid not in _keys_at(text, points):
            text = _with_point(text, point, inner, value, place)
        elif _text_at(text, (*point, *inner)) != value:
            text = set_value(text, (*point, *inner), quoted(value), place=place)
    if network.hidden and (_text_at(text, (*point, "hidden")) or "").lower() not in _TRUE:
        text = set_value(text, (*point, "hidden"), "true", place=place)
    gone: tuple[Path, ...] = (("password",),) if network.open or network.wpa3_only else (("auth",),)
    gone += (("auth", "password"),) if network.open else ()
    for away in (*((k,) for k in ("bssid", "band", "channel", "mode")), *gone):
        text = yaml_text.without(text, (*point, *away), place=place)
    return text


def _with_address(text: str, radio: Path, address: FixedAddress, place: str) -> str:
    """Return `text` with a fixed address of the radio. The way out is said as a route, which every release knows (netplan-yaml(5): gateway4 is
    deprecated, and `default` younger than 0.0.0.0/0)."""
    wanted = {"addresses": f"[{address.cidr}]"}
    if address.gateway:
        wanted["routes"] = f"[{{to: 0.0.0.0/0, via: {address.gateway}}}]"
    if address.dns:
        wanted["nameservers"] = f"{{addresses: [{', '.join(address.dns)}]}}"
    text = set_value(text, (*radio, "dhcp4"), "false", place=place)
    for key in ("addresses", "gateway4", "routes", "nameservers"):
        if _source_at(text, (*radio, key)) != wanted.get(key, ""):
            text = yaml_text.without(text, (*radio, key), place=place)
    for key, value in wanted.items():
        if not _source_at(text, (*radio, key)):
            text = set_value(text, (*radio, key), value, place=place)
    return text


def _source_at(text: str, path: Path) -> str:
    """Return what stands at `path` as it is written there; empty where nothing does."""
    node = at(_node(text), path)
    return "" if node is None else text[node.start_mark.index : node.end_mark.index].strip()


def _joining(network: KnownNetwork) -> tuple[tuple[Path, str], ...]:
    """Return what opens the network, and where it stands below its name: the derived key; for WPA3, which works from nothing else, the
    passphrase (netplan-yaml(5), since 0.107); of an open one that nothing does."""
    if network.open:
        return ((("auth", "key-management"), "none"),)
    if network.wpa3_only:
        return ((("auth", "key-management"), "sae"), (("auth", "password"), network.passphrase))
    return ((("password",), network.key),)


def _with_point(text: str, point: Path, inner: Path, value: str, place: str) -> str:
    # Its name is a key like any other, and may be one that only quotes can carry.
    marker = "access-point-to-name"
    text = set_value(text, (*point[:-1], marker, *inner), quoted(value), place=place)
    return yaml_text.rename(text, at(_node(text), point[:-1]), marker, quoted(point[-1]))


def _node(text: str) -> yaml.Node | None:
    node = yaml_text.read(text)
    return None if isinstance(node, YamlFault) else node


def _outer(text: str, file: FileToFill) -> Path:
    """Return where the devices stand: below network:, which cloud-init's file may leave out."""
    root = yaml_text.read(text)
    if isinstance(root, YamlFault):
        raise SettingsFileError(f"is no YAML: {root.says}", expected="YAML", where=f"{file.place}, line {root.line}")
    bare = file.dialect == "cloud-init-network" and child(root, "network") is None
    return () if bare else ("network",)


def _text_at(text: str, path: Path) -> str | None:
    """Return the one value at `path`; empty where more than one stands there, None where nothing does."""
    node = at(_node(text), path)
    return None if node is None else node.value if isinstance(node, yaml.ScalarNode) else ""


def _keys_at(text: str, path: Path) -> tuple[str, ...]:
    return keys(at(_node(text), path))


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield what netplan's generator would refuse, and what would not be joined."""
    root = yaml_text.read(text)
    if isinstance(root, YamlFault):
        yield yaml_file.fault(root, path)
    elif root is None:
        yield from _nothing(file, path)
    else:
        yield from yaml_file.twice(root, path)
        yield from _named(root, frozenset(["network"]), "the file", path)
        yield from _networks(
            [v for k, v in root.value if k.value == "network"] if isinstance(root, yaml.MappingNode) else [], file, path
        )


def check_cloud(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield the same of cloud-init's network-config, whose outer key may be left out, and which may be of version 1."""
    root = yaml_text.read(text)
    if isinstance(root, YamlFault):
        yield yaml_file.fault(root, path)
        return
    network = child(root, "network") or root
    if network is None:
        yield from _nothing(file, path)
        return
    yield from yaml_file.twice(network, path)
    version = child(network, "version")
    if not isinstance(version, yaml.ScalarNode) or version.value != "1":
        yield from _networks([network], file, path)
    elif file is not None and file.when == "wifi":
        yield _stop(
            "netplan.version-one",
            "This is version 1, which knows no Wi-Fi",
            "The radio stays off.",
            "Write it as version 2, or come by cable first.",
            version,
            path,
        )


def _nothing(file: FileToFill | None, path: str) -> Iterator[Finding]:
    if file is not None and file.when == "wifi":
        yield Finding("netplan.no-network", Severity.STOP, "No network is named in this file", "Everything stands below network: in it.", "Add network: with wifis:.", Where(file=path), SOURCE)  # fmt: skip


def _networks(networks: list[yaml.Node], file: FileToFill | None, path: str) -> Iterator[Finding]:
    for network in networks:
        yield from _network(network, path)
    if file is not None and file.when == "wifi" and not any(keys(child(network, "wifis")) for network in networks):
        yield Finding("wifi.no-network", Severity.STOP, "No Wi-Fi network is named in this file", "The radio stays off.", "Add wifis: with the radio and its access point.", Where(file=path), SOURCE)  # fmt: skip


def _stop(code: str, title: str, detail: str, fix: str, node: yaml.Node, path: str) -> Finding:
    return Finding(code, Severity.STOP, title, detail, fix, Where(file=path, line=node.start_mark.line + 1), SOURCE)


def _refused(code: str, title: str, fix: str, node: yaml.Node, path: str) -> Finding:
    return _stop(
        code, title, "The reader refuses the whole file because of it, and no device comes up.", fix, node, path
    )


def _named(node: yaml.Node, known: frozenset[str], what: str, path: str) -> Iterator[Finding]:
    """Yield the keys of a mapping that are none, and those behind which something else stands than belongs there."""
    if not isinstance(node, yaml.MappingNode):
        yield _refused(
            "netplan.no-keys",
            f"{capital(what) if what.startswith('the ') else what} wants keys below it",
            "Look at the blanks at the beginning of its lines.",
            node,
            path,
        )
        return
    for key, value in node.value:
        if isinstance(key, yaml.ScalarNode) and key.value not in known:
            yield _refused(
                "netplan.key-unknown",
                f"{key.value} is no key of {what}",
                "Mend the word, or the blanks before it.",
                key,
                path,
            )
        elif isinstance(key, yaml.ScalarNode):
            yield from _typed(key, value, path)


_FITS = {
    "boolean": r"(?i:true|on|yes|y|false|off|no|n)", "number": r"[0-9]+", "text": r"(?s:.*)", "address": r"[0-9A-Fa-f]{2}(:[0-9A-Fa-f]{2}){5}|[0-9A-Fa-f]{2}(:[0-9A-Fa-f]{2}){19}",
}  # fmt: skip
_WANTS = {
    "boolean": "true or false",
    "number": "a number",
    "text": "one text",
    "address": "six octets, as in 02:00:00:00:00:01",
    "list": "a list",
    "keys": "keys below it",
}


def _typed(key: yaml.ScalarNode, value: yaml.Node, path: str) -> Iterator[Finding]:
    kind = TYPES.get(key.value)
    if kind is None:
        return
    if kind in ("list", "keys"):
        fits = isinstance(value, yaml.SequenceNode if kind == "list" else yaml.MappingNode)
    else:
        fits = isinstance(value, yaml.ScalarNode) and re.fullmatch(_FITS[kind], value.value) is not None
    if not fits:
        shown = (
            f"{key.value}: {value.value}"
            if isinstance(value, yaml.ScalarNode) and value.value and key.value != "password"
            else key.value
        )
        yield _refused(
            "netplan.value",
            f"{shown} wants {_WANTS[kind]}",
            f"Write {_WANTS[kind]}, or take it out.",
            value,
            path,
        )


def _network(network: yaml.Node, path: str) -> Iterator[Finding]:
    yield from _named(network, NETWORK, "network", path)
    version, renderer = child(network, "version"), child(network, "renderer")
    if isinstance(version, yaml.ScalarNode) and not re.match(r"\+?0*2(?![0-9])", version.value):
        yield _refused(
            "netplan.value", f"Version {version.value} is none the reader knows", "Write version: 2.", version, path
        )
    if isinstance(renderer, yaml.ScalarNode) and renderer.value not in RENDERERS:
        yield _refused(
            "netplan.value",
            f"{renderer.value} is none of its renderers",
            "Write networkd or NetworkManager, or take it out.",
            renderer,
            path,
        )
    for kind, devices in network.value if isinstance(network, yaml.MappingNode) else ():
        if kind.value not in KINDS:
            continue
        if not isinstance(devices, yaml.MappingNode):
            yield from _named(devices, frozenset(), kind.value, path)
            continue
        for key, device in devices.value:
            if re.search(r"[*?\[]", str(key.value)):
                yield _refused(
                    "netplan.value",
                    f"{key.value} stands for many devices",
                    "Give it a name of your own, and match: with name: below it.",
                    key,
                    path,
                )
            yield from _device(device, key, kind.value, path)


def _device(device: yaml.Node, key: yaml.Node, kind: str, path: str) -> Iterator[Finding]:
    yield from _named(
        device,
        DEVICE | (frozenset(["access-points", "wakeonwlan", "regulatory-domain"]) if kind == "wifis" else frozenset()),
        str(key.value),
        path,
    )
    addresses = child(device, "addresses")
    if isinstance(addresses, yaml.SequenceNode):
        for one in addresses.value:
            if isinstance(one, yaml.ScalarNode) and not _is_with_net(one.value):
                yield _refused(
                    "netplan.address",
                    f"{one.value} is no address with the length of its net",
                    "Write it as in 192.168.1.20/24.",
                    one,
                    path,
                )
    if kind != "wifis":
        return
    country = child(device, "regulatory-domain")
    # What it writes for the supplicant ends at a #, as a comment does there.
    if isinstance(country, yaml.ScalarNode) and len(country.value.partition("#")[0].encode()) < 2:
        yield _stop(
            "wifi.country-short",
            f"The country {country.value} is too short",
            "The generator takes it; the supplicant behind it refuses the whole file.",
            "Write two capital letters, as in GB.",
            country,
            path,
        )
    if isinstance(device, yaml.MappingNode):
        yield from _radio(device, key, path)


def _is_with_net(said: str) -> bool:
    """Return whether a text is an address with the length of its net, which is none of 0 and of no more bits than it has. Seen with netplan 0.106."""
    address, _, length = said.rpartition("/")
    longest = 128 if ":" in address else 32
    is_length = re.fullmatch(r"[1-9][0-9]{0,2}", length) is not None and int(length) <= longest
    return is_length and "%" not in address and is_address(address)


def _radio(device: yaml.Node, key: yaml.Node, path: str) -> Iterator[Finding]:
    points = child(device, "access-points")
    if not keys(points):
        yield _refused(
            "wifi.ssid-missing",
            f"{key.value} has no access point",
            "Add access-points: and the network's name below it.",
            points or key,
            path,
        )
        return
    assert isinstance(points, yaml.MappingNode)
    asked = any(
        isinstance(n := child(device, k), yaml.ScalarNode) and n.value.lower() in _TRUE for k in ("dhcp4", "dhcp6")
    )
    if not asked and child(device, "addresses") is None:
        yield Finding("netplan.no-address", Severity.CHECK, f"{key.value} asks for no address", "The device would join and never be reached by an address of this network.",
                      "Add dhcp4: true below it.", Where(file=path, line=key.start_mark.line + 1), SOURCE)  # fmt: skip
    seen: set[str] = set()
    for name, point in points.value:
        if not isinstance(name, yaml.ScalarNode):
            continue
        if name.value in seen:
            yield _refused("wifi.network-doubled", f"{name.value} stands here twice", "Keep one of them.", name, path)
        seen.add(name.value)
        yield from _point(name, point, path)


def _point(name: yaml.ScalarNode, point: yaml.Node, path: str) -> Iterator[Finding]:
    octets = len(name.value.encode())
    if not 1 <= octets <= SSID_MOST_OCTETS:
        yield _stop(
            "wifi.ssid-length",
            f"The network name has {octets} octets",
            "The generator takes it; the supplicant behind it does not.",
            f"1 to {SSID_MOST_OCTETS} are allowed.",
            name,
            path,
        )
    yield from _named(point, ACCESS_POINT, f"the access point {name.value}", path)
    mode, band = child(point, "mode"), child(point, "band")
    if isinstance(mode, yaml.ScalarNode) and mode.value != "infrastructure":
        known = mode.value in MODES
        yield _stop("wifi.mode-other" if known else "netplan.value", "It would not join, but be a network of another kind" if known else f"mode: {mode.value} is none the reader knows",
                    "Others may take it for the one that is meant." if known else "The reader refuses the whole file because of it.", "Take mode: out.", mode, path)  # fmt: skip
    if isinstance(band, yaml.ScalarNode):
        if band.value not in BANDS:
            yield _refused(
                "netplan.value",
                f"band: {band.value} is none the reader knows",
                'Write "2.4GHz" or "5GHz", or take it out.',
                band,
                path,
            )
        else:
            yield Finding("wifi.channels-fixed", Severity.CHECK, "Only some channels would do", "An access point on any other channel is never met.", "Take band: out.",
                          Where(file=path, line=band.start_mark.line + 1), SOURCE)  # fmt: skip
    management, (kind, password) = child(child(point, "auth"), "key-management"), _opened(point)
    if isinstance(management, yaml.ScalarNode) and management.value not in MANAGEMENT:
        kind = management.value
        newer = kind in ("sae", "eap-sha256", "eap-suite-b-192", "psk-sha256")
        yield Finding("netplan.value", Severity.CHECK if newer else Severity.STOP, f"key-management: {kind} is none that every release knows" if newer else f"key-management: {kind} is none the reader knows",
                      "Releases before 0.107 refuse the whole file." if newer else "The reader refuses the whole file because of it.", "Write psk.",
                      Where(file=path, line=management.start_mark.line + 1), SOURCE)  # fmt: skip
        return
    if isinstance(management, yaml.ScalarNode) and kind in ENTERPRISE:
        if child(child(point, "auth"), "identity") is None:
            yield _stop("wifi.key-management-other", f"It would join with {kind}, not with a passphrase", "No account stands there: the board would start and never join.",
                        "Write key-management: psk.", management, path)  # fmt: skip
        return
    if (
        isinstance(password, yaml.ScalarNode)
        and kind == "psk"
        and not _HEX_KEY.fullmatch(password.value)
        and not PASSPHRASE_LEAST <= len(password.value.encode()) <= PASSPHRASE_MOST
    ):
        yield _stop("wifi.passphrase-length", f"The reader sees a passphrase of {counted(len(password.value.encode()), 'character')}", "It refuses the whole file because of it.",
                    f"{PASSPHRASE_LEAST} to {PASSPHRASE_MOST} are allowed, or 64 hex digits.", password, path)  # fmt: skip
    elif password is None and kind == "psk":
        yield _stop(
            "wifi.key-missing",
            "The key is not in the file",
            "The network is not joined.",
            "Add password: below the name.",
            name,
            path,
        )
    elif password is not None and kind in ("", "none"):
        yield Finding("wifi.key-unused", Severity.CHECK, "A key stands there and is not used", f"As it stands, {name.value} would be joined without a passphrase, since auth says no key-management that takes one.",
                      "Write password: below the name, and take auth: out.", Where(file=path, line=password.start_mark.line + 1), SOURCE)  # fmt: skip
    elif password is None and not kind and name.value:
        yield Finding("wifi.open", Severity.CHECK, f"{name.value} would be joined without a passphrase", "That is right for an open network alone.", "Add password: below the name.",
                      Where(file=path, line=name.start_mark.line + 1), SOURCE)  # fmt: skip


def _opened(point: yaml.Node | None) -> tuple[str, yaml.Node | None]:
    """Return how an access point is joined as its reader comes to it, key by key, and what stands there as its password. A password below the
    name is said for psk, one below auth for nothing. Empty where nothing is said. Seen with netplan 0.106."""
    kind, password = "", None
    for key, value in point.value if isinstance(point, yaml.MappingNode) else ():
        if key.value == "password":
            kind, password = "psk", value
        for below, said in value.value if key.value == "auth" and isinstance(value, yaml.MappingNode) else ():
            if below.value == "key-management" and isinstance(said, yaml.ScalarNode):
                kind = said.value
            elif below.value == "password":
                password = said
    return kind, password


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return the networks its radios join, the country and the address; nothing of what is no YAML."""
    root = yaml_text.read(text)
    if isinstance(root, YamlFault):
        return NOTHING
    network = child(root, "network") or root
    joins: list[Joined] = []
    country = address = beside = ""
    for kind in ("ethernets", "wifis"):
        devices = child(network, kind)
        for name in keys(devices):
            device = child(devices, name)
            fixed = _first(child(device, "addresses"))
            if _yes(device, "dhcp4") or _yes(device, "dhcp6"):
                address, beside = BY_ITSELF, fixed
            elif fixed:
                address, beside = fixed, ""
            if kind == "wifis":
                said = child(device, "regulatory-domain")
                country = said.value if isinstance(said, yaml.ScalarNode) else country
                joins += _joined(child(device, "access-points"))
    return Meaning(tuple(joins), one_line(country), address, beside)


def _first(addresses: yaml.Node | None) -> str:
    """Return the first of a list of addresses; empty where there is none."""
    one = addresses.value[0] if isinstance(addresses, yaml.SequenceNode) and addresses.value else None
    return one_line(one.value) if isinstance(one, yaml.ScalarNode) else ""


def _yes(node: yaml.Node | None, key: str) -> bool:
    said = child(node, key)
    return isinstance(said, yaml.ScalarNode) and said.value.lower() in _TRUE


def _joined(points: yaml.Node | None) -> Iterator[Joined]:
    for name in keys(points):
        point = child(points, name)
        mode, (kind, word) = child(point, "mode"), _opened(point)
        if isinstance(mode, yaml.ScalarNode) and mode.value != "infrastructure":
            continue
        if kind in ENTERPRISE or not name:
            continue
        key = word.value if isinstance(word, yaml.ScalarNode) and kind not in ("", "none") else ""
        yield Joined(name, KEY if _HEX_KEY.fullmatch(key) else PHRASE if key else OPEN, _yes(point, "hidden"))
