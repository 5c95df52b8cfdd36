"""Fill an image's settings files: from their bytes as they came to their bytes as they will be."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace

from mintseed.core.errors import MintSeedError
from mintseed.core.findings import Finding, Severity, Where, verdict, worst_first
from mintseed.core.image.report import XRay
from mintseed.core.image.system import NETPLAN
from mintseed.core.limits import MAX_FINDINGS_A_FILE
from mintseed.core.plan.plan import PlannedPart
from mintseed.core.recipes.model import FileToFill, Recipe
from mintseed.core.recipes.templates import placeholders_in
from mintseed.core.settings.dialects.registry import dialect
from mintseed.core.settings.diff import MarkedLine, mark_lines
from mintseed.core.settings.each_network import OfNetwork, of_networks
from mintseed.core.settings.editor_damage import not_text, read_text, too_long
from mintseed.core.settings.reader import SHELL, Reader
from mintseed.core.settings.secrets_in import SHADOW_PATH, masked
from mintseed.core.settings.text import split, with_text
from mintseed.core.settings.values import SettingValues
from mintseed.core.site.channels import band_of, check_channel
from mintseed.core.site.languages import same_locale
from mintseed.core.words import some


@dataclass(frozen=True, slots=True)
class Owned:
    """Whose a file on the root volume will be, and its mode; None where it stays as it is."""

    uid: int | None = None
    gid: int | None = None
    mode: int | None = None


NOBODY_SAID = Owned()


@dataclass(frozen=True, slots=True)
class FilledFile:
    """One settings file. `content` is exactly what goes on the card; it holds secrets and stays out of the repr."""

    path: str
    """with a / before it on the root volume"""
    title: str
    dialect: str
    content: bytes = field(repr=False)
    lines: tuple[MarkedLine, ...] = field(repr=False)
    findings: tuple[Finding, ...]
    carries_country: bool = False
    meaning: str = ""
    """what its device will do with it, in one sentence, read back from the content"""
    owned: Owned = field(default_factory=lambda: NOBODY_SAID)

    @property
    def on_root(self) -> bool:
        return self.path.startswith("/")

    @property
    def changed_lines(self) -> int:
        return sum(line.mark == "added" for line in self.lines)


def files_for(recipe: Recipe, way: str, release: str = "") -> tuple[FileToFill, ...]:
    """Return the files that `release` reads, and that are filled when the board comes onto the network by `way`. A file of
    another release is left as it lies: it holds at most a pointer to the new one."""
    return tuple(f for f in recipe.files if f.when in ("always", way) and recipe.reads(f, release))


def fill_files(recipe: Recipe, values: SettingValues, image: XRay) -> tuple[FilledFile, ...]:
    """Return every file of `recipe` that the image's release reads (the newest, where it is not known), filled with `values`.

    A file that is missing, cannot be edited, or lies where nothing can be put comes back unchanged, with the finding that says so.
    """
    originals = {file.path: file.content for file in image.files}
    wanted = [
        one
        for file in files_for(recipe, values.way, image.release)
        if dialect(file.dialect).wanted(values)
        for one in of_networks(file, values)
    ]
    filled = ((_fill(one.file, one.values, originals.get(one.file.place)), one) for one in wanted)
    told = (
        (replace(done, findings=(*done.findings, *_wifi_rendered(one.file, one.values, image))), one)
        for done, one in filled
    )
    return _who_sets_addresses(tuple(
        _owned(done, one.file, one.values, image) if done.on_root else done
        for done, one in ((_with_left_out(done, one), one) for done, one in told)
    ), image)  # fmt: skip


_IWD_SETS_ADDRESSES = re.compile(rb"^[ \t]*EnableNetworkConfiguration[ \t]*=[ \t]*true[ \t]*$", re.MULTILINE)
"""Source: iwd.config(5), General"""


def _who_sets_addresses(filled: tuple[FilledFile, ...], image: XRay) -> tuple[FilledFile, ...]:
    """Leave out that an address of iwd's counts only where iwd sets addresses, where a file of the image, as it is or as it is filled, says so."""
    known = [f.content for f in filled] + [f.content for f in image.files if f.path.endswith("iwd/main.conf")]
    if not any(_IWD_SETS_ADDRESSES.search(content) for content in known):
        return filled
    return tuple(replace(f, findings=tuple(one for one in f.findings if one.code != "iwd.address-if")) for f in filled)


def _wifi_rendered(file: FileToFill, values: SettingValues, image: XRay) -> Iterator[Finding]:
    """Yield that nothing on the image makes Wi-Fi of a network that cloud-init is told, where its system was read."""
    started = {fact.value for fact in image.system.networks}
    if file.dialect == "cloud-init-network" and values.way == "wifi" and started and NETPLAN not in started:
        yield Finding("settings.wifi-wants-netplan", Severity.CHECK, "Nothing on this image makes Wi-Fi of this file",
                      "cloud-init sets up Wi-Fi only through netplan, which does not lie there; it would say so in its log and go on without.",
                      "Take an image with netplan, another way in, or a cable.", Where(file=file.place), "cloud-init 22.4.2, network_state.py; seen in a machine")  # fmt: skip


