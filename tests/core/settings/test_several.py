"""Several networks, open ones and fixed addresses: what is filled is read by the real readers, and means what was meant.

Judges: wpa_supplicant 2.10, nmcli --offline, netplan's generator, ifquery, systemd-networkd 252 and connmand 1.41 in networks of their own.
"""

from __future__ import annotations

import configparser
import re
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mintseed import wiring
from mintseed.core.findings import Severity, verdict
from mintseed.core.image.facts import Fact, SystemFacts
from mintseed.core.recipes.model import WIFI_DIALECTS, FileToFill
from mintseed.core.settings.dialects.networkd_keys import KEYS
from mintseed.core.settings.dialects.registry import DIALECTS
from mintseed.core.settings.fill import FilledFile, address_findings, check_file, fill_files, takes_address
from mintseed.core.settings.values import SSID_MOST_OCTETS, KnownNetwork, SettingValues, check_values, derived_key
from mintseed.core.site.addresses import FixedAddress
from tests.builders import networks, readers
from tests.builders.xrays import holding
from tests.core.settings.test_values import values

AT = FixedAddress("192.168.7.40", 24, "192.168.7.1", ("192.168.7.1", "192.168.7.2"))
BOAT = KnownNetwork("Boat shed", "low water at six")
HIDDEN = KnownNetwork("café 5G", "a lamp in the hall", hidden=True)
OPEN = KnownNetwork("Harbour guests", open=True)
NEW = KnownNetwork("Loft", "three grey seals", wpa3_only=True)
WIFI = list(WIFI_DIALECTS)


def a_file(dialect: str, **more: object) -> FileToFill:
    return FileToFill.model_validate({"path": "f", "dialect": dialect, "title": "Wi-Fi", "when": "wifi", **more})


def filled(file: FileToFill, wanted: SettingValues, there: str = "") -> tuple[FilledFile, ...]:
    recipe = wiring.recipes()["platen"].model_copy(update={"files": (file.model_copy(update={"absent": "make"}),)})
    return fill_files(recipe, wanted, holding({file.place: there.encode()} if there else {}))


def text_of(dialect: str, wanted: SettingValues, there: str = "") -> str:
    return DIALECTS[dialect].apply(there, a_file(dialect), wanted)


# several


def test_the_supplicant_joins_each_in_its_order(tmp_path: Path) -> None:
    after = text_of("wpa-supplicant", values(others=(BOAT, HIDDEN, OPEN, NEW)))
    (tmp_path / "f").write_text(after)
    read = readers.wpa_supplicant(tmp_path / "f", shown=True)
    assert read.accepted, read.output
    blocks = read.output.split("start of a new network block")[1:]
    assert [int(re.search(r"^priority=(\d+)", b, re.MULTILINE)[1]) for b in blocks] == [5, 4, 3, 2, 1]  # type: ignore[index]
    assert [("scan_ssid=1" in b) for b in blocks] == [False, False, True, False, False]
    assert bytes.fromhex(derived_key("low water at six", "Boat shed"))[:8].hex(" ") in blocks[1]
    assert "key_mgmt: 0x4" in blocks[3], "WPA_KEY_MGMT_NONE (src/common/defs.h)"
    assert "key_mgmt: 0x400" in blocks[4], "WPA_KEY_MGMT_SAE"


def test_the_block_that_names_a_network_already_is_the_one_that_is_filled() -> None:
    before = 'country=GB\nnetwork={\n  ssid="Quay House 2G"\n  psk="spring tide at noon"\n}\n\n# the shed\nnetwork={\n  ssid="Boat shed"\n  # old\n  psk="something else"\n  disabled=1\n}\n'
    after = text_of("wpa-supplicant", values(others=(BOAT,)), before)
    assert after.count("network={") == 2
    assert "# the shed" in after
    assert "  # old" in after
    assert "disabled" not in after
    assert text_of("wpa-supplicant", values(others=(BOAT,)), after) == after


def test_the_network_manager_gets_a_file_each_and_joins_them_in_their_order() -> None:
    file = a_file("keyfile", path="etc/NetworkManager/system-connections/house.nmconnection", volume="root")
    made = filled(file, values(others=(BOAT, OPEN, NEW)))
    assert [f.path.rsplit("/", 1)[-1] for f in made] == [
        "house.nmconnection", "house-2.nmconnection", "house-3.nmconnection", "house-4.nmconnection",
    ]  # fmt: skip
    ranks, kinds = [], []
    for one in made:
        assert verdict(one.findings) is not Severity.STOP, one.findings
        assert (one.owned.uid, one.owned.mode) == (0, 0o600), (
            "nm-settings-keyfile(5): nobody else's, and read by nobody else"
        )
        said = readers.nmcli(one.content.decode())
        assert said.accepted, said.output
        read = configparser.RawConfigParser(delimiters=("=",), strict=False, comment_prefixes=("#",))
        read.read_string(said.output)
        ranks.append(int(read["connection"]["autoconnect-priority"]))
        kinds.append(read["wifi-security"]["key-mgmt"] if "wifi-security" in read else "")
    assert (ranks, kinds) == ([4, 3, 2, 1], ["wpa-psk", "wpa-psk", "", "sae"])


