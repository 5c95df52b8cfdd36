"""Boards, as described in `boards/`, and what one owns to power them: supplies and cables."""

from collections import Counter
from collections.abc import Iterator
from typing import Annotated, Literal, Self

from pydantic import BeforeValidator, Field, model_validator

from mintseed.core.described import Around, Described, Fault, MeantError, Path
from mintseed.core.price import Price

Identifier = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9.-]{0,39}$")]
Architecture = Literal["arm", "riscv", "pc", "mcu"]
"""Families of instructions. `mcu`: a microcontroller, which runs firmware and no system."""

Speed = Literal["slow", "middle", "fast"]
Medium = Literal["card", "serial"]
"""What it starts from: a card, or firmware that is written over a serial adapter."""

Plug = Literal["micro-USB", "USB-C", "barrel plug", "header pins"]
Socket = Literal["USB-A socket", "USB-C socket"]
PLUGS: tuple[Plug, ...] = ("micro-USB", "USB-C", "barrel plug", "header pins")
SOCKETS: tuple[Socket, ...] = ("USB-A socket", "USB-C socket")
"""A supply ends in a plug of its own, or has a socket that a cable goes into."""

Gauge = Literal[14, 16, 18, 20, 22, 24, 26, 28, 30]
"""American wire gauges that are printed on cables; a lower number is thicker."""

UsbPlug = Literal["A", "micro", "C"]
DisplayPlug = Literal["full", "mini", "micro"]
CameraContacts = Literal[15, 22]


def _listed(said: object) -> object:
    """Return what was said as a list: one socket is written as its kind alone, several as a list."""
    return () if said is None else said if isinstance(said, (list, tuple)) else (said,)


CameraSockets = Annotated[
    tuple[CameraContacts, ...], BeforeValidator(_listed, CameraContacts | tuple[CameraContacts, ...] | None)
]
DisplaySockets = Annotated[
    tuple[DisplayPlug, ...], BeforeValidator(_listed, DisplayPlug | tuple[DisplayPlug, ...] | None)
]


Bands = tuple[Annotated[float, Field(ge=0.7, le=71)], ...]
"""Wi-Fi bands in GHz. Between 0.7 (IEEE 802.11ah) and 60 (802.11ad) are those that exist."""


class SupplyNeed(Described):
    """What the board draws by itself. `least_current_a`: at load, with nothing plugged in; `idle_current_a`: doing nothing."""

    voltage_v: float = Field(gt=0, le=60)
    least_current_a: float = Field(gt=0, le=30)
    idle_current_a: float = Field(default=0, ge=0, le=30)
    connector: Plug

    def faults(self, around: Around) -> Iterator[Fault]:
        if self.idle_current_a > self.least_current_a:
            yield Fault(
                ("idle_current_a",),
                f"{self.idle_current_a:g} A doing nothing is more than {self.least_current_a:g} A at load",
            )
        usual = USUAL_V.get(self.connector)
        if usual is not None and not usual[0] <= self.voltage_v <= usual[1]:
            yield Fault(
                ("voltage_v",),
                f"{self.voltage_v:g} V on {self.connector} is unusual: a supply with that plug gives {usual[0]:g} to {usual[1]:g} V",
                odd=True,
            )


USUAL_V: dict[Plug, tuple[float, float]] = {"micro-USB": (4.75, 5.5), "USB-C": (4.75, 5.5)}
"""Volts that supplies give on these plugs unless more was agreed on. Source: USB 2.0 §7.2.1, USB Type-C 2.1 §4.4.2 (default: 4.75 to
5.5 V)."""


class Header(Described):
    """The row of pins for add-ons. The first 26 of 40 are the older 26 (common practice)."""

    pins: Literal[8, 26, 40]
    pin_1: str = Field(description="where pin 1 is, as one sees it", max_length=80)
    fitted: bool = Field(default=True, description="whether its pins are in; the smallest boards come with bare holes")


class UsbSockets(Described):
    plug: UsbPlug
    count: int = Field(ge=1, le=12)
    power_only: bool = Field(default=False, description="whether they give power and carry no data")


OVER_MM = 5.0
"""mm by which a socket may stand out over the board's edge (common practice)."""


class Place(Described):
    """Where something sits on the board, in mm from its upper left corner, seen from above with the header at the top."""

    what: Literal["power", "display", "camera", "header", "usb", "network", "audio", "card", "mark", "light"]
    label: str = Field(max_length=40)
    x_mm: float = Field(ge=0, le=400)
    y_mm: float = Field(ge=0, le=400)
    width_mm: float = Field(gt=0, le=400)
    height_mm: float = Field(gt=0, le=400)


