"""The device trees and the kernel that Debian's own ARM installer starts real boards with (debian-installer-12-netboot-armhf), beside fdtget(1)."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest

from mintseed.core.image.device_tree import read_device_tree
from mintseed.core.image.kernel import read_kernel
from mintseed.standins.board.card_bytes import device_tree_names

INSTALLER = Path("/usr/lib/debian-installer/images/12/armhf/text/debian-installer/armhf")
pytestmark = pytest.mark.skipif(
    not INSTALLER.is_dir(), reason="debian-installer-12-netboot-armhf is not installed (scripts/prepare --tests)"
)


def test_each_tree_names_what_fdtget_names() -> None:
    trees = sorted((INSTALLER / "dtbs").glob("*.dtb"))
    assert len(trees) > 500
    differ = []
    for path in trees:
        asked = ["fdtget", "--default", "", str(path), "/", "compatible", "/", "model"]
        said = subprocess.run(asked, capture_output=True, text=True, check=True).stdout.split("\n")
        data = path.read_bytes()
        tree = read_device_tree(data, file=path.name)
        told = tuple(said[0].split()), said[1].strip()
        if (tree.compatible, tree.model) != told or tuple(device_tree_names(data)) != told[0]:
            differ.append((path.name, tree.compatible, tree.model, told))
    assert not differ


def test_its_kernel_is_one_for_32_bit_arm() -> None:
    kernel = read_kernel((INSTALLER / "vmlinuz").read_bytes()[:4096])
    assert kernel is not None
    assert (kernel.bits, kernel.architecture) == (32, "arm")
