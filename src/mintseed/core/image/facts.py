"""What is read out of an image, as plain values: light to load, for whoever judges by them and reads none."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal


@dataclass(frozen=True, slots=True)
class BoardParts:
    """What a tree says the board has, by its nodes that are not disabled. `memory_mb`: 2²⁰ bytes, 0 where its boot loader fills it in.
    Names of nodes: Devicetree Specification v0.4 §2.2.2 (generic names), §2.3.4 (status), §3.4 (memory)."""

    ethernet: bool = False
    radio: bool = False
    usb: bool = False
    memory_mb: int = 0


NO_PARTS = BoardParts()


@dataclass(frozen=True, slots=True)
class Listener:
    """A port a server listens on. `reach`: `loopback` where nobody but the machine itself gets there. `sends_on`: it only sends to
    another address. `how`: told by its settings, by the command that starts it, or let out by a container. `starts`: whether the system
    starts it; None where that cannot be told."""

    port: int
    scheme: Literal["http", "https"]
    server: str
    file: str
    reach: Literal["network", "loopback"] = "network"
    sends_on: bool = False
    how: Literal["settings", "command", "container"] = "settings"
    starts: bool | None = None


USUAL_PORTS = {"http": 80, "https": 443}
"""RFC 9110 §4.2.1 and §4.2.2."""


@dataclass(frozen=True, slots=True)
class PageFacts:
    """What the root volume says about names and ports. Empty or None where it says nothing."""

    host_name: str = ""
    host_name_file: str = ""
    system: str = ""
    release: str = ""
    listen_port: int | None = None
    listen_file: str = ""
    announces: str = ""
    announced_port: int | None = None
    announce_file: str = ""
    scheme: str = "http"
    listeners: tuple[Listener, ...] = ()
    """everything that listens, the likeliest page first; some of it for the machine itself alone"""
    announcer: bool | None = None
    """whether a program that answers for names under .local lies on it; None where its programs were not seen"""

    @property
    def port(self) -> int | None:
        return self.listen_port or self.announced_port

    def url(self, host_name: str = "") -> str:
        """Return the page's address under `host_name`, or under the image's own name."""
        name = host_name or self.host_name
        if not name or self.port is None:
            return ""
        port = "" if self.port == USUAL_PORTS.get(self.scheme) else f":{self.port}"
        return f"{self.scheme}://{name}.local{port}/"


Login = Literal["locked", "open", "password", "unknown"]


@dataclass(frozen=True, slots=True)
class Fact:
    value: str
    file: str


@dataclass(frozen=True, slots=True)
class Account:
    """`login`: `locked` with no password that opens it, `open` without any, `password`, `unknown` where passwords were not read. `scheme`: how the password is hashed.
    `own_name`: whether the account's own name is its password."""

    name: str
    login: Login
    scheme: str = ""
    own_name: bool = False
    keys: int = 0
    """public keys that open it (sshd(8), AUTHORIZED_KEYS FILE FORMAT)"""
    uid: int | None = None
    gid: int | None = None
    home: str = ""


@dataclass(frozen=True, slots=True)
class SystemFacts:
    """Empty where no file says anything."""

    networks: tuple[Fact, ...] = ()
    """what is started to bring it onto the network"""
    ssh: Fact | None = None
    """the server for logging in over the network, where one is started"""
    accounts: tuple[Account, ...] = ()
    """who has a shell"""
    time_zone: Fact | None = None
    keyboard: Fact | None = None
    locale: Fact | None = None
    first_start: tuple[Fact, ...] = ()
    """what runs at the first start alone, and reads settings then"""
    looks_for: tuple[Fact, ...] = ()
    """files of the boot volume that something which starts looks for; `file`: what says so"""
    console: Fact | None = None
    """whether somebody can log in at a screen or a serial line; who is in without asking is named"""
    grows: Fact | None = None
    """what makes its root volume as large as the card"""
    shares: tuple[Fact, ...] = ()
    """folders it offers to the network"""
    locales: tuple[str, ...] = ()
    """languages it can be set to, as its files of them are called; empty where they cannot be told"""
    radios: tuple[Fact, ...] = ()
    """radios it has firmware for, going by names"""
    joiners: tuple[Fact, ...] = ()
    """programs and units that join Wi-Fi networks and lie there, whether anything starts them or not"""


NOTHING_READ = SystemFacts()


@dataclass(frozen=True, slots=True)
class Beside:
    """What lies beside an image in its archive. `text` is empty where it is no small text."""

    path: str
    size_bytes: int
    text: str = ""
