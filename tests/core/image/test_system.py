"""What system an image holds, by its own files. Accounts are hashed by openssl passwd(1); the rest is as Debian's packages lay it."""

from __future__ import annotations

import subprocess
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.findings import Severity
from mintseed.core.image.facts import Account, Fact, SystemFacts
from mintseed.core.image.system import MOST_ACCOUNTS, judge_system, read_system
from mintseed.core.image.tree import FixedTree

WANTS = "etc/systemd/system/multi-user.target.wants"
RUNLEVEL = "etc/rc2.d"


def hashed(word: str, kind: str) -> str:
    """The independent hash: openssl passwd."""
    return subprocess.run(
        ["openssl", "passwd", kind, "-salt", "saltstring", word], check=True, capture_output=True, text=True
    ).stdout.strip()


def passwd(*names: str, shell: str = "/bin/bash") -> str:
    return "".join(f"{n}:x:{1000 + i}:{1000 + i}:,,,:/home/{n}:{shell}\n" for i, n in enumerate(names))


def accounts(people: str, shadow: str) -> tuple[Account, ...]:
    read = read_system(FixedTree({"etc/passwd": people.encode(), "etc/shadow": shadow.encode()})).accounts
    return tuple(replace(a, uid=None, gid=None, home="") for a in read)


@pytest.mark.parametrize(("kind", "scheme"), [("-1", "MD5"), ("-5", "SHA-256"), ("-6", "SHA-512")])
def test_who_may_log_in_and_how(kind: str, scheme: str) -> None:
    shadow = (
        f"root:*:19000::::::\nkeeper:{hashed('keeper', kind)}:19000::::::\nmo:{hashed('a long one', kind)}:1::::::\n"
        f"guest::19000::::::\nold:!{hashed('old', kind)}:19000::::::\n"
    )
    assert accounts(passwd("root", "keeper", "mo", "guest", "old"), shadow) == (
        Account("root", "locked"),
        Account("keeper", "password", scheme, own_name=True),
        Account("mo", "password", scheme),
        Account("guest", "open"),
        Account("old", "locked"),
    )


def test_a_login_that_anybody_knows_is_said_and_a_proper_one_is_not() -> None:
    known = SystemFacts(accounts=(Account("mo", "open"), Account("keeper", "password", "SHA-512", own_name=True)))
    found = list(judge_system(known))
    assert [(f.code, f.severity, f.where.field) for f in found] == [
        ("image.login-known", Severity.CHECK, "mo"),
        ("image.login-known", Severity.CHECK, "keeper"),
    ]
    assert not list(
        judge_system(SystemFacts(accounts=(Account("mo", "password", "SHA-512"), Account("root", "locked"))))
    )


def test_who_has_no_shell_or_no_line_in_shadow() -> None:
    people = passwd("daemon", shell="/usr/sbin/nologin") + passwd("sync", shell="/bin/sync") + passwd("mo")
    assert accounts(people, "root:*:1::::::\n") == (Account("mo", "locked"),)
    assert accounts(people, "") == (Account("mo", "unknown"),)  # no shadow was read: nothing is known
    # An older system keeps the password in passwd itself (passwd(5)).
    assert accounts("mo::1:1::/:/bin/sh\n", "") == (Account("mo", "open"),)


def test_keys_that_open_an_account_are_counted_where_it_looks_for_them() -> None:
    """Source: sshd(8), AUTHORIZED_KEYS FILE FORMAT: empty lines and those that begin with # are comments."""
    people = "mo:x:1000:1000::/home/mo:/bin/sh\nroot:x:0:0::/root:/bin/sh\neve:x:1:1::/home/../mo:/bin/sh\n"
    keys = b'# mine\n\nssh-ed25519 AAAA mo\n  # hers\n  \nfrom="10.*" ssh-rsa BBBB # 2\n'
    files = {
        "etc/passwd": people.encode(),
        "home/mo/.ssh/authorized_keys": keys,
        "home/../mo/.ssh/authorized_keys": keys,
    }
    assert [(a.name, a.keys) for a in read_system(FixedTree(files)).accounts] == [("mo", 2), ("root", 0), ("eve", 0)]


