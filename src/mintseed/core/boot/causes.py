"""Why a board is late: causes weighed by what is known, the likeliest first.

The order without evidence follows common practice; each piece of evidence multiplies a cause's weight.
"""

from __future__ import annotations

from dataclasses import dataclass

from mintseed.core.findings import Action
from mintseed.core.units import duration

SHOWN = 3


@dataclass(frozen=True, slots=True)
class BootEvidence:
    """What is known when a boot is late. None means nobody knows."""

    way: str
    network: str = ""
    passphrase_is_sites: bool | None = None
    joined_with_same_key: int = 0
    country_set: bool = True
    files_sound: bool = True
    board_in_image: bool | None = None
    board_name: str = ""
    supply_carries: bool | None = None
    card_proven_ago_s: float | None = None


@dataclass(frozen=True, slots=True)
class Cause:
    """`share` is the part of all weight this cause has, 0 to 1."""

    code: str
    title: str
    share: float
    speaks_for: tuple[str, ...]
    speaks_against: tuple[str, ...]
    action: Action


class _Weigher:
    """Gathers one cause's weight and what speaks for and against it."""

    def __init__(self, code: str, title: str, prior: float, action: Action) -> None:
        self.code, self.title, self.weight, self.action = code, title, prior, action
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
    total = sum(w.weight for w in weighers)
    ranked = sorted(weighers, key=lambda w: -w.weight)[:SHOWN]
    return tuple(
        Cause(w.code, w.title, w.weight / total, tuple(w.speaks_for), tuple(w.speaks_against), w.action) for w in ranked
    )


def _wifi(evidence: BootEvidence) -> list[_Weigher]:
    phrase = _Weigher(
        "boot.cause-passphrase", "Passphrase is wrong", 40, Action("Check the passphrase", "settings", "passphrase")
    )
    if evidence.passphrase_is_sites is False:
        phrase.speaks(4, f"it is not the one the site keeps for {evidence.network}")
    elif evidence.passphrase_is_sites:
        phrase.speaks(0.8, "it is the one the site keeps")
    if evidence.joined_with_same_key:
        phrase.speaks(0.1, f"{evidence.joined_with_same_key} other boards joined with it")
    country = _Weigher(
        "boot.cause-country",
        "Country is missing or another one",
        12,
        Action("Look at the country", "settings", "country"),
    )
    if evidence.country_set:
        country.speaks(0.4, "a valid country is in the file")
    name = _Weigher(
        "boot.cause-network",
        "The network is out of reach or has another name",
        14,
        Action("Choose the network", "plan", "network"),
    )
    return [phrase, country, name]


def _cable() -> list[_Weigher]:
    return [
        _Weigher(
            "boot.cause-cable",
            "The cable is not in, or its other end is dead",
            40,
            Action("See how it goes together", "boot"),
        ),
        _Weigher("boot.cause-lease", "The router gave no address", 12, Action("Look on the network", "find")),
    ]


def _common(evidence: BootEvidence) -> list[_Weigher]:
    files = _Weigher(
        "boot.cause-file", "A settings file is wrong or has the wrong name", 10, Action("Read the files", "settings")
    )
    if evidence.files_sound:
        files.speaks(0.2, "the image's own files were filled and read well")
    fit = _Weigher("boot.cause-image", "The image does not start on this board", 10, Action("See its boards", "image"))
    if evidence.board_in_image is not None:
        known = f"the image {'names' if evidence.board_in_image else 'does not name'} {evidence.board_name}"
        fit.speaks(0.2 if evidence.board_in_image else 8, known)
    supply = _Weigher(
        "boot.cause-supply", "The supply is too weak", 10, Action("Choose another supply", "plan", "supply")
    )
    if evidence.supply_carries is not None:
        supply.speaks(
            0.4 if evidence.supply_carries else 4,
            "rated for this board" if evidence.supply_carries else "rated below what the board draws",
        )
    card = _Weigher("boot.cause-card", "The card is not read right", 6, Action("Prove it again", "card"))
    if evidence.card_proven_ago_s is not None:
        card.speaks(0.3, f"read back and compared {duration(evidence.card_proven_ago_s)} before power-on")
    return [files, fit, supply, card]