class Drawing(Described):
    """The board to scale."""

    width_mm: float = Field(gt=0, le=400)
    height_mm: float = Field(gt=0, le=400)
    places: tuple[Place, ...] = Field(max_length=40)


WHOLE = ("maker", "printed_mark", "compatible", "bits", "ethernet", "supply", "since", "card_slot")
"""what a board that is described wholly has to say"""


class Board(Described):
    """One model of board. It is told apart by its printed mark, not by its family name (common practice).

    `described`: of a board described in `part`, what is left out is not known; of one described wholly, it is not there.
    """

    board: Literal[1]
    id: Identifier
    name: str = Field(min_length=1, max_length=60)
    described: Literal["whole", "part"] = "whole"
    maker: str = Field(default="", max_length=60)
    printed_mark: str = Field(default="", max_length=60)
    mark_place: str = Field(default="", max_length=120, description="where the mark is printed")
    telling_apart: str = Field(default="", max_length=240, description="how it is told from boards that look alike")
    compatible: tuple[str, ...] = Field(default=(), max_length=20, description="device-tree names, most exact first")
    bits: Literal[32, 64] | None = None
    architecture: Architecture | None = Field(
        default=None, description="of its processor; of a board that is described wholly, arm where nothing is said"
    )
    speed: Speed = "middle"
    radio_ghz: Bands | None = Field(default=None, max_length=4)
    ethernet: bool | None = None
    supply: SupplyNeed | None = None
    usb_current_a: float = Field(default=1.2, ge=0, le=10, description="what all its USB sockets give together")
    two_supplies: bool = Field(default=False, description="whether it bears a second supply while an add-on feeds it")
    header: Header | None = None
    camera_contacts: CameraSockets = Field(
        default=(), max_length=6, description="contacts of each camera socket: 15, or [22, 22] for two"
    )
    display: DisplaySockets = Field(
        default=(), max_length=6, description="kind of each display socket: full, or [micro, micro] for two"
    )
    audio_socket: bool = False
    usb: tuple[UsbSockets, ...] = Field(default=(), max_length=6)
    medium: Medium = "card"
    memory_mb: int | None = Field(default=None, gt=0, le=1_048_576, description="memory, 2²⁰ bytes, as it is sold")
    storage_gb: float | None = Field(
        default=None,
        gt=0,
        le=8192,
        description="storage soldered onto it, 10⁹ bytes; with a card in, it starts from the card",
    )
    starts_from_usb: bool | None = Field(default=None, description="whether it also starts from a drive on USB")
    boot_loader_since: str | None = Field(
        default=None,
        pattern=r"^\d{4}-(0[1-9]|1[0-2])$",
        description="year and month of the first boot loader that starts today's images, where boards were sold with older ones",
    )
    card_most_gb: int | None = Field(
        default=None, gt=0, description="largest card its reader takes, as printed on cards"
    )
    since: str | None = Field(
        default=None, pattern=r"^\d{4}-(0[1-9]|1[0-2])$", description="year and month it came out"
    )
    twin: Identifier | None = Field(default=None, description="id of the board that differs only in its radio")
    card_slot: str = Field(default="", max_length=160)
    mac_prefixes: tuple[Annotated[str, Field(pattern=r"^[0-9a-f]{2}(:[0-9a-f]{2}){2}$")], ...] = Field(
        default=(), max_length=20, description="how hardware addresses of its kind begin, as its maker's: 00:11:22"
    )
    price: Price | None = None
    drawing: Drawing | None = None
    remarks: str = Field(default="", max_length=400)

    @model_validator(mode="before")
    @classmethod
    def _left_out_of_a_whole_one(cls, said: object) -> object:
        """Let a board that is described wholly and names no radio have none, and one that names no processor be of the usual kind."""
        if isinstance(said, dict) and said.get("described", "whole") == "whole":
            usual = {"radio_ghz": (), "architecture": "arm"}
            return {**said, **{name: value for name, value in usual.items() if said.get(name) is None}}
        return said

    @model_validator(mode="after")
    def _whole_says_all(self) -> Self:
        if self.described == "whole":
            for name in WHOLE:
                if getattr(self, name) in (None, "", ()):
                    raise MeantError((name,), "is missing; of a board that is known in part, say described: part")
        return self

    def faults(self, around: Around) -> Iterator[Fault]:
        if self.twin == self.id:
            yield Fault(("twin",), "a board is no twin of itself")
        if around.today is not None and self.since is not None and self.since > f"{around.today:%Y-%m}":
            yield Fault(("since",), f"{self.since} is still to come", odd=True)
        for other in (around.boards or {}).values():
            if other.id == self.id:
                continue
            if self.printed_mark and other.printed_mark.lower() == self.printed_mark.lower():
                yield Fault(("printed_mark",), f"{other.name} has this mark: boards are told apart by it")
            if self.compatible and other.compatible[:1] == self.compatible[:1]:
                yield Fault(("compatible", 0), f"{other.name} has this device-tree name: images name boards by it")
        if self.medium == "serial" and self.storage_gb:
            yield Fault(("storage_gb",), "a board whose firmware goes over serial has no storage for an image")
        yield from self._drawing_faults()

    def _drawing_faults(self) -> Iterator[Fault]:
        """Yield where the drawing shows other sockets than the description names."""
        if self.drawing is None:
            return
        drawn: Counter[str] = Counter(place.what for place in self.drawing.places)
        usb = sum(held.count for held in self.usb)
        # USB sockets stand over one another, two or three in one housing.
        said = {"camera": len(self.camera_contacts), "display": len(self.display), "header": int(self.header is not None),
                "network": int(bool(self.ethernet)), "audio": int(self.audio_socket)}  # fmt: skip
        for place, shown in enumerate(self.drawing.places):
            here: Path = ("drawing", "places", place)
            if shown.what in said and drawn[shown.what] > said[shown.what]:
                yield Fault(
                    (*here, "what"),
                    f"the drawing shows {drawn[shown.what]} times {shown.what}, the board has {said[shown.what]}",
                )
                said.pop(shown.what)
            if shown.what == "usb" and drawn["usb"] > usb:
                yield Fault((*here, "what"), f"the drawing shows {drawn['usb']} USB sockets, the board has {usb}")
                usb = drawn["usb"]
            if (
                shown.x_mm + shown.width_mm > self.drawing.width_mm + OVER_MM
                or shown.y_mm + shown.height_mm > self.drawing.height_mm + OVER_MM
            ):
                yield Fault(
                    (*here, "what"),
                    f"it lies beyond the board, which is {self.drawing.width_mm:g} by {self.drawing.height_mm:g} mm",
                )
        for what, count in said.items():
            if drawn[what] < count:
                yield Fault(
                    ("drawing", "places"), f"the board has {count} times {what}, the drawing shows {drawn[what]}"
                )
        if usb and not drawn["usb"]:
            yield Fault(("drawing", "places"), f"the board has {usb} USB sockets, the drawing shows none")

    @property
    def has_radio(self) -> bool:
        """Whether it is known to have a radio."""
        return bool(self.radio_ghz)

    @property
    def may_have_more(self) -> bool:
        """Whether it may have sockets and pins that nobody named."""
        return self.described == "part"

    @property
    def device_tree_name(self) -> str:
        """The most exact of its device-tree names; empty where nobody said it."""
        return self.compatible[0] if self.compatible else ""


