"""Sightings and which of them is the device."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed import wiring
from mintseed.core.boot.run import RunFacts
from mintseed.core.find.before import GONE_AFTER, LINGERS, Itself, Seen, is_new, known_before, remembered
from mintseed.core.find.candidates import (
    Candidate,
    Evidence,
    PageAnswer,
    Wanted,
    judge_find,
    newcomers,
    page_url,
    rank_candidates,
)
from mintseed.core.find.naming import NAME_WITHIN_S, NameFacts, judge_name
from mintseed.core.find.own import answers_to_name, own_addresses
from mintseed.core.find.sightings import (
    SeenBy,
    Sighting,
    addresses_in,
    inside,
    pair,
    parse_dnsmasq_leases,
    parse_ip_neigh,
)
from mintseed.core.findings import Action, Finding, Severity, Where, verdict
from mintseed.core.limits import MAX_SCANNED_ADDRESSES
from mintseed.core.recipes.model import Page

PAGE = wiring.recipes()["platen"].page
NEW, PHONE, OLD = "127.77.4.40", "127.77.4.41", "127.77.4.31"
BEFORE = frozenset({OLD, "02:51:48:00:00:0a"})
SIGNED = PageAnswer("", 200, "<h1>Platen print desk</h1>")

# The format of dnsmasq(8)'s lease file and of ip-neighbour(8)'s output.
LEASES = f"1764000000 02:46:57:aa:bb:cc {NEW} press *\n1764000000 02:46:57:aa:bb:cd {PHONE} * 01:02\nduid 00:01\n\n"
NEIGHBOURS = (
    f"{NEW} dev lan0 lladdr 02:46:57:AA:BB:CC REACHABLE\n{PHONE} dev lan0  FAILED\n{OLD} dev lan0 lladdr 02:51:48:00:00:0a STALE\n"
    "fe80::1 dev lan0 lladdr 02:51:48:00:00:0b router REACHABLE\n"
)


def test_leases_and_neighbours_are_read() -> None:
    assert parse_dnsmasq_leases(LEASES) == (
        Sighting(NEW, SeenBy.LEASE, "02:46:57:aa:bb:cc", "press", expires="1764000000"),
        Sighting(PHONE, SeenBy.LEASE, "02:46:57:aa:bb:cd", "", expires="1764000000"),
    )
    found = parse_ip_neigh(NEIGHBOURS)
    assert [s.address for s in found] == [NEW, OLD, "fe80::1"]
    assert found[0].mac == "02:46:57:aa:bb:cc"
    assert [s.stale for s in found] == [False, True, False]


@given(st.text(max_size=300))
def test_any_text_is_read_without_harm(text: str) -> None:
    parse_dnsmasq_leases(text)
    parse_ip_neigh(text)


def wanted(known_before: frozenset[str] | None = BEFORE, page: Page = PAGE, **more: Any) -> Wanted:
    return Wanted("press", "platen", page, known_before, **more)


def rank(*sightings: Sighting, answers: dict[str, PageAnswer] | None = None, **more: Any) -> tuple[Candidate, ...]:
    return rank_candidates(sightings, wanted(**more), answers or {})


def test_all_evidence_together_wins() -> None:
    seen = [*parse_dnsmasq_leases(LEASES), *parse_ip_neigh(NEIGHBOURS)]
    ranked = rank(*seen, answers={NEW: SIGNED})
    assert (ranked[0].address, ranked[0].is_it, ranked[0].page_answers) == (NEW, True, True)
    assert not any(c.is_it for c in ranked[1:])


def test_its_makers_addresses_are_a_hint_and_no_proof() -> None:
    mac = "00:11:22:aa:bb:cc"
    (one,) = rank(Sighting(NEW, SeenBy.LEASE, mac), mac_prefixes=frozenset({"00:11:22"}))
    assert "has a hardware address as this kind of board has" in [e.text for e in one.evidence]
    assert not one.is_it
    # Its own address says it already; another device of one's own is none the more this one.
    own = rank(Sighting(NEW, SeenBy.LEASE, mac), mac_prefixes=frozenset({"00:11:22"}), own_macs=frozenset({mac}))
    assert "has a hardware address as this kind of board has" not in [e.text for e in own[0].evidence]
    ours = rank(Sighting(NEW, SeenBy.LEASE, mac), mac_prefixes=frozenset({"00:11:22"}), others={mac: "Other"})
    assert "has a hardware address as this kind of board has" not in [e.text for e in ours[0].evidence]


@pytest.mark.parametrize(
    "sighting",
    [
        Sighting(NEW, SeenBy.NEIGHBOUR, "02:46:57:aa:bb:cc"),
        Sighting(OLD, SeenBy.LEASE, "02:51:48:00:00:0a", "press"),
        Sighting(OLD, SeenBy.ANNOUNCEMENT, host_name="press"),
    ],
    ids=["only new", "only the lease's name", "only announced"],
)
def test_no_single_piece_of_evidence_is_enough(sighting: Sighting) -> None:
    assert not rank(sighting)[0].is_it


def test_a_known_machine_with_a_new_address_is_not_new() -> None:
    moved = Sighting("127.77.4.99", SeenBy.LEASE, "02:51:48:00:00:0a", "till")
    assert [e.text for e in rank(moved)[0].evidence] == ["calls itself till"]


def test_a_second_device_of_the_same_appliance_is_not_it() -> None:
    other = Sighting(NEW, SeenBy.LEASE, "02:46:57:aa:bb:cc", "reading-press")
    assert not rank(other, answers={NEW: SIGNED})[0].is_it
    unnamed = Sighting(NEW, SeenBy.LEASE, "02:46:57:aa:bb:cc", "platen")
    assert rank(unnamed, answers={NEW: SIGNED})[0].is_it


def test_another_page_on_its_port_speaks_against_it() -> None:
    seen = Sighting(NEW, SeenBy.LEASE, "02:46:57:aa:bb:cc", "press")
    assert rank(seen)[0].is_it
    assert not rank(seen, answers={NEW: PageAnswer("", 200, "<title>Router</title>")})[0].is_it
    assert rank(seen, answers={NEW: PageAnswer("", 0, trouble="refused")})[0].is_it


@pytest.mark.parametrize("status", [301, 302, 401, 403, 500, 503])
def test_a_page_that_is_still_starting_speaks_for_it(status: int) -> None:
    seen = Sighting(NEW, SeenBy.LEASE, "02:46:57:aa:bb:cc", "press")
    announced = Sighting(NEW, SeenBy.ANNOUNCEMENT, host_name="press")
    silent, starting = rank(seen, announced)[0], rank(seen, announced, answers={NEW: PageAnswer("", status)})[0]
    assert starting.is_it
    assert starting.points > silent.points
    assert not starting.page_answers


def test_without_a_look_before_nothing_is_called_new() -> None:
    seen = Sighting(NEW, SeenBy.SCAN, "02:46:57:aa:bb:cc", port=5310)
    found = rank(seen, answers={NEW: SIGNED}, known_before=None)[0]
    assert [e.text for e in found.evidence] == ["takes connections on port 5310", "its page says Platen print desk"]
    # Its own page on its own port is enough then; another one's name, or no page, is not.
    assert found.is_it
    named = Sighting(NEW, SeenBy.LEASE, "02:46:57:aa:bb:cc", "reading-press")
    for sightings, answers in (
        ([seen, named], {NEW: SIGNED}),
        ([seen], {}),
        ([seen], {NEW: PageAnswer("", 200, "a till")}),
    ):
        other = rank(*sightings, answers=answers, known_before=None)[0]
        assert not other.is_it


def test_found_by_a_scan_alone() -> None:
    seen = Sighting(NEW, SeenBy.SCAN, "02:46:57:aa:bb:cc", port=5310)
    assert rank(seen, answers={NEW: SIGNED})[0].is_it


def test_addresses_to_scan_are_bounded_and_the_small_network_comes_first() -> None:
    assert addresses_in(["192.168.7.0/30"]) == ("192.168.7.1", "192.168.7.2")
    many = addresses_in(["10.0.0.0/8", "192.168.7.0/24"])
    assert len(many) == MAX_SCANNED_ADDRESSES
    assert many[0] == "192.168.7.1"


def test_each_newcomer_is_told_once_with_the_deployment_it_speaks_for_most() -> None:
    mine = rank(Sighting(NEW, SeenBy.LEASE, "02:46:57:aa:bb:cc", "press"))
    phone = rank(Sighting(PHONE, SeenBy.LEASE, "02:46:57:aa:bb:cd", ""))
    found = newcomers([(1, "Press", (*mine, *phone)), (2, "Other", phone)])
    assert [(n.address, n.deployment_id, n.likely) for n in found] == [(NEW, 1, "Press"), (PHONE, 1, "")]


def test_what_is_said_about_it() -> None:
    seen = Sighting(NEW, SeenBy.LEASE, "02:46:57:aa:bb:cc", "press")
    twin = Sighting(PHONE, SeenBy.LEASE, "02:46:57:aa:bb:ce", "press")
    assert [f.code for f in judge_find(rank(seen), "press", PAGE)] == ["find.found", "find.page-not-yet"]
    assert verdict(judge_find(rank(seen, answers={NEW: SIGNED}), "press", PAGE)) is Severity.OK
    assert [f.code for f in judge_find((), "press", PAGE)] == ["find.none"]
    assert [f.code for f in judge_find(rank(seen, twin, ways=1), "press", PAGE)] == ["find.several"]


def test_addresses_of_pages() -> None:
    assert page_url(PAGE, NEW) == f"http://{NEW}:5310/"
    assert page_url(PAGE.model_copy(update={"port": 80, "path": "/x"}), "h") == "http://h/x"
    assert page_url(PAGE.model_copy(update={"scheme": "https", "port": 443}), "h") == "https://h/"


def test_only_the_sites_ranges_count() -> None:
    assert inside("127.77.4.9", ["127.77.4.0/24"])
    assert not inside("127.77.5.9", ["127.77.4.0/24", "192.168.0.0/16"])


def test_a_board_is_told_by_its_own_hardware_address_and_something_else() -> None:
    mine = Sighting(NEW, SeenBy.SCAN, "02:46:57:aa:bb:cc", port=5310)
    known = frozenset({NEW, "02:46:57:aa:bb:cc"})
    own = frozenset({"02:46:57:aa:bb:cc"})
    still = rank(Sighting(NEW, SeenBy.NEIGHBOUR, "02:46:57:aa:bb:cc"), known_before=known, own_macs=own)[0]
    assert [e.text for e in still.evidence] == ["has a hardware address of this board"]
    assert not still.is_it  # it may be on, with another card in it
    assert rank(mine, known_before=known, own_macs=own)[0].is_it
    strange = rank(mine, known_before=frozenset(), own_macs=frozenset({"02:00:00:00:00:01"}))[0]
    assert "has a hardware address of this board" not in [e.text for e in strange.evidence]


# One board is one candidate.


def test_several_addresses_of_one_hardware_address_are_one_device() -> None:
    old = Sighting(PHONE, SeenBy.LEASE, "02:46:57:aa:bb:cc", "press", expires="1764000000")
    new = Sighting(NEW, SeenBy.LEASE, "02:46:57:aa:bb:cc", "press", expires="1764003600")
    found = rank(old, new, Sighting(NEW, SeenBy.NEIGHBOUR, "02:46:57:aa:bb:cc"))
    assert [(c.address, c.also, c.is_it) for c in found] == [(NEW, (PHONE,), True)]
    assert [f.code for f in judge_find(found, "press", PAGE)] == ["find.found", "find.page-not-yet"]


def test_cable_and_wifi_of_one_name_are_one_device_and_two_boards_of_one_way_are_two() -> None:
    cable = Sighting(NEW, SeenBy.LEASE, "02:46:57:aa:bb:cc", "press")
    wifi = Sighting(PHONE, SeenBy.LEASE, "02:46:57:aa:bb:ce", "press")
    found = rank(cable, wifi, answers={PHONE: SIGNED})
    assert [(c.address, c.also) for c in found] == [(PHONE, (NEW,))], "the one whose page answers is opened"
    assert [f.code for f in judge_find(rank(cable, wifi, ways=1), "press", PAGE)] == ["find.several"]
    # Somebody of that name who was there before is somebody else.
    older = Sighting(OLD, SeenBy.LEASE, "02:51:48:00:00:0a", "press")
    assert len(rank(cable, older)) == 2


# Who was there before.


T0 = datetime(2026, 11, 28, 12, 0, tzinfo=UTC)


def at(minutes: float) -> datetime:
    return T0 + timedelta(minutes=minutes)


def memory(*looks: tuple[float, tuple[Sighting, ...]]) -> dict[str, Seen]:
    held: dict[str, Seen] = {}
    for minutes, seen in looks:
        held = remembered(held, seen, at(minutes))
    return held


BOARD, ROUTER = "02:46:57:aa:bb:cc", "02:51:48:00:00:01"
ROUTER_SEEN = Sighting("127.77.4.1", SeenBy.NEIGHBOUR, ROUTER)


def lease(expires: str, address: str = NEW, mac: str = BOARD, name: str = "press") -> Sighting:
    return Sighting(address, SeenBy.LEASE, mac, name, expires=expires)


def stale(address: str = NEW, mac: str = BOARD) -> Sighting:
    return Sighting(address, SeenBy.NEIGHBOUR, mac, stale=True)


def test_a_board_that_is_powered_a_second_time_is_new_again() -> None:
    """Lease lists and neighbour tables keep who is gone: dnsmasq until the lease expires, the kernel until it needs the room."""
    here = (ROUTER_SEEN, lease("100"), Sighting(NEW, SeenBy.NEIGHBOUR, BOARD))
    gone = (ROUTER_SEEN, lease("100"), stale())
    held = memory((0, (ROUTER_SEEN,)), (5, here), (20, here), (21, gone), (40, gone))
    before = known_before(held, at(40), Itself(frozenset({BOARD}), NEW, off_since=at(20.5)))
    assert {"127.77.4.1", ROUTER} <= before
    assert not {NEW, BOARD} & before
    # What the lists still say is no sign of it: it has not joined yet.
    assert rank(*gone, known_before=before) == (rank(ROUTER_SEEN, known_before=before)[0],)
    back = (ROUTER_SEEN, lease("200"), Sighting(NEW, SeenBy.NEIGHBOUR, BOARD))
    found = rank(*back, known_before=before)[0]
    assert (found.address, found.is_it) == (NEW, True)
    assert "new since power-on" in [e.text for e in found.evidence]


def test_its_own_address_seen_while_it_was_off_is_not_new() -> None:
    """Somebody powered it elsewhere meanwhile, with another card."""
    live = Sighting(NEW, SeenBy.NEIGHBOUR, BOARD)
    held = memory((0, (live,)), (30, (live,)))
    before = known_before(held, at(31), Itself(frozenset({BOARD}), NEW, off_since=at(1)))
    assert not is_new(NEW, BOARD, before)


def test_another_hardware_address_at_a_known_address_is_new_and_an_address_that_was_gone_is_free() -> None:
    held = memory(
        (0, (Sighting(OLD, SeenBy.NEIGHBOUR, "02:51:48:00:00:0a"), Sighting(PHONE, SeenBy.SCAN, port=80))),
        (60, (ROUTER_SEEN,)),
    )
    before = known_before(held, at(60), scanned_at=at(59))
    assert is_new(OLD, BOARD, before)
    assert not is_new(OLD, "02:51:48:00:00:0a", before), "a hardware address is somebody's for good"
    assert is_new(PHONE, "", before), "not seen for an hour, and every address was asked since"
    assert not is_new(PHONE, "", known_before(held, at(60))), "nobody asked: it may only have been quiet"
    now = known_before(memory((59, (Sighting(PHONE, SeenBy.SCAN, port=80),))), at(60))
    assert not is_new(PHONE, "", now)
    assert not is_new(PHONE, BOARD, now), "nobody knows whose it was a minute ago"
    assert not is_new(NEW, BOARD, None)


def test_at_the_very_moment_of_power_on_and_after_it() -> None:
    """What was first seen when power came was there before; what came later was not, whoever else is looked at after it."""
    held = {"192.0.2.9": Seen(at(61), at(62)), "192.0.2.5": Seen(at(60), at(60)), ROUTER: Seen(at(0), at(60))}
    assert known_before(held, at(60)) == {"192.0.2.5", ROUTER}


def test_how_long_an_address_may_be_quiet() -> None:
    quiet = {PHONE: Seen(at(0), at(60) - GONE_AFTER)}
    assert PHONE in known_before(quiet, at(60), scanned_at=at(59))
    longer = {PHONE: Seen(at(0), at(60) - GONE_AFTER - timedelta(seconds=1))}
    assert PHONE not in known_before(longer, at(60), scanned_at=at(59))
    # Asked last when it was still seen: nobody asked since.
    assert PHONE in known_before(longer, at(60), scanned_at=longer[PHONE].last)


def test_a_board_that_was_just_switched_off_may_still_look_present() -> None:
    off = at(30)
    for last, there in ((off, False), (off + LINGERS, False), (off + LINGERS + timedelta(seconds=1), True)):
        held = {NEW: Seen(at(0), last), BOARD: Seen(at(0), last)}
        before = known_before(held, at(60), Itself(frozenset({BOARD}), NEW, off_since=off))
        assert (NEW in before, BOARD in before) == (there, there)
    # Nobody knows of an earlier run: whatever is its own says nothing.
    assert known_before({NEW: Seen(at(0), at(59))}, at(60), Itself(frozenset({BOARD}), NEW)) == frozenset()


def test_what_is_the_boards_own() -> None:
    """Its hardware addresses, each address it had with one, and the one it had last; a trace of a list is nobody's own."""
    held = memory((0, (ROUTER_SEEN, Sighting(NEW, SeenBy.NEIGHBOUR, BOARD), lease("100", OLD, BOARD))))
    own = Itself(frozenset({BOARD})).keys(held)
    assert own == {BOARD, NEW, pair(NEW, BOARD), OLD, pair(OLD, BOARD)}
    assert Itself(frozenset({BOARD}), PHONE).keys({}) == {BOARD, PHONE}
    assert Itself().keys(held) == frozenset()
    # An address as IPv6 writes it, and a list that says something with a = in it.
    six = "fe80::46:57ff:feaa:bbcc"
    odd = {pair(six, BOARD), lease("a=b", OLD, ROUTER).trace}
    assert Itself(frozenset({BOARD})).keys(odd) == {BOARD, six, pair(six, BOARD)}