def test_a_file_that_is_copied_by_its_name_holds_the_first_alone_and_says_so() -> None:
    [one] = filled(a_file("keyfile", path="network/wifi.nmconnection"), values(others=(BOAT, OPEN)))
    [told] = [f for f in one.findings if f.code == "settings.networks-left-out"]
    assert told.severity is Severity.CHECK
    assert "Boat shed, Harbour guests" in told.title
    assert b"autoconnect-priority" not in one.content


def test_netplan_hands_the_supplicant_every_network(tmp_path: Path) -> None:
    after = text_of("netplan", values(others=(BOAT, HIDDEN, OPEN)))
    assert readers.netplan(after.encode(), tmp_path).accepted
    written = readers.netplan_supplicant(tmp_path).read_text()
    for key in (derived_key("low water at six", "Boat shed"), derived_key("a lamp in the hall", "café 5G")):
        assert f"psk={key}" in written
    assert written.count("network={") == 4
    assert "key_mgmt=NONE" in written
    assert readers.wpa_supplicant(readers.netplan_supplicant(tmp_path)).accepted
    assert text_of("netplan", values(others=(BOAT, HIDDEN, OPEN)), after) == after


def test_connman_takes_a_service_each(tmp_path: Path) -> None:
    after = text_of("connman", values(others=(BOAT, HIDDEN, OPEN), address=AT))
    said = networks.connman(after.encode(), tmp_path)
    assert [line.rsplit(" ", 1)[-1] for line in said.output.split("\n") if "Adding service configuration" in line] == [
        "wifi", "wifi_2", "wifi_3", "wifi_4",
    ]  # fmt: skip
    assert not [
        line for line in said.output.split("\n") if "Unknown" in line or "Mismatch" in line or "Invalid" in line
    ]
    assert text_of("connman", values(others=(BOAT, HIDDEN, OPEN), address=AT), after) == after


def test_iwd_gets_a_file_each_called_after_its_network() -> None:
    """Source: iwd.network(5): .psk with a key, .open without."""
    file = a_file("iwd", path="var/lib/iwd/={wifi_name_hex}.psk", volume="root")
    made = filled(file, values(others=(BOAT, OPEN, NEW)))
    assert [f.path for f in made] == [
        f"/var/lib/iwd/{n}" for n in ("Quay House 2G.psk", "Boat shed.psk", "Harbour guests.open", "Loft.psk")
    ]
    told = [f for f in made[1].findings if f.code == "settings.file-made"]
    assert [("Boat shed" in f.detail, "written over" in f.detail) for f in told] == [(True, True)], (
        "nobody looked for it"
    )
    assert made[2].content == b"[Settings]\nAutoConnect=true\n"
    assert b"Passphrase=three grey seals" in made[3].content
    assert "Harbour guests without a passphrase" in made[2].meaning


IWD_SEEN = (
    # iwd 2.3 in a machine (docs/proving.md): what it says of a file it lists, "Error loading", and joins nothing
    ("=476c617373686f757365203247.psk", "iwd.file-name"),
    ("Glasshouse 2G.psk", ""),
    # iwd.network(5): encoded where the name has more than letters, digits, spaces, underscores and minus signs; in small letters
    (f"={'Gewächshaus'.encode().hex()}.psk", ""),
    (f"={'Gewächshaus'.encode().hex().upper()}.psk", "iwd.file-name"),
    ("Gewächshaus.psk", "iwd.file-name"),
    ("=nothex.psk", "iwd.file-name"),
    (".psk", "iwd.file-name"),
    ("under_score-minus 9.open", ""),
)


@pytest.mark.parametrize(("name", "code"), IWD_SEEN)
def test_iwd_reads_a_file_under_the_one_name_of_its_network(name: str, code: str) -> None:
    text = (
        b"[Settings]\nAutoConnect=true\n"
        if name.endswith(".open")
        else b"[Security]\nPreSharedKey=" + b"a" * 64 + b"\n"
    )
    told = {f.code: f.severity for f in check_file(text, f"/var/lib/iwd/{name}", "iwd", None)}
    assert told == ({code: Severity.STOP} if code else {})