def test_hashes_that_would_take_for_ever_are_not_tried() -> None:
    for rounds in ("999999999", "9" * 400, "20001"):
        assert accounts(passwd("mo"), f"mo:$6$rounds={rounds}$salt$x:1::::::\n") == (
            Account("mo", "password", "SHA-512"),
        )
    assert accounts(passwd("mo"), "mo:$y$j9T$abc$def:1::::::\n") == (Account("mo", "password", "yescrypt"),)
    assert accounts(passwd("mo"), "mo:$6$broken:1::::::\n") == (Account("mo", "password", "SHA-512"),)
    # crypt(5): the traditional scheme has thirteen characters and no mark; others have a comma behind theirs.
    assert accounts(passwd("mo"), "mo:abJnggxhB/yWI:1::::::\n") == (Account("mo", "password", "DES"),)
    assert accounts(passwd("mo"), "mo:$md5,rounds=904$iPPK$$x:1::::::\n") == (Account("mo", "password", "md5"),)
    assert accounts(passwd("mo"), "mo:plainword:1::::::\n") == (
        Account("mo", "locked"),
    )  # no hash of any: nothing opens it
    assert len(accounts(passwd(*(f"u{n}" for n in range(10_000))), "")) == MOST_ACCOUNTS


# Names of units as Debian's network-manager, wpasupplicant, ifupdown, openssh-server and cloud-init packages ship them.
STARTED = [
    (WANTS, "NetworkManager.service", "the network manager"),
    (WANTS, "wpa_supplicant.service", "the Wi-Fi supplicant"),
    (WANTS, "wpa_supplicant@wlan0.service", "the Wi-Fi supplicant"),
    (WANTS, "systemd-networkd.service", "systemd's network"),
    ("etc/systemd/system/network-online.target.wants", "networking.service", "ifupdown"),
    (RUNLEVEL, "S01networking", "ifupdown"),
    (RUNLEVEL, "S03connman", "connman"),
]


@pytest.mark.parametrize(("folder", "link", "what"), STARTED)
def test_what_brings_it_onto_the_network(folder: str, link: str, what: str) -> None:
    assert read_system(FixedTree({}, {folder: [link, "cron.service"]})).networks == (Fact(what, f"{folder}/{link}"),)


def test_what_is_there_and_not_started_does_not_count() -> None:
    assert (
        read_system(FixedTree({}, {RUNLEVEL: ["K01networking", "README"], WANTS: ["remote-fs.target"]}))
        == SystemFacts()
    )
    both = read_system(FixedTree({}, {WANTS: ["wpa_supplicant@wlan0.service", "wpa_supplicant@wlan1.service"]}))
    assert len(both.networks) == 1


def test_the_rest_is_told_with_its_file() -> None:
    found = read_system(FixedTree(
        {
            "etc/timezone": b"Europe/London\n", "etc/default/keyboard": b'XKBMODEL="pc105"\nXKBLAYOUT="gb"\n',
            "etc/default/locale": b"LANG=en_GB.UTF-8\n", "etc/cloud/cloud.cfg": b"users:\n",
        },
        {WANTS: ["ssh.service"]},
    ))  # fmt: skip
    assert found == SystemFacts(
        ssh=Fact("ssh", f"{WANTS}/ssh.service"), time_zone=Fact("Europe/London", "etc/timezone"),
        keyboard=Fact("gb", "etc/default/keyboard"), locale=Fact("en_GB.UTF-8", "etc/default/locale"),
        first_start=(Fact("cloud-init", "etc/cloud/cloud.cfg"),),
    )  # fmt: skip
    other = read_system(FixedTree({"etc/vconsole.conf": b"KEYMAP=de\n", "etc/locale.conf": b"LANG=de_AT.UTF-8\n"}))
    assert (other.keyboard, other.locale) == (Fact("de", "etc/vconsole.conf"), Fact("de_AT.UTF-8", "etc/locale.conf"))


@given(st.binary(max_size=300), st.binary(max_size=300), st.lists(st.text(max_size=30), max_size=5))
def test_no_bytes_are_too_odd(people: bytes, shadow: bytes, names: list[str]) -> None:
    read_system(
        FixedTree({"etc/passwd": people, "etc/shadow": shadow, "etc/timezone": people}, {WANTS: names, RUNLEVEL: names})
    )


def test_who_owns_what_is_known_by_number() -> None:
    passwd = b"root:x:0:0::/root:/bin/sh\nann:x:1000:1001::/home/ann:/bin/sh\nodd:x:-1:x::/:/bin/sh\n"
    read = {a.name: (a.uid, a.gid, a.home) for a in read_system(FixedTree({"etc/passwd": passwd})).accounts}
    assert read == {"root": (0, 0, "root"), "ann": (1000, 1001, "home/ann"), "odd": (None, None, "")}