def test_a_list_that_says_the_same_again_says_of_nobody_that_they_are_there() -> None:
    held = memory((0, (lease("100"),)), (5, (lease("100"),)))
    assert held[NEW] == Seen(at(0), at(0))
    assert held[lease("100").trace] == Seen(at(0), at(5))
    renewed = remembered(held, (lease("200"),), at(9))
    assert renewed[NEW] == Seen(at(0), at(9))
    assert renewed[BOARD].last == at(9)


def test_what_an_earlier_version_kept_is_still_understood() -> None:
    """Plain addresses and hardware addresses, as rows of before hold them."""
    assert not is_new(OLD, BOARD, BEFORE)
    assert is_new(NEW, BOARD, BEFORE)


# One's own devices, and names.


def test_a_device_of_ones_own_is_named_and_never_taken_for_it() -> None:
    seen = Sighting(NEW, SeenBy.LEASE, "02:46:57:aa:bb:cc", "press")
    for key in ("02:46:57:aa:bb:cc", NEW):
        found = rank(seen, answers={NEW: SIGNED}, others={key: "Reading room press"})[0]
        if key == NEW:
            assert not found.ours, "where its hardware address is known, that alone tells it"
        else:
            assert (found.ours, found.is_it) == ("Reading room press", False)
            assert newcomers([(1, "Press", (found,))]) == ()
    own = frozenset({"02:46:57:aa:bb:cc"})
    again = rank(seen, answers={NEW: SIGNED}, others={"02:46:57:aa:bb:cc": "It, in its last life"}, own_macs=own)[0]
    assert again.is_it


