"""Drives: which may be written to, and how they are told apart."""

from __future__ import annotations

import contextlib
import json
import subprocess
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.card.drives import LSBLK_COLUMNS, Drive, Medium, Right, judge_drive, parse_lsblk
from mintseed.core.card.identity import CardMarks, Recognition, WrittenMarks, recognise
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


def test_what_a_later_lsblk_says_of_the_medium_itself_counts_first() -> None:
    listed = {
        "name": "x",
        "size": 1,
        "type": "disk",
        "disk-seq": 7,
    }  # lsblk(8) from util-linux 2.39 on, column DISK-SEQ
    (found,) = parse_lsblk(json.dumps({"blockdevices": [listed]}), numbers={"x": 3})
    assert found.medium_seq == 7
    (told,) = parse_lsblk(json.dumps({"blockdevices": [{**listed, "disk-seq": None}]}), numbers={"x": 3})
    assert told.medium_seq == 3
    assert replace(found, serial="another").is_another_than(found)


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
    assert (clock(3599), clock(37408)) == ("59:59", "10:23:28")
    assert (decimal_size(412_000_000), binary_size(512), binary_size(50331648)) == ("412 MB", "512 bytes", "48 MiB")
    assert nominal_gb(3 * GB) is None


def test_progress_knows_its_rate_and_rest() -> None:
    half = Progress(Phase.WRITING, 50_000_000, 100_000_000, 2.0)
    assert half.rate_bytes_per_s == 25_000_000
    assert half.left_s == 2.0
    assert Progress(Phase.WRITING, 0, 100, 0.0).left_s is None


def mmc(kind: str, *, number: str = "", right: Right | None = None) -> Drive:
    text = json.dumps(
        {
            "blockdevices": [
                {"name": "mmcblk0", "path": "/dev/mmcblk0", "size": 32_010_928_128, "rm": False, "type": "disk"}
            ]
        }
    )
    media = {"mmcblk0": Medium(kind, number)} if kind else {}
    return parse_lsblk(text, media=media, rights={"/dev/mmcblk0": right} if right else None)[0]


def test_a_card_and_soldered_storage_on_one_bus_are_told_apart_by_the_kernels_type() -> None:
    # Linux documentation, mmc-dev-attrs: `type` is SD or MMC. Both list as mmcblk and both with removable 0.
    assert judge_drive(mmc("SD"))[0].code == "card.free"
    for kind in ("MMC", ""):
        found = judge_drive(mmc(kind))[0]
        assert (found.code, found.severity) == ("card.built-in-storage", Severity.STOP)
    assert mmc("SD", number="035344").card_number == "035344"


@pytest.mark.parametrize(
    ("right", "said"),
    [
        (Right(True, False, "disk", "keeper"), "may not write to it"),
        (Right(False, True, "disk", "keeper"), "may not read it back"),
        (Right(False, False, "disk", "keeper"), "write to it and read it back"),
    ],
)
def test_both_rights_are_asked_for_before_the_first_byte(right: Right, said: str) -> None:
    found = judge_drive(mmc("SD", right=right))[0]
    assert (found.code, found.severity) == ("card.no-right", Severity.STOP)
    assert said in found.detail
    assert "usermod -aG disk keeper" in found.fix
    assert judge_drive(mmc("SD", right=Right(True, True)))[0].severity is Severity.OK


ONE = CardMarks("", 32 * 10**9, "aa", "11", "head-1", {"a.conf": "x", "b.conf": "y"})
TWO = CardMarks("", 32 * 10**9, "aa", "11", "head-1", {"a.conf": "x", "b.conf": "z"})


def test_a_card_is_told_by_its_own_bytes() -> None:
    written = [WrittenMarks(2, TWO), WrittenMarks(1, ONE)]
    assert recognise(ONE, written) == Recognition("same", 1)
    assert recognise(TWO, written) == Recognition("same", 2)
    # Booted: the table grew and one file is gone; the other still tells.
    booted = CardMarks("", 32 * 10**9, "aa", "11", "head-9", {"b.conf": "y"})
    assert recognise(booted, written) == Recognition("changed", 1)
    # Two cards of one image whose files are gone: nobody can say which.
    assert recognise(CardMarks("", 32 * 10**9, "aa", "11", "head-9", {}), written) == Recognition(
        "kin", could_be=(2, 1)
    )
    assert recognise(CardMarks("", 32 * 10**9, "bb", "22", "head-9", {"a.conf": "x"}), written) == Recognition(
        "unknown"
    )


def test_empty_marks_match_nothing() -> None:
    assert recognise(CardMarks(), [WrittenMarks(1, CardMarks())]) == Recognition("unknown")
    assert recognise(CardMarks(), [WrittenMarks(1, ONE)]) == Recognition("unknown")


def test_a_cards_own_number_decides_where_both_sides_have_one() -> None:
    mine, other = replace(ONE, number="n1"), replace(ONE, number="n2")
    assert recognise(mine, [WrittenMarks(1, mine)]) == Recognition("same", 1)
    assert recognise(other, [WrittenMarks(1, mine)]) == Recognition("unknown")
    assert recognise(CardMarks(number="n1", head="else"), [WrittenMarks(1, mine)]) == Recognition("changed", 1)


@pytest.mark.parametrize(("change", "another"), [
    ({}, False), ({"serial": "other"}, True), ({"size_bytes": 1}, True), ({"card_number": "n2"}, True), ({"medium_seq": 8}, True), ({"medium_seq": 0}, False),
    ({"model": "as it calls itself now"}, False),
])  # fmt: skip
def test_whether_what_lies_in_a_reader_is_still_the_same(change: dict[str, object], another: bool) -> None:
    """Linux documentation, sysfs-block, diskseq: a number that no other medium in any drive had; 0 where a kernel says none."""
    before = replace(mmc("SD"), serial="s", card_number="n1", medium_seq=7)
    assert replace(before, **change).is_another_than(before) is another  # type: ignore[arg-type]
    assert before.is_another_than(replace(before, **change)) is another  # type: ignore[arg-type]