SCRIPT = "usr/local/bin/first-minute"
LOOKS = {SCRIPT: b"#!/bin/sh\n[ -f /boot/printer.txt ] && . /boot/printer.txt\n"}


@pytest.mark.parametrize(
    ("command", "looks"),
    [
        (f"/{SCRIPT}", True),
        (f"-/{SCRIPT} --quiet", True),
        (f"/bin/sh /{SCRIPT}", True),
        (f"/bin/bash -e /{SCRIPT}", True),
        (f"/bin/sh -c '/{SCRIPT} >/dev/null 2>&1'", True),
        (f'/bin/sh -c "exec /{SCRIPT}"', True),
        (f"/usr/bin/env python3 -u /{SCRIPT}", True),
        (f"/usr/bin/python3 /{SCRIPT}", True),
        ("/bin/sh -c 'sleep 5'", False),
        ("/usr/sbin/other", False),
        ("", False),
    ],
)
def test_what_a_script_that_starts_looks_for(command: str, looks: bool) -> None:
    """As systemd.service(5) has commands, COMMAND LINES; a shell's options and its -c are those of sh(1)."""
    unit = {f"{WANTS}/minute.service": f"[Service]\nExecStart={command}\n".encode()}
    found = read_system(FixedTree({**LOOKS, **unit})).looks_for
    assert found == ((Fact("printer.txt", SCRIPT),) if looks else ())


@pytest.mark.parametrize(
    ("text", "sources"),
    [
        ("datasource_list: [ NoCloud, None ]\n", "NoCloud, None"),
        ("datasource_list: ['NoCloud', \"None\"]  # mine\n", "NoCloud, None"),
        ("datasource_list:\n  - NoCloud\n  - None\nusers: []\n", "NoCloud, None"),
        ("datasource_list:\n- NoCloud\n", "NoCloud"),
        ("datasource_list: [NoCloud,\n  None]\n", "NoCloud, None"),
        ("# datasource_list: [ NoCloud ]\n", "Ec2"),
    ],
)
def test_where_cloud_init_asks_is_what_its_last_file_says(text: str, sources: str) -> None:
    """cloud-init documentation, Datasources: datasource_list; files of cloud.cfg.d are taken in the order of their names."""
    files = {
        "etc/cloud/cloud.cfg": b"",
        "etc/cloud/cloud.cfg.d/10.cfg": b"datasource_list: [ Ec2 ]\n",
        "etc/cloud/cloud.cfg.d/90.cfg": text.encode(),
    }
    (told,) = read_system(FixedTree(files)).first_start
    assert told.value == f"cloud-init, which asks {sources}"
    assert told.file == f"etc/cloud/cloud.cfg.d/{'10' if sources == 'Ec2' else '90'}.cfg"


def test_radios_it_has_firmware_for_are_told_by_names_alone() -> None:
    """Made-up makers; where modules and firmware lie: depmod(8), the kernel's documentation on its firmware search path."""
    wireless = "usr/lib/modules/6.1.0-9/kernel/drivers/net/wireless"
    tree = FixedTree(
        {},
        {
            "usr/lib/modules": ("6.1.0-9",), wireless: ("orchard", "tidewave"),
            f"{wireless}/orchard": ("pear10k", "plum"), f"{wireless}/tidewave": ("tide80211", "twifi.ko.xz"),
            "usr/lib/firmware": ("pear10k", "tide", "twifi-7.ucode", "twifi-8.ucode", "pe", "graphics", "tidy"),
        },
    )  # fmt: skip
    assert [(f.value, f.file) for f in read_system(tree).radios] == [
        ("pear10k", "usr/lib/firmware/pear10k"), ("tide", "usr/lib/firmware/tide"), ("twifi", "usr/lib/firmware/twifi-7.ucode"),
    ]  # fmt: skip
    assert read_system(FixedTree({}, {"usr/lib/firmware": ("pear10k",)})).radios == (), "no driver says what it is for"


def test_languages_it_can_be_set_to_are_told_where_they_can_be_counted() -> None:
    """Source: localedef(1), FILES."""
    assert read_system(FixedTree({}, {"usr/lib/locale": ("en_GB.utf8", "C.utf8")})).locales == ("C.utf8", "en_GB.utf8")
    assert read_system(FixedTree({}, {"usr/lib/locale": ("locale-archive", "C.utf8")})).locales == ()
    assert read_system(FixedTree({}, {})).locales == ()
