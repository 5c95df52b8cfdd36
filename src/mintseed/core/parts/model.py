"""Parts, as described in `parts/` and in recipes: what one sees, where they go, what they take and draw."""

from collections.abc import Iterator
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from mintseed.core.boards.model import Bands, CameraContacts, DisplayPlug, Identifier, UsbPlug
from mintseed.core.described import Around, Described, Fault, MeantError
from mintseed.core.price import Price

Role = Annotated[
    str,
    Field(
        pattern=r"^[a-z][a-z0-9-]{1,39}$",
        description="what it is there for; see ROLES for those with words of their own",
    ),
]
"""Open: a role that nobody knows is a plain part."""

ROLES: dict[Role, str] = {
    "audio-add-on": "audio add-on", "camera": "camera", "receiver-stick": "receiver stick", "radio-add-on": "radio add-on",
    "probe-board": "probe board", "serial-adapter": "serial adapter", "controller": "controller", "usb-drive": "USB drive",
    "usb-hub": "USB hub", "case": "case", "antenna": "antenna", "wifi-adapter": "Wi-Fi adapter", "socket-adapter": "socket adapter",
    "display-cable": "display cable", "printer-cable": "printer cable",
}  # fmt: skip
"""What a part is there for, in the words of the bench."""


def role_words(role: Role) -> str:
    """Return a role in the words of the bench; of one that has none, its own name."""
    return ROLES.get(role) or role.replace("-", " ")


When = Literal["before-power", "after-first-boot", "in-setup"]
"""When it is put on: before the first power; once the bare board was seen to work; at the step of the setup that asks for it."""


class HeaderUse(Described):
    """What an add-on does with the header. Pins count as on the board. `takes`: pins nothing else may have; `i2c`: addresses on
        the shared pair, which several add-ons may use as long as their addresses differ; `spi`: selects on the shared bus, whose three lines
    several may use while each select is one's own."""

    socket: Literal[8, 26, 40] = Field(description="contacts of its own socket")
    takes: dict[int, str] = Field(default_factory=dict, description="pin → what it carries")
    i2c: tuple[str, ...] = Field(default=(), max_length=8, description="addresses such as 0x4d on pins 3 and 5")

    spi: tuple[Literal[0, 1], ...] = Field(default=(), max_length=2, description="selects on pins 24 (0) and 26 (1)")

    @model_validator(mode="after")
    def _pins_exist(self) -> Self:
        if strange := [p for p in self.takes if not 1 <= p <= self.socket]:
            raise MeantError(("takes", strange[0]), f"its socket has no pin {strange[0]}")
        if fixed := [p for p in self.takes if p in POWER_PINS]:
            raise MeantError(("takes", fixed[0]), f"pin {fixed[0]} is {POWER_PINS[fixed[0]]} for every add-on")
        if self.spi and self.socket == 8:
            raise MeantError(("spi",), "a socket of 8 contacts has no such bus")
        return self

    def faults(self, around: Around) -> Iterator[Fault]:
        for place, said in enumerate(self.i2c):
            try:
                address = int(said, 16)
            except ValueError:
                yield Fault(("i2c", place), f"{said} is no address, such as 0x4d")
                continue
            if not I2C_LEAST <= address <= I2C_MOST:
                yield Fault(
                    ("i2c", place), f"{said} is no device's: addresses go from 0x{I2C_LEAST:02x} to 0x{I2C_MOST:02x}"
                )


I2C_LEAST, I2C_MOST = 0x08, 0x77
"""The 7-bit addresses that devices may have. Source: NXP UM10204 §3.1.12, reserved addresses."""


POWER_PINS: dict[int, str] = {
    1: "3.3 V", 17: "3.3 V", 2: "5 V", 4: "5 V",
    **dict.fromkeys((6, 9, 14, 20, 25, 30, 34, 39), "ground"),
}  # fmt: skip
"""Pins of the common 40-pin header that every add-on shares (common practice)."""