def test_a_name_that_answers_is_evidence() -> None:
    seen = Sighting(NEW, SeenBy.SCAN, "02:46:57:aa:bb:cc", port=5310)
    texts = [e.text for e in rank(seen, name_answers=frozenset({NEW}))[0].evidence]
    assert "answers to press.local" in texts
    assert "answers to press.local" not in [e.text for e in rank(seen, name_answers=frozenset({OLD}))[0].evidence]


@pytest.mark.parametrize(
    ("facts", "ago_s", "announces", "code", "severity"),
    [
        (NameFacts(True, (NEW,)), 10, None, "find.name-answers", Severity.OK),
        (NameFacts(True, (OLD,)), 10, None, "find.name-elsewhere", Severity.CHECK),
        (NameFacts(asks=False), 1000, None, "find.name-not-asked", Severity.NOTE),
        (NameFacts(True), 10, True, "find.name-not-yet", Severity.NOTE),
        (NameFacts(), NAME_WITHIN_S + 1, True, "find.name-not-yet", Severity.NOTE),
        (NameFacts(True, (), "debian"), NAME_WITHIN_S + 1, True, "find.name-own", Severity.CHECK),
        (NameFacts(True, (), "press"), NAME_WITHIN_S + 1, True, "find.name-silent", Severity.NOTE),
        (NameFacts(True), NAME_WITHIN_S + 1, False, "find.name-silent", Severity.NOTE),
    ],
)
def test_a_name_is_claimed_only_when_it_answered(
    facts: NameFacts, ago_s: float, announces: bool | None, code: str, severity: Severity
) -> None:
    found = judge_name("press", frozenset({NEW}), facts, joined_ago_s=ago_s, announces=announces)
    assert (found.code, found.severity) == (code, severity)
    assert ("Nothing was found on its image" in found.detail) == (announces is False)


