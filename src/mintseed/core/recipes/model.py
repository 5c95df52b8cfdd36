"""A recipe: a text that describes an appliance. It carries no code."""

import datetime
import itertools
import re
from collections.abc import Collection, Iterator, Mapping
from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, field_validator, model_validator

from mintseed.core.boards.model import Architecture, Board, Identifier, Medium, Speed
from mintseed.core.described import Around, Described, Fault, MeantError, Path
from mintseed.core.parts.model import Part, Role, role_words
from mintseed.core.patterns import check_pattern, matches_whole
from mintseed.core.recipes.templates import CHOICES_OF_FACTS, LATER_PLACEHOLDERS, PLACEHOLDERS, placeholders_in
from mintseed.core.words import an

Sha256 = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
FILE_PATH = r"^\.?[A-Za-z0-9_-][A-Za-z0-9._@-]*(/\.?[A-Za-z0-9_-][A-Za-z0-9._@-]*)*$"
RelativePath = Annotated[str, Field(pattern=FILE_PATH)]

NETWORK_IN_PATH = "{wifi_name_hex}"
"""in the path of a file that is called after the network: with the = before it, its name as iwd calls such files, plain or in hex (iwd.network(5))"""
FillPath = Annotated[
    str,
    Field(pattern=FILE_PATH.removesuffix("$").replace("[A-Za-z0-9_-]", r"(?:[A-Za-z0-9_-]|=\{wifi_name_hex\})") + "$"),
]

DialectName = Literal[
    "wpa-supplicant", "keyfile", "netplan", "cloud-init-user-data", "cloud-init-network", "systemd-networkd", "interfaces", "iwd", "connman",
    "authorized-keys", "shadow", "key-value", "shell-vars", "ini", "json", "yaml", "toml", "presence", "plain", "hosts", "link",
]  # fmt: skip
"""the syntaxes that are filled, see core/settings/dialects"""


WIFI_DIALECTS: dict[DialectName, bool] = {
    "wpa-supplicant": True, "keyfile": True, "iwd": True, "netplan": True, "cloud-init-network": True, "interfaces": False, "connman": False,
}  # fmt: skip
"""those that hold a Wi-Fi network without being told which key means what, and whether they can say WPA3. netplan: since 0.107, and a check says
so; connman-service.config(5) knows no SAE; Debian's scripts for ifupdown hand no word of protected frames on, which it demands (wpasupplicant 2.10)."""


WayIn = Literal["fill-before", "fill-after", "cable-first", "own-access-point", "screen", "network-install"]

WAYS_IN: dict[WayIn, str] = {
    "fill-before": "settings filled in before the card is written",
    "fill-after": "settings filled in on the written card",
    "cable-first": "over a cable first, Wi-Fi on its page later",
    "own-access-point": "over the network the device opens itself",
    "screen": "with a screen and a keyboard",
    "network-install": "installed over the network",
}
"""The schools of how settings get into a device (common practice)."""

Hazard = Literal["heat", "mains", "transmit", "camera", "copyright", "exposure", "aircraft"]


class Build(Described):
    """One downloadable file of a release. `boards` are the device-tree names its maker lists; empty where nothing is listed."""

    id: Identifier
    bits: Literal[32, 64]
    architecture: Architecture = "arm"
    medium: Medium = "card"
    boards: tuple[str, ...] = Field(default=(), max_length=400)
    unpacked_mb: int | None = Field(default=None, gt=0, description="size of the unpacked image, 10⁶ bytes")
    file: Annotated[str, StringConstraints(strip_whitespace=False)] = Field(min_length=1, max_length=1020)
    sha256: Sha256 | None = None
    checksums: str | None = Field(default=None, description="name of a published list of checksums beside the file")


class Release(Described):
    version: str = Field(min_length=1, max_length=40)
    date: datetime.date | None = Field(default=None, description="the day it came out, where anybody said it")
    channel: Literal["stable", "test", "daily"] = "stable"
    builds: tuple[Build, ...] = Field(min_length=1, max_length=40)


