"""One suite for ports.CardReaders and ports.BlockTarget, run on block devices, plain files and the stand-in."""

from __future__ import annotations

import os
import select
import subprocess
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from pathlib import Path

import pytest

from mintseed.adapters.block_device import BlockDevice
from mintseed.adapters.lsblk_readers import LsblkReaders
from mintseed.core.card.drives import Drive, judge_drive
from mintseed.core.errors import DriveError, RefusedError
from mintseed.ports.card_readers import BlockTarget
from mintseed.standins.bench_folder import BenchFolder
from mintseed.standins.readers import StandinReaders

SIZE = 8 * 1024 * 1024
Opener = Callable[[], AbstractContextManager[BlockTarget]]


@contextmanager
def _closing(path: str) -> Iterator[BlockTarget]:
    device = BlockDevice(path)
    try:
        yield device
    finally:
        device.close()


@pytest.fixture
def loop_device(tmp_path: Path) -> Iterator[str]:
    """A real block device over a file, by losetup(8); only root may make one."""
    if os.geteuid() != 0:
        pytest.skip("loop devices need root")
    backing = tmp_path / "backing"
    backing.write_bytes(b"\xff" * SIZE)
    done = subprocess.run(["losetup", "--show", "-f", str(backing)], capture_output=True, text=True, check=False)
    if done.returncode:
        pytest.skip(f"no loop device here: {done.stderr.strip()}")
    yield done.stdout.strip()
    subprocess.run(["losetup", "-d", done.stdout.strip()], check=True)


def standin(folder: Path, **faults: int) -> StandinReaders:
    bench = BenchFolder(folder)
    bench.prepare()
    bench.write(
        bench.drives_file,
        [
            {
                "name": "pdb",
                "path": "/dev/pdb",
                "size": SIZE,
                "rm": True,
                "tran": "usb",
                "serial": "S1",
                "type": "disk",
                "faults": faults,
            }
        ],
    )
    return StandinReaders(bench)


@pytest.fixture(params=["loop", "file", "standin"])
def opener(request: pytest.FixtureRequest, tmp_path: Path) -> Opener:
    if request.param == "loop":
        path = request.getfixturevalue("loop_device")
        return lambda: _closing(path)
    if request.param == "file":
        file = tmp_path / "file"
        file.write_bytes(b"\xff" * SIZE)
        return lambda: _closing(str(file))
    readers = standin(tmp_path / "bench")
    return lambda: readers.open(readers.drives()[0])


def test_what_is_written_is_read_back(opener: Opener) -> None:
    pieces = [bytes([n]) * 300_000 for n in range(5)]
    with opener() as target:
        for piece in pieces:
            target.write(piece)
        target.flush()
        assert b"".join(target.read_back(1_500_000)) == b"".join(pieces)


def test_reading_back_stops_at_the_length_asked(opener: Opener) -> None:
    with opener() as target:
        target.write(b"abc" * 1000)
        target.flush()
        assert b"".join(target.read_back(10)) == b"abcabcabca"


def test_what_is_cleared_is_zero_and_writing_goes_on_where_it_was(opener: Opener) -> None:
    end = SIZE - 65_536
    with opener() as target:
        target.write(b"a" * 4096)
        target.write_at(end, bytes(65_536))
        target.write(b"b" * 4096)
        target.flush()
        assert b"".join(target.read_back(65_536, end)) == bytes(65_536)
        assert b"".join(target.read_back(8192)) == b"a" * 4096 + b"b" * 4096


def test_zeros_go_over_what_lies_there(opener: Opener) -> None:
    """Also where a card was used all over, and looking for zeros on it is given up."""
    data = (bytes(600_000) + b"x" * 400_000) * 7
    with opener() as target:
        target.write(b"y" * len(data))
        target.flush()
    with opener() as target:
        for at in range(0, len(data), 1_000_003):
            target.write(data[at : at + 1_000_003])
        target.flush()
        assert b"".join(target.read_back(len(data))) == data