@pytest.mark.parametrize(("port", "assumed", "is_it"), [(8765, False, True), (80, False, True), (80, True, False)])
def test_a_page_nobody_saw_yet_tells_by_its_port(port: int, assumed: bool, is_it: bool) -> None:
    """Who is new and has a page on the port that the image's own settings name is it; on a port that is only assumed, perhaps not."""
    page = Page(port=port, assumed=assumed)
    seen = (Sighting(NEW, SeenBy.SCAN, port=port), Sighting(NEW, SeenBy.NEIGHBOUR, mac="02:00:00:00:00:99"))
    answer = {NEW: PageAnswer(f"http://{NEW}/", 200, "<h1>Anything</h1>")}
    found = rank_candidates(seen, Wanted("post", "post", page, BEFORE), answer)
    assert [(c.address, c.is_it, c.page_answers) for c in found] == [(NEW, is_it, True)]


def there(address: str = "192.0.2.7", *, answers: bool = True, is_it: bool = True) -> Candidate:
    evidence = (Evidence("new since power-on", 3), Evidence("took a lease as press", 4))
    return Candidate(address, "", "press", f"http://{address}/", evidence, answers, is_it)


FOUND = Finding(
    "find.found",
    Severity.OK,
    "Found at 192.0.2.7",
    "New since power-on, took a lease as press.",
    where=Where(part="192.0.2.7"),
)
NOT_TOLD = Finding("find.page-not-told", Severity.NOTE, "No page answers on port 80", "Nobody said that it has one, or where: it was looked for at the usual place.",
                   "Where you know its port, write it into its recipe.")  # fmt: skip
