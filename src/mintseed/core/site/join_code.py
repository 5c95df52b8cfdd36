"""The text of a Wi-Fi join code, as routers print it and phones show it: WIFI:S:name;T:WPA;P:passphrase;;

Format: the open description of "Wi-Fi Network config" in barcode contents; WPA3 specification §7 (URI format): `\\` before \\ ; , : ".
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from mintseed.core.errors import InputError

EXPECTED = "WIFI:S:the name;T:WPA;P:the passphrase;;"


@dataclass(frozen=True, slots=True)
class JoinCode:
    """`passphrase` is a secret and stays out of every repr; empty for an open network."""

    ssid: str
    passphrase: str = field(default="", repr=False)
    hidden: bool = False
    wpa3_only: bool = False

    @property
    def open(self) -> bool:
        """Whether it takes anybody: what has no passphrase."""
        return not self.passphrase


def read_join_code(text: str) -> JoinCode:
    """Return what a join code says. Raises InputError for a text that is none, and for enterprise networks, which no card joins here."""
    said = text.strip()
    if not said[:5].upper() == "WIFI:":
        raise InputError("this is no join code", expected=EXPECTED, where="code")
    fields: dict[str, str] = {}
    for name, value in re.findall(r"([A-Za-z]+):((?:\\.|[^;\\])*);", said[5:]):
        fields.setdefault(name.upper(), value)
    ssid = _plain(fields.get("S", ""))
    if not ssid:
        raise InputError("the code names no network", expected=EXPECTED, where="code")
    kind = fields.get("T", "").upper()
    if "E" in fields or kind.endswith("EAP"):
        raise InputError(
            "the code is of a network with an account for each person",
            expected="one with a passphrase for all",
            where="code",
        )
    if kind == "WEP":
        raise InputError("the code is of a network with WEP", expected="WPA2 or WPA3", where="code",
                         next_step="Set the router to WPA2 or WPA3: WEP is open to anybody.")  # fmt: skip
    # R=1 says that nothing before WPA3 is taken (WPA3 specification, transition disable).
    return JoinCode(
        ssid,
        _plain(fields.get("P", "")),
        fields.get("H", "").lower() == "true",
        fields.get("R") == "1" or kind == "SAE",
    )


def _plain(value: str) -> str:
    # A name of hexadecimal digits alone stands in quotes, so that it is not read as bytes; a quote of its own stands behind a backslash.
    quoted = re.fullmatch(r'"((?:\\.|[^\\])*)"', value)
    return re.sub(r"\\(.)", r"\1", quoted[1] if quoted else value)


def join_code(code: JoinCode) -> str:
    """Return the text that `read_join_code` and phones read as `code`."""
    fields = [("S", _guarded(code.ssid)), ("T", "WPA" if code.passphrase else "nopass")]
    if code.passphrase:
        fields.append(("P", _guarded(code.passphrase)))
        if code.wpa3_only:
            fields.append(("R", "1"))
    if code.hidden:
        fields.append(("H", "true"))
    return "WIFI:" + "".join(f"{name}:{value};" for name, value in fields) + ";"


def _guarded(value: str) -> str:
    guarded = re.sub(r'([\\;,:"])', r"\\\1", value)
    # Hexadecimal digits alone would be read as bytes.
    return f'"{guarded}"' if re.fullmatch(r"(?:[0-9a-fA-F]{2})+", value) else guarded
