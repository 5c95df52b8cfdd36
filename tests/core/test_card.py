"""Drives: which may be written to, and how they are told apart."""

from __future__ import annotations

import contextlib
import json
import subprocess

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.card.drives import LSBLK_COLUMNS, Drive, judge_drive, parse_lsblk
from mintseed.core.card.progress import Phase, Progress
from mintseed.core.errors import InputError
from mintseed.core.findings import Severity, verdict
from mintseed.core.units import GB, binary_size, clock, decimal_size, drive_size, duration, nominal_gb


def drive(**changes: object) -> Drive:
    base: dict[str, object] = {
        "path": "/dev/pdb", "name": "pdb", "size_bytes": 31_914_983_424, "removable": True, "read_only": False, "bus": "usb",
        "model": "Reader", "serial": "S1", "mounted_at": (), "member_of": (), "partitions": 0,
    }  # fmt: skip
    return Drive(**(base | changes))  # type: ignore[arg-type]


def test_a_free_card_may_be_written() -> None:
    assert verdict(judge_drive(drive())) is Severity.OK


@pytest.mark.parametrize(
    ("changes", "code"),
    [
        ({"mounted_at": ("/",)}, "card.holds-system"),
        ({"mounted_at": ("[SWAP]",)}, "card.holds-system"),
        ({"mounted_at": ("/boot/firmware",)}, "card.holds-system"),
        ({"mounted_at": ("/media/somebody/CARD",)}, "card.mounted"),
        ({"member_of": ("LVM",)}, "card.member"),
        ({"read_only": True}, "card.read-only"),
        ({"removable": False, "bus": "sata"}, "card.not-removable"),
        ({"removable": False, "bus": "nvme"}, "card.not-removable"),
    ],
)
def test_what_locks_a_drive(changes: dict[str, object], code: str) -> None:
    found = judge_drive(drive(**changes))
    assert found[0].code == code
    assert verdict(found) is Severity.STOP


def test_size_against_the_image_and_against_usual_cards() -> None:
    assert verdict(judge_drive(drive(), needed_bytes=32 * GB)) is Severity.STOP
    assert verdict(judge_drive(drive(), needed_bytes=31 * GB)) is Severity.OK
    large = judge_drive(drive(size_bytes=2000 * GB))
    assert large[0].code == "card.large"
    assert verdict(large) is Severity.CHECK


def test_this_machines_own_list_is_read() -> None:
    # lsblk(8) of util-linux
    listed = subprocess.run(
        ["lsblk", "--json", "--bytes", "--output", LSBLK_COLUMNS], capture_output=True, text=True, check=True
    )
    drives = parse_lsblk(listed.stdout)
    theirs = {
        d["name"]: d for d in json.loads(listed.stdout)["blockdevices"] if d["type"] in ("disk", "loop") and d["size"]
    }
    assert {d.name for d in drives} == set(theirs)
    assert all(d.size_bytes == int(theirs[d.name]["size"]) for d in drives)


def test_a_mount_point_anywhere_below_counts() -> None:
    tree = {"blockdevices": [{
        "name": "x", "size": 1, "type": "disk", "mountpoints": [None], "children": [
            {"name": "x1", "type": "part", "mountpoints": [None], "fstype": "LVM2_member", "children": [
                {"name": "vg-root", "type": "lvm", "mountpoints": ["/"]}]}]}]}  # fmt: skip
    (found,) = parse_lsblk(json.dumps(tree))
    assert found.mounted_at == ("/",)
    assert found.member_of == ("LVM",)


@given(st.text(max_size=200))
def test_any_list_is_read_or_refused(text: str) -> None:
    with contextlib.suppress(InputError):
        parse_lsblk(text)


@pytest.mark.parametrize(
    ("printed", "shown"), [(16, "14.9 GiB"), (32, "29.8 GiB"), (64, "59.6 GiB"), (128, "119.2 GiB")]
)
def test_both_names_of_a_size(printed: int, shown: str) -> None:
    # IEC 80000-13: GB is 10⁹, GiB 2³⁰ bytes.
    assert binary_size(printed * GB) == shown
    assert drive_size(printed * GB) == f"{printed} GB, shows as {shown}"
    assert nominal_gb(round(printed * GB * 0.97)) == printed


def test_words_for_numbers() -> None:
    assert (duration(34), duration(161), duration(120), duration(3900)) == ("34 s", "2 min 41 s", "2 min", "1 h 5 min")
    assert (clock(161), clock(5)) == ("2:41", "0:05")
    assert (decimal_size(412_000_000), binary_size(512), binary_size(50331648)) == ("412 MB", "512 bytes", "48 MiB")
    assert nominal_gb(3 * GB) is None


def test_progress_knows_its_rate_and_rest() -> None:
    half = Progress(Phase.WRITING, 50_000_000, 100_000_000, 2.0)
    assert half.rate_bytes_per_s == 25_000_000
    assert half.left_s == 2.0
    assert Progress(Phase.WRITING, 0, 100, 0.0).left_s is None