class CardNeed(Described):
    """Card sizes in GB as printed on the card (10⁹ bytes). `steady_mb_s`: what it writes without a pause, in 10⁶ bytes a second."""

    least_gb: int = Field(gt=0, le=2048)
    advised_gb: int = Field(gt=0, le=2048)
    content_gb: float = Field(default=0, ge=0, le=2048, description="what people usually put on it")
    steady_mb_s: float = Field(default=0, ge=0, le=90)
    endurance: bool = Field(
        default=False, description="whether it writes day and night, so that a card for recorders is advised"
    )

    def faults(self, around: Around) -> Iterator[Fault]:
        if self.advised_gb < self.least_gb:
            yield Fault(("advised_gb",), f"{self.advised_gb} GB advised is less than {self.least_gb} GB at least")


class MemoryNeed(Described):
    """Memory of the board in 2²⁰ bytes: below `least_mb` it does not run, from `enough_mb` on it has what it usually needs."""

    least_mb: int = Field(gt=0, le=1_048_576)
    enough_mb: int = Field(gt=0, le=1_048_576)

    def faults(self, around: Around) -> Iterator[Fault]:
        if self.enough_mb < self.least_mb:
            yield Fault(("enough_mb",), f"{self.enough_mb} MB are enough, and {self.least_mb} MB are needed at least")


class Choice(Described):
    """One answer that may be given, and what it is called on a screen."""

    value: str = Field(min_length=1, max_length=80)
    text: str = Field(default="", max_length=80, description="how it is shown; the value itself where nothing is said")


class Ask(Described):
    """A question of the recipe's own, such as a call sign. Its answer can be used in templates as {id}."""

    id: Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")]
    title: str
    hint: str = ""
    pattern: str = Field(default="", description="regular expression the whole answer must match; empty takes any line")
    default: str = ""
    secret: bool = False
    optional: bool = Field(default=False, description="whether it may be left empty")
    choices: tuple[Choice, ...] = Field(
        default=(), max_length=40, description="the answers there are; empty takes any line"
    )
    at_least: float | None = Field(default=None, description="the least a number may be")
    at_most: float | None = Field(default=None, description="and the most")
    only_if: dict[str, str] = Field(
        default_factory=dict,
        max_length=4,
        description="other questions' ids and answers: asked only where all of them were given",
    )

    def asked(self, answers: Mapping[str, str]) -> bool:
        """Return whether it is asked, where these are the answers in force."""
        return all(answers.get(other, "") == wanted for other, wanted in self.only_if.items())

    @property
    def is_number(self) -> bool:
        return self.at_least is not None or self.at_most is not None

    def faults(self, around: Around) -> Iterator[Fault]:
        if self.at_least is not None and self.at_most is not None and self.at_most < self.at_least:
            yield Fault(("at_most",), f"{self.at_most:g} is less than at_least, {self.at_least:g}")
        if self.choices and (self.is_number or self.pattern or self.secret):
            yield Fault(("choices",), "answers to choose from have no pattern, no range and no secret")
        if self.choices and self.default and self.default not in {c.value for c in self.choices}:
            yield Fault(("default",), f"{self.default} is none of its choices")
        if self.default and self.pattern and not matches_whole(self.pattern, self.default):
            yield Fault(("default",), f"{self.default} is refused by its own pattern")
        if self.secret and self.default:
            yield Fault(("default",), "a secret that everybody can read here is none", odd=True)

    @field_validator("pattern")
    @classmethod
    def _pattern_compiles(cls, pattern: str) -> str:
        return check_pattern(pattern)


def same_place(place: str) -> str:
    """Return what two spellings of one place have in common: FAT finds a name in whatever letters, ext only in its own."""
    return place if place.startswith("/") else place.lower()