@pytest.mark.parametrize("dialect", ["connman", "interfaces"])
def test_what_cannot_be_said_of_one_network_does_not_keep_the_others_out(dialect: str) -> None:
    [one] = filled(a_file(dialect), values(others=(NEW, BOAT)))
    [told] = [f for f in one.findings if f.code == "settings.networks-left-out"]
    assert ("Boat shed" in told.title) is (dialect == "interfaces")
    assert "Loft" in told.title
    assert b"three grey seals" not in one.content


def test_two_radios_of_one_name_stand_once_in_a_file() -> None:
    again = KnownNetwork("Quay House 2G", "spring tide at noon")
    assert text_of("wpa-supplicant", values(others=(again, BOAT))).count("Quay House 2G") == 1
    assert [n.priority for n in values(others=(again, BOAT)).networks] == [2, 1]


def test_what_is_wrong_with_a_further_network_is_said_by_its_name() -> None:
    short = check_values(
        values(others=(KnownNetwork("Shed", "short"),)), default_host_name="platen", names_taken=frozenset()
    )
    [told] = [f for f in short if f.where and f.where.field == "also"]
    assert (told.code, told.severity, told.title[:6]) == ("wifi.passphrase-length", Severity.STOP, "Shed: ")
    assert "short" not in "".join(f.title + f.detail for f in short)
    open_one = check_values(values(others=(OPEN,)), default_host_name="platen", names_taken=frozenset())
    assert [f.severity for f in open_one if f.code == "wifi.open"] == [Severity.CHECK]
    fine = check_values(values(others=(BOAT, HIDDEN)), default_host_name="platen", names_taken=frozenset())
    assert not [f for f in fine if f.where and f.where.field == "also"]


@pytest.mark.parametrize("dialect", [d for d in WIFI if DIALECTS[d].several == "in-file"])
@given(
    names=st.lists(
        st.text(st.characters(exclude_categories=["Cs", "Cc"]), min_size=1, max_size=10).filter(
            lambda name: len(name.encode()) <= SSID_MOST_OCTETS
        ),
        min_size=2,
        max_size=4,
        unique=True,
    )
)
@settings(max_examples=30)
def test_every_name_is_read_back_and_filling_twice_is_filling_once(dialect: str, names: list[str]) -> None:
    wanted = values(ssid=names[0], others=tuple(KnownNetwork(n, "low water at six") for n in names[1:]))
    made = text_of(dialect, wanted)
    assert text_of(dialect, wanted, made) == made
    assert [j.name for j in DIALECTS[dialect].means(made, "f", a_file(dialect)).joins] == names


# open


@pytest.mark.parametrize("dialect", [d for d in WIFI if d != "iwd"])
def test_an_open_network_is_joined_without_a_passphrase(dialect: str, tmp_path: Path) -> None:
    old = text_of(dialect, values())
    for before in ("", old):
        [one] = filled(a_file(dialect), values(open_network=True, passphrase=""), before)
        assert Severity.STOP not in {f.severity for f in one.findings}, one.findings
        assert values().key.encode() not in one.content
        assert "without a passphrase" in one.meaning
        match dialect:
            case "wpa-supplicant":
                (tmp_path / "f").write_bytes(one.content)
                assert "key_mgmt: 0x4" in readers.wpa_supplicant(tmp_path / "f").output
            case "keyfile":
                assert "wifi-security" not in readers.nmcli(one.content.decode()).output
                assert readers.nmcli(one.content.decode()).accepted
            case "netplan":
                assert readers.netplan(one.content, tmp_path).accepted
                assert "key_mgmt=NONE" in readers.netplan_supplicant(tmp_path).read_text()
            case "interfaces":
                said = readers.ifquery(one.content, tmp_path).output
                assert "wpa-key-mgmt: NONE" in said
                assert "wpa-psk" not in said
            case "connman":
                said = networks.connman(one.content, tmp_path).output
                assert "Adding service configuration" in said
                assert "Mismatch" not in said


def test_a_template_that_says_nothing_of_open_networks_is_asked_about() -> None:
    def told(**more: str) -> set[str]:
        file = a_file("key-value", values={"K": "{wifi_key}", **more})
        return {f.code for f in filled(file, values(open_network=True, passphrase=""))[0].findings}

    assert "settings.open-unsaid" in told()
    assert "settings.open-unsaid" not in told(MODE="{wifi_open:open|wpa}")


# addresses


