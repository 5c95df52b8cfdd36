"""Add-ons, cameras, displays, USB, cards' marks, cautions: the rules about everything that goes with a board."""

from __future__ import annotations

from dataclasses import replace

import pytest

from mintseed.core.findings import Severity
from mintseed.core.parts.model import POWER_PINS, HeaderUse, Part
from mintseed.core.plan.cards import STEADY_MB_S
from mintseed.core.plan.fit import check_plan
from mintseed.core.plan.header import header_map
from mintseed.core.plan.plan import Card, PlannedPart
from tests.core.plan.things import RECIPES, codes, plan, stops, with_parts


def test_two_add_ons_on_one_pin_stop() -> None:
    one = plan("gramary", "larkspur-r", "chorus", "reed-modem")
    assert "plan.header-clash" in stops(one)
    drawn = header_map(one)
    assert drawn is not None
    assert len(drawn.pins) == 40
    clash = [p for p in drawn.pins if p.clash]
    assert [p.number for p in clash] == [12]
    assert clash[0].takers == ("own chorus", "own reed-modem")
    assert {p.number: p.fixed for p in drawn.pins if p.fixed} == POWER_PINS
    assert "plan.header-clash" not in codes(with_parts(one, "chorus"))


def test_addresses_on_the_shared_pair_may_differ_but_not_agree() -> None:
    chorus = plan("gramary", "larkspur-r", "chorus").parts[0].part
    other = chorus.model_copy(update={"id": "other", "header": HeaderUse(socket=40, takes={29: "x"}, i2c=("0x4E",))})
    same = chorus.model_copy(update={"id": "same", "header": HeaderUse(socket=40, takes={29: "x"}, i2c=("0x4D",))})
    one = plan("gramary", "larkspur-r", "chorus")
    assert "plan.header-address" not in codes(replace(one, parts=(*one.parts, PlannedPart(other))))
    assert "plan.header-address" in stops(replace(one, parts=(*one.parts, PlannedPart(same))))


def test_a_short_socket_on_a_long_header_can_sit_one_row_off() -> None:
    found = next(
        f for f in check_plan(plan("reedwave", "larkspur-r", "reed-modem", "whip")) if f.code == "plan.header-row-off"
    )
    assert found.severity is Severity.CHECK
    assert "no pin may show" in found.fix
    assert "pin 1" in found.fix


def test_a_long_add_on_on_a_short_header() -> None:
    # The audio board uses pins 35 and 40; the other board has 26.
    assert "plan.header-short" in stops(plan("gramary", "bramble", "chorus"))
    assert "plan.header-missing" in stops(plan("gramary", "thistle", "chorus"))


def test_a_pin_that_is_power_for_all_cannot_be_taken() -> None:
    with pytest.raises(ValueError, match="ground for every add-on"):
        HeaderUse(socket=26, takes={6: "mine"})
    with pytest.raises(ValueError, match="has no pin 27"):
        HeaderUse(socket=26, takes={27: "mine"})


@pytest.mark.parametrize(
    ("board", "parts", "code", "severity"),
    [
        ("larkspur-r", ("gull-camera",), "plan.camera-fits", Severity.OK),
        ("larkspur-r", ("wren-camera",), "plan.camera-width", Severity.STOP),
        ("larkspur-r", ("wren-camera", "camera-tail-15"), "plan.camera-fits", Severity.OK),
        ("larkspur-r", ("wren-camera", "camera-tail-22"), "plan.camera-width", Severity.STOP),
        ("sprig", ("gull-camera",), "plan.camera-width", Severity.STOP),
        ("sprig", ("gull-camera", "camera-tail-22"), "plan.camera-fits", Severity.OK),
        ("bramble", ("gull-camera",), "plan.camera-socket-missing", Severity.STOP),
    ],
)
def test_camera_sockets_come_in_two_widths(board: str, parts: tuple[str, ...], code: str, severity: Severity) -> None:
    """15 and 22 contacts; the tiny boards have the narrow one (common practice)."""
    assert codes(plan("hidewatch", board, *parts))[code] is severity


@pytest.mark.parametrize(
    ("board", "parts", "stopped"),
    [
        ("larkspur-r", ("twin-pad", "display-full"), set()),
        ("tansy", ("twin-pad", "display-full"), {"plan.socket-adapter"}),
        ("tansy", ("twin-pad", "display-micro"), set()),
        ("tansy", ("twin-pad", "display-full", "display-micro-tail"), set()),
        ("sprig", ("twin-pad",), {"plan.socket-adapter"}),
        ("sprig", ("twin-pad", "otg-tail"), set()),
        ("sprig", ("twin-pad", "drift-drive", "otg-tail"), {"plan.usb-sockets"}),
        ("sprig", ("twin-pad", "drift-drive", "otg-tail", "quad-hub"), set()),
        ("larkspur-r", ("twin-pad", "twin-pad", "twin-pad", "drift-drive", "finch"), {"plan.usb-sockets"}),
        ("larkspur-r", ("twin-pad", "twin-pad", "twin-pad", "drift-drive", "finch", "quad-hub"), set()),
    ],
)
def test_plugs_find_sockets(board: str, parts: tuple[str, ...], stopped: set[str]) -> None:
    wanted = {"plan.socket-adapter", "plan.usb-sockets"}
    assert stops(plan("tinplay", board, *parts)) & wanted == stopped


def test_a_case_for_another_board_and_one_that_leaves_no_room() -> None:
    assert "plan.part-other-board" in stops(plan("platen", "tansy", "larkspur-case"))
    assert "plan.order-card-first" in codes(plan("platen", "larkspur-r", "larkspur-case"))
    assert "plan.order-header-covered" in stops(plan("gramary", "larkspur-r", "chorus", "larkspur-shut"))
    assert "plan.order-power-off" in codes(plan("gramary", "larkspur-r", "chorus"))


