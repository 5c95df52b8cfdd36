"""Files put on a root volume by its metadata alone, laid over the volume, and judged by e2fsck(8), debugfs(8) and every other file."""

from __future__ import annotations

import os
import random
from pathlib import Path

import pytest

from mintseed.adapters import ext_skeleton
from mintseed.adapters.run_tool import ToolAnswer
from mintseed.adapters.volume_tools import OffsetVolumeTools
from mintseed.core.errors import ToolError
from mintseed.ports.volume import RootFile
from tests.builders.disks import MIB, run

TOOLS = OffsetVolumeTools()
OFFSET = 3 * MIB
SEED = int(os.environ.get("MINTSEED_SEED", "20261129"))
FILLS = int(os.environ.get("MINTSEED_FILLS", "12"))
"""random fills; `make torture` asks for two hundred"""


def volume(
    folder: Path, files: dict[str, bytes], size_mib: int = 16, *options: str, links: dict[str, str] | None = None
) -> Path:
    """Make a disk with an ext volume at OFFSET by mke2fs(8)."""
    tree = folder / "tree"
    for name, data in files.items():
        (tree / name).parent.mkdir(parents=True, exist_ok=True)
        (tree / name).write_bytes(data)
    for name, target in (links or {}).items():
        (tree / name).parent.mkdir(parents=True, exist_ok=True)
        (tree / name).symlink_to(target)
    ext, disk = folder / "ext", folder / "disk"
    run("mke2fs", "-q", "-t", "ext4", *options, "-d", tree, ext, f"{size_mib}M")
    disk.write_bytes(bytes(OFFSET) + ext.read_bytes() + bytes(MIB))
    return disk


def skeleton(disk: Path) -> bytes:
    return TOOLS.skeleton(disk, OFFSET, disk.stat().st_size - OFFSET - MIB)


def laid_over(disk: Path, *files: RootFile) -> Path:
    """Lay the patches over a copy of the volume, as the stream to a card does; return the volume alone."""
    data = bytearray(disk.read_bytes()[OFFSET:-MIB])
    before = len(data)
    for patch in TOOLS.patches(skeleton(disk), files):
        data[patch.offset_bytes : patch.offset_bytes + len(patch.data)] = patch.data
    assert len(data) == before
    filled = disk.with_name("filled")
    filled.write_bytes(data)
    run("e2fsck", "-fn", filled)
    return filled


def cat(ext: Path, path: str) -> bytes:
    """Return a file as debugfs prints it; of one in its inode it prints all the room there is, so its size says where it ends."""
    size = int(stat(ext, path).split("Size:")[1].split()[0])
    return run("debugfs", "-R", f'cat "/{path}"', ext)[:size]


def stat(ext: Path, path: str) -> str:
    return run("debugfs", "-R", f'stat "/{path}"', ext).decode()


def test_files_are_made_and_replaced_with_owner_and_mode(tmp_path: Path) -> None:
    big = random.Random(1).randbytes(2_000_000)
    disk = volume(tmp_path, {"etc/hostname": b"old\n", "etc/hosts": b"127.0.1.1 old\n", "usr/big": big})
    keyfile = b"[wifi]\nssid=x\n" * 700
    filled = laid_over(
        disk, RootFile("etc/hostname", b"new\n"), RootFile("etc/NetworkManager/system-connections/w i.nmconnection", keyfile, 0, 0, 0o600),
        RootFile("home/ann/.ssh/authorized_keys", b"ssh-ed25519 AAAA\n", 1000, 1000, 0o600), RootFile("etc/localtime", b"/usr/share/zoneinfo/Europe/London", link=True),
        RootFile("var/lib/iwd/=5175.psk", b"[Security]\n", 0, 0, 0o600), RootFile("etc/wants/wpa_supplicant@wlan0.service", b"/lib/systemd/system/wpa_supplicant@.service", link=True),
    )  # fmt: skip
    assert cat(filled, "etc/hostname") == b"new\n"
    assert cat(filled, "etc/NetworkManager/system-connections/w i.nmconnection") == keyfile
    assert "Mode:  0600" in stat(filled, "etc/NetworkManager/system-connections/w i.nmconnection")
    assert "Mode:  0755" in stat(filled, "etc/NetworkManager")
    for path in ("home/ann/.ssh", "home/ann/.ssh/authorized_keys"):
        assert "User:  1000   Group:  1000" in stat(filled, path)
    assert "Mode:  0700" in stat(filled, "home/ann/.ssh")
    assert 'Fast link dest: "/usr/share/zoneinfo/Europe/London"' in stat(filled, "etc/localtime")
    assert cat(filled, "var/lib/iwd/=5175.psk") == b"[Security]\n"
    assert 'Fast link dest: "/lib/systemd/system/wpa_supplicant@.service"' in stat(
        filled, "etc/wants/wpa_supplicant@wlan0.service"
    )
    assert (cat(filled, "usr/big"), cat(filled, "etc/hosts")) == (big, b"127.0.1.1 old\n"), "nothing else is touched"


def test_little_of_the_volume_changes_and_the_same_files_give_the_same_bytes(tmp_path: Path) -> None:
    disk = volume(tmp_path, {"etc/hostname": b"old\n"})
    files = [RootFile("etc/hostname", b"new\n")]
    once, again = TOOLS.patches(skeleton(disk), files), TOOLS.patches(skeleton(disk), files)
    assert once == again
    assert sum(len(p.data) for p in once) < 128 * 1024
    assert [p.offset_bytes for p in once] == sorted(p.offset_bytes for p in once)