def test_the_network_manager_is_told_the_address(tmp_path: Path) -> None:
    before = "[connection]\nid=x\ntype=wifi\n[wifi]\nssid=x\n[ipv4]\n# ours\naddress1=10.0.0.9/8,10.0.0.1\naddress2=10.0.0.10/8\ndns=10.0.0.1;\nmethod=manual\n[ipv6]\nmethod=ignore\n"
    for there in ("", before):
        said = readers.nmcli(text_of("keyfile", values(address=AT), there))
        assert said.accepted, said.output
        read = configparser.RawConfigParser(delimiters=("=",), strict=False)
        read.read_string(said.output)
        assert dict(read["ipv4"]) == {
            "address1": "192.168.7.40/24,192.168.7.1",
            "dns": "192.168.7.1;192.168.7.2;",
            "method": "manual",
        }
    assert "# ours" in text_of("keyfile", values(address=AT), before)


def test_netplan_is_told_the_address(tmp_path: Path) -> None:
    before = "network:\n  version: 2\n  wifis:\n    wlan0:\n      dhcp4: true\n      gateway4: 10.0.0.1\n      access-points:\n        x:\n          password: an old one of it\n"
    for there in ("", before):
        after = text_of("netplan", values(address=AT), there)
        said = readers.netplan(after.encode(), tmp_path)
        assert said.accepted, said.output
        [network] = [p.read_text() for p in (tmp_path / "netplan-root/run/systemd/network").glob("*.network")]
        assert "Address=192.168.7.40/24" in network
        assert "DHCP=" not in network
        assert re.findall(r"^(?:Gateway|DNS)=(\S+)", network, re.MULTILINE)[-3:] == [
            "192.168.7.1",
            "192.168.7.2",
            "192.168.7.1",
        ]
        assert text_of("netplan", values(address=AT), after) == after


def test_ifupdown_is_told_the_address(tmp_path: Path) -> None:
    before = "auto wlan0\niface wlan0 inet static\n    address 10.0.0.9\n    netmask 255.0.0.0\n    broadcast 10.255.255.255\n    wpa-ssid x\n"
    for there in ("", before, text_of("interfaces", values())):
        said = readers.ifquery(text_of("interfaces", values(address=AT), there).encode(), tmp_path)
        assert said.accepted, said.output
        for line in (
            "address: 192.168.7.40",
            "netmask: 255.255.255.0",
            "gateway: 192.168.7.1",
            "dns-nameservers: 192.168.7.1 192.168.7.2",
        ):
            assert line in said.output, said.output
        assert "broadcast" not in said.output or "192.168.7.255" in said.output


@pytest.mark.parametrize(
    "before",
    [
        "",
        "[Match]\nName=wlan0\n\n[Network]\nDHCP=yes\nDNS=10.0.0.1\n\n[Address]\nAddress=10.0.0.9/8\n\n[Route]\nGateway=10.0.0.1\n",
    ],
)
def test_systemds_network_gives_the_device_its_address(before: str, tmp_path: Path) -> None:
    after = text_of("systemd-networkd", values(address=AT), before or "[Match]\nName=wlan0\n")
    said = networks.networkd(after.encode(), tmp_path, until="Routes set").output
    assert "Configuring static address (requesting): 192.168.7.40/24" in said
    assert "Configuring static route (requesting): dst: n/a, src: n/a, gw: 192.168.7.1" in said
    assert "10.0.0" not in said
    assert "ignoring" not in "".join(line for line in said.split("\n") if "settings.network:" in line)
    assert DIALECTS["systemd-networkd"].means(after, "f", None).sentence() == "Takes the address 192.168.7.40/24."


def test_every_key_of_systemds_network_is_one_its_reader_knows(tmp_path: Path) -> None:
    def unknown(section: str, keys: list[str]) -> list[str]:
        # The last one is none; where it is told, all before it were read.
        text = "[Match]\nName=wlan0\n" + f"[{section}]\n" + "".join(f"{k}=1\n" for k in [*keys, "Gatewey"])
        said = networks.networkd(text.encode(), tmp_path).output
        return re.findall(rf"Unknown key '(\w+)' in section \[{section}\]", said)

    for section, keys in KEYS.items():
        assert unknown(section, sorted(keys)) == ["Gatewey"], section
    assert sum(map(len, KEYS.values())) > 400


