"""Which boards a device tree is for. Source: Devicetree Specification v0.4 §2.3.1 and chapter 5."""

from __future__ import annotations

from dataclasses import dataclass

import libfdt

from mintseed.core.errors import DeviceTreeError
from mintseed.core.limits import MAX_DEVICE_TREE_BYTES

_MAGIC = b"\xd0\x0d\xfe\xed"


@dataclass(frozen=True, slots=True)
class DeviceTree:
    """`compatible` holds the root node's names, most exact first; `model` its plain name."""

    file: str
    model: str
    compatible: tuple[str, ...]


def read_device_tree(data: bytes, *, file: str) -> DeviceTree:
    """Read the root node of a flattened device tree.

    Raises DeviceTreeError when `data` is not one, is cut short, or names no board.
    """
    if len(data) > MAX_DEVICE_TREE_BYTES or not data.startswith(_MAGIC):
        raise DeviceTreeError("not a flattened device tree", expected="the bytes d0 0d fe ed at its start", where=file)
    claimed = int.from_bytes(data[4:8], "big")
    if claimed > len(data) or claimed < 40:
        raise DeviceTreeError(f"claims {claimed} bytes and has {len(data)}", expected="a whole tree", where=file)
    try:
        tree = libfdt.FdtRo(data)
        names = tree.getprop(0, "compatible").as_stringlist()
        model = tree.getprop(0, "model", (libfdt.NOTFOUND,))
        plain = "" if isinstance(model, int) else model.as_str()
    except (libfdt.FdtException, ValueError, IndexError) as error:  # an empty property is an IndexError
        raise DeviceTreeError(
            f"names no board ({error})", expected="a root node with `compatible`", where=file
        ) from error
    if not names or not all(names):
        raise DeviceTreeError(
            "names no board (its `compatible` is empty)", expected="a root node with `compatible`", where=file
        )
    return DeviceTree(file, plain, tuple(names))
