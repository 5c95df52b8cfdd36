"""What each way of looking says of an address, and which one of a device's addresses is opened."""

from __future__ import annotations

import pytest

from mintseed.core.find.candidates import ENOUGH, MOST_NEWCOMERS, Candidate, Evidence, Newcomer, PageAnswer, newcomers
from mintseed.core.find.sightings import SeenBy, Sighting
from tests.core.test_find import BEFORE, BOARD, NEW, OLD, PAGE, PHONE, SIGNED, rank

SECOND, MAC = "127.77.4.41", "02:46:57:aa:bb:ce"


def said(*sightings: Sighting, **more: object) -> dict[str, int]:
    (one,) = rank(*sightings, **more)  # type: ignore[arg-type]
    return {e.text: e.points for e in one.evidence}


SEEN = Sighting(NEW, SeenBy.NEIGHBOUR, BOARD)


@pytest.mark.parametrize(("status", "text", "points"), [
    (301, "something on port 5310 sends on to another page", 2), (302, "something on port 5310 sends on to another page", 2),
    (303, "something on port 5310 sends on to another page", 2), (307, "something on port 5310 sends on to another page", 2),
    (308, "something on port 5310 sends on to another page", 2), (304, "something on port 5310 answers 304", 0),
    (401, "something on port 5310 asks for a login first", 2), (403, "something on port 5310 asks for a login first", 2),
    (404, "something on port 5310 answers 404", 0), (499, "something on port 5310 answers 499", 0),
    (500, "something on port 5310 answers 500: it may be starting", 2), (503, "something on port 5310 answers 503: it may be starting", 2),
    (200, "another page answers on port 5310", -4),
])  # fmt: skip
def test_what_an_answer_speaks_for(status: int, text: str, points: int) -> None:
    found = said(SEEN, answers={NEW: PageAnswer("", status, "<title>Router</title>")})
    assert found == {"new since power-on": 4, text: points}


def test_its_own_page_is_told_by_what_stands_on_it() -> None:
    assert said(SEEN, answers={NEW: SIGNED}) == {"new since power-on": 4, "its page says Platen print desk": 5}
    assert said(SEEN, answers={NEW: PageAnswer("", 0, trouble="refused")}) == {"new since power-on": 4}


@pytest.mark.parametrize(
    ("port", "assumed", "points"), [(5310, False, 3), (80, False, 2), (443, False, 2), (8080, True, 1), (80, True, 1)]
)
def test_a_page_nobody_saw_yet_speaks_the_more_the_rarer_its_port_is(port: int, assumed: bool, points: int) -> None:
    page = PAGE.model_copy(update={"signature": "", "port": port, "assumed": assumed})
    (one,) = rank(SEEN, answers={NEW: PageAnswer("", 200, "x")}, page=page)
    assert one.evidence[-1] == Evidence(f"a page answers on port {port}", points)
    assert one.page_answers


def test_names_speak_for_it_by_who_says_them() -> None:
    leased = Sighting(NEW, SeenBy.LEASE, BOARD, "PRESS")
    assert said(leased) == {"new since power-on": 4, "took a lease as press": 3}
    announced = Sighting(NEW, SeenBy.ANNOUNCEMENT, host_name="Press")
    assert said(announced) == {"new since power-on": 4, "announces itself as press.local": 3}
    # Asked for itself it counts more surely, and only once.
    assert said(announced, name_answers=frozenset({NEW})) == {"new since power-on": 4, "answers to press.local": 3}
    assert said(announced, name_answers=frozenset({OLD})) == {
        "new since power-on": 4,
        "announces itself as press.local": 3,
    }
    other = Sighting(NEW, SeenBy.ANNOUNCEMENT, host_name="till")
    assert said(other) == {"new since power-on": 4, "calls itself till": -6}
    # As the image calls itself where nobody names it: neither for it nor against it.
    assert said(Sighting(NEW, SeenBy.LEASE, BOARD, "Platen")) == {"new since power-on": 4}


def test_a_port_that_takes_connections_speaks_a_little_for_it() -> None:
    assert said(Sighting(NEW, SeenBy.SCAN, port=5310)) == {"new since power-on": 4, "takes connections on port 5310": 1}
    assert said(Sighting(NEW, SeenBy.SCAN, port=22)) == {"new since power-on": 4}
    assert said(Sighting(NEW, SeenBy.LEASE, BOARD, port=5310)) == {"new since power-on": 4}


def test_another_of_ones_own_is_told_by_its_hardware_address_or_where_it_has_none_by_its_address() -> None:
    """An address that another one had may be this one's now."""
    others = {NEW: "Hall lamp", MAC: "Attic lamp"}
    assert said(SEEN, others=others) == {"new since power-on": 4}
    assert said(Sighting(NEW, SeenBy.SCAN, port=80), others=others) == {"is Hall lamp, known here": -20}
    assert said(Sighting(SECOND, SeenBy.LEASE, MAC, "till"), others=others) == {"is Attic lamp, known here": -20}
    assert said(Sighting(SECOND, SeenBy.LEASE, MAC), others=others, own_macs=frozenset({MAC})) == {
        "has a hardware address of this board": 6, "new since power-on": 4,
    }  # fmt: skip
    assert said(Sighting(SECOND, SeenBy.SCAN, port=80), others=others) == {"new since power-on": 4}


