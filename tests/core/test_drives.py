"""Which drive may be written to: every lock with its reason, in its order, up to the last byte; and every field of the list it goes by."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest

from mintseed.core.card.drives import LARGE_CARD_BYTES, Drive, Medium, Right, judge_drive, parse_lsblk
from mintseed.core.errors import InputError
from mintseed.core.findings import COMMON_PRACTICE, Finding, Severity, Where
from mintseed.core.units import GB, drive_size

CARD = Drive("/dev/pdb", "pdb", 32 * GB, True, False, "usb", "Reader", "S1", (), (), 1)
HERE = Where(part="/dev/pdb")


def free(said: str, how: str = "Removable and not in use") -> Finding:
    return Finding("card.free", Severity.OK, how, f"{said}.", where=HERE)


def stop(code: str, title: str, detail: str, fix: str, source: str = COMMON_PRACTICE) -> Finding:
    return Finding(code, Severity.STOP, title, detail, fix, HERE, source)


SYSTEM = "It is never written to."
READER = "Put the card in a reader."
MMC = "Linux documentation, mmc-dev-attrs (type)"


@pytest.mark.parametrize(("change", "said"), [
    ({}, free("32 GB is a usual card size; 1 partition on it, replaced by a write")),
    ({"partitions": 0}, free("32 GB is a usual card size; no partition on it")),
    ({"partitions": 2, "size_bytes": 3 * GB}, free("An odd size for a card; 2 partitions on it, replaced by a write")),
    ({"removable": False}, free("32 GB is a usual card size; 1 partition on it, replaced by a write")),
    ({"bus": "", "removable": True}, free("32 GB is a usual card size; 1 partition on it, replaced by a write")),
    ({"pretends": True, "removable": False, "bus": ""},
     free("32 GB is a usual card size; 1 partition on it, replaced by a write", "Stands for a card and is not in use")),
    ({"medium": "SD", "bus": "mmc", "removable": False}, free("32 GB is a usual card size; 1 partition on it, replaced by a write")),
    ({"right": Right(True, True)}, free("32 GB is a usual card size; 1 partition on it, replaced by a write")),
    *[({"mounted_at": (place,)}, stop("card.holds-system", "Holds this system: locked", f"In use at {place}.", SYSTEM))
      for place in ("/", "/boot", "/boot/efi", "/boot/firmware", "/boot/other", "/usr", "/home", "/var", "[SWAP]")],
    ({"mounted_at": ("/media/me/CARD", "/"), "member_of": ("LVM",), "read_only": True},
     stop("card.holds-system", "Holds this system: locked", "In use at /media/me/CARD, /.", SYSTEM)),
    ({"mounted_at": ("/media/me/CARD", "/mnt"), "member_of": ("LVM",), "read_only": True},
     stop("card.mounted", "In use: locked", "Mounted at /media/me/CARD, /mnt.", "Unmount it in your file manager, then look again.")),
    ({"mounted_at": ("/homes/me",)}, stop("card.mounted", "In use: locked", "Mounted at /homes/me.", "Unmount it in your file manager, then look again.")),
    ({"member_of": ("RAID", "LVM"), "read_only": True}, stop("card.member", "Part of RAID: locked", "Other drives depend on it.", "Take another drive.")),
    ({"read_only": True, "removable": False, "bus": "sata"},
     stop("card.read-only", "Write-protected", "The small switch on the card or its adapter is on.",
          "Slide the switch away from LOCK, put the card back, look again.")),
    ({"bus": "mmc", "medium": "MMC", "removable": True}, stop("card.built-in-storage", "Built-in storage: locked", "It lists like a card and is soldered in.", READER, MMC)),
    ({"bus": "mmc", "removable": False},
     stop("card.built-in-storage", "Built-in storage: locked", "It lists like a card, cannot be taken out, and the kernel does not call it one.", READER, MMC)),
    ({"removable": False, "bus": "sata"}, stop("card.not-removable", "Not a card: locked", "It is built into this machine.", READER)),
    ({"right": Right(True, False, "disk", "keeper")},
     stop("card.no-right", "No right to use this drive", "The user keeper may not write to it.",
          "Once, as an administrator: sudo usermod -aG disk keeper; then log in again and start again.")),
    ({"right": Right(False, True, "root", "keeper")},
     stop("card.no-right", "No right to use this drive", "The user keeper may not read it back.", "Ask an administrator to give keeper the right to this device.")),
    ({"right": Right(False, False)},
     stop("card.no-right", "No right to use this drive", "This user may not write to it and read it back.",
          "Ask an administrator to give this user the right to this device.")),
    ({"right": Right(False, False), "read_only": True},
     stop("card.read-only", "Write-protected", "The small switch on the card or its adapter is on.",
          "Slide the switch away from LOCK, put the card back, look again.")),
])  # fmt: skip
def test_what_is_said_of_a_drive(change: dict[str, object], said: Finding) -> None:
    assert judge_drive(replace(CARD, **change)) == (said,)  # type: ignore[arg-type]


def test_an_image_fits_to_the_last_byte() -> None:
    assert judge_drive(CARD, needed_bytes=32 * GB) == judge_drive(CARD)
    assert judge_drive(CARD, needed_bytes=32 * GB + 1) == (
        stop("card.too-small", "Too small for this image", f"{drive_size(32 * GB)}; the image needs {drive_size(32 * GB + 1)}.", "Take a larger card.",
             "IEC 80000-13"),
    )  # fmt: skip


@pytest.mark.parametrize(
    ("card", "image", "fits"),
    [(512, 512, True), (512, 4096, False), (4096, 512, False), (0, 4096, True), (4096, 0, True)],
)
def test_sectors_are_of_one_size_where_both_say_it(card: int, image: int, fits: bool) -> None:
    drive = replace(CARD, sector_bytes=card)
    assert judge_drive(drive, image_sector_bytes=image) == (judge_drive(CARD) if fits else (
        stop("card.other-sectors", "Its sectors are of another size than the image's",
             f"The card's have {card} bytes, the image's table counts in {image}: no kernel would find its partitions there.",
             f"Take another card or reader, one with sectors of {image} bytes.", "UEFI 2.10 §5.3 (LBA counts logical blocks)"),
    ))  # fmt: skip


def test_all_that_stands_against_it_is_said_at_once() -> None:
    drive = replace(CARD, read_only=True, sector_bytes=4096, right=Right(False, False))
    found = judge_drive(drive, needed_bytes=64 * GB, image_sector_bytes=512)
    assert [f.code for f in found] == ["card.read-only", "card.too-small", "card.other-sectors"]


def test_a_large_drive_is_looked_at_twice() -> None:
    assert [f.code for f in judge_drive(replace(CARD, size_bytes=LARGE_CARD_BYTES))] == ["card.free"]
    large, there = judge_drive(replace(CARD, size_bytes=LARGE_CARD_BYTES + 1))
    assert large == Finding(
        "card.large",
        Severity.CHECK,
        "Unusually large for a card",
        "It may be somebody's backup drive.",
        "Look at its name twice.",
        HERE,
    )
    assert there.code == "card.free"


def listed(*entries: dict[str, object]) -> str:
    return json.dumps({"blockdevices": entries})


def test_every_field_of_the_list_arrives() -> None:
    """Source: lsblk(8), the columns it is asked for; JSON as util-linux 2.38 prints it."""
    text = listed({
        "name": "sdb", "path": "/dev/disk/sdb", "size": 31_914_983_424, "rm": False, "ro": True, "hotplug": True, "tran": "usb", "model": " Reader ",
        "serial": " S1 ", "type": "disk", "fstype": None, "mountpoints": [None], "log-sec": 4096, "disk-seq": 9,
        "children": [
            {"name": "sdb1", "type": "part", "fstype": "vfat", "mountpoints": ["/media/a", "/media/b"]},
            {"name": "sdb2", "type": "part", "fstype": "crypto_LUKS", "mountpoints": [None], "children": [
                {"name": "c", "type": "crypt", "fstype": "LVM2_member", "mountpoints": ["/media/a"]}]},
        ],
    })  # fmt: skip
    right = Right(True, False)
    assert parse_lsblk(text, media={"sdb": Medium("SD", "n1")}, cards=["/dev/disk/sdb"], rights={"/dev/disk/sdb": right}, numbers={"sdb": 3}) == (
        Drive("/dev/disk/sdb", "sdb", 31_914_983_424, True, True, "usb", "Reader", "S1", ("/media/a", "/media/b"), ("an encrypted volume", "LVM"), 2,
              "SD", "n1", True, right, 4096, 9),
    )  # fmt: skip


def test_what_the_list_leaves_out_is_not_made_up() -> None:
    assert parse_lsblk(
        listed({"name": "mmcblk0", "size": 5, "type": "disk"}, {"name": "vdx", "size": "7", "type": "loop"})
    ) == (
        Drive("/dev/mmcblk0", "mmcblk0", 5, False, False, "mmc", "", "", (), (), 0),
        Drive("/dev/vdx", "vdx", 7, False, False, "", "", "", (), (), 0),
    )


@pytest.mark.parametrize(
    "entry",
    [
        {"name": "x", "size": 0, "type": "disk"},
        {"name": "x", "size": None, "type": "disk"},
        {"name": "x", "size": 5, "type": "rom"},
    ],
)
def test_an_empty_reader_and_what_is_no_disk_are_not_listed(entry: dict[str, object]) -> None:
    assert parse_lsblk(listed(entry)) == ()


@pytest.mark.parametrize(
    "kind",
    [
        ("linux_raid_member", "RAID"),
        ("zfs_member", "a ZFS pool"),
        ("LVM2_member", "LVM"),
        ("crypto_LUKS", "an encrypted volume"),
    ],
)
def test_what_a_drive_is_part_of(kind: tuple[str, str]) -> None:
    [found] = parse_lsblk(listed({"name": "x", "size": 1, "type": "disk", "fstype": kind[0]}))
    assert found.member_of == (kind[1],)


@pytest.mark.parametrize(
    "text",
    ["", "[]", "{}", '{"blockdevices": 3}', '{"blockdevices": [3]}', '{"blockdevices": [{"type": "disk", "size": 1}]}'],
)
def test_a_list_that_is_none_is_refused(text: str) -> None:
    with pytest.raises(InputError) as raised:
        parse_lsblk(text)
    assert raised.value.found.startswith("the drive list is not readable (")
    assert raised.value.expected == "JSON as lsblk prints it"
