"""What a tree says a board has, compiled by dtc(1) and asked of fdtget(1) beside us."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.errors import DeviceTreeError
from mintseed.core.image.device_tree import read_device_tree
from mintseed.core.image.facts import BoardParts
from tests.builders.disks import run

WHOLE = """/dts-v1/; / {
  model = "Some board"; compatible = "some,board", "some,chip"; #address-cells = <2>; #size-cells = <1>;
  memory@0 { device_type = "memory"; reg = <0x0 0x0 0x40000000>, <0x1 0x0 0x40000000>; };
  soc {
    ethernet@10 { compatible = "some,mac"; };
    mmc@20 { wifi@1 { status = "okay"; }; };
    off@30 { status = "disabled"; usb@1 { }; };
    usb@40 { status = "disabled"; };
  };
};"""


def compiled(text: str) -> bytes:
    return run("dtc", "-q", "-I", "dts", "-O", "dtb", stdin=text)


def test_sockets_radio_and_memory_stand_in_the_tree(tmp_path: Path) -> None:
    data = compiled(WHOLE)
    tree = read_device_tree(data, file="some.dtb")
    assert tree.has == BoardParts(ethernet=True, radio=True, usb=False, memory_mb=2048)
    blob = tmp_path / "some.dtb"
    blob.write_bytes(data)
    assert run("fdtget", blob, "/", "compatible").decode().split() == list(tree.compatible)
    assert run("fdtget", blob, "/", "model").decode().strip() == tree.model
    assert run("fdtget", blob, "/soc/usb@40", "status").decode().strip() == "disabled"


def test_what_the_boot_loader_fills_in_is_not_known() -> None:
    text = (
        '/dts-v1/; / { compatible = "a,b"; #address-cells = <2>; #size-cells = <2>; memory@0 { reg = <0 0 0 0>; }; };'
    )
    assert read_device_tree(compiled(text), file="x").has == BoardParts()
    none = '/dts-v1/; / { compatible = "a,b"; };'
    assert read_device_tree(compiled(none), file="x").has == BoardParts()


@given(st.integers(56, 400), st.binary(min_size=1, max_size=8))
def test_a_damaged_tree_says_less_and_breaks_nothing(at: int, bytes_there: bytes) -> None:
    data = bytearray(compiled_once())
    data[at : at + len(bytes_there)] = bytes_there
    try:
        read_device_tree(bytes(data), file="x")
    except DeviceTreeError:
        return


_held: list[bytes] = []


def compiled_once() -> bytes:
    if not _held:
        _held.append(compiled(WHOLE))
    return _held[0]


@pytest.mark.parametrize("status", ["okay", "ok"])
def test_a_node_that_says_it_is_there_is_there(status: str) -> None:
    text = f'/dts-v1/; / {{ compatible = "a,b"; ethernet {{ status = "{status}"; }}; }};'
    assert read_device_tree(compiled(text), file="x").has.ethernet
