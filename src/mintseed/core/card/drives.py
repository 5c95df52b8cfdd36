"""Drives as `lsblk --json` lists them, and whether one may be written to."""

from __future__ import annotations

import json
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

from mintseed.core.errors import InputError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.units import GB, drive_size, nominal_gb

LSBLK_COLUMNS = "NAME,PATH,SIZE,RM,RO,HOTPLUG,TRAN,MODEL,SERIAL,TYPE,FSTYPE,MOUNTPOINTS,LOG-SEC"
"""What `lsblk --json --bytes --output` is asked for. Source: lsblk(8)."""

LARGE_CARD_BYTES = 256 * GB
"""Drives above this are rarely cards: the size is typed again (common practice)."""

_SYSTEM_MOUNTS = ("/", "/boot", "/boot/efi", "/boot/firmware", "/usr", "/home", "/var")
_MEMBER_KINDS = {"LVM2_member": "LVM", "linux_raid_member": "RAID", "crypto_LUKS": "an encrypted volume", "zfs_member": "a ZFS pool"}  # fmt: skip
_CARD_BUSES = ("usb", "mmc")


@dataclass(frozen=True, slots=True)
class Drive:
    """One whole drive. `mounted_at` holds every mount point on it and `[SWAP]`; `member_of` what else it is part of;
    `sector_bytes` the size of its logical sectors, 0 where nobody says; `medium_seq` the kernel's number of the medium in it, another
    after each change of it, 0 where nobody says."""

    path: str
    name: str
    size_bytes: int
    removable: bool
    read_only: bool
    bus: str
    model: str
    serial: str
    mounted_at: tuple[str, ...]
    member_of: tuple[str, ...]
    partitions: int
    medium: str = ""
    card_number: str = ""
    pretends: bool = False
    right: Right | None = None
    sector_bytes: int = 0
    medium_seq: int = 0

    def is_another_than(self, before: Drive) -> bool:
        """Return whether what is at its path now is not what was there before."""
        listed, then = ((d.serial, d.size_bytes, d.card_number) for d in (self, before))
        told = 0 not in (self.medium_seq, before.medium_seq)
        return listed != then or (told and self.medium_seq != before.medium_seq)

    @property
    def is_card(self) -> bool:
        """Whether it is something that can be taken out and put into a board."""
        if self.pretends or self.medium == "SD":
            return True
        return self.medium != "MMC" and (self.removable or self.bus in _CARD_BUSES) and not self._built_in

    @property
    def _built_in(self) -> bool:
        return self.bus == "mmc" and not self.removable


@dataclass(frozen=True, slots=True)
class Right:
    """Whether this process may read and write a drive; `group` owns the device, `user` is who asks."""

    read: bool
    write: bool
    group: str = ""
    user: str = ""


@dataclass(frozen=True, slots=True)
class Medium:
    """What the kernel says of a medium on a card bus: `kind` is `SD` for a card, `MMC` for soldered storage; `number` is
    the card's own. Source: Linux documentation, mmc-dev-attrs (`type`, `cid`)."""

    kind: str
    number: str = ""


def parse_lsblk(
    text: str,
    *,
    media: Mapping[str, Medium] | None = None,
    cards: Collection[str] = (),
    rights: Mapping[str, Right] | None = None,
    numbers: Mapping[str, int] | None = None,
) -> tuple[Drive, ...]:
    """Return the whole drives in the output of `lsblk --json --bytes --output LSBLK_COLUMNS`.

    `media` maps names to what the kernel says of media on a card bus, `rights` paths to what may be done there, `numbers` names to the
    kernel's number of the medium (a later lsblk says it itself); `cards` are paths of loop devices that stand for cards. Raises InputError when `text` is not that.
    """
    try:
        listed = json.loads(text)["blockdevices"]
        found = (_drive(entry) for entry in listed if entry.get("type") in ("disk", "loop") and entry.get("size"))
        return tuple(_known(drive, media or {}, cards, rights or {}, numbers or {}) for drive in found)
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise InputError(f"the drive list is not readable ({error})", expected="JSON as lsblk prints it") from error


def _known(
    drive: Drive,
    media: Mapping[str, Medium],
    cards: Collection[str],
    rights: Mapping[str, Right],
    numbers: Mapping[str, int],
) -> Drive:
    medium = media.get(drive.name, Medium(""))
    return replace(
        drive, medium=medium.kind, card_number=medium.number, pretends=drive.path in cards, right=rights.get(drive.path),
        medium_seq=drive.medium_seq or numbers.get(drive.name, 0),
    )  # fmt: skip


def _drive(entry: dict[str, Any]) -> Drive:
    family = list(_family(entry))
    mounts = tuple(dict.fromkeys(m for e in family for m in (e.get("mountpoints") or []) if m))
    members = tuple(dict.fromkeys(_MEMBER_KINDS[e["fstype"]] for e in family if e.get("fstype") in _MEMBER_KINDS))
    return Drive(
        path=str(entry.get("path") or f"/dev/{entry['name']}"),
        name=str(entry["name"]),
        size_bytes=int(entry["size"]),
        removable=bool(entry.get("rm") or entry.get("hotplug")),
        read_only=bool(entry.get("ro")),
        bus=str(entry.get("tran") or ("mmc" if str(entry["name"]).startswith("mmcblk") else "")),
        model=str(entry.get("model") or "").strip(),
        serial=str(entry.get("serial") or "").strip(),
        mounted_at=mounts,
        member_of=members,
        partitions=sum(e.get("type") == "part" for e in family),
        sector_bytes=int(entry.get("log-sec") or 0),
        medium_seq=int(entry.get("disk-seq") or 0),
    )