NOT_YET = Finding(
    "find.page-not-yet",
    Severity.NOTE,
    "Its page does not answer yet",
    "Just after boot that means not yet, not never.",
    "Look again in a moment.",
)
NONE = Finding("find.none", Severity.CHECK, "Not seen yet", "No address is new and answers to press or shows its page.",
               "Give it the time on the clock, then look again.", action=Action("Watch the clock", "boot"))  # fmt: skip
SEVERAL = Finding("find.several", Severity.CHECK, "2 devices could be it", "More than one answers to this name and shows its page.",
                  "Switch the other one off, or give this one another name.")  # fmt: skip


@pytest.mark.parametrize(("candidates", "assumed", "said"), [
    ((), False, (NONE,)),
    ((there(is_it=False),), False, (NONE,)),
    ((there(), there("192.0.2.9", is_it=False)), False, (FOUND,)),
    ((there(),), True, (FOUND,)),
    ((there(answers=False),), False, (FOUND, NOT_YET)),
    ((there(answers=False),), True, (FOUND, NOT_TOLD)),
    ((there(), there("192.0.2.9")), False, (SEVERAL,)),
])  # fmt: skip
def test_what_is_said_of_a_look(candidates: tuple[Candidate, ...], assumed: bool, said: tuple[Finding, ...]) -> None:
    assert judge_find(candidates, "press", Page(port=80, assumed=assumed)) == said


