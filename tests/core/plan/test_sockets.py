"""Sockets are counted, each of its kind; what competes for them is seated as well as can be, in whatever order it is named."""

from __future__ import annotations

from collections import Counter
from itertools import permutations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.core.boards.model import Board
from mintseed.core.findings import Severity
from mintseed.core.parts.model import Part
from mintseed.core.plan.fit import check_plan
from mintseed.core.plan.header import header_map
from mintseed.core.plan.plan import Plan, PlannedPart
from mintseed.core.plan.seating import seat
from mintseed.core.plan.way_out import ways_out
from tests.core.plan.things import BOARDS, PARTS, RECIPES, codes, plan, shelf, stops

KINDS = ("A", "micro", "C")


def part(**what: object) -> PlannedPart:
    return PlannedPart(Part.model_validate({"part": 1, "id": "x", "name": "Thing", "role": "thing", **what}), "own")


def on(board: Board, *parts: PlannedPart) -> Plan:
    return Plan(RECIPES["hidewatch"], board, way="cable", parts=parts)


def most_by_hand(plugs: list[str], sockets: list[str], adapters: Counter[tuple[str, str]]) -> int:
    """Try every way: the most plugs that can be seated."""
    if not plugs:
        return 0
    best = most_by_hand(plugs[1:], sockets, adapters)
    for place, socket in enumerate(sockets):
        rest = sockets[:place] + sockets[place + 1 :]
        if socket == plugs[0]:
            best = max(best, 1 + most_by_hand(plugs[1:], rest, adapters))
        elif adapters[socket, plugs[0]]:
            best = max(best, 1 + most_by_hand(plugs[1:], rest, adapters - Counter([(socket, plugs[0])])))
    return best


@given(
    st.lists(st.sampled_from(KINDS), max_size=4), st.lists(st.sampled_from(KINDS), max_size=4),
    st.lists(st.tuples(st.sampled_from(KINDS), st.sampled_from(KINDS)), max_size=4),
)  # fmt: skip
def test_as_many_are_seated_as_trying_every_way_finds(
    plugs: list[str], sockets: list[str], adapters: list[tuple[str, str]]
) -> None:
    ends = seat(plugs, sockets, Counter(adapters))
    assert sum(end is not None for end in ends) == most_by_hand(plugs, sockets, Counter(adapters))
    assert not Counter(end for end in ends if end) - Counter(sockets), "a socket takes one plug"
    used = Counter((end, plug) for plug, end in zip(plugs, ends, strict=True) if end not in (None, plug))
    assert not used - Counter(adapters), "an adapter is used once"


def test_adapters_in_either_order_give_one_verdict() -> None:
    board = BOARDS["sprig"].model_copy(update={"usb": (BOARDS["sprig"].usb[0].model_copy(update={"count": 2}),)})
    things = (
        part(id="s1", usb="A"), part(id="s2", usb="C"),
        part(id="a1", adapter={"of": "usb", "has": "micro", "gives": "A"}), part(id="a2", adapter={"of": "usb", "has": "micro", "gives": "C"}),
    )  # fmt: skip
    verdicts = {frozenset(stops(on(board, *order))) for order in permutations(things)}
    assert len(verdicts) == 1
    assert not next(iter(verdicts)) & {"plan.usb-sockets", "plan.socket-adapter"}


@pytest.mark.parametrize(
    ("board", "cameras", "code"),
    [
        ("tansy-ii", ("wren-camera", "wren-camera"), "plan.camera-fits"),
        ("tansy-ii", ("wren-camera",) * 3, "plan.socket-taken"),
        ("tansy", ("gull-camera", "gull-camera"), "plan.socket-taken"),
        ("tansy-ii", ("gull-camera", "camera-tail-22", "wren-camera"), "plan.camera-fits"),
        ("tansy-ii", ("gull-camera", "wren-camera"), "plan.camera-width"),
    ],
)
def test_a_board_has_as_many_camera_sockets_as_it_says(board: str, cameras: tuple[str, ...], code: str) -> None:
    found = {f.code for f in check_plan(plan("hidewatch", board, *cameras)) if f.where.part == "camera"}
    assert code in found
    assert ("plan.socket-taken" in found) == (code == "plan.socket-taken")