def test_what_is_needed_is_missed_until_it_is_there() -> None:
    missing = [f.where.field for f in check_plan(plan("farsight", "larkspur-r")) if f.code == "plan.part-missing"]
    assert missing == ["receiver-stick", "antenna"]
    assert "plan.part-missing" not in codes(plan("farsight", "larkspur-r", "skimmer", "mast-1090"))
    # A whip is an antenna, but not one this recipe names.
    assert [
        f.where.field
        for f in check_plan(plan("farsight", "larkspur-r", "skimmer", "whip"))
        if f.code == "plan.part-missing"
    ] == ["antenna"]


@pytest.mark.parametrize(
    ("mark", "least_mb_s"),
    [("C2", 2), ("C4", 4), ("C6", 6), ("C10", 10), ("U1", 10), ("U3", 30), ("V6", 6), ("V10", 10), ("V30", 30), ("V60", 60), ("V90", 90),
     ("A1", 10), ("A2", 10)],
)  # fmt: skip
def test_card_marks_promise_what_the_association_says(mark: str, least_mb_s: float) -> None:
    """SD Association: speed, UHS speed, video speed and application performance classes."""
    assert STEADY_MB_S[mark] == least_mb_s
    found = codes(replace(plan("hidewatch", "larkspur-r", "gull-camera"), card=Card(64, (mark,), True)))
    assert ("plan.card-slow" in found) == (least_mb_s < 10)


def test_recorders_want_cards_made_for_them() -> None:
    one = plan("hidewatch", "larkspur-r", "gull-camera")
    assert codes(replace(one, card=Card(64, ("U1",), False)))["plan.card-endurance"] is Severity.CHECK
    assert "plan.card-endurance" not in codes(replace(one, card=Card(64, ("U1",), True)))
    assert codes(replace(one, card=Card(64)))["plan.card-marks-unknown"] is Severity.NOTE
    assert "plan.card-marks-unknown" not in codes(plan("platen", "larkspur-r"))


def test_cards_over_32_gb_come_with_another_file_system_and_it_does_not_matter() -> None:
    """SD Association: SDHC up to 32 GB with FAT32, SDXC above with exFAT; an image brings its own partitions (common practice)."""
    one = plan("platen", "larkspur-r")
    assert "plan.card-file-system" not in codes(replace(one, card=Card(32)))
    assert codes(replace(one, card=Card(64)))["plan.card-file-system"] is Severity.NOTE


def test_content_wants_room_beside_the_image() -> None:
    one = plan("tinplay", "larkspur-r")
    assert codes(replace(one, card=Card(8)))["plan.card-no-room-for-content"] is Severity.CHECK
    assert "plan.card-no-room-for-content" not in codes(replace(one, card=Card(16)))


def test_cautions_follow_the_hazards_and_defer() -> None:
    found = {f.code: f for f in check_plan(plan("cinderwick", "larkspur-c", "kiln-probes", way="cable"))}
    assert {"plan.caution-heat", "plan.caution-mains", "plan.caution-unattended"} <= set(found)
    assert "licensed" in found["plan.caution-heat"].detail
    assert "unattended" in found["plan.caution-heat"].detail
    assert "plan.caution-transmit" in codes(plan("reedwave", "larkspur-r"))
    assert "plan.caution-heat" not in codes(plan("platen", "larkspur-r"))


def test_ways_in_are_the_recipes_to_allow() -> None:
    one = plan("cinderwick", "larkspur-c", "kiln-probes", way="cable")
    assert "plan.way-in-not-allowed" in stops(replace(one, way_in="screen"))
    assert "plan.way-in-not-allowed" not in codes(one)
    assert codes(replace(plan("tinplay", "larkspur-r"), way_in="screen"))["plan.way-in-by-hand"] is Severity.NOTE


def test_an_adapter_brings_what_the_board_lacks() -> None:
    stuck = plan("platen", "larkspur-c")
    assert "plan.no-radio" in stops(stuck)
    assert codes(with_parts(stuck, "finch"))["plan.network-heard"] is Severity.OK
    boxed = plan("platen", "sprig", way="cable")
    assert "plan.no-ethernet" in stops(boxed)
    assert codes(with_parts(boxed, "cable-socket", "otg-tail"))["plan.cable-fits"] is Severity.OK


def test_a_part_that_makes_no_sense_is_refused() -> None:
    good = plan("gramary", "larkspur-r", "chorus").parts[0].part.model_dump()
    for wrong in ({"feeds_board": True}, {"idle_current_a": 3.0}, {"role": "An Ornament"}):
        with pytest.raises(ValueError):
            Part.model_validate({**good, **wrong})


def test_every_need_of_every_recipe_can_be_met() -> None:
    from tests.core.plan.things import PARTS

    for recipe in RECIPES.values():
        for need in recipe.needs:
            assert any(need.met_by(part) for part in PARTS.values()), (recipe.id, need.role)
            assert all(option in PARTS for option in need.options), (recipe.id, need.role)


@pytest.mark.parametrize(
    ("parts", "taken"),
    [
        (("gull-camera",), False),
        (("gull-camera", "gull-camera"), True),
        (("wren-camera", "gull-camera", "camera-tail-15", "camera-tail-15"), True),
        (("display-full",), False),
        (("display-full", "display-full"), True),
    ],
)
def test_a_socket_takes_one_plug(parts: tuple[str, ...], taken: bool) -> None:
    """A board described here has one camera socket and one for a display, or none; no adapter makes two of one."""
    found = [f for f in check_plan(plan("hidewatch", "larkspur-r", *parts)) if f.code == "plan.socket-taken"]
    assert [f.severity for f in found] == ([Severity.STOP] if taken else [])
