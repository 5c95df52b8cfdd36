"""Which networks go into which file: into one where its syntax holds several, into a file each, or only the first of them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from mintseed.core.recipes.model import NETWORK_IN_PATH, FileToFill
from mintseed.core.settings.dialects import iwd
from mintseed.core.settings.dialects.registry import dialect
from mintseed.core.settings.values import SettingValues

_READS_ALL_OF = ("system-connections",)
"""folders of which the network manager reads every file. Source: NetworkManager.conf(5), keyfile section, path"""


@dataclass(frozen=True, slots=True)
class OfNetwork:
    """A file, and what goes into it. `left_out`: networks that the device shall know and that go into no file; `why`: in half a sentence."""

    file: FileToFill
    values: SettingValues
    left_out: tuple[str, ...] = ()
    why: str = ""
    further: bool = False
    """whether it is a file of its own beside the one that the recipe names; whether the image brings one of its name nobody looked"""


def of_networks(file: FileToFill, values: SettingValues) -> Iterator[OfNetwork]:
    """Yield `file` for the networks of `values`, once where all go into one."""
    if not values.others or values.way != "wifi" or not file.takes_wifi:
        yield OfNetwork(_called(file, values), values)
        return
    several = dialect(file.dialect).several
    if several == "file-each" and _may_have_more(file):
        for number, network in enumerate(values.networks, 1):
            one = values.of_network(network)
            first = number == 1
            yield OfNetwork(_called(file, one) if first else _further(file, one, number), one, further=not first)
        return
    # What it cannot say of one network does not keep the others out.
    fit = tuple(n for n in values.others if not (n.wpa3_only and file.refuses_wpa3)) if several == "in-file" else ()
    left = tuple(n.ssid for n in values.networks[1:] if n.ssid not in {f.ssid for f in fit})
    why = "It cannot say WPA3" if several == "in-file" else "It holds one network"
    yield OfNetwork(_called(file, values), replace(values, others=fit), left, why if left else "")


def _may_have_more(file: FileToFill) -> bool:
    folder = file.path.rpartition("/")[0].rpartition("/")[2]
    return NETWORK_IN_PATH in file.path or (file.volume == "root" and folder in _READS_ALL_OF)


def _called(file: FileToFill, values: SettingValues) -> FileToFill:
    """Return the file with its name where it is called after the network."""
    if NETWORK_IN_PATH not in file.path:
        return file
    path = file.path.replace(f"={NETWORK_IN_PATH}", iwd.stem(values.ssid))
    if file.dialect == "iwd" and values.open_network:
        path = path.removesuffix(".psk") + iwd.OPEN_ENDING
    return file.model_copy(update={"path": path})


def _further(file: FileToFill, values: SettingValues, number: int) -> FileToFill:
    """Return the file of a further network, which no image brings."""
    if NETWORK_IN_PATH in file.path:
        return _called(file, values).model_copy(update={"absent": "make"})
    folder, slash, name = file.path.rpartition("/")
    stem, dot, ending = name.rpartition(".")
    beside = f"{folder}{slash}{stem if dot else name}-{number}{dot}{ending if dot else ''}"
    return file.model_copy(update={"path": beside, "absent": "make", "title": f"{file.title}, {values.ssid}"[:80]})