class FileToFill(Described):
    """A settings file and what goes into it: on the boot volume, or on the root volume with the owner and mode its reader wants."""

    path: FillPath
    volume: Literal["boot", "root"] = "boot"
    owner: str = Field(
        default="",
        pattern=r"^([a-z_][a-z0-9_-]{0,31})?$",
        description="account of the image it belongs to, on the root volume",
    )
    mode: str = Field(
        default="", pattern=r"^(0[0-7]{3})?$", description="its mode in octal, such as 0600, on the root volume"
    )
    dialect: DialectName
    title: str
    device: str = Field(
        default="wlan0",
        pattern=r"^[a-z][a-z0-9]{1,14}$",
        description="the radio's name, in files that name it; wlan0 where nobody says otherwise (common practice)",
    )
    reader: Literal["typed", "text"] = Field(
        default="typed",
        description="whether its reader takes NO for false and 0123 for a number, as YAML 1.1 has it, or all for text",
    )
    since: str = Field(default="", description="the release that began to read it; empty: all")
    until: str = Field(
        default="", description="the release that no longer reads it: from there on it is left as it lies"
    )
    when: Literal["always", "wifi"] = "always"
    quoting: Literal["none", "shell"] = "none"
    absent: Literal["refuse", "make"] = Field(
        default="refuse", description="what is done where the image lacks it: people make some files themselves"
    )
    overlays: bool = Field(default=False, description="whether the lines that parts' drivers want go into it")
    values: dict[str, str] = Field(
        default_factory=dict,
        description="key → template with {host_name} {time_zone} {keyboard} {country} {admin_name} {admin_hash} {locale} and what it asks",
    )

    def faults(self, around: Around) -> Iterator[Fault]:
        if self.volume == "boot":
            for name in ("owner", "mode"):
                if getattr(self, name):
                    yield Fault(
                        (name,), "the boot volume knows neither owners nor modes: say volume: root, or leave it out"
                    )
            if self.dialect == "link":
                yield Fault(("dialect",), "the boot volume knows no links: say volume: root")

    @property
    def place(self) -> str:
        """Where it lies, in one text: with a / before it on the root volume, without on the boot volume."""
        return f"/{self.path}" if self.volume == "root" else self.path

    @property
    def takes_wifi(self) -> bool:
        """Whether the network goes into it."""
        return self.dialect in WIFI_DIALECTS or any(t in text for text in self.values.values() for t in _NETWORK_IN)

    @property
    def refuses_wpa3(self) -> bool:
        """Whether it can hold a derived key alone, or its syntax knows no WPA3: that wants the passphrase itself."""
        return not WIFI_DIALECTS.get(self.dialect, True) or any("{wifi_key}" in text for text in self.values.values())

    def in_clear(self, *, wpa3: bool) -> bool:
        """Whether the network's passphrase stands in it as it is typed."""
        return (wpa3 and WIFI_DIALECTS.get(self.dialect, False)) or any(
            "{wifi_passphrase}" in text for text in self.values.values()
        )


_NETWORK_IN = ("{wifi_name}", "{wifi_passphrase}", "{wifi_key}")
"""without one of these a file does not hold the network"""


class BootTimes(Described):
    """How long this appliance takes until it is on the network, in seconds from power-on (common practice)."""

    assumed: bool = Field(
        default=False,
        description="whether nobody measured or said them: such times are named as assumed and stop nothing",
    )

    usual_from_s: int = Field(ge=1)
    usual_to_s: int = Field(ge=1)
    late_after_s: int = Field(ge=1)
    hopeless_after_s: int = Field(ge=1)
    page_after_s: int = Field(default=0, ge=0, description="further seconds until the page is ready")
    prepares_from_s: int = Field(
        default=0, ge=0, description="seconds it prepares itself further once its page is there, from"
    )
    prepares_to_s: int = Field(default=0, ge=0, description="and to")
    first_update_s: int = Field(default=0, ge=0, description="seconds its first update takes")
    by_speed: dict[Speed, Annotated[float, Field(gt=0, le=10)]] = Field(
        default_factory=dict, description="times as long on a slow, middle or fast board; 1 where nothing is said"
    )

    def faults(self, around: Around) -> Iterator[Fault]:
        times = ("usual_from_s", "usual_to_s", "late_after_s", "hopeless_after_s")
        for before, then in itertools.pairwise(times):
            if getattr(self, then) < getattr(self, before):
                yield Fault((then,), f"{getattr(self, then)} s is before {before}, {getattr(self, before)} s")
        if self.prepares_to_s < self.prepares_from_s:
            yield Fault(
                ("prepares_to_s",), f"{self.prepares_to_s} s is before prepares_from_s, {self.prepares_from_s} s"
            )


