"""Which boards a device tree is for. Source: Devicetree Specification v0.4 §2.3.1 and chapter 5."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import libfdt

from mintseed.core.errors import DeviceTreeError
from mintseed.core.image.facts import BoardParts
from mintseed.core.limits import MAX_DEVICE_TREE_BYTES

_MAGIC = b"\xd0\x0d\xfe\xed"


MOST_NODES = 4000
"""nodes of a tree that are looked at; those of boards have hundreds"""

MOST_DEPTH = 12


@dataclass(frozen=True, slots=True)
class DeviceTree:
    """`compatible` holds the root node's names, most exact first; `model` its plain name."""

    file: str
    model: str
    compatible: tuple[str, ...]
    has: BoardParts


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
    return DeviceTree(file, plain, tuple(names), _parts(tree))


def _parts(tree: libfdt.FdtRo) -> BoardParts:
    """Return what the board has. A tree whose nodes are damaged says of those behind the damage nothing."""
    found = {"ethernet": False, "wifi": False, "usb": False}
    memory = 0
    try:
        for offset, name in _nodes(tree):
            if name in found:
                found[name] = True
            elif name == "memory":
                memory += _memory_bytes(tree, offset)
    except (libfdt.FdtException, ValueError, IndexError):
        pass
    return BoardParts(found["ethernet"], found["wifi"], found["usb"], memory // 1024**2)


def _nodes(tree: libfdt.FdtRo) -> Iterator[tuple[int, str]]:
    """Yield (offset, name without its address) of every node under the root that is not disabled, nor lies in one that is."""
    offset, depth, off_below = 0, 0, MOST_DEPTH + 1
    for _ in range(MOST_NODES):
        offset, depth = tree.next_node(offset, depth, (libfdt.NOTFOUND,))
        if offset < 0 or depth < 1:
            return
        if depth > off_below:
            continue
        status = tree.getprop(offset, "status", (libfdt.NOTFOUND,))
        on = isinstance(status, int) or status.as_str() in ("okay", "ok")
        off_below = MOST_DEPTH + 1 if on else depth
        if on and depth <= MOST_DEPTH:
            yield offset, tree.get_name(offset).partition("@")[0]


def _memory_bytes(tree: libfdt.FdtRo, offset: int) -> int:
    """Return the length of a memory node's ranges, as the root's cells have them (§2.3.5)."""
    address, size = (_cells(tree, name, usual) for name, usual in (("#address-cells", 2), ("#size-cells", 1)))
    reg = tree.getprop(offset, "reg", (libfdt.NOTFOUND,))
    if isinstance(reg, int) or not 1 <= size <= 2 or not 0 <= address <= 3:
        return 0
    data, step = bytes(reg), 4 * (address + size)
    return sum(int.from_bytes(data[at + 4 * address : at + step], "big") for at in range(0, len(data) - step + 1, step))


def _cells(tree: libfdt.FdtRo, name: str, usual: int) -> int:
    prop = tree.getprop(0, name, (libfdt.NOTFOUND,))
    return usual if isinstance(prop, int) else int(prop.as_uint32())