def _family(entry: dict[str, Any]) -> Iterator[dict[str, Any]]:
    yield entry
    for child in entry.get("children") or []:
        yield from _family(child)


def judge_drive(drive: Drive, *, needed_bytes: int = 0, image_sector_bytes: int = 0) -> tuple[Finding, ...]:
    """Return what stands for and against writing `needed_bytes`, in sectors of `image_sector_bytes`, to `drive`. A stop locks it,
    whatever anyone clicks."""
    where = Where(part=drive.path)
    found: list[Finding] = []
    if any(m in _SYSTEM_MOUNTS or m.startswith("/boot") for m in drive.mounted_at) or "[SWAP]" in drive.mounted_at:
        found.append(Finding("card.holds-system", Severity.STOP, "Holds this system: locked",
                             f"In use at {', '.join(drive.mounted_at)}.", "It is never written to.", where))  # fmt: skip
    elif drive.mounted_at:
        found.append(Finding("card.mounted", Severity.STOP, "In use: locked", f"Mounted at {', '.join(drive.mounted_at)}.",
                             "Unmount it in your file manager, then look again.", where))  # fmt: skip
    elif drive.member_of:
        found.append(Finding("card.member", Severity.STOP, f"Part of {drive.member_of[0]}: locked",
                             "Other drives depend on it.", "Take another drive.", where))  # fmt: skip
    elif drive.read_only:
        found.append(Finding("card.read-only", Severity.STOP, "Write-protected", "The small switch on the card or its adapter is on.",
                             "Slide the switch away from LOCK, put the card back, look again.", where))  # fmt: skip
    elif not drive.is_card and drive.bus == "mmc":
        found.append(Finding("card.built-in-storage", Severity.STOP, "Built-in storage: locked",
                             "It lists like a card and is soldered in." if drive.medium == "MMC" else
                             "It lists like a card, cannot be taken out, and the kernel does not call it one.",
                             "Put the card in a reader.", where, "Linux documentation, mmc-dev-attrs (type)"))  # fmt: skip
    elif not drive.is_card:
        found.append(Finding("card.not-removable", Severity.STOP, "Not a card: locked", "It is built into this machine.",
                             "Put the card in a reader.", where))  # fmt: skip
    if needed_bytes and drive.size_bytes < needed_bytes:
        found.append(Finding("card.too-small", Severity.STOP, "Too small for this image",
                             f"{drive_size(drive.size_bytes)}; the image needs {drive_size(needed_bytes)}.",
                             "Take a larger card.", where, "IEC 80000-13"))  # fmt: skip
    if image_sector_bytes and drive.sector_bytes and drive.sector_bytes != image_sector_bytes:
        found.append(Finding("card.other-sectors", Severity.STOP, "Its sectors are of another size than the image's",
                             f"The card's have {drive.sector_bytes} bytes, the image's table counts in {image_sector_bytes}: no kernel "
                             "would find its partitions there.", "Take another card or reader, one with sectors of "
                             f"{image_sector_bytes} bytes.", where, "UEFI 2.10 §5.3 (LBA counts logical blocks)"))  # fmt: skip
    if not found and drive.right is not None and not (drive.right.read and drive.right.write):
        found.append(_no_right(drive.right, where))
    if found:
        return tuple(found)
    if drive.size_bytes > LARGE_CARD_BYTES:
        found.append(Finding("card.large", Severity.CHECK, "Unusually large for a card",
                             "It may be somebody's backup drive.", "Look at its name twice.", where))  # fmt: skip
    several = drive.partitions != 1
    old = (
        f"{drive.partitions} partition{'s' * several} on it, replaced by a write"
        if drive.partitions
        else "no partition on it"
    )
    size = (
        f"{nominal_gb(drive.size_bytes)} GB is a usual card size"
        if nominal_gb(drive.size_bytes)
        else "An odd size for a card"
    )
    free = "Stands for a card and is not in use" if drive.pretends else "Removable and not in use"
    found.append(Finding("card.free", Severity.OK, free, f"{size}; {old}.", where=where))
    return tuple(found)


def _no_right(right: Right, where: Where) -> Finding:
    """Writing and reading back must both be allowed before the first byte is written."""
    lacking = "write to it" if right.read else "read it back" if right.write else "write to it and read it back"
    user = right.user or "this user"
    cure = (
        f"Once, as an administrator: sudo usermod -aG {right.group} {user}; then log in again and start again."
        if right.group not in ("", "root")
        else f"Ask an administrator to give {user} the right to this device."
    )
    who = f"The user {right.user}" if right.user else "This user"
    return Finding(
        "card.no-right", Severity.STOP, "No right to use this drive", f"{who} may not {lacking}.", cure, where
    )