def test_a_file_keeps_its_owner_and_mode_where_nobody_says_another(tmp_path: Path) -> None:
    disk = volume(tmp_path, {"etc/secret": b"old\n"})
    ext = tmp_path / "ext"
    run("debugfs", "-w", "-R", "set_inode_field /etc/secret mode 0100640", ext)
    run("debugfs", "-w", "-R", "set_inode_field /etc/secret gid 42", ext)
    disk.write_bytes(bytes(OFFSET) + ext.read_bytes() + bytes(MIB))
    told = stat(laid_over(disk, RootFile("etc/secret", b"new\n")), "etc/secret")
    assert "Mode:  0640" in told
    assert "Group:    42" in told


def test_links_are_followed_inside_and_never_out(tmp_path: Path) -> None:
    links = {
        "etc/conf": "/data/conf",
        "etc/round": "round",
        "etc/up": "../../../../../outside",
        "etc/name": "real-name",
    }
    disk = volume(tmp_path, {"data/conf/a": b"old\n", "outside/x": b"x\n", "etc/real-name": b"old\n"}, links=links)
    filled = laid_over(
        disk, RootFile("etc/conf/a", b"new\n"), RootFile("etc/up/y", b"y\n"), RootFile("etc/name", b"named\n")
    )
    assert cat(filled, "data/conf/a") == b"new\n"
    assert cat(filled, "outside/y") == b"y\n", "above the root is the root, as for every reader"
    assert cat(filled, "etc/real-name") == b"named\n"
    with pytest.raises(ToolError):
        TOOLS.patches(skeleton(disk), [RootFile("etc/round/z", b"z\n")])


def test_what_cannot_be_put_there_is_refused_whole(tmp_path: Path) -> None:
    disk = volume(tmp_path, {"etc/hostname": b"old\n", "file": b"x"}, 4)
    for files in (
        [RootFile("etc/hostname", b"n\n"), RootFile("etc/large", random.Random(2).randbytes(8 * MIB))],
        [RootFile("file/below", b"x")],
        [RootFile('etc/a"b', b"x")],
        [RootFile("../x", b"x")],
    ):
        with pytest.raises(ToolError):
            TOOLS.patches(skeleton(disk), files)


def test_a_volume_that_is_not_clean_or_of_another_kind_says_so(tmp_path: Path) -> None:
    disk = volume(tmp_path, {"etc/hostname": b"old\n"})
    data = bytearray(disk.read_bytes())
    data[OFFSET + 1024 + 58] = 0  # s_state: not left clean
    disk.write_bytes(data)
    with pytest.raises(ToolError, match=r"clean|order"):
        skeleton(disk)
    fat = tmp_path / "fat"
    run("mkfs.fat", "-C", fat, "4096")
    with pytest.raises(ToolError, match="file system is vfat"):
        TOOLS.skeleton(fat, 0, fat.stat().st_size)


def test_a_damaged_skeleton_is_our_error(tmp_path: Path) -> None:
    whole = skeleton(volume(tmp_path, {"etc/hostname": b"old\n"}))
    for bad in (b"", whole[:30], whole[:-20], b"x" + whole, whole[:60] + b"\0" * 8 + whole[68:]):
        with pytest.raises(ToolError):
            TOOLS.patches(bad, [RootFile("etc/hostname", b"n\n")])


def test_random_fills_leave_a_sound_volume_and_every_other_file(tmp_path: Path) -> None:
    """Names, sizes, modes, block sizes and full volumes at random; each is clean to e2fsck and holds what it held."""
    for number in range(FILLS):
        rng = random.Random(SEED + number)
        folder = tmp_path / str(number)
        folder.mkdir()
        held = {f"d{rng.randrange(4)}/{n} f": rng.randbytes(rng.randrange(40_000)) for n in range(rng.randrange(1, 40))}
        options = rng.choice(
            [(), ("-b", "1024"), ("-O", "^metadata_csum"), ("-O", "^has_journal"), ("-O", "inline_data"), ("-I", "128")]
        )
        disk = volume(folder, held, rng.choice([4, 8, 16]), *options)
        # debugfs 1.47 loses zeros where small files lie in their inodes; those are refused.
        empty, zeros = (b"", b"x") if "inline_data" in options else (b"", bytes(9000))
        wanted = {
            rng.choice([rng.choice(list(held)), f"d{rng.randrange(6)}/n{n}/x"]): rng.choice([empty, zeros, rng.randbytes(rng.randrange(200_000))])
            for n in range(rng.randrange(1, 6))
        }  # fmt: skip
        mode = rng.choice([None, 0o600, 0o644, 0o755])
        filled = laid_over(
            disk, *(RootFile(p, c, rng.choice([None, 0, 1000, 70000]), None, mode) for p, c in wanted.items())
        )
        for path, content in {**held, **wanted}.items():
            assert cat(filled, path) == content, (SEED + number, path)


def test_of_a_list_that_was_cut_no_half_number_counts(monkeypatch: pytest.MonkeyPatch) -> None:
    """Cut within 25000, 2500 would be called unused."""
    said = (
        b"Filesystem features:      extent\nFilesystem state:         clean\nBlock size:               1024\n"
        b"  Free blocks: 100-199\n  Free blocks: 1000-1999, 2500"
    )
    for cut, wanted in ((True, ((102400, 102400),)), (False, ((102400, 102400), (1024000, 1024000), (2560000, 1024)))):
        monkeypatch.setattr(ext_skeleton, "ask_tool", lambda *_, cut=cut, **__: ToolAnswer(said, "", cut))
        assert ext_skeleton.unused("x", 10**9) == wanted