def _with_left_out(filled: FilledFile, one: OfNetwork) -> FilledFile:
    """Return the file with what is to be said of the networks of its device: that it is one of its own, or does not hold them all."""
    if one.further:
        told = Finding(
            "settings.file-made", Severity.NOTE, f"{filled.path} is made", f"It is for {one.values.ssid}, beside the file the recipe names; one of this name would be written over.",
            where=Where(file=filled.path),
        )  # fmt: skip
        return replace(filled, findings=(*(f for f in filled.findings if f.code != told.code), told))
    if not one.left_out:
        return filled
    names = ", ".join(one.left_out)
    told = Finding(
        "settings.networks-left-out", Severity.CHECK, f"{filled.path} does not take {names}", f"{one.why}; of {'these' if len(one.left_out) > 1 else 'it'} the device knows nothing.",
        "Add the others on the running device, or leave them out here.", Where(file=filled.path, field="also"),
    )  # fmt: skip
    return replace(filled, findings=(*filled.findings, told))


def address_findings(recipe: Recipe, values: SettingValues, release: str) -> tuple[Finding, ...]:
    """Return that a fixed address is wanted and no file of `recipe` takes one."""
    files = files_for(recipe, values.way, release)
    if values.address is None or any(takes_address(f) for f in files):
        return ()
    return (
        Finding("settings.address-nowhere", Severity.STOP, "No file of this image takes a fixed address", f"It would ask the router for one, and {values.address.address} would be nobody's.",
                "Leave it empty, and have the router keep an address for this device by its hardware address.", Where(field="address")),
    )  # fmt: skip


def takes_address(file: FileToFill) -> bool:
    """Whether a fixed address can stand in a file."""
    return dialect(file.dialect).takes_address or any("{address}" in text for text in file.values.values())


OTHERS_READ = 0o004


def _owned(filled: FilledFile, file: FileToFill, values: SettingValues, image: XRay) -> FilledFile:
    """Return the file with its owner and mode, or with the finding that nothing can be put there."""
    if image.root_unfillable:
        refused = Finding(
            "settings.root-unfillable", Severity.STOP, f"{filled.path} lies on a volume that cannot be filled here", f"Its root volume: {image.root_unfillable}.",
            "Take another way in under Plan: by cable, or with a screen and a keyboard.", Where(file=filled.path),
        )  # fmt: skip
        return replace(filled, findings=(refused,))
    if any("{locale}" in template for template in file.values.values()):
        filled = replace(filled, findings=(*filled.findings, *_locale_there(filled.path, values.locale, image)))
    demanded = dialect(file.dialect)
    owner, mode = file.owner or demanded.owner, file.mode or demanded.mode
    account = next((a for a in image.system.accounts if a.name == owner), None)
    uid, gid = (0, 0) if owner == "root" else (account.uid, account.gid) if account else (None, None)
    if owner and uid is None:
        nobody = Finding(
            "settings.owner-unknown", Severity.STOP, f"{filled.path} shall belong to {owner}, and the image has no such account",
            "Whoever reads it would not be its owner.", "Name another owner in the recipe.", Where(file=filled.path),
        )  # fmt: skip
        return replace(filled, findings=(*filled.findings, nobody))
    if demanded.reads_as and mode and owner != demanded.reads_as and not int(mode, 8) & OTHERS_READ:
        unread = Finding(
            "settings.reader-locked-out", Severity.STOP, f"{filled.path} could not be read by what it is for", f"Its reader runs as {demanded.reads_as}, and with mode {mode} only {owner or 'its owner'} reads it.",
            "Give it the mode 0644 in the recipe, or that account as its owner.", Where(file=filled.path), "systemd.network(5); tried on the proving ground",
        )  # fmt: skip
        return replace(filled, findings=(*filled.findings, unread))
    return replace(filled, owned=Owned(uid, gid, int(mode, 8) if mode else None))


def _locale_there(path: str, locale: str, image: XRay) -> Iterator[Finding]:
    """Yield that the image cannot speak a language, where its files of languages tell that."""
    there = image.system.locales
    if locale and there and not any(same_locale(locale, one) for one in there):
        yield Finding("settings.locale-not-there", Severity.CHECK, f"{locale} is not on this image",
                      f"It has {some(there)}; its programs will speak English, and some will say so.",
                      "Make it on the running device, such as with locale-gen, or keep the image's own.", Where(file=path), "setlocale(3)")  # fmt: skip