class Battery(Described):
    """Cells behind a supply. Hours = mAh ÷ 1000 × cell voltage × efficiency ÷ watts."""

    capacity_mah: float = Field(gt=0, le=1_000_000)
    cell_v: float = Field(default=3.7, gt=0, le=5, description="voltage at which the capacity is printed")
    efficiency: float = Field(
        default=0.85, gt=0, le=1, description="what is left after raising the voltage (from memory)"
    )


class Cable(Described):
    """A power cable. `awg` is the gauge of its two power wires, as printed on it."""

    name: str = Field(max_length=80)
    plug_to_supply: Literal["USB-A", "USB-C"] = "USB-A"
    plug_to_board: Plug
    length_m: float = Field(gt=0, le=20, allow_inf_nan=False)
    awg: Gauge | None = Field(default=None, description="None where nothing is printed on it")


class Supply(Described):
    """A power supply one owns: with a cable of its own, or with a socket for one."""

    name: str = Field(max_length=80)
    voltage_v: float = Field(gt=0, le=60)
    current_a: float = Field(gt=0, le=30)
    connector: Plug | Socket
    length_m: float | None = Field(default=None, gt=0, le=20, description="length of its own cable")
    awg: Gauge | None = Field(default=None, description="gauge of its own cable")
    battery: Battery | None = None

    @property
    def has_socket(self) -> bool:
        """Whether a cable goes between it and the board."""
        return self.connector in SOCKETS

    @model_validator(mode="after")
    def _socket_has_no_cable(self) -> Self:
        if self.has_socket and (self.length_m or self.awg):
            raise MeantError(
                ("connector",), "a supply with a socket has no cable of its own: length_m and awg belong to the cable"
            )
        return self
