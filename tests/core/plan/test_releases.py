"""Which release starts on which board, and that the way out proposes what the sentence names; memory, channels, boot loaders."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest

from mintseed.core.findings import Severity
from mintseed.core.parts.model import Part
from mintseed.core.plan.fit import check_plan
from mintseed.core.plan.matrix import matrix
from mintseed.core.plan.options import best_plan
from mintseed.core.plan.plan import Plan, PlannedPart
from mintseed.core.plan.shelf import Owned, Shelf
from mintseed.core.plan.way_out import ways_out
from mintseed.core.recipes.model import Build, FileToFill, MemoryNeed, Recipe, Release
from mintseed.core.site.model import WifiNetwork
from tests.core.plan.things import BOARDS, PARTS, RECIPES, USB_C, codes, plan, shelf, stops


def recipe(*releases: tuple[str, date, tuple[tuple[int, tuple[str, ...]], ...]]) -> Recipe:
    """Return Platen with `releases`: version, day, and for each build its word size and boards."""
    made = tuple(
        Release(version=v, date=d, builds=tuple(Build.model_validate({"id": f"{bits}-bit", "bits": bits, "boards": names, "file": f"{v}-{bits}.img"})
                for bits, names in builds))
        for v, d, builds in releases
    )  # fmt: skip
    return RECIPES["platen"].model_copy(update={"releases": made})


NEW = ("2.0", date(2026, 9, 1), ((64, ("fernworks,tansy-ii", "fernworks,larkspur-r")),))
OLD = ("1.0", date(2025, 1, 1), ((64, ("fernworks,larkspur-r",)), (32, ("fernworks,sprig",))))


def test_an_older_release_on_a_newer_board_is_cured_by_the_release_that_is_named() -> None:
    one = Plan(recipe(NEW, OLD), BOARDS["tansy-ii"], way="cable", release="1.0")
    found = next(f for f in check_plan(one) if f.severity is Severity.STOP)
    assert found.code == "plan.board-newer-than-release"
    assert "Take release 2.0 or newer." in found.fix
    first = ways_out(one, shelf())[0]
    assert (first.steps, first.effort_text) == ((("release", "2.0"),), "a file to fetch")
    assert "fetch 2.0-64.img" in first.title
    assert "plan.release-lists-board" in {f.code for f in first.findings}


def test_a_release_without_a_build_for_the_board_is_not_said_to_list_it() -> None:
    """Both releases together list the board; the one that is meant has no build that runs there."""
    one = Plan(recipe(NEW, OLD), BOARDS["sprig"], way="wifi", release="2.0")
    found = next(f for f in check_plan(one) if f.severity is Severity.STOP)
    assert found.title == "Platen 2.0 has no 32-bit build"
    assert "lists" not in found.detail
    assert found.fix == "Take release 1.0."
    assert ways_out(one, shelf())[0].steps == (("release", "1.0"),)


def test_a_release_that_the_recipe_does_not_know_is_not_guessed_into_a_stop() -> None:
    """Such as one that came out after the recipe was written."""
    for board in ("larkspur-r", "sprig", "tansy-ii", "bramble"):
        found = check_plan(Plan(recipe(NEW, OLD), BOARDS[board], way="cable", release="2.1"))
        told = {f.code: f.severity for f in found if f.where.part == "board" and f.where.field == board}
        assert told["plan.board-not-told"] is Severity.NOTE
        assert not told.keys() & {"plan.board-not-listed", "plan.board-newer-than-release", "plan.release-lists-board"}


def test_a_release_whose_file_is_in_the_library_is_chosen_there() -> None:
    one = replace(Plan(recipe(NEW, OLD), BOARDS["tansy-ii"], way="cable"), release="1.0")
    assert all(
        p.steps[0][0] != "release" for p in ways_out(Plan(recipe(NEW, OLD), BOARDS["tansy-ii"], way="cable"), shelf())
    )
    assert any(p.steps[0][0] == "release" for p in ways_out(one, Shelf()))


@pytest.mark.parametrize(
    ("memory_mb", "code", "severity"),
    [
        (256, "plan.memory-too-little", Severity.STOP),
        (768, "plan.memory-little", Severity.NOTE),
        (1024, "", None),
        (None, "", None),
    ],
)
def test_memory_is_held_against_what_the_recipe_asks(
    memory_mb: int | None, code: str, severity: Severity | None
) -> None:
    one = plan("platen", "larkspur-r")
    wants = RECIPES["platen"].model_copy(update={"memory": MemoryNeed(least_mb=512, enough_mb=1024)})
    found = codes(replace(one, recipe=wants, board=BOARDS["larkspur-r"].model_copy(update={"memory_mb": memory_mb})))
    assert {c: s for c, s in found.items() if c.startswith("plan.memory")} == ({code: severity} if code else {})


def test_a_test_release_and_an_old_boot_loader_are_said() -> None:
    daily = recipe(NEW, OLD)
    daily = daily.model_copy(
        update={"releases": (daily.releases[0].model_copy(update={"channel": "daily"}), daily.releases[1])}
    )
    board = BOARDS["tansy-ii"].model_copy(update={"boot_loader_since": "2026-09"})
    found = codes(Plan(daily, board, way="cable", release="2.0"))
    assert found["plan.release-channel"] is Severity.NOTE
    assert found["plan.boot-loader-old"] is Severity.NOTE
    assert "plan.release-channel" not in codes(Plan(daily, board, way="cable", release="1.0"))


def test_a_network_that_takes_wpa3_alone_is_said_at_the_plan() -> None:
    """IEEE 802.11-2020 §12.4: SAE works from the passphrase; a derived key will not do."""
    alone = WifiNetwork(ssid="Quay House 6", wpa3_only=True)
    one = replace(plan("platen", "larkspur-r"), network=alone)
    assert codes(one)["plan.network-wpa3-radio"] is Severity.CHECK, (
        "its file takes the passphrase; of the radio nobody said anything"
    )
    assert not {c for c in codes(replace(one, way="cable")) if "wpa3" in c}
    # What holds nothing but a derived key, or whose syntax knows no WPA3, is a stop.
    for file in (
        FileToFill(path="net.conf", dialect="connman", title="", when="wifi"),
        FileToFill(path="net.txt", dialect="key-value", title="", when="wifi", values={"PSK": "{wifi_key}"}),
    ):
        refuses = RECIPES["platen"].model_copy(update={"files": (file,)})
        assert "plan.network-wpa3-only" in stops(replace(one, recipe=refuses))
    clear = FileToFill(path="net.txt", dialect="key-value", title="", when="wifi", values={"WORD": "{wifi_passphrase}"})
    assert "plan.network-wpa3-only" not in stops(
        replace(one, recipe=RECIPES["platen"].model_copy(update={"files": (clear,)}))
    )
    # Where its own access point asks for the passphrase, nothing of ours holds a key.
    own = codes(replace(one, recipe=RECIPES["gramary"], way_in="own-access-point"))
    assert not {c for c in own if "wpa3" in c}
    first = replace(
        shelf(), networks=(Owned(1, alone.ssid, alone), Owned(2, "Quay House 2G", WifiNetwork(ssid="Quay House 2G")))
    )
    assert best_plan(RECIPES["platen"], first)[0].network == 2


def fed(**what: object) -> PlannedPart:
    said = {**PARTS["kiln-probes-fed"].model_dump(), "name": "Feeder", **what}
    return PlannedPart(Part.model_validate(said), "own feeder")


@pytest.mark.parametrize(
    ("feeds_a", "code"),
    [
        (None, "plan.feeder-unknown"),
        (1.5, "plan.feeder-weak"),
        (2.1, "plan.feeder-carries"),
        (3.0, "plan.feeder-carries"),
    ],
)
def test_an_add_on_that_feeds_is_asked_what_it_can_give(feeds_a: float | None, code: str) -> None:
    one = replace(plan("cinderwick", "larkspur-r"), supply=None, parts=(fed(feeds_a=feeds_a),))
    found = codes(one)
    assert {c for c in found if c.startswith("plan.feeder")} == {code}
    assert found[code] is {1.5: Severity.CHECK, 3.0: Severity.OK}.get(feeds_a or 0, Severity.NOTE)


def test_a_hub_that_pushes_current_back_is_a_second_supply() -> None:
    hub = Part.model_validate({**PARTS["quad-hub"].model_dump(), "feeds_board": True})
    one = replace(plan("platen", "larkspur-r"), parts=(PlannedPart(hub, "Old hub"),))
    found = next(f for f in check_plan(one) if f.code == "plan.two-supplies")
    assert "back through its USB plug" in found.detail
    assert "Leave Old hub out" in found.fix
    assert "plan.supply-missing" in codes(replace(one, supply=None)), "what pushes back is no supply to rely on"
    assert "plan.two-supplies" in stops(replace(one, supply=None, parts=(*one.parts, fed())))
    assert "plan.two-supplies" not in stops(
        replace(one, board=BOARDS["larkspur-r"].model_copy(update={"two_supplies": True}))
    )


def test_a_shut_case_that_is_left_alone_keeps_the_warmth_in() -> None:
    assert codes(plan("platen", "larkspur-r", "larkspur-shut"))["plan.case-heat"] is Severity.NOTE
    assert "plan.case-heat" not in codes(plan("platen", "larkspur-r", "larkspur-case"))


def test_the_matrix_names_the_board_it_speaks_of_and_takes_cameras_on_usb() -> None:
    bare = {"camera_contacts": (), "display": ()}
    twins = [BOARDS["larkspur-c"].model_copy(update=bare), BOARDS["larkspur-r"].model_copy(update=bare)]
    wants = RECIPES["hidewatch"].model_copy(
        update={"needs": tuple(n.model_copy(update={"options": ()}) for n in RECIPES["hidewatch"].needs)}
    )
    found = matrix([wants], twins, PARTS)
    for board in twins:
        assert found[wants.id, board.id].reason == f"{board.name} has no camera socket"
    stick = Part.model_validate({"part": 1, "id": "usb-eye", "name": "Eye on USB", "role": "camera", "usb": "A"})
    with_usb = matrix([wants], twins, {**PARTS, stick.id: stick})
    assert {s.verdict for s in with_usb.values()} == {Severity.OK}


def test_a_board_of_its_own_supply_kind_is_judged_alike_in_either_way() -> None:
    assert "plan.supply-connector" in stops(replace(plan("platen", "larkspur-r"), supply=USB_C))


def test_what_else_a_board_may_start_from_is_said() -> None:
    board = BOARDS["larkspur-r"].model_copy(update={"storage_gb": 8.0, "starts_from_usb": True})
    found = codes(replace(plan("gramary", "larkspur-r", "drift-drive"), board=board))
    assert found["plan.built-in-storage"] is Severity.NOTE
    assert found["plan.starts-from-usb"] is Severity.NOTE
    bare = codes(plan("gramary", "larkspur-r", "drift-drive"))
    assert not {"plan.built-in-storage", "plan.starts-from-usb"} & set(bare)


def test_two_add_ons_on_one_header_want_one_that_stacks() -> None:
    both = plan("gramary", "larkspur-r", "chorus", "reed-modem")
    assert codes(both)["plan.order-stack"] is Severity.CHECK
    stacking = PARTS["chorus"].model_copy(update={"stacks": True})
    assert "plan.order-stack" not in codes(replace(both, parts=(PlannedPart(stacking, "own"), both.parts[1])))