@pytest.mark.parametrize("expires", ["²", "٣", "9" * 5000, "-1", "soon"])
def test_a_lease_whose_end_is_no_number_is_passed_over(expires: str) -> None:
    """And harms no other: the list is somebody else's file."""
    line = "1764100000 02:46:57:aa:bb:cc 192.0.2.9 press *"
    found = parse_dnsmasq_leases(f"{expires} 02:46:57:aa:bb:dd 192.0.2.10 odd *\n{line}\n")
    assert [s.address for s in found] == ["192.0.2.9"]
    assert rank(*found)[0].address == "192.0.2.9"


def run(**changes: Any) -> RunFacts:
    return RunFacts(1, datetime(2026, 12, 1, 9, tzinfo=UTC), **changes)


def test_a_devices_own_addresses_are_where_it_came_and_the_others_it_has() -> None:
    both = Candidate(NEW, "", "", "", (), page_answers=True, is_it=True, also=("127.77.4.44",))
    other = Candidate(PHONE, "", "", "", (), page_answers=True, is_it=False, also=("127.77.4.45",))
    assert own_addresses(None, "") == frozenset()
    assert own_addresses(None, OLD) == {OLD}
    assert own_addresses(run(candidates=(both, other)), "") == frozenset()
    assert own_addresses(run(candidates=(both, other)), NEW) == {NEW, "127.77.4.44"}
    assert own_addresses(run(joined_address=NEW, candidates=(other, both)), OLD) == {OLD, NEW, "127.77.4.44"}