class Page(Described):
    """Where the appliance's page is and how it is told from other pages."""

    assumed: bool = Field(
        default=False, description="whether nobody said that there is one: it is looked for, and not missed"
    )
    scheme: Literal["http", "https"] = "http"
    port: int = Field(ge=1, le=65535)
    path: str = "/"
    signature: str = Field(
        default="",
        pattern=r"^$|^[\s\S]{3,}$",
        description="text that stands in the page and in no other device's; empty where nobody saw it yet",
    )

    def shown(self, status: int, body: str) -> bool:
        """Return whether an answer with HTTP `status` and `body` is surely this page."""
        return status == 200 and bool(self.signature) and self.signature in body

    def may_be(self, status: int, body: str) -> bool:
        """Return whether it is this page as far as anybody can tell: any whole page where nobody said what stands on it."""
        return self.shown(status, body) or (status == 200 and not self.signature)


class DefaultLogin(Described):
    """The login an image comes with: public knowledge. Used to check that it no longer opens the page."""

    path: str
    user_field: str
    password_field: str
    user: str
    password: str
    refused_status: int = Field(default=401, description="HTTP status of a refused login")


class ExpectedReading(Described):
    """A value that is read off while setting up, and what it should be."""

    unit: str = Field(max_length=20)
    at_least: float | None = None
    at_most: float | None = None

    def faults(self, around: Around) -> Iterator[Fault]:
        if self.at_least is None and self.at_most is None:
            yield Fault(
                ("unit",), "without at_least or at_most nothing is checked: say one of them, or leave the reading out"
            )
        elif self.at_least is not None and self.at_most is not None and self.at_least > self.at_most:
            yield Fault(("at_most",), f"{self.at_most:g} is less than at_least, {self.at_least:g}")


class SetupStep(Described):
    """One of the first steps after the page is open."""

    id: Identifier
    title: str
    do: str
    see: str
    reading: ExpectedReading | None = None
    check: Literal["by-eye", "page-answers", "default-login-refused"] = "by-eye"


class PartNeed(Described):
    """What it works with beside the board. `options` are ids of parts, the usual one first; empty takes any part of the role."""

    role: Role
    need: Literal["needed", "optional"] = "needed"
    why: str = Field(max_length=160)
    options: tuple[Identifier, ...] = Field(default=(), max_length=20)

    def met_by(self, part: Part) -> bool:
        return part.role == self.role and (not self.options or part.id in self.options)


class ContentFolder(Described):
    """Where people's own files go."""

    path: str = Field(max_length=200)
    what: str = Field(max_length=160)
    hint: str = Field(default="", max_length=240)
    drive_hides: bool = Field(
        default=False, description="whether an external drive with that folder hides the card's: the two are not merged"
    )
    runs: dict[Speed, Annotated[str, Field(max_length=120)]] = Field(
        default_factory=dict, description="how it runs on a slow, middle or fast board"
    )

    def notes(self, board: Board | None) -> tuple[str, ...]:
        """Return what to know of this folder on `board`, in sentences."""
        runs = self.runs.get(board.speed, "") if board else ""
        drive = (
            "An external drive that has this folder hides the card's: the two are not merged."
            if self.drive_hides
            else ""
        )
        said = f"On {board.name}: {runs}." if runs and board else ""
        return tuple(text for text in (self.hint, drive, said) if text)