def test_where_zeros_lie_none_are_written(tmp_path: Path) -> None:
    """A file that was never written to stays without blocks there (stat(2), st_blocks)."""
    file, data = tmp_path / "card", bytes(SIZE // 2) + b"x" * 4096 + bytes(SIZE // 4)
    file.touch()
    readers = standin(tmp_path / "bench")
    with _closing(str(file)) as target, readers.open(readers.drives()[0]) as card:
        for one in (target, card):
            one.write(data)
            one.flush()
            assert b"".join(one.read_back(len(data))) == data
    assert file.stat().st_size == len(data)
    for path in (file, tmp_path / "bench" / "cards" / "pdb.img"):
        assert path.stat().st_blocks * 512 <= 512 * 1024


def test_a_blank_device_is_read_and_not_written(loop_device: str, tmp_path: Path) -> None:
    """What the kernel counted as written to it (/sys/block/NAME/stat, seventh field: sectors of 512)."""
    counted = Path("/sys/block", Path(loop_device).name, "stat")
    (tmp_path / "backing").write_bytes(bytes(SIZE))
    before = int(counted.read_text().split()[6])
    with _closing(loop_device) as target:
        target.write(bytes(SIZE // 2) + b"x" * 4096 + bytes(SIZE // 4))
        target.flush()
    assert int(counted.read_text().split()[6]) - before <= 512 * 1024 // 512


def test_reading_beyond_the_end_is_our_error(opener: Opener) -> None:
    with opener() as target, pytest.raises(DriveError, match="ends after"):
        list(target.read_back(SIZE + 1))


def test_a_drive_that_is_not_there_is_our_error() -> None:
    with pytest.raises(DriveError, match="gone"):
        BlockDevice("/dev/there-is-no-such-drive")


def test_a_full_block_device_is_our_error(loop_device: str) -> None:
    with _closing(loop_device) as target, pytest.raises(DriveError, match="full"):
        target.write(b"x" * (SIZE + 512))


def test_a_device_in_use_is_refused(loop_device: str, tmp_path: Path) -> None:
    subprocess.run(["mkfs.ext4", "-q", loop_device], check=True, capture_output=True)
    mount = tmp_path / "mount"
    mount.mkdir()
    mounted = subprocess.run(["mount", loop_device, str(mount)], capture_output=True, check=False)
    if mounted.returncode:
        pytest.skip("mounting is not allowed here")
    try:
        with pytest.raises(DriveError, match="in use"):
            BlockDevice(loop_device)
    finally:
        subprocess.run(["umount", str(mount)], check=True)


@pytest.mark.parametrize(("fault", "said"), [("gone_after_bytes", "gone"), ("full_after_bytes", "full")])
def test_faults_of_the_standin(tmp_path: Path, fault: str, said: str) -> None:
    readers = standin(tmp_path, **{fault: 1000})
    with readers.open(readers.drives()[0]) as card:
        card.write(b"x" * 600)
        with pytest.raises(DriveError, match=said):
            card.write(b"x" * 600)


def test_a_flipping_standin_gives_back_another_byte(tmp_path: Path) -> None:
    readers = standin(tmp_path, flips_byte_at=700)
    with readers.open(readers.drives()[0]) as card:
        card.write(b"x" * 500)
        card.write(b"x" * 500)
        back = b"".join(card.read_back(1000))
    assert [i for i, b in enumerate(back) if b != ord("x")] == [700]


def test_another_drive_at_the_same_place_is_refused(tmp_path: Path) -> None:
    readers = standin(tmp_path)
    drive = readers.drives()[0]
    bench = BenchFolder(tmp_path)
    listed = bench.read(bench.drives_file)
    bench.write(bench.drives_file, [{**listed[0], "serial": "S2"}])
    with pytest.raises(DriveError, match="another one"), readers.open(drive):
        pass


def test_a_second_writer_is_kept_out_until_the_first_has_ended(opener: Opener) -> None:
    with opener() as first:
        first.write(b"x" * 4096)
        with pytest.raises(DriveError, match=r"in use|another writer"), opener():
            pass
    with opener() as second:
        second.write(b"y" * 4096)


def test_a_user_without_root_writes_and_reads_back_where_the_device_is_theirs(loop_device: str, tmp_path: Path) -> None:
    """No capability is needed, CAP_SYS_ADMIN least of all: reading back goes past the page cache by O_DIRECT (open(2))."""
    nobody = 65534
    os.chown(loop_device, nobody, nobody)
    child = os.fork()
    if child == 0:
        status = 1
        try:
            os.setgroups([])
            os.setresgid(nobody, nobody, nobody)
            os.setresuid(nobody, nobody, nobody)
            device = BlockDevice(loop_device)
            device.write(b"card" * 300_001)
            device.flush()
            status = 0 if b"".join(device.read_back(1_200_004)) == b"card" * 300_001 else 2
        finally:
            os._exit(status)
    assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 0
    os.chown(loop_device, 0, 0)


def test_what_is_read_back_is_what_lies_on_the_medium(loop_device: str, tmp_path: Path) -> None:
    """Bytes changed underneath, past the cache, are seen: the read-back does not come from memory."""
    with _closing(loop_device) as target:
        target.write(b"a" * 1_000_000)
        target.flush()
        with (tmp_path / "backing").open("r+b") as backing:
            backing.seek(500_000)
            backing.write(b"Z")
            backing.flush()
            os.fsync(backing.fileno())
        assert b"".join(target.read_back(1_000_000))[500_000:500_001] == b"Z"


def test_a_loop_device_named_as_a_card_is_one_and_others_are_not(loop_device: str) -> None:
    card = next(d for d in LsblkReaders([loop_device]).drives() if d.path == loop_device)
    assert [f.severity for f in judge_drive(card)] == ["ok"]
    other = next(d for d in LsblkReaders().drives() if d.path == loop_device)
    assert judge_drive(other)[0].code == "card.not-removable"
    for path in ("/dev/sda", "/dev/loop0p1", "loop0", "/dev/../dev/loop0"):
        with pytest.raises(RefusedError, match="not a loop device"):
            LsblkReaders([path])
    readers = LsblkReaders([loop_device])
    with readers.open(card) as target:
        target.write(b"x" * 512)
        target.flush()
    assert readers.set_free(card).safe
    with readers.look(card) as looked:
        assert looked.read_at(0, 4) == b"xxxx"


def test_a_mounted_card_is_not_called_free_to_pull(loop_device: str, tmp_path: Path) -> None:
    subprocess.run(["mkfs.ext4", "-q", loop_device], check=True, capture_output=True)
    (tmp_path / "mount").mkdir()
    if subprocess.run(["mount", loop_device, str(tmp_path / "mount")], capture_output=True, check=False).returncode:
        pytest.skip("mounting is not allowed here")
    try:
        readers = LsblkReaders([loop_device])
        card = next(d for d in readers.drives() if d.path == loop_device)
        released = readers.set_free(card)
        assert (released.safe, "mounted" in released.text) == (False, True)
        with pytest.raises(RefusedError, match="In use"), readers.open(card):
            pass
    finally:
        subprocess.run(["umount", str(tmp_path / "mount")], check=True)


def test_what_the_kernel_says_of_a_drive_is_heard(loop_device: str) -> None:
    """A card that is changed for one as large: the kernel says `change`, and every list of drives stays as it was."""
    readers = LsblkReaders()
    if not readers.awaited():
        pytest.skip("nobody may listen here")
    before = readers.signature()
    Path("/sys/block", Path(loop_device).name, "uevent").write_text("change")
    if not select.select(readers.awaited(), [], [], 10)[0]:
        pytest.skip("the kernel tells nobody here")
    assert readers.signature() != before


def test_the_kernels_number_of_a_medium_tells_one_from_another_as_large(loop_device: str, tmp_path: Path) -> None:
    """Source: Linux documentation, sysfs-block (diskseq); a kernel before 5.15 says none, and then nothing is another by it."""
    name = Path(loop_device).name
    said = tmp_path / "block" / name / "diskseq"
    said.parent.mkdir(parents=True)

    def now(sysfs: Path) -> Drive:
        return next(d for d in LsblkReaders([loop_device], sysfs).drives() if d.path == loop_device)

    if (real := Path("/sys/block", name, "diskseq")).exists():
        assert now(Path("/sys")).medium_seq == int(real.read_text()) > 0
    untold = now(tmp_path)
    said.write_text("41\n")
    first = now(tmp_path)
    said.write_text("42\n")
    other = now(tmp_path)
    assert (untold.medium_seq, first.medium_seq, other.medium_seq) == (0, 41, 42)
    assert other.is_another_than(first)
    assert not any(a.is_another_than(b) for a, b in ((first, first), (first, untold), (untold, first)))
    said.write_text("what is this")
    assert now(tmp_path).medium_seq == 0