@pytest.mark.parametrize(
    ("line", "passed_over"),
    [
        ("Address=192.168.7.40/24", False), ("Address=192.168.7.40", True), ("Address=192.168.7.40/33", True), ("Address=192.168.7/24", True), ("Address=fd00::1/64", False),
        ("Gateway=192.168.7.1", False), ("Gateway=192.168.7.1/24", True), ("Gateway=_dhcp4", True), ("DHCP=ipv4", False), ("DHCP=maybe", True), ("Gatewey=192.168.7.1", True),
        ("=x", True), ("just words", True),
    ],
)  # fmt: skip
def test_what_its_reader_passes_over_is_told_and_nothing_else(line: str, passed_over: bool, tmp_path: Path) -> None:
    text = f"[Match]\nName=wlan0\n[Network]\n{line}\n"
    said = networks.networkd(text.encode(), tmp_path).output
    assert any("settings.network:4:" in s for s in said.split("\n")) is passed_over, said[:600]
    told = [f for f in check_file(text.encode(), "f.network", "systemd-networkd") if f.where and f.where.line == 4]
    assert bool(told) is passed_over


@pytest.mark.parametrize("dialect", [d for d in DIALECTS if DIALECTS[d].takes_address])
def test_an_address_is_read_back_in_its_sentence(dialect: str) -> None:
    path = "/var/lib/iwd/Q.psk" if dialect == "iwd" else "f"
    made = text_of(dialect, values(address=AT))
    assert "192.168.7.40" in DIALECTS[dialect].means(made, path, a_file(dialect)).sentence()
    assert text_of(dialect, values(address=AT), made) == made
    told = check_file(made.encode(), path, dialect, a_file(dialect))
    assert verdict(told) in (Severity.OK, Severity.NOTE) or dialect in ("systemd-networkd", "iwd"), told


def test_an_image_with_no_file_for_an_address_says_so_and_one_with_a_template_takes_it() -> None:
    recipe = wiring.recipes()["platen"]
    none = recipe.model_copy(update={"files": (a_file("wpa-supplicant"),)})
    [told] = address_findings(none, values(address=AT), "")
    assert (told.code, told.severity) == ("settings.address-nowhere", Severity.STOP)
    assert not address_findings(none, values(), "")
    said = {
        "IP": "{address}",
        "MASK": "{netmask}",
        "BITS": "{address_prefix}",
        "GW": "{gateway}",
        "DNS": "{name_servers}",
        "BOOTPROTO": "{address_fixed:static|dhcp}",
    }
    template = a_file("key-value", values=said)
    assert takes_address(template)
    [one] = filled(template, values(address=AT))
    assert one.content.decode().split() == [
        "IP=192.168.7.40",
        "MASK=255.255.255.0",
        "BITS=24",
        "GW=192.168.7.1",
        "DNS=192.168.7.1",
        "192.168.7.2",
        "BOOTPROTO=static",
    ]
    assert b"BOOTPROTO=dhcp" in filled(template, values())[0].content


@pytest.mark.parametrize(
    ("starts", "told"), [(("netplan",), False), (("ifupdown",), True), (("systemd's network",), True), ((), False)]
)
def test_wifi_that_cloud_init_is_told_wants_netplan(starts: tuple[str, ...], told: bool) -> None:
    """cloud-init 22.4.2, in a machine (docs/proving.md): "Wifi configuration is only available to distros with netplan rendering support"."""
    image = replace(holding({}), system=SystemFacts(networks=tuple(Fact(name, "etc/x") for name in starts)))
    recipe = wiring.recipes()["platen"].model_copy(
        update={"files": (a_file("cloud-init-network", path="network-config", absent="make"),)}
    )
    for way in ("wifi", "cable"):
        codes = {f.code for one in fill_files(recipe, values(way=way), image) for f in one.findings}
        assert ("settings.wifi-wants-netplan" in codes) is (told and way == "wifi")


@pytest.mark.parametrize(
    ("main", "known"),
    [("[General]\nEnableNetworkConfiguration=true\n", True), ("[General]\n#EnableNetworkConfiguration=true\n", False),
     ("[General]\nEnableNetworkConfiguration=false\n", False), ("", False)],
)  # fmt: skip
def test_who_sets_addresses_is_read_where_the_image_says_it(main: str, known: bool) -> None:
    """Elsewhere the address in iwd's file is nobody's: seen on the proving ground, where systemd-networkd asked for one beside it."""
    file = a_file("iwd").model_copy(update={"path": "var/lib/iwd/Q.psk", "absent": "make"})
    recipe = wiring.recipes()["platen"].model_copy(update={"files": (file,)})
    (filled,) = fill_files(recipe, values(address=AT), holding({"etc/iwd/main.conf": main.encode()}))
    assert ("iwd.address-if" in {f.code for f in filled.findings}) is not known
