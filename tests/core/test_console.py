"""What a serial console tells. The lines are as the named programs print them, noted from a Debian 12 that ran in a virtual machine."""

from __future__ import annotations

import random

import pytest

from mintseed.core.boot.causes import BootEvidence, rank_causes
from mintseed.core.boot.console import REACHED, WORDS, WRONG, WRONG_WORDS, read_console, told

BOOT = """SeaBIOS (version 1.16.2-debian-1.16.2-1)
Booting from Hard Disk...
[    0.000000] Linux version 6.1.0-57-amd64 (debian-kernel@lists.debian.org)
[    7.530131] virtio_blk virtio2: [vda] 1771520 512-byte logical blocks
Welcome to \x1b[1mDebian GNU/Linux 12 (bookworm)\x1b[0m!
[   24.618408] first[275]: assay: settings in place, build wpa-supplicant
[   36.091000] wpa_supplicant[300]: wlan0: CTRL-EVENT-CONNECTED - Connection to 02:00:00:00:01:00 completed [id=0 id_str=]
[   38.100000] systemd-networkd[301]: wlan0: DHCPv4 address 10.91.4.62/24, gateway 10.91.4.1 acquired from 10.91.4.1
printdesk login: \n"""

SAYS = {  # program: what it prints: what that is
    "wpa_supplicant 2.10": ("wlan0: CTRL-EVENT-SSID-TEMP-DISABLED id=0 ssid=\"Quay\" auth_failures=1 duration=10 reason=WRONG_KEY", "key"),
    "wpa_supplicant 2.10, again": ("wlan0: WPA: 4-Way Handshake failed - pre-shared key may be incorrect", "key"),
    "NetworkManager 1.42": ("<warn> device (wlan0): Activation: failed for connection 'wifi': no secrets: No agents were available for this request.", "key"),
    "wpa_supplicant, without the network": ("wlan0: CTRL-EVENT-NETWORK-NOT-FOUND", "network"),
    "NetworkManager, without the network": ("device (wlan0): state change: config -> failed (reason 'ssid-not-found', sys-iface-state: 'managed')", "network"),
    "Linux, no root": ("[    3.1] VFS: Unable to mount root fs on unknown-block(0,0)", "no-root"),
    "initramfs-tools, no root": ("ALERT!  LABEL=ASSAYROOT does not exist.  Dropping to a shell!", "no-root"),
    "Linux, a dying card": ("[   90.120000] I/O error, dev mmcblk0, sector 2048 op 0x0:(READ)", "card"),
    "Linux, switched off": ("[  402.114000] reboot: Power down", "off"),
    "Linux, gave up": ("[    4.000001] Kernel panic - not syncing: Attempted to kill init!", "panic"),
}  # fmt: skip


def test_how_far_a_boot_got() -> None:
    heard = read_console(BOOT)
    assert [one.what for one in heard.reached] == ["kernel", "system", "radio", "address", "login"]
    assert not heard.wrong
    address = next(one for one in heard.reached if one.what == "address")
    assert address.at_s == pytest.approx(38.1)
    assert told(address) == "By its console it took an address, 38 s after its kernel began"


@pytest.mark.parametrize("program", SAYS)
def test_what_its_software_calls_wrong(program: str) -> None:
    line, what = SAYS[program]
    assert [one.what for one in read_console(f"{BOOT}{line}\n").wrong] == [what]
    # Once it is let in after all, the network and its key were none of it.
    assert [one.what for one in read_console(f"{line}\n{BOOT}").wrong] == ([] if what in ("key", "network") else [what])
    assert WRONG_WORDS[what] in told(read_console(line).wrong[0])


@pytest.mark.parametrize(
    "line",
    [
        "[   91.1] ip[377]: wlan1: AP-STA-POSSIBLE-PSK-MISMATCH 02:00:00:00:00:00",  # an access point's own words of somebody else
        "wpa_supplicant[300]: wlan0: CTRL-EVENT-DISCONNECTED bssid=02:00:00:00:01:00 reason=3 locally_generated=1",
        "sshd[3]: Failed password for invalid user key from 10.0.0.2",
        "app: the network is not found in the cache, reason unknown",
    ],
)
def test_what_is_no_trouble_is_none(line: str) -> None:
    assert not read_console(line).wrong


def test_the_first_of_a_kind_counts_and_nothing_is_told_twice() -> None:
    heard = read_console(
        "\n".join(f"[ {n}.000000] wlan0: CTRL-EVENT-NETWORK-NOT-FOUND" for n in range(10, 40)) + "\n[ 99.000000] x"
    )
    assert [(one.what, one.at_s) for one in heard.wrong] == [("network", 10.0)]


def test_any_text_will_do() -> None:
    some = random.Random(7)
    for _ in range(200):
        text = "".join(
            chr(some.choice((some.randrange(32, 127), some.randrange(0x250), 10, 13, 27))) for _ in range(400)
        )
        assert isinstance(read_console(text).reached, tuple)
    assert set(WORDS) == {what for what, _ in REACHED}
    assert set(WRONG_WORDS) == {what for what, _ in WRONG}


@pytest.mark.parametrize(
    ("wrong", "cause"),
    [("key", "boot.cause-passphrase"), ("network", "boot.cause-network"), ("card", "boot.cause-card"), ("panic", "boot.cause-image")],
)  # fmt: skip
def test_what_the_board_itself_says_comes_first(wrong: str, cause: str) -> None:
    silent = BootEvidence("wifi", "Quay", passphrase_is_sites=True, joined_with_same_key=2, card_proven_ago_s=60)
    assert rank_causes(silent)[0].code != cause or wrong in ("network",)
    says = BootEvidence("wifi", "Quay", passphrase_is_sites=True, joined_with_same_key=2, card_proven_ago_s=60, console_wrong={wrong: "so it says"})  # fmt: skip
    first = rank_causes(says)[0]
    assert first.code == cause
    assert "its console says so: so it says" in first.speaks_for