I2C_PINS = (3, 5)
"""The shared pair of the common header (common practice)."""

SPI_LINES: dict[int, str] = {19: "bus data out", 21: "bus data in", 23: "bus clock"}
"""The lines of the common header's shared bus: all on it use them, one at a time (common practice)."""

SPI_SELECTS: dict[int, int] = {0: 24, 1: 26}
"""Select → pin: who is meant. Two that use one select both answer (common practice)."""


class Adapter(Described):
    """What a socket adapter turns into what: `has` is the socket of the board, `gives` what then fits."""

    of: Literal["camera", "display", "usb"]
    has: str = Field(max_length=10)
    gives: str = Field(max_length=10)


class Part(Described):
    """Something that goes with a board. Currents are at 5 V, drawn from the board unless it has a supply of its own."""

    part: Literal[1]
    id: Identifier
    name: str = Field(max_length=60)
    role: Role
    seen: str = Field(default="", max_length=160, description="what one sees on it: plug, print, colour")
    header: HeaderUse | None = None
    usb: UsbPlug | None = Field(default=None, description="plug that goes into the board")
    camera_contacts: CameraContacts | None = None
    display: DisplayPlug | None = None
    idle_current_a: float = Field(default=0, ge=0, le=10)
    load_current_a: float = Field(default=0, ge=0, le=10)
    own_supply: bool = False
    feeds_board: bool = Field(
        default=False,
        description="whether its own supply feeds the board, through the header or back through its USB plug",
    )
    feeds_a: float | None = Field(
        default=None, gt=0, le=30, description="amperes it can give the board, at the board's voltage"
    )
    radio_ghz: Bands = Field(default=(), max_length=4, description="Wi-Fi bands it brings")
    ethernet: bool = False
    gives_usb: int = Field(default=0, ge=0, le=12, description="USB sockets it adds")
    adapter: Adapter | None = None
    hides: tuple[Literal["card-slot", "header"], ...] = ()
    fits: tuple[Identifier, ...] = Field(default=(), max_length=50, description="boards it fits; empty is any")
    when: When = Field(default="before-power", description="when it is put on")
    faces: str = Field(
        default="", max_length=80, description="which of its edges faces what, such as: sockets towards the card"
    )
    stacks: bool = Field(default=False, description="whether another add-on can sit on top of it")
    overlay: tuple[str, ...] = Field(default=(), max_length=10, description="lines its driver needs in a settings file")
    price: Price | None = None
    remarks: str = Field(default="", max_length=400)

    @model_validator(mode="after")
    def _makes_sense(self) -> Self:
        if self.feeds_board and not (self.own_supply and (self.header or self.usb)):
            raise MeantError(
                ("feeds_board",), "only what has a supply of its own and sits on the header or on USB feeds the board"
            )
        if self.feeds_a and not self.feeds_board:
            raise MeantError(("feeds_a",), "it does not feed the board")
        if self.idle_current_a > self.load_current_a:
            raise MeantError(("idle_current_a",), "more than load_current_a")
        return self

    def faults(self, around: Around) -> Iterator[Fault]:
        if self.role == "wifi-adapter" and not self.radio_ghz:
            yield Fault(("role",), "a Wi-Fi adapter has a radio: say its bands under radio_ghz")
        if self.role == "usb-hub" and not self.gives_usb:
            yield Fault(("role",), "a hub gives sockets: say how many under gives_usb")
        if self.role == "socket-adapter" and self.adapter is None and not (self.ethernet or self.gives_usb):
            yield Fault(("role",), "an adapter turns one socket into another: say which under adapter")
        for place, board in enumerate(self.fits):
            if around.boards is not None and board not in around.boards:
                yield Fault(("fits", place), f"no board is called {board}; there are {', '.join(around.boards)}")

    @property
    def role_words(self) -> str:
        return role_words(self.role)