def test_two_screens_on_two_very_small_sockets() -> None:
    assert "plan.socket-taken" not in codes(plan("tinplay", "tansy", "display-micro", "display-micro"))
    assert "plan.socket-taken" in codes(plan("tinplay", "larkspur-r", "display-full", "display-full"))


def test_one_kind_alone_and_a_list_are_both_read() -> None:
    said = BOARDS["tansy"].model_dump(by_alias=True)
    for value, meant in ((15, (15,)), ([22, 15], (22, 15)), (None, ())):
        assert Board.model_validate({**said, "camera_contacts": value}).camera_contacts == meant
    assert Board.model_validate({**said, "display": "mini"}).display == ("mini",)


def test_a_socket_that_gives_power_only_takes_no_stick() -> None:
    board = BOARDS["larkspur-r"]
    only = board.model_copy(update={"usb": (board.usb[0].model_copy(update={"power_only": True}),)})
    assert "plan.usb-sockets" in stops(on(only, part(usb="A")))
    assert "plan.usb-sockets" not in stops(on(board, part(usb="A")))


def test_the_lines_of_the_bus_are_shared_and_its_selects_are_not() -> None:
    """Common practice: MOSI, MISO and the clock go to every chip, a select to one."""
    first = part(id="first", header={"socket": 26, "spi": [0]})
    same = part(id="same", header={"socket": 26, "spi": [0]})
    other = part(id="other", header={"socket": 40, "spi": [1]})
    alone = part(id="alone", header={"socket": 40, "takes": {23: "a lamp"}})
    board = BOARDS["larkspur-r"]
    assert "plan.header-clash" not in stops(on(board, first, other))
    assert "plan.header-clash" in stops(on(board, first, same))
    assert "plan.header-clash" in stops(on(board, first, alone))
    drawn = header_map(on(board, first, other))
    assert drawn is not None
    assert [p.number for p in drawn.pins if p.takers] == [19, 21, 23, 24, 26]


def test_a_role_nobody_knows_is_a_plain_part() -> None:
    clock = part(id="clock", role="clock-board", name="Clock board", header={"socket": 26, "i2c": ["0x68"]})
    assert clock.part.role_words == "clock board"
    found = check_plan(on(BOARDS["larkspur-r"], clock))
    assert not [f for f in found if f.severity is Severity.STOP and f.where.part == "header"]


def test_bare_holes_are_said_before_an_add_on_is_bought() -> None:
    assert codes(plan("cinderwick", "sprig", "kiln-probes"))["plan.header-not-fitted"] is Severity.CHECK
    assert "plan.header-not-fitted" not in codes(plan("cinderwick", "larkspur-r", "kiln-probes"))
    assert "plan.header-not-fitted" not in codes(plan("cinderwick", "sprig"))


def test_every_shipped_part_of_two_add_ons_on_one_bus_keeps_its_own_verdict() -> None:
    both = plan("cinderwick", "larkspur-r", "kiln-probes", "kiln-probes")
    assert "plan.header-clash" in stops(both), "both want select 0"
    assert PARTS["kiln-probes"].header is not None
    assert PARTS["kiln-probes"].header.spi == (0,)


def test_a_hub_that_does_not_plug_in_is_what_is_told() -> None:
    one = plan("logicade", "bramble", "twin-pad", "quad-hub", way="cable")
    told = next(f for f in check_plan(one) if f.code == "plan.socket-adapter")
    assert told.where.field == "own quad-hub"
    assert "plan.socket-adapter" not in stops(
        plan("logicade", "bramble", "twin-pad", "quad-hub", "otg-tail", way="cable")
    )


def test_of_two_that_are_alike_one_is_left_out() -> None:
    two = plan("hidewatch", "tansy", "gull-camera", "gull-camera")
    titles = [p.title for p in ways_out(two, shelf()) if p.cures == "plan.socket-taken"]
    assert len(titles) == len(set(titles)) > 0