def test_a_device_has_what_any_of_its_addresses_says() -> None:
    """Two addresses of one hardware address are one device; its name and hardware address come from the one that tells."""
    both = (Sighting(NEW, SeenBy.NEIGHBOUR, BOARD), Sighting(SECOND, SeenBy.LEASE, BOARD, "press", expires="5"))
    (one,) = rank(*both, answers={SECOND: SIGNED})
    assert (one.address, one.also, one.mac, one.host_name) == (SECOND, (NEW,), BOARD, "press")
    (nameless,) = rank(*both, answers={NEW: SIGNED})
    assert (nameless.address, nameless.also, nameless.mac, nameless.host_name) == (NEW, (SECOND,), BOARD, "press")
    assert nameless.url == f"http://{NEW}:5310/"


def test_cable_and_radio_of_one_board_are_one_as_far_as_it_has_ways() -> None:
    wire, radio = Sighting(NEW, SeenBy.LEASE, BOARD, "press"), Sighting(SECOND, SeenBy.LEASE, MAC, "press")
    assert [(c.address, c.also) for c in rank(wire, radio)] == [(NEW, (SECOND,))]
    assert len(rank(wire, radio, ways=1)) == 2
    # One that was there before is another device of that name.
    there = Sighting(OLD, SeenBy.LEASE, "02:51:48:00:00:0a", "press")
    assert {c.address for c in rank(wire, there)} == {NEW, OLD}
    # Without a hardware address an address stands for itself.
    alone = rank(Sighting(NEW, SeenBy.SCAN, port=80), Sighting(SECOND, SeenBy.SCAN, port=80))
    assert [c.address for c in alone] == [NEW, SECOND]


def leased(address: str, expires: str) -> Sighting:
    return Sighting(address, SeenBy.LEASE, BOARD, "press", expires=expires)


@pytest.mark.parametrize(("sightings", "answers", "opened"), [
    ((leased(NEW, "10"), leased(SECOND, "9")), {}, NEW), ((leased(NEW, "9"), leased(SECOND, "10")), {}, SECOND),
    ((leased(NEW, "99"), Sighting(SECOND, SeenBy.NEIGHBOUR, BOARD)), {}, SECOND),
    ((leased(NEW, "99"), Sighting(SECOND, SeenBy.NEIGHBOUR, BOARD)), {NEW: PageAnswer("", 404)}, NEW),
    ((leased(NEW, "99"), leased(SECOND, "9")), {NEW: PageAnswer("", 0), SECOND: PageAnswer("", 200, "x")}, SECOND),
    ((leased(NEW, "9"), leased(SECOND, "99")), {NEW: SIGNED, SECOND: PageAnswer("", 200, "x")}, NEW),
])  # fmt: skip
def test_the_address_that_is_opened(
    sightings: tuple[Sighting, ...], answers: dict[str, PageAnswer], opened: str
) -> None:
    """Its own page first, then one that answers, one where it is there, and of leases the latest."""
    (one,) = rank(*sightings, answers=answers)
    assert one.address == opened


def test_where_nobody_looked_before_its_own_page_is_enough_unless_it_bears_anothers_name() -> None:
    (own,) = rank(Sighting(NEW, SeenBy.SCAN, port=22), answers={NEW: SIGNED}, known_before=None)
    assert (own.points, own.is_it) == (5, True)
    (named,) = rank(Sighting(NEW, SeenBy.LEASE, BOARD, "till"), answers={NEW: SIGNED}, known_before=None)
    assert not named.is_it
    assert ENOUGH == 7


def candidate(address: str, points: int, *, ours: str = "", is_it: bool = False) -> Candidate:
    return Candidate(address, MAC, f"name-of-{address}", "", (Evidence("it is so", points),), False, is_it, ours=ours)


def test_each_newcomer_is_shown_once_for_whom_it_speaks_most() -> None:
    looking = [
        (1, "Press", (candidate("a", 4), candidate("b", 1), candidate("c", 0), candidate("d", 9, ours="Lamp"), candidate("e", -2))),
        (2, "Lamp", (candidate("a", 7, is_it=True), candidate("b", 1))),
    ]  # fmt: skip
    assert newcomers(looking) == (
        Newcomer("a", "name-of-a", ("it is so",), 2, "Lamp"), Newcomer("b", "name-of-b", ("it is so",), 1, ""),
    )  # fmt: skip
    many = [(1, "Press", tuple(candidate(str(n), 1) for n in range(MOST_NEWCOMERS + 3)))]
    assert len(newcomers(many)) == MOST_NEWCOMERS


def test_what_was_there_before_is_not_new() -> None:
    assert {OLD, "02:51:48:00:00:0a"} == BEFORE
    assert said(Sighting(OLD, SeenBy.NEIGHBOUR, "02:51:48:00:00:0a")) == {}
    assert PHONE not in BEFORE