def left_alone(recipe: Recipe, release: str, on_image: Collection[str]) -> tuple[Finding, ...]:
    """Return a note for each file that lies on the image and that another release of `recipe` reads."""
    return tuple(
        Finding("settings.file-left", Severity.NOTE, f"{file.place} is left as it lies",
                f"Release {release} does not read it" + (f": since {file.until} its place is taken by another file." if file.until else "."),
                where=Where(file=file.place))
        for file in recipe.files if file.place in on_image and not recipe.reads(file, release)
    )  # fmt: skip


def overlays_by_hand(recipe: Recipe, parts: Iterable[PlannedPart], filled: Iterable[FilledFile]) -> tuple[Finding, ...]:
    """Return a note for each part whose driver wants a line that no filled file of `recipe` takes: those are the person's to write."""
    taken = {f.path for f in filled} & {f.place for f in recipe.files if f.overlays}
    return tuple(
        Finding("settings.overlay-by-hand", Severity.NOTE, f"{planned.name} wants a line that is yours to write",
                f"Its driver wants {', '.join(planned.part.overlay)} in a settings file, and none that is filled here takes it.",
                "Write it where the image's maker says, or choose the part on the appliance's page; then restart it.", Where(field=planned.name))
        for planned in parts if planned.part.overlay and not taken
    )  # fmt: skip


FINGERPRINT_VERSION = 1
"""how fingerprints are made now. A fingerprint on record is compared with one made as it was then: see FINGERPRINTS."""


def _over_files(image_sha256: str, filled: Iterable[FilledFile]) -> str:
    digest = hashlib.sha256(image_sha256.encode())
    for file in filled:
        digest.update(f"\0{file.path}\0{len(file.content)}\0".encode() + file.content)
    return digest.hexdigest()


FINGERPRINTS: Mapping[int, Callable[[str, Iterable[FilledFile]], str]] = {1: _over_files}
"""1: SHA-256 over the image's own and every filled file. A new way gets a new number; the old ones stay."""


def fingerprint(image_sha256: str, filled: Iterable[FilledFile], version: int = FINGERPRINT_VERSION) -> str:
    """Return what tells one filled image from another, made as `version` makes it; empty for one that nobody knows here."""
    make = FINGERPRINTS.get(version)
    return make(image_sha256, filled) if make else ""


def _fill(file: FileToFill, values: SettingValues, original: bytes | None) -> FilledFile:
    # Where a link leads now is not read: it is set, whatever it was.
    made = original is None and (file.absent == "make" or file.dialect == "link")
    if made:
        original = b""
    if original is None:
        missing = Finding(
            "settings.file-missing",
            Severity.STOP,
            f"{file.place} is not on this image",
            "File names change between releases; a file under another name is never read.",
            "Choose the image this recipe describes, or bring the recipe up to date.",
            Where(file=file.place),
        )
        return FilledFile(file.place, file.title, file.dialect, b"", (), (missing,))
    if (wrong := too_long(original, name=file.place) or not_text(original, name=file.place)) is not None:
        return FilledFile(file.place, file.title, file.dialect, original, (), (wrong,))
    wpa3 = values.way == "wifi" and values.wpa3_only
    if wpa3 and file.refuses_wpa3:
        return FilledFile(file.place, file.title, file.dialect, original, (), (_no_wpa3(file, values),))
    try:
        read_text(original, name=file.place, reader=reader_of(file.dialect, file))  # refuses what is no text at all
        before = split(original)
        changed = with_text(
            before,
            dialect(file.dialect).apply(before.text, file, values),
            unix_ends=reader_of(file.dialect, file).crlf is Severity.STOP,
        )
        content = changed.encoded()
    except MintSeedError as error:
        broken = Finding(
            "settings.file-not-editable", Severity.STOP, f"{file.place} could not be filled", error.sentence(),
            "Nothing was changed.", Where(file=file.place),
        )  # fmt: skip
        return FilledFile(file.place, file.title, file.dialect, original, (), (broken,))
    if file.dialect == "link":
        leads = Finding(
            "settings.link-set", Severity.OK, f"{file.place} leads to {content.decode()}", where=Where(file=file.place)
        )
        return FilledFile(file.place, file.title, file.dialect, content, mark_lines("", changed.text), (leads,))
    meant = ("file.not-utf-8", *(_MEANT_WHEN_OPEN if values.way == "wifi" and values.open_network else ()))
    found = [f for f in check_file(content, file.place, file.dialect, file) if f.code not in meant]
    if verdict(found) in (Severity.OK, Severity.NOTE):
        count = len(changed.lines)
        detail = f"{changed.encoding.upper()}, no mark, {count} line{'s' * (count != 1)}; what did not have to change is as it came."
        found.append(
            Finding(
                "settings.file-sound", Severity.OK, f"{file.place} reads well", detail, where=Where(file=file.place)
            )
        )
    if made:
        found.append(
            Finding("settings.file-made", Severity.NOTE, f"{file.place} is made",
                    "The image comes without it; its maker lets people make it, with exactly this name." if file.volume == "boot"
                    else "The image comes without it: it is made, with the folders on the way to it.", where=Where(file=file.place))
        )  # fmt: skip
    if values.way == "wifi" and values.open_network and _key_alone(file):
        found.append(
            Finding("settings.open-unsaid", Severity.CHECK, f"{file.place} holds an empty key", "Whether its reader takes that for an open network its recipe does not say.",
                    "Use a network with a passphrase, or say it in the recipe with {wifi_open:…|…}.", Where(file=file.place))
        )  # fmt: skip
    in_clear = any(file.in_clear(wpa3=n.wpa3_only) for n in values.networks if not n.open)
    if values.way == "wifi" and in_clear:
        found.append(
            Finding("settings.passphrase-in-clear", Severity.NOTE, f"{file.place} holds the passphrase as it is typed",
                    f"{'WPA3 works from the passphrase alone' if wpa3 else 'Its reader takes nothing else'}: whoever has the card can read it.", where=Where(file=file.place))
        )  # fmt: skip
    lines = tuple(
        _shown(file.place, line, all_hidden=any(n.wpa3_only for n in values.networks))
        for line in mark_lines(before.text, changed.text)
    )
    carries = dialect(file.dialect).takes_country or any("{country}" in t for t in file.values.values())
    if carries and values.way == "wifi" and values.channel is not None:
        found += _channel_closed(file.place, values.channel, values)
    means = dialect(file.dialect).means(changed.text, file.place, file).sentence()
    return FilledFile(file.place, file.title, file.dialect, content, lines, tuple(found), carries, means)


