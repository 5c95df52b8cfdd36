"""Why a boot is late: what each piece of evidence speaks for and against, in which words, and how it moves the order."""

from __future__ import annotations

from dataclasses import replace

import pytest

from mintseed.core.boot import causes
from mintseed.core.boot.causes import BootEvidence, Cause, rank_causes
from mintseed.core.findings import Action

WIFI = BootEvidence("wifi", network="Quay House 2G", files_sound=False)
CABLE = BootEvidence("cable", files_sound=False)
KEY, COUNTRY, NETWORK = "boot.cause-passphrase", "boot.cause-country", "boot.cause-network"
PLUG, LEASE = "boot.cause-cable", "boot.cause-lease"
FILE, FIT, SUPPLY, CARD = "boot.cause-file", "boot.cause-image", "boot.cause-supply", "boot.cause-card"

OF_WIFI = (
    Cause(KEY, "Passphrase is wrong", (), (), Action("Check the passphrase", "settings", "passphrase"), "Compare it with the router's own page, letter by letter."),
    Cause(NETWORK, "The network is out of reach or has another name", (), (), Action("Choose the network", "plan", "network"), "Carry the board next to the router once."),
    Cause(COUNTRY, "Country is missing or another one", (), (), Action("Look at the country", "settings", "country"), "Set the country the router stands in."),
)  # fmt: skip
OF_ANY = (
    Cause(FILE, "A settings file is wrong or has the wrong name", (), (), Action("Read the files", "settings"), "Read the findings beside each file."),
    Cause(FIT, "The image does not start on this board", (), (), Action("See its boards", "image"),
          "Is a screen at hand? A test picture and nothing more means just this."),
    Cause(SUPPLY, "The supply is too weak", (), (), Action("Choose another supply", "plan", "supply"), "Try a stronger supply and a short, thick cable."),
    Cause(CARD, "The card is not read right", (), (), Action("Prove it again", "card"), "Take it out, put it in again until it clicks."),
)  # fmt: skip


