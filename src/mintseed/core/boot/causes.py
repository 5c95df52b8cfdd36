"""Why a board is late: the causes, the likeliest first, each with what speaks for and against it and what to try.

The order without evidence follows common practice; each piece of evidence moves a cause up or down. The weights only
sort: nobody measured how often each cause is the true one, so no share is ever shown.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from mintseed.core.findings import Action
from mintseed.core.units import duration

SHOWN = 3


@dataclass(frozen=True, slots=True)
class BootEvidence:
    """What is known when a boot is late. None means nobody knows. `country_in_file`: whether any filled file of this
    image takes a country at all. `files_sound`: whether all that were filled read well; None where none was."""

    way: str
    network: str = ""
    passphrase_is_sites: bool | None = None
    joined_with_same_key: int = 0
    joined_with_other_key: int = 0
    country: str = ""
    country_in_file: bool | None = None
    files_sound: bool | None = None
    board_in_image: bool | None = None
    board_name: str = ""
    supply_carries: bool | None = None
    supply_doubts: tuple[str, ...] = ()
    """what the plan finds wanting between supply and board, in its own words"""
    card_proven_ago_s: float | None = None
    console_wrong: Mapping[str, str] = field(default_factory=dict)
    """what its own software calls wrong on its serial console (core.boot.console.WRONG), with its words"""


@dataclass(frozen=True, slots=True)
class Cause:
    """One possible cause. `what_to_try` is the one thing that would tell or cure it."""

    code: str
    title: str
    speaks_for: tuple[str, ...]
    speaks_against: tuple[str, ...]
    action: Action
    what_to_try: str = ""


class _Weigher:
    """Gathers one cause's weight and what speaks for and against it."""

    def __init__(self, code: str, title: str, prior: float, action: Action, try_this: str) -> None:
        self.code, self.title, self.weight, self.action, self.what_to_try = code, title, prior, action, try_this
        self.speaks_for: list[str] = []
        self.speaks_against: list[str] = []

    def speaks(self, factor: float, text: str) -> None:
        """Multiply the weight by `factor` because of `text`."""
        self.weight *= factor
        (self.speaks_for if factor > 1 else self.speaks_against).append(text)


def rank_causes(evidence: BootEvidence) -> tuple[Cause, ...]:
    """Return the SHOWN likeliest causes, likeliest first."""
    weighers = _wifi(evidence) if evidence.way == "wifi" else _cable()
    weighers += _common(evidence)
    ranked = sorted(weighers, key=lambda w: -w.weight)[:SHOWN]
    return tuple(
        Cause(w.code, w.title, tuple(w.speaks_for), tuple(w.speaks_against), w.action, w.what_to_try) for w in ranked
    )


def _boards(count: int) -> str:
    return f"{count} other board{'s' * (count != 1)}"


def _wifi(evidence: BootEvidence) -> list[_Weigher]:
    phrase = _Weigher(
        "boot.cause-passphrase", "Passphrase is wrong", 40, Action("Check the passphrase", "settings", "passphrase"),
        "Compare it with the router's own page, letter by letter.",
    )  # fmt: skip
    if evidence.passphrase_is_sites is False:
        phrase.speaks(4, f"the one on the card is not the one the site keeps for {evidence.network}")
    elif evidence.passphrase_is_sites:
        phrase.speaks(0.8, "it is the one the site keeps")
    if evidence.joined_with_same_key:
        phrase.speaks(0.1, f"{_boards(evidence.joined_with_same_key)} joined with it")
    elif evidence.joined_with_other_key:
        phrase.speaks(
            3, f"{_boards(evidence.joined_with_other_key)} joined {evidence.network} with another one, none with this"
        )
    _console(evidence, phrase, "key")
    country = _Weigher(
        "boot.cause-country", "Country is missing or another one", 12, Action("Look at the country", "settings", "country"),
        "Set the country the router stands in.",
    )  # fmt: skip
    if evidence.country_in_file:
        country.speaks(0.4, f"country {evidence.country} is in a file")
    elif evidence.country_in_file is False:
        country.speaks(1.5, "no file of this image takes a country")
    name = _Weigher(
        "boot.cause-network", "The network is out of reach or has another name", 14,
        Action("Choose the network", "plan", "network"), "Carry the board next to the router once.",
    )  # fmt: skip
    _console(evidence, name, "network")
    return [phrase, country, name]


CONSOLE_FACTOR = 20.0
"""by which a cause comes to the front that the board itself names: it knows, and the others are guesses"""


def _console(evidence: BootEvidence, cause: _Weigher, *kinds: str) -> None:
    """Weigh what the board itself said on its console."""
    for kind in kinds:
        if kind in evidence.console_wrong:
            cause.speaks(CONSOLE_FACTOR, f"its console says so: {evidence.console_wrong[kind]}")


def _cable() -> list[_Weigher]:
    return [
        _Weigher(
            "boot.cause-cable", "The cable is not in, or its other end is dead", 40,
            Action("See how it goes together", "boot"), "Look at the small lights at both ends; try another socket.",
        ),
        _Weigher("boot.cause-lease", "The router gave no address", 12, Action("Look on the network", "find"),
                 "Plug a laptop into the same socket: does it get an address?"),
    ]  # fmt: skip


def _common(evidence: BootEvidence) -> list[_Weigher]:
    # Where none was filled here, somebody may have put one there by hand: seldom, and nothing is said of it.
    files = _Weigher("boot.cause-file", "A settings file is wrong or has the wrong name", 2 if evidence.files_sound is None else 10,
                     Action("Read the files", "settings"), "Read the findings beside each file.")  # fmt: skip
    if evidence.files_sound:
        files.speaks(0.2, "the image's own files were filled and read well")
    fit = _Weigher("boot.cause-image", "The image does not start on this board", 10, Action("See its boards", "image"),
                   "Is a screen at hand? A test picture and nothing more means just this.")  # fmt: skip
    if evidence.board_in_image is not None:
        known = f"the image {'names' if evidence.board_in_image else 'does not name'} {evidence.board_name}"
        fit.speaks(0.2 if evidence.board_in_image else 8, known)
    supply = _Weigher("boot.cause-supply", "The supply is too weak", 10, Action("Choose another supply", "plan", "supply"),
                      "Try a stronger supply and a short, thick cable.")  # fmt: skip
    if evidence.supply_carries is not None:
        doubts = (
            "; ".join(f"{d[:1].lower()}{d[1:]}" for d in evidence.supply_doubts[:2])
            or "rated below what the board draws"
        )
        supply.speaks(
            0.4 if evidence.supply_carries else 4,
            "supply and cable carry this plan" if evidence.supply_carries else doubts,
        )
    card = _Weigher("boot.cause-card", "The card is not read right", 6, Action("Prove it again", "card"),
                    "Take it out, put it in again until it clicks.")  # fmt: skip
    if evidence.card_proven_ago_s is not None:
        card.speaks(0.3, f"read back and compared {duration(evidence.card_proven_ago_s)} before power-on")
    _console(evidence, card, "card", "no-root")
    _console(evidence, fit, "panic")
    return [files, fit, supply, card]
