"""Sightings and which of them is the device."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed import wiring
from mintseed.core.find.candidates import Candidate, PageAnswer, judge_find, newcomers, page_url, rank_candidates
from mintseed.core.find.sightings import SeenBy, Sighting, addresses_in, inside, parse_dnsmasq_leases, parse_ip_neigh
from mintseed.core.findings import Severity, verdict
from mintseed.core.limits import MAX_SCANNED_ADDRESSES

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
        Sighting(NEW, SeenBy.LEASE, "02:46:57:aa:bb:cc", "press"),
        Sighting(PHONE, SeenBy.LEASE, "02:46:57:aa:bb:cd", ""),
    )
    found = parse_ip_neigh(NEIGHBOURS)
    assert [s.address for s in found] == [NEW, OLD, "fe80::1"]
    assert found[0].mac == "02:46:57:aa:bb:cc"


@given(st.text(max_size=300))
def test_any_text_is_read_without_harm(text: str) -> None:
    parse_dnsmasq_leases(text)
    parse_ip_neigh(text)


def rank(*sightings: Sighting, answers: dict[str, PageAnswer] | None = None) -> tuple[Candidate, ...]:
    return rank_candidates(
        sightings, known_before=BEFORE, host_name="press", default_host_name="platen", page=PAGE, answers=answers or {}
    )


def test_all_evidence_together_wins() -> None:
    seen = [*parse_dnsmasq_leases(LEASES), *parse_ip_neigh(NEIGHBOURS)]
    ranked = rank(*seen, answers={NEW: SIGNED})
    assert (ranked[0].address, ranked[0].is_it, ranked[0].page_answers) == (NEW, True, True)
    assert not any(c.is_it for c in ranked[1:])


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
    found = rank_candidates(
        [seen], known_before=None, host_name="press", default_host_name="platen", page=PAGE, answers={NEW: SIGNED}
    )[0]
    assert [e.text for e in found.evidence] == ["takes connections on port 5310", "its page says Platen print desk"]
    # Its own page on its own port is enough then; another one's name, or no page, is not.
    assert found.is_it
    named = Sighting(NEW, SeenBy.LEASE, "02:46:57:aa:bb:cc", "reading-press")
    for sightings, answers in (
        ([seen, named], {NEW: SIGNED}),
        ([seen], {}),
        ([seen], {NEW: PageAnswer("", 200, "a till")}),
    ):
        other = rank_candidates(
            sightings, known_before=None, host_name="press", default_host_name="platen", page=PAGE, answers=answers
        )[0]
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
    assert [f.code for f in judge_find(rank(seen), "press")] == ["find.found", "find.page-not-yet"]
    assert verdict(judge_find(rank(seen, answers={NEW: SIGNED}), "press")) is Severity.OK
    assert [f.code for f in judge_find((), "press")] == ["find.none"]
    assert [f.code for f in judge_find(rank(seen, twin), "press")] == ["find.several"]


def test_addresses_of_pages() -> None:
    assert page_url(PAGE, NEW) == f"http://{NEW}:5310/"
    assert page_url(PAGE.model_copy(update={"port": 80, "path": "/x"}), "h") == "http://h/x"
    assert page_url(PAGE.model_copy(update={"scheme": "https", "port": 443}), "h") == "https://h/"


def test_only_the_sites_ranges_count() -> None:
    assert inside("127.77.4.9", ["127.77.4.0/24"])
    assert not inside("127.77.5.9", ["127.77.4.0/24", "192.168.0.0/16"])


def test_a_board_is_told_by_its_own_hardware_address_and_something_else() -> None:
    mine = Sighting(NEW, SeenBy.SCAN, "02:46:57:aa:bb:cc", port=5310)
    still = rank_candidates(
        [Sighting(NEW, SeenBy.NEIGHBOUR, "02:46:57:aa:bb:cc")], known_before=frozenset({NEW, "02:46:57:aa:bb:cc"}), host_name="press",
        default_host_name="platen", page=PAGE, answers={}, own_macs=("02:46:57:aa:bb:cc",),
    )[0]  # fmt: skip
    assert [e.text for e in still.evidence] == ["has a hardware address of this board"]
    assert not still.is_it  # it may be on, with another card in it
    listens = rank_candidates(
        [mine], known_before=frozenset({NEW, "02:46:57:aa:bb:cc"}), host_name="press", default_host_name="platen", page=PAGE,
        answers={}, own_macs=("02:46:57:aa:bb:cc",),
    )[0]  # fmt: skip
    assert listens.is_it
    strange = rank_candidates(
        [mine], known_before=frozenset(), host_name="press", default_host_name="platen", page=PAGE, answers={}, own_macs=("02:00:00:00:00:01",)
    )[0]  # fmt: skip
    assert "has a hardware address of this board" not in [e.text for e in strange.evidence]