@pytest.fixture(autouse=True)
def _all_of_them(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(causes, "SHOWN", 99)


def test_what_is_likely_where_nothing_is_known() -> None:
    """Common practice: most boards that stay away were given a wrong passphrase, or no cable."""
    assert rank_causes(WIFI) == (*OF_WIFI, *OF_ANY)
    assert [c.code for c in rank_causes(CABLE)] == [PLUG, LEASE, FILE, FIT, SUPPLY, CARD]


@pytest.mark.parametrize(("evidence", "code", "speaks_for", "speaks_against"), [
    (replace(WIFI, passphrase_is_sites=False), KEY, ("the one on the card is not the one the site keeps for Quay House 2G",), ()),
    (replace(WIFI, passphrase_is_sites=True), KEY, (), ("it is the one the site keeps",)),
    (replace(WIFI, joined_with_same_key=1, joined_with_other_key=4), KEY, (), ("1 other board joined with it",)),
    (replace(WIFI, joined_with_same_key=2), KEY, (), ("2 other boards joined with it",)),
    (replace(WIFI, joined_with_other_key=1), KEY, ("1 other board joined Quay House 2G with another one, none with this",), ()),
    (replace(WIFI, console_wrong={"key": "4-way handshake failed"}), KEY, ("its console says so: 4-way handshake failed",), ()),
    (replace(WIFI, country_in_file=True, country="GB"), COUNTRY, (), ("country GB is in a file",)),
    (replace(WIFI, country_in_file=False), COUNTRY, ("no file of this image takes a country",), ()),
    (replace(WIFI, console_wrong={"network": "no network found"}), NETWORK, ("its console says so: no network found",), ()),
    (replace(WIFI, files_sound=True), FILE, (), ("the image's own files were filled and read well",)),
    (replace(WIFI, board_in_image=True, board_name="Sprig"), FIT, (), ("the image names Sprig",)),
    (replace(WIFI, board_in_image=False, board_name="Sprig"), FIT, ("the image does not name Sprig",), ()),
    (replace(WIFI, console_wrong={"panic": "not syncing"}), FIT, ("its console says so: not syncing",), ()),
    (replace(WIFI, supply_carries=True, supply_doubts=("Thin cable",)), SUPPLY, (), ("supply and cable carry this plan",)),
    (replace(WIFI, supply_carries=False), SUPPLY, ("rated below what the board draws",), ()),
    (replace(WIFI, supply_carries=False, supply_doubts=("Thin cable", "Weak supply", "Old")), SUPPLY, ("thin cable; weak supply",), ()),
    (replace(WIFI, card_proven_ago_s=90.0), CARD, (), ("read back and compared 1 min 30 s before power-on",)),
    (replace(WIFI, console_wrong={"card": "I/O error"}), CARD, ("its console says so: I/O error",), ()),
    (replace(WIFI, console_wrong={"no-root": "no root"}), CARD, ("its console says so: no root",), ()),
    (replace(WIFI, console_wrong={"of another kind": "x"}), CARD, (), ()),
])  # fmt: skip
def test_what_speaks_for_and_against(
    evidence: BootEvidence, code: str, speaks_for: tuple[str, ...], speaks_against: tuple[str, ...]
) -> None:
    found = {c.code: c for c in rank_causes(evidence)}
    assert (found[code].speaks_for, found[code].speaks_against) == (speaks_for, speaks_against)
    others = [c for c in found.values() if c.code != code]
    assert all(not c.speaks_for and not c.speaks_against for c in others)


@pytest.mark.parametrize(("evidence", "order"), [
    # What many boards did with the same key outweighs that it is another than the site's.
    (replace(WIFI, passphrase_is_sites=False), [KEY, NETWORK, COUNTRY]),
    (replace(WIFI, joined_with_same_key=1), [NETWORK, COUNTRY, FILE]),
    (replace(WIFI, passphrase_is_sites=True), [KEY, NETWORK, COUNTRY]),
    (replace(WIFI, country_in_file=False), [KEY, COUNTRY, NETWORK]),
    (replace(WIFI, board_in_image=False), [FIT, KEY, NETWORK]),
    (replace(WIFI, supply_carries=False), [KEY, SUPPLY, NETWORK]),
    # The board itself knows.
    (replace(WIFI, console_wrong={"card": "x"}), [CARD, KEY, NETWORK]),
    (replace(WIFI, console_wrong={"panic": "x"}), [FIT, KEY, NETWORK]),
    (replace(WIFI, console_wrong={"network": "x"}), [NETWORK, KEY, COUNTRY]),
    (replace(WIFI, joined_with_same_key=1, console_wrong={"key": "x"}), [KEY, NETWORK, COUNTRY]),
    (replace(CABLE, board_in_image=False), [FIT, PLUG, LEASE]),
])  # fmt: skip
def test_how_evidence_moves_the_order(evidence: BootEvidence, order: list[str]) -> None:
    assert [c.code for c in rank_causes(evidence)][:3] == order


@pytest.mark.parametrize(("evidence", "last"), [
    (replace(WIFI, files_sound=True), [CARD, FILE]),
    (replace(WIFI, files_sound=None), [CARD, FILE]),
    (replace(WIFI, board_in_image=True), [CARD, FIT]),
    (replace(WIFI, supply_carries=True), [CARD, SUPPLY]),
    (replace(WIFI, country_in_file=True), [CARD, COUNTRY]),
    (replace(WIFI, card_proven_ago_s=5), [SUPPLY, CARD]),
])  # fmt: skip
def test_what_was_checked_goes_to_the_end(evidence: BootEvidence, last: list[str]) -> None:
    assert [c.code for c in rank_causes(evidence)][-2:] == last


def test_only_the_likeliest_are_shown(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.undo()
    assert len(rank_causes(WIFI)) == causes.SHOWN < len(OF_WIFI) + len(OF_ANY)
