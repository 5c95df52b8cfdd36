"""What is otherwise on another image, in the order somebody who fills it wants to know."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from mintseed.core.image.compare import compare
from mintseed.core.image.facts import Account, Fact, PageFacts, SystemFacts
from mintseed.core.image.report import BoardOnImage, FileOnImage, VolumeFacts, XRay

SUPPLICANT = b'country=GB\nnetwork={\n  ssid="x"\n  psk="a sleepy heron"\n}\n'
KEYFILE = b"[connection]\nid=x\ntype=wifi\n[wifi]\nssid=x\n"


def file(path: str, content: bytes) -> FileOnImage:
    return FileOnImage(path, len(content), content, known=False)


OLD = XRay(
    file_name="kiosk-1.img", packing="raw", packed_bytes=10, unpacked_bytes=2_000_000_000, sha256="0" * 64, scheme="mbr",
    volumes=(VolumeFacts(1, "boot", "vfat", "", 0, 1, None), VolumeFacts(2, "root", "ext4", "", 1, 1, None)),
    boards=(BoardOnImage("Sprig 1", ("fernworks,sprig",), "a.dtb"), BoardOnImage("Tansy 2", ("fernworks,tansy",), "b.dtb")), device_tree_count=2, bits=32,
    files=(file("wifi.conf", SUPPLICANT), file("hostname", b"kiosk\n"), file("old.env", b"A=1\nB=2\n")),
    page=PageFacts(host_name="kiosk", system="Weather", release="11", listen_port=8080, announcer=True), kernels=(32,), architectures=("arm",),
    system=SystemFacts(networks=(Fact("the Wi-Fi supplicant", "x"),), ssh=Fact("ssh", "x"), accounts=(Account("warden", "password", own_name=True), Account("root", "locked"))),
)  # fmt: skip


def titles(now: XRay, was: XRay = OLD) -> list[str]:
    return [one.title for one in compare(was, now)]


def test_the_same_image_has_no_difference() -> None:
    assert compare(OLD, OLD) == ()


CHANGES: list[tuple[dict[str, Any], list[str]]] = [
    ({"files": (file("network.conf", SUPPLICANT), *OLD.files[1:])}, ["wifi.conf is called network.conf now"]),
    ({"files": (file("network.conf", SUPPLICANT.replace(b"GB", b"DE")), *OLD.files[1:])}, ["wifi.conf is called network.conf now"]),
    ({"files": (file("wifi.conf", KEYFILE), *OLD.files[1:])}, ["wifi.conf is another kind of file now"]),
    ({"files": OLD.files[:2]}, ["old.env is not on it any more"]),
    ({"files": (*OLD.files, file("notes.txt", b"hello there\n"))}, ["notes.txt is new"]),
    ({"files": (*OLD.files[:2], file("old.env", b"A=1\nB=3\n"))}, ["old.env comes with another content"]),
    ({"system": replace(OLD.system, networks=(Fact("the network manager", "x"),))}, ["The network manager brings it onto the network"]),
    ({"system": replace(OLD.system, networks=(Fact("iwd", "x"), Fact("the Wi-Fi supplicant", "x")))}, ["Iwd, the Wi-Fi supplicant bring it onto the network"]),
    ({"boards": OLD.boards[:1]}, ["No longer starts on Tansy 2"]),
    ({"boards": (*OLD.boards, BoardOnImage("Larkspur R", ("fernworks,larkspur-r",), "c.dtb"))}, ["Starts on Larkspur R"]),
    ({"kernels": (32, 64)}, ["Its kernels are 32 and 64-bit"]),
    ({"page": replace(OLD.page, listen_port=443, scheme="https")}, ["Its page is at port 443, https"]),
    ({"page": replace(OLD.page, host_name="post", announcer=False)}, ["It calls itself post", "Nothing on it answers for its name any more"]),
    ({"page": replace(OLD.page, release="12")}, ["It is made of Weather 12"]),
    ({"system": replace(OLD.system, accounts=(Account("warden", "locked"), Account("guest", "open")))}, ["No longer there: root", "New: guest", "warden has no password that opens it"]),
    ({"system": replace(OLD.system, ssh=None, grows=Fact("resize", "x"))}, ["Nothing to log in over the network is started any more", "It makes its root volume as large as the card"]),
    ({"scheme": "gpt", "unpacked_bytes": 3_000_000_000}, ["Its partition table is GPT", "It is larger: 3 GB"]),
    ({"volumes": OLD.volumes[:1]}, ["Its volumes are boot (vfat)"]),
    ({"page": replace(OLD.page, release="", system="Wind")}, ["It is made of Wind"]),
    ({"boards": tuple(BoardOnImage(f"Umbel {n}", (f"umbelworks,umbel-{n}",), f"{n}.dtb") for n in range(9))}, ["No longer starts on Sprig 1, Tansy 2", "Starts on Umbel 0"]),
    ({"unpacked_bytes": 1_000_000_000}, ["It is smaller: 1 GB"]),
    ({"files": (file("wifi.conf", b"nothing of the kind\n"), *OLD.files[1:])}, ["wifi.conf"]),
]  # fmt: skip
"""what is otherwise on the new one, and how the sentences begin that say so"""


@pytest.mark.parametrize(("changed", "said"), CHANGES)
def test_each_difference_is_told(changed: dict[str, Any], said: list[str]) -> None:
    found = titles(replace(OLD, **changed))
    assert len(found) == len(said)
    for title, wanted in zip(found, said, strict=True):
        assert title.startswith(wanted)


def test_what_was_not_read_is_not_compared() -> None:
    unread = replace(OLD, boards=(), kernels=(), system=SystemFacts(), page=PageFacts())
    assert compare(OLD, unread) == compare(unread, OLD) == ()


def test_no_content_of_a_file_is_told() -> None:
    """What an image brings may open something: hashes, keys."""
    now = replace(
        OLD, files=(file("wifi.conf", SUPPLICANT.replace(b"a sleepy heron", b"a wakeful heron")), *OLD.files[1:])
    )
    said = " ".join(f"{one.title} {one.detail}" for one in compare(OLD, now))
    assert "1 line gone, 1 new" in said
    assert "heron" not in said


@pytest.mark.parametrize(("was", "now", "said"), [
    (b"A=1\nB=2\n", b"A=1\nB=3\n", "1 line gone, 1 new."), (b"A=1\nA=1\n", b"A=1\n", "1 line gone, 0 new."), (b"A=1\n", b"A=1\nA=1\nB=2\n", "0 lines gone, 2 new."),
    (b"A=1\nB=2\n", b"B=2\nA=1\n", "The same lines in another order, or with other ends."),
    (b"A=1\nB=2\n", b"A=1\r\nB=2\r\n", "The same lines in another order, or with other ends."),
])  # fmt: skip
def test_how_many_lines_are_otherwise(was: bytes, now: bytes, said: str) -> None:
    images = [replace(OLD, files=(*OLD.files, file("list.txt", content))) for content in (was, now)]
    assert [one.detail for one in compare(*images)] == [said]


def test_a_renamed_file_is_told_by_its_bytes_or_as_the_only_one_of_its_kind() -> None:
    notes = file("notes", b"one\ntwo\n")
    was = replace(OLD, files=(*OLD.files, notes))
    assert titles(replace(was, files=(*OLD.files, replace(notes, path="remarks"))), was) == [
        "notes is called remarks now"
    ]
    other = titles(replace(was, files=(*OLD.files, file("remarks", b"three\n"))), was)
    assert sorted(other) == ["notes is not on it any more", "remarks is new"]
    # On the other volume it is another file, though it is of the same kind.
    moved = titles(replace(OLD, files=(file("/etc/wifi.conf", SUPPLICANT.replace(b"GB", b"DE")), *OLD.files[1:])))
    assert sorted(moved) == ["/etc/wifi.conf is new", "wifi.conf is not on it any more"]