HOST_NAME = re.compile(r"[A-Za-z0-9]([A-Za-z0-9-]{0,61}[A-Za-z0-9])?")
"""RFC 1123 §2.1 and RFC 952: one label."""


class OwnNetwork(Described):
    """The network a device opens itself while it knows no other."""

    name: str = Field(min_length=1, max_length=32, description="as a phone lists it")
    passphrase: str = Field(
        default="", max_length=63, description="its first one, which everybody may know; empty: none"
    )
    page: str = Field(
        default="", max_length=80, pattern=r"^(https?://[^\s]+)?$", description="where its page answers there"
    )


class Recipe(Described):
    """An appliance: its releases, the files to fill, what it needs, how it boots, where its page is, what to check."""

    recipe: Literal[1]
    id: Identifier
    name: str = Field(min_length=1, max_length=60)
    kind: str = Field(max_length=60, description="its role, such as print server")
    summary: str = Field(max_length=300)
    releases: tuple[Release, ...] = Field(min_length=1, max_length=100, description="newest first")
    card: CardNeed
    memory: MemoryNeed | None = None
    ways: tuple[Literal["wifi", "cable"], ...] = Field(min_length=1)
    ways_in: tuple[WayIn, ...] = Field(
        default=("fill-before",), min_length=1, description="how settings may get in; the usual one first"
    )
    host_name: str = Field(description="the name every card of this image starts with", max_length=63)
    own_network: OwnNetwork | None = Field(default=None, description="the network it opens itself, where it does")
    files: tuple[FileToFill, ...] = Field(max_length=40)
    boot: BootTimes
    page: Page
    default_login: DefaultLogin | None = None
    asks: tuple[Ask, ...] = Field(default=(), max_length=40)
    needs: tuple[PartNeed, ...] = Field(default=(), max_length=40)
    add_ons: tuple[Part, ...] = Field(default=(), max_length=40, description="parts only this recipe describes")
    content: tuple[ContentFolder, ...] = Field(default=(), max_length=40)
    setup: tuple[SetupStep, ...] = Field(default=(), max_length=60)
    hazards: tuple[Hazard, ...] = ()
    unattended: bool = Field(default=True, description="whether it is meant to run with nobody beside it")
    cautions: tuple[str, ...] = Field(default=(), max_length=40)

    @model_validator(mode="after")
    def _placeholders_are_known(self) -> Self:
        asked = {ask.id for ask in self.asks}
        known = {*PLACEHOLDERS, *LATER_PLACEHOLDERS, *asked}
        if twice := {ask.id for ask in self.asks} & set(PLACEHOLDERS):
            place = next(n for n, ask in enumerate(self.asks) if ask.id in twice)
            raise MeantError(("asks", place, "id"), f"{', '.join(sorted(twice))} is a value every recipe has")
        for number, file in enumerate(self.files):
            for key, template in file.values.items():
                if strange := [n for n in placeholders_in(template) if n not in known]:
                    raise MeantError(
                        ("files", number, "values", key),
                        f"nothing is called {{{strange[0]}}}; there are {', '.join(sorted(known))}",
                    )
                if bare := [n for n in CHOICES_OF_FACTS if n not in asked and f"{{{n}}}" in template]:
                    raise MeantError(
                        ("files", number, "values", key),
                        f"what stands there when it is so, and when not? Write {{{bare[0]}:yes|no}}, with the words of the file",
                    )
        return self

    def faults(self, around: Around) -> Iterator[Fault]:
        yield from self._twice()
        if not HOST_NAME.fullmatch(self.host_name):
            yield Fault(
                ("host_name",),
                f"{self.host_name} is no host name: letters, digits and hyphens, not at the ends (RFC 1123 §2.1)",
            )
        used = {n for file in self.files for template in file.values.values() for n in placeholders_in(template)}
        yield from self._ask_faults(used | {other for ask in self.asks for other in ask.only_if})
        for number, release in enumerate(self.releases):
            if around.today is not None and release.date is not None and release.date > around.today:
                yield Fault(("releases", number, "date"), f"{release.date} is still to come", odd=True)
            for place, build in enumerate(release.builds):
                yield from self._build_faults(("releases", number, "builds", place), build, around)
        if around.parts is not None:
            yield from self._option_faults({**around.parts, **{p.id: p for p in self.add_ons}})

    def _ask_faults(self, used: Collection[str]) -> Iterator[Fault]:
        before: dict[str, Ask] = {}
        for place, ask in enumerate(self.asks):
            if ask.id not in used:
                yield Fault(("asks", place, "id"), f"no file uses {{{ask.id}}}: its answer would go nowhere")
            for other, wanted in ask.only_if.items():
                if other not in before:
                    yield Fault(("asks", place, "only_if"), f"no question above it is called {other}")
                elif before[other].choices and wanted not in {c.value for c in before[other].choices}:
                    yield Fault(("asks", place, "only_if"), f"{wanted} is no answer to {other}")
            before[ask.id] = ask

    def _twice(self) -> Iterator[Fault]:
        """Yield what is named a second time where each is one."""
        listed: list[tuple[Path, str, object]] = [
            *((("ways", n), "way", way) for n, way in enumerate(self.ways)),
            *((("ways_in", n), "way in", way) for n, way in enumerate(self.ways_in)),
            *((("asks", n, "id"), "question", ask.id) for n, ask in enumerate(self.asks)),
            *((("add_ons", n, "id"), "part", part.id) for n, part in enumerate(self.add_ons)),
            *((("setup", n, "id"), "step", step.id) for n, step in enumerate(self.setup)),
            *((("hazards", n), "hazard", hazard) for n, hazard in enumerate(self.hazards)),
            *((("releases", r, "builds", b, "id"), f"build of {release.version}", build.id)
              for r, release in enumerate(self.releases) for b, build in enumerate(release.builds)),
            *((("releases", r, "builds", b, "file"), "file", build.file)
              for r, release in enumerate(self.releases) for b, build in enumerate(release.builds)),
        ]  # fmt: skip
        for number, file in enumerate(self.files):
            # One path may stand twice for different releases; no release reads both.
            for release in self.releases:
                if self.reads(file, release.version):
                    listed.append(
                        (("files", number, "path"), f"settings file of {release.version}", same_place(file.place))
                    )
        seen: set[tuple[str, object]] = set()
        told: set[Path] = set()
        for path, what, value in listed:
            if (what, value) in seen and path not in told:
                told.add(path)
                yield Fault(path, f"{value} is named twice as a {what}")
            seen.add((what, value))

    def _build_faults(self, path: Path, build: Build, around: Around) -> Iterator[Fault]:
        if build.medium == "card" and (build.unpacked_mb or 0) > self.card.least_gb * 1000:
            yield Fault(
                (*path, "unpacked_mb"), f"{build.unpacked_mb} MB do not go on the least card, {self.card.least_gb} GB"
            )
        by_name = {b.device_tree_name: b for b in (around.boards or {}).values() if b.compatible}
        for place, name in enumerate(build.boards):
            board = by_name.get(name)
            if board is not None and board.architecture not in (None, build.architecture):
                yield Fault(
                    (*path, "boards", place),
                    f"{board.name} speaks {board.architecture}, this build {build.architecture}",
                )
            elif board is not None and board.bits is not None and build.bits > board.bits:
                yield Fault(
                    (*path, "boards", place),
                    f"{board.name} is a {board.bits}-bit board, and this is a {build.bits}-bit build",
                )

    def _option_faults(self, parts: Mapping[str, Part]) -> Iterator[Fault]:
        for number, need in enumerate(self.needs):
            for place, option in enumerate(need.options):
                path: Path = ("needs", number, "options", place)
                if option not in parts:
                    yield Fault(path, f"no part is called {option}; bring it first, or describe it under add_ons")
                elif parts[option].role != need.role:
                    yield Fault(
                        path,
                        f"{option} is {an(parts[option].role_words)}, and what is needed is {an(role_words(need.role))}",
                    )

    def release(self, version: str) -> Release | None:
        """Return the release called `version`, or None."""
        return next((r for r in self.releases if r.version == version), None)

    def build_of_file(self, *file_names: str) -> tuple[Release, Build] | None:
        """Return the release and build whose download is called by one of `file_names`, or None."""
        return next(((r, b) for r in self.releases for b in r.builds if b.file in file_names), None)

    @model_validator(mode="after")
    def _releases_are_known(self) -> Self:
        versions = [r.version for r in self.releases]
        if len(set(versions)) < len(versions):
            second = next(n for n, v in enumerate(versions) if v in versions[:n])
            raise MeantError(("releases", second, "version"), "this version is named twice")
        dates = [(n, r.date) for n, r in enumerate(self.releases) if r.date is not None]
        late = next((n for (_, before), (n, day) in itertools.pairwise(dates) if day > before), None)
        if late is not None:
            raise MeantError(
                ("releases", late, "date"), "the newest stands first, and this one is newer than the one above it"
            )
        for number, file in enumerate(self.files):
            for name in ("since", "until"):
                if (wanted := getattr(file, name)) and wanted not in versions:
                    raise MeantError(("files", number, name), f"no release is called {wanted}")
        return self

    def reads(self, file: FileToFill, version: str) -> bool:
        """Return whether release `version` reads `file`; the newest release where it is not known."""
        order = [r.version for r in self.releases]
        age = order.index(version) if version in order else 0
        began = not file.since or age <= order.index(file.since)
        return began and not (file.until and age <= order.index(file.until))

    def builds_for(self, board: Board) -> tuple[tuple[Release, Build], ...]:
        """Return the builds whose machine language `board` speaks and whose medium it has, newest first, the widest word first. A board
        of which nobody said how wide its words are, or what its processor is, may run any."""
        return tuple(
            (r, b)
            for r in self.releases
            for b in sorted(r.builds, key=lambda b: -b.bits)
            if board.architecture in (None, b.architecture)
            and b.medium == board.medium
            and b.bits <= (board.bits or 64)
        )

    @property
    def takes_overlays(self) -> bool:
        """Whether any of its files takes the lines that parts' drivers want."""
        return any(file.overlays for file in self.files)

    @property
    def usual_way_in(self) -> WayIn:
        """How the settings get in where nobody chose: filled before writing where it allows that, else its first way."""
        return "fill-before" if "fill-before" in self.ways_in else self.ways_in[0]

    @property
    def on_boot_volume(self) -> dict[str, FileToFill]:
        """Its files there by their names in small letters: whoever reads FAT finds a name in whatever letters it is written."""
        return {file.path.lower(): file for file in self.files if file.volume == "boot"}

    @property
    def own_account(self) -> str:
        """The account of the image's own whose password is set before first boot; empty where there is none."""
        shadows = (file for file in self.files if file.dialect == "shadow")
        return next((name for file in shadows for name, t in file.values.items() if "{admin_hash}" in t), "")

    @property
    def takes_locale(self) -> bool:
        """Whether any of its files takes the language of the system before first boot."""
        return self._takes("{locale}")

    @property
    def takes_keyboard(self) -> bool:
        """Whether any of its files takes the layout of the keyboard before first boot."""
        return self._takes("{keyboard}")

    def _takes(self, value: str) -> bool:
        return any(value in template for file in self.files for template in file.values.values()) or any(
            file.dialect == "cloud-init-user-data" and not file.values for file in self.files
        )

    @property
    def takes_admin(self) -> bool:
        """Whether any of its files takes an admin account before first boot."""
        return any(
            file.dialect == "cloud-init-user-data" or "{admin_" in template
            for file in self.files
            for template in (*file.values.values(), "")
        )