def _channel_closed(place: str, channel: int, values: SettingValues) -> list[Finding]:
    """Return the finding about a file that keeps the radio to a country where the network's channel is closed; a file that names no country
    leaves the radio as it comes, which listens there."""
    found = check_channel(channel, values.band_ghz or band_of(channel), values.country)
    return [replace(f, where=Where(file=place, field="country")) for f in found if f.code == "wifi.channel-country"]


def _key_alone(file: FileToFill) -> bool:
    """Whether templates put a key or a passphrase into it, and none says that a network is open."""
    names = {name for text in file.values.values() for name in placeholders_in(text)}
    return bool(names & {"wifi_key", "wifi_passphrase"}) and "wifi_open" not in names


_MEANT_WHEN_OPEN = ("keyfile.no-security",)
"""what is wrong with a file alone where its network has a passphrase"""


def _no_wpa3(file: FileToFill, values: SettingValues) -> Finding:
    return Finding(
        "wifi.wpa3-only", Severity.STOP, f"{values.ssid} takes WPA3 alone, and {file.place} cannot say that",
        "What reads it takes a key of WPA2 alone; the board would never join.",
        "Let the router offer WPA2 beside WPA3, use another network, or the cable.", Where(file=file.place, field="ssid"),
        "IEEE 802.11-2020 §12.4 (SAE)",
    )  # fmt: skip


def _shown(place: str, line: MarkedLine, *, all_hidden: bool) -> MarkedLine:
    """Return the line without what opens something, where it was there before; of a file of passwords in clear every one: they may stand
    there in other letters than they are typed in."""
    ours = line.mark == "added" and place != SHADOW_PATH and not all_hidden
    return line if ours else replace(line, text=masked(place, line.text))


def reader_of(dialect_name: str, file: FileToFill | None) -> Reader:
    """Return what the reader of a file makes of what editors do to it."""
    return SHELL if file is not None and file.quoting == "shell" else dialect(dialect_name).reader


def check_file(data: bytes, path: str, dialect_name: str, file: FileToFill | None = None) -> tuple[Finding, ...]:
    """Judge a settings file as it lies there: what an editor did to it, and what its reader will make of it.

    `file` is what the recipe says of it, such as its quoting, where a recipe is known.
    """
    if (wrong := too_long(data, name=path) or not_text(data, name=path)) is not None:
        return (wrong,)
    text, damage = read_text(data, name=path, reader=reader_of(dialect_name, file))
    return _bounded([*damage, *dialect(dialect_name).check(text, path, file)], path)


def _bounded(found: list[Finding], path: str) -> tuple[Finding, ...]:
    """Return `found`, of a great many only the worst, and how many more there are."""
    if len(found) <= MAX_FINDINGS_A_FILE:
        return tuple(found)
    more = Finding("file.more-findings", Severity.NOTE, f"{len(found) - MAX_FINDINGS_A_FILE} more of {path} are not shown",
                   "The worst are.", where=Where(file=path))  # fmt: skip
    return (*worst_first(found)[:MAX_FINDINGS_A_FILE], more)