def test_a_name_counts_where_one_of_its_own_addresses_answered_to_it() -> None:
    answered = run(naming=NameFacts(asked=True, answers_at=(NEW,)))
    assert answers_to_name(answered, {NEW, OLD})
    assert not answers_to_name(answered, {OLD})
    assert not answers_to_name(answered, ())
    assert not answers_to_name(run(), {NEW})
    assert not answers_to_name(None, {NEW})


def test_a_range_may_be_written_with_an_address_of_it() -> None:
    """As `ip address` prints it: the address, and how long its network is."""
    assert inside("192.0.2.9", ["192.0.2.77/24"])
    assert not inside("192.0.3.9", ["192.0.2.77/24"])
    assert addresses_in(["192.0.2.9/30"]) == ("192.0.2.9", "192.0.2.10")


def test_a_line_of_a_list_that_lacks_something_is_passed_over() -> None:
    """dnsmasq(8), --dhcp-leasefile; ip-neighbour(8). A lease without a client's own id has four words."""
    mac = "02:46:57:aa:bb:cc"
    assert parse_dnsmasq_leases(f"1764000000 {mac} {NEW} press\n1764000000 {mac} {NEW}\n") == (
        Sighting(NEW, SeenBy.LEASE, mac, "press", expires="1764000000"),
    )
    assert parse_ip_neigh(f"{NEW} lladdr {mac} REACHABLE\n") == (Sighting(NEW, SeenBy.NEIGHBOUR, mac),)
    assert parse_ip_neigh(f"{NEW} dev eth0 lladdr {mac} STALE\n") == (Sighting(NEW, SeenBy.NEIGHBOUR, mac, stale=True),)
    for line in (
        f"{NEW} dev eth0 lladdr {mac} FAILED", f"{NEW} dev eth0 lladdr {mac} INCOMPLETE", f"{NEW} dev eth0 {mac} REACHABLE", f"press dev eth0 lladdr {mac} REACHABLE",
        f"{NEW} dev eth0 lladdr", f"{NEW} {mac} REACHABLE", f"{NEW} dev eth0 lladdr nothing REACHABLE",
    ):  # fmt: skip
        assert parse_ip_neigh(line) == (), line
    # The word may be an interface's name as well.
    assert parse_ip_neigh(f"{NEW} dev FAILED lladdr {mac} REACHABLE") == (Sighting(NEW, SeenBy.NEIGHBOUR, mac),)


def test_another_at_an_address_that_somebody_had_is_new() -> None:
    mine, theirs = "02:46:57:aa:bb:cc", "02:46:57:aa:bb:cd"
    before = frozenset({NEW, pair(NEW, theirs), theirs})
    assert is_new(NEW, mine, before)
    assert not is_new(NEW, theirs, before)
    assert not is_new(NEW, "", before), "nobody says whose it is"
    assert not is_new(NEW, mine, frozenset({NEW})), "nobody knows who had it"
    assert not is_new(NEW, mine, frozenset({NEW, pair(OLD, theirs)}))
    assert is_new(NEW, "", frozenset({OLD}))
    assert not is_new(NEW, mine, None)
