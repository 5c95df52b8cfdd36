"""Which radios a system has firmware for, going by names: folders of its drivers for wireless networks beside those of its firmware.

Sources: depmod(8) for where modules lie; the kernel's documentation, firmware API, search paths.
"""

from __future__ import annotations

from collections.abc import Iterator

from mintseed.core.image.tree import Tree

MODULES = ("usr/lib/modules", "lib/modules")
WIRELESS = "kernel/drivers/net/wireless"
FIRMWARE = ("usr/lib/firmware", "lib/firmware")

MOST_KERNELS, MOST_MAKERS, MOST_RADIOS = 2, 60, 40
LEAST_LETTERS = 3
"""of a name that another one may begin with"""


def radios(tree: Tree) -> Iterator[tuple[str, str]]:
    """Yield what the firmware of radios is called and where it lies; nothing where no driver of a radio tells what to look for."""
    drivers = _drivers(tree)
    found: dict[str, str] = {}
    for folder in FIRMWARE if drivers else ():
        for name in sorted(tree.folder(folder)):
            if (radio := _radio(name, drivers)) and radio not in found and len(found) < MOST_RADIOS:
                found[radio] = f"{folder}/{name}"
    yield from found.items()


def _drivers(tree: Tree) -> frozenset[str]:
    """Return the names of the folders that drivers lie in, a maker's and below it a family's."""
    names: set[str] = set()
    for place in MODULES:
        for kernel in sorted(tree.folder(place))[-MOST_KERNELS:]:
            wireless = f"{place}/{kernel}/{WIRELESS}"
            for maker in tree.folder(wireless)[:MOST_MAKERS]:
                names |= {maker.split(".")[0], *(n.split(".")[0] for n in tree.folder(f"{wireless}/{maker}"))}
        if names:
            break
    return frozenset(n for n in names if n)


def _radio(name: str, drivers: frozenset[str]) -> str:
    """Return what a file or folder of firmware is for: a driver it is called after, or its own name where a driver's begins with it."""
    if called := next((d for d in sorted(drivers) if name == d or name.startswith(f"{d}-")), ""):
        return called
    return name if len(name) >= LEAST_LETTERS and any(d.startswith(name) for d in drivers) else ""
