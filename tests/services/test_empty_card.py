"""A card of which all room is tested, and one whose tables are cleared: what the pretend card really does is what is said of it."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest

from mintseed.core.card.capacity import PIECE_BYTES
from mintseed.core.card.identity import CardMarks
from mintseed.core.card.progress import Phase, Progress
from mintseed.core.card.room import RoomTest, judge_room
from mintseed.core.errors import DriveError, RefusedError, StoppedError
from mintseed.services import empty_card
from mintseed.standins.bench_folder import BenchFolder
from mintseed.standins.readers import StandinReaders
from tests.services.conftest import TOOLS

SIZE = 24 * PIECE_BYTES


def standin(tmp_path: Path, *, size: int = SIZE, mounted: str = "", **faults: int) -> StandinReaders:
    folder = BenchFolder(tmp_path / "bench")
    folder.prepare()
    card = {
        "name": "pdb",
        "path": "/dev/pdb",
        "size": size,
        "rm": True,
        "tran": "usb",
        "serial": "S1",
        "type": "disk",
        "faults": faults,
        "mountpoints": [mounted] if mounted else [],
    }
    folder.write(folder.drives_file, [card])
    return StandinReaders(folder)


def measured(readers: StandinReaders, told: list[Progress] | None = None, seen: list[CardMarks] | None = None) -> RoomTest:  # fmt: skip
    tell, looked = (told if told is not None else []).append, (seen if seen is not None else []).append
    return empty_card.measure_room(readers.drives()[0], (), readers=readers, tools=TOOLS, tell=tell, looked=looked)


def test_an_honest_card_holds_all_it_says_and_has_no_table_afterwards(tmp_path: Path) -> None:
    readers, told, seen = standin(tmp_path, size=SIZE + 512), list[Progress](), list[CardMarks]()
    backing = tmp_path / "bench/cards/pdb.img"
    backing.touch()
    subprocess.run(["truncate", "-s", str(SIZE + 512), backing], check=True)
    subprocess.run(["sfdisk", "-q", backing], input=b"label: gpt\n2048\n", check=True, capture_output=True)
    found = measured(readers, told, seen)
    assert found.right_bytes == found.size_bytes == SIZE + 512
    assert judge_room(found, "/dev/pdb").code == "card.room-holds"
    assert list(dict.fromkeys(t.phase for t in told)) == [Phase.FILLING_ROOM, Phase.FLUSHING, Phase.READING_ROOM]
    assert len(seen) == 1, "what lay there was looked at before it went"
    # Source: blkid(8) -p, which looks for tables at both ends.
    assert subprocess.run(["blkid", "-p", backing], capture_output=True, check=False).stdout == b""
    assert backing.stat().st_blocks * 512 < PIECE_BYTES, "a pretend card that is empty takes no room"


@pytest.mark.parametrize("fault", ["wraps_at_bytes", "drops_beyond_bytes"])
@pytest.mark.parametrize("pieces", [3, 12, 23])
def test_a_card_that_says_more_than_it_has_is_told_with_what_it_has(tmp_path: Path, fault: str, pieces: int) -> None:
    found = measured(standin(tmp_path, **{fault: pieces * PIECE_BYTES}))
    assert found.right_bytes == pieces * PIECE_BYTES
    said = judge_room(found, "/dev/pdb")
    assert (said.code, said.severity) == ("card.holds-less", "stop")
    assert "of the 101 MB it says" in said.title


def test_a_card_that_gives_back_a_little_wrong_is_failing_not_smaller(tmp_path: Path) -> None:
    size = 128 * PIECE_BYTES
    found = measured(standin(tmp_path, size=size, flips_byte_at=70 * PIECE_BYTES + 5))
    assert found.right_bytes == size - PIECE_BYTES
    assert judge_room(found, "/dev/pdb").code == "card.gives-other-bytes"


def test_one_that_is_pulled_out_or_stopped_is_no_result(tmp_path: Path) -> None:
    with pytest.raises(DriveError, match="gone"):
        measured(standin(tmp_path, gone_after_bytes=10 * PIECE_BYTES))

    def stop(progress: Progress) -> None:
        raise StoppedError("stopped by you")

    readers = standin(tmp_path)
    with pytest.raises(StoppedError):
        empty_card.measure_room(
            readers.drives()[0], (), readers=readers, tools=TOOLS, tell=stop, looked=lambda marks: None
        )


def test_one_in_use_is_refused_before_its_first_byte(tmp_path: Path) -> None:
    readers, seen = standin(tmp_path, mounted="/media/card"), list[CardMarks]()
    for work in (empty_card.measure_room, empty_card.clear):
        with pytest.raises(RefusedError, match="In use"):
            work(readers.drives()[0], (), readers=readers, tools=TOOLS, tell=lambda p: None, looked=seen.append)
    assert not seen


@pytest.mark.parametrize("label", ["gpt", "dos"])
def test_cleared_at_both_ends_and_nothing_between(tmp_path: Path, label: str) -> None:
    """Source: sfdisk(8) makes the tables, blkid(8) and sgdisk's own reading find none afterwards."""
    readers = standin(tmp_path)
    backing = tmp_path / "bench/cards/pdb.img"
    backing.write_bytes(b"\xaa" * SIZE)
    subprocess.run(["sfdisk", "-q", backing], input=f"label: {label}\n2048\n".encode(), check=True, capture_output=True)
    found = empty_card.clear(
        readers.drives()[0], (), readers=readers, tools=TOOLS, tell=lambda p: None, looked=lambda m: None
    )
    assert found.code == "card.cleared"
    assert subprocess.run(["blkid", "-p", backing], capture_output=True, check=False).stdout == b""
    data = backing.read_bytes()
    mib = 1024 * 1024
    assert not any(data[:mib])
    assert not any(data[-mib:])
    assert data[mib:-mib] == b"\xaa" * (SIZE - 2 * mib)


def test_a_card_smaller_than_what_is_cleared(tmp_path: Path) -> None:
    readers = standin(tmp_path, size=512 * 1024)
    (tmp_path / "bench/cards/pdb.img").write_bytes(b"\xaa" * 512 * 1024)
    empty_card.clear(readers.drives()[0], (), readers=readers, tools=TOOLS, tell=lambda p: None, looked=lambda m: None)
    assert not any((tmp_path / "bench/cards/pdb.img").read_bytes())
