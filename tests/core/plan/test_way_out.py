"""The way out: what is proposed cures what it says, parts never make a gap worse, and what one writes down in other units is the same."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from mintseed.core.boards.model import Supply
from mintseed.core.findings import Severity, verdict
from mintseed.core.plan.changes import Change, Effort, both, small_changes
from mintseed.core.plan.fit import check_plan
from mintseed.core.plan.plan import Card, Plan, PlannedPart
from mintseed.core.plan.shelf import Owned
from mintseed.core.plan.way_out import Proposal, counts, ways_out
from mintseed.core.price import Price
from tests.core.plan.things import BOARDS, MICRO, NET, PARTS, RECIPES, USB_C, plan, shelf, stops, with_parts

ids = st.sampled_from
SPECS = st.tuples(
    ids(sorted(RECIPES)), ids([*sorted(BOARDS), None]), st.lists(ids(sorted(PARTS)), max_size=4, unique=True),
    ids(["wifi", "cable", None]), ids([4, 8, 32, 256, None]), ids(["micro", "c", None]), ids([None, "screen", "fill-before"]),
)  # fmt: skip
OWNED = st.lists(ids(sorted(PARTS)), max_size=5, unique=True)


def made(spec: tuple[Any, ...]) -> Plan:
    recipe, board, parts, way, card_gb, supply, way_in = spec
    return Plan(
        RECIPES[recipe], BOARDS[board] if board else None, {"micro": MICRO, "c": USB_C, None: None}[supply], None,
        Card(card_gb) if card_gb else None, way, NET, parts=tuple(PlannedPart(PARTS[p], f"own {p}") for p in parts), way_in=way_in,
    )  # fmt: skip


def titles(found: tuple[Proposal, ...], code: str) -> list[str]:
    return [p.title for p in found if p.cures == code]


def test_the_twin_without_radio_has_three_ways_out() -> None:
    stuck = plan("platen", "larkspur-c")
    found = titles(ways_out(stuck, shelf("finch", boards=("larkspur-c", "larkspur-r"))), "plan.no-radio")
    assert found == ["Run a cable to it", "Use my larkspur-r", "Add my finch"]


def test_what_costs_nothing_comes_before_what_is_to_be_bought() -> None:
    found = [
        p
        for p in ways_out(plan("hidewatch", "sprig", "gull-camera"), shelf(boards=("sprig", "larkspur-r")))
        if p.cures == "plan.camera-width"
    ]
    assert found[0].title == "Use my larkspur-r"
    bought = next(p for p in found if p.title == "Buy a Camera tail, 22 to 15")
    assert str(bought.price) == "4.00 EUR"
    assert found.index(bought) > 0


def test_a_pin_clash_is_solved_by_leaving_one_out() -> None:
    found = titles(ways_out(plan("gramary", "larkspur-r", "chorus", "reed-modem"), shelf()), "plan.header-clash")
    # Leaving out what the player needs would miss it, so that comes last.
    assert found == ["Leave out own reed-modem", "Leave out own chorus"]


def test_two_supplies_are_solved_by_one() -> None:
    fed = plan("cinderwick", "larkspur-c", "kiln-probes-fed", way="cable")
    assert "Leave out Black one" in titles(ways_out(fed, shelf()), "plan.two-supplies")


def test_when_no_single_change_helps_two_are_tried() -> None:
    """A board without network at all, on a shelf with nothing but it: a stick, and the short cable it wants."""
    stuck = plan("platen", "sprig", way="cable")
    assert stuck.board is not None
    deaf = replace(stuck, board=stuck.board.model_copy(update={"radio_ghz": ()}))
    cures = [p for p in ways_out(deaf, shelf(boards=())) if p.cures == "plan.no-ethernet"]
    assert cures
    assert all(len(p.steps) >= 2 for p in cures)
    assert any("Short USB cable" in p.title for p in cures)


def test_a_plan_that_fits_needs_no_way_out() -> None:
    good = plan("platen", "larkspur-r")
    assert verdict(check_plan(good)) is Severity.NOTE
    assert ways_out(good, shelf("finch")) == ()


@settings(deadline=None, max_examples=60)
@given(SPECS, OWNED)
def test_a_proposal_taken_makes_its_finding_go_and_brings_nothing_worse(
    spec: tuple[Any, ...], owned: list[str]
) -> None:
    one = made(spec)
    before = check_plan(one)
    for proposal in ways_out(one, shelf(*owned)):
        cured = [f for f in before if f.code == proposal.cures]
        assert cured
        still = [f for f in proposal.findings if f.code == proposal.cures]
        assert len(still) < len(cured)
        assert counts(proposal.findings)[0] <= counts(before)[0]
        assert verdict(proposal.findings) is proposal.verdict


@settings(deadline=None, max_examples=60)
@given(SPECS, OWNED)
def test_what_a_proposal_shows_is_what_the_plan_has_once_it_is_taken(spec: tuple[Any, ...], owned: list[str]) -> None:
    one = made(spec)
    after = {change.steps: check_plan(change.plan) for change in small_changes(one, shelf(*owned))}
    for proposal in ways_out(one, shelf(*owned)):
        if len(proposal.steps) == 1:
            assert sorted(proposal.findings, key=repr) == sorted(after[proposal.steps], key=repr)


def missing(one: Plan) -> set[str]:
    return {f.where.field for f in check_plan(one) if f.code == "plan.part-missing"}


@given(SPECS, ids(sorted(PARTS)))
def test_adding_a_part_never_makes_a_gap_worse(spec: tuple[Any, ...], part: str) -> None:
    one = made(spec)
    more = replace(one, parts=(*one.parts, PlannedPart(PARTS[part])))
    assert missing(more) <= missing(one)


@given(st.floats(min_value=0.1, max_value=6), ids(sorted(BOARDS)))
def test_units_never_change_a_verdict(current_a: float, board: str) -> None:
    """The same supply written down in mA, or the cable in cm, is judged alike."""
    one = plan("platen", board)
    supply = Supply(name="it", voltage_v=5.1, current_a=current_a, connector="micro-USB", length_m=1.25, awg=24)
    again = Supply(
        name="it",
        voltage_v=5100 / 1000,
        current_a=(current_a * 1000) / 1000,
        connector="micro-USB",
        length_m=125 / 100,
        awg=24,
    )

    def judged(s: Supply) -> list[tuple[str, Severity]]:
        return [(f.code, f.severity) for f in check_plan(replace(one, supply=s))]

    assert judged(supply) == judged(again)


def test_a_stronger_supply_and_a_shorter_cable_are_never_worse() -> None:
    ranks = {Severity.STOP: 4, Severity.CHECK: 3, Severity.YET: 2, Severity.NOTE: 1, Severity.OK: 0}
    one = plan("gramary", "larkspur-r", "chorus")
    for awg in (20, 22, 24, 26, 28, 30):
        supplies = [
            Supply(name="it", voltage_v=5.1, current_a=a, connector="micro-USB", length_m=length, awg=awg)  # type: ignore[arg-type]
            for a, length in ((1.0, 2.0), (2.0, 1.0), (3.0, 0.5))
        ]
        worst = [
            ranks[verdict(f for f in check_plan(replace(one, supply=s)) if f.where.part == "supply")] for s in supplies
        ]
        assert worst == sorted(worst, reverse=True)


def test_one_part_left_in_the_shelf_is_not_taken_twice() -> None:
    stuck = with_parts(plan("platen", "larkspur-c"))
    owned = shelf("finch")
    used = replace(owned, parts=tuple(replace(o, used_by=("Boathouse",)) for o in owned.parts))
    proposal = next(p for p in ways_out(stuck, replace(used, boards=())) if p.title == "Add my finch")
    assert proposal.effort_text == "from the shelf, but planned elsewhere"


def test_not_knowing_is_no_way_out() -> None:
    """Any card of some size takes a check away and cures nothing. A supply whose cable nobody measured is a way on from a stop, and
    comes behind one that is known."""
    worn = replace(plan("hidewatch", "larkspur-r", "gull-camera"), card=Card(64, ("V30",), False, "ordinary"))
    recorder = Owned(2, "Recorder card", Card(64, ("V30",), True, "Recorder card"))
    found = titles(ways_out(worn, replace(shelf(), cards=(recorder,))), "plan.card-endurance")
    assert found == ["Take Recorder card"]
    thin = Supply(name="Thin one", voltage_v=5.1, current_a=3, connector="micro-USB", length_m=2, awg=28)
    short = Supply(name="Short one", voltage_v=5.1, current_a=3, connector="micro-USB", length_m=0.5, awg=20)
    owned = replace(shelf(boards=()), supplies=(Owned(1, "Black one", MICRO), Owned(2, "Short one", short)))
    assert titles(ways_out(replace(plan("platen", "larkspur-r"), supply=thin), owned), "plan.cable-drop") == [
        "Use Short one",
        "Use Black one",
    ]


def test_the_fitting_supply_on_the_shelf_is_a_way_out_of_a_wrong_plug() -> None:
    """Nobody wrote down how long its cable is, so how many volts arrive is not known; it plugs in all the same."""
    one = replace(plan("platen", "larkspur-r"), supply=USB_C)
    assert "plan.supply-connector" in stops(one)
    owned = replace(
        shelf(boards=()), supplies=(Owned(1, "Black one", MICRO), Owned(2, "Grey one", USB_C)), catalogue={}
    )
    assert titles(ways_out(one, owned), "plan.supply-connector")[0] == "Use Black one"


def test_a_larger_card_of_unknown_marks_is_a_way_out_of_one_that_is_too_small() -> None:
    one = replace(plan("hidewatch", "larkspur-r", "gull-camera"), card=Card(2, ("V30",), True, "small"))
    larger = Owned(2, "Grey card", Card(64, (), None, "Grey card"))
    found = ways_out(one, replace(shelf(), cards=(larger,)))
    first = next(p for p in found if p.stops_fewer)
    assert first.title == "Take Grey card"


def test_a_pair_costs_what_both_cost_in_each_currency_or_it_is_not_known() -> None:
    one = plan("platen", "larkspur-r")
    euros, pounds = Price(amount=12, currency="EUR"), Price(amount=3, currency="GBP")

    def bought(name: str, price: Price | None) -> Change:
        return Change(f"Buy a {name}", (("add_kind", name),), one, Effort.BUY, price, price is None)

    assert both(bought("stick", euros), bought("tail", euros), one).cost_text == "24.00 EUR"
    assert both(bought("stick", euros), bought("tail", pounds), one).cost_text == "12.00 EUR and 3.00 GBP"
    assert both(bought("stick", euros), bought("tail", None), one).cost_text == "price not known"
    assert Change("Leave it out", (("drop_part", "0"),), one, Effort.CHOICE).cost_text == ""
    three = both(both(bought("a", euros), bought("b", pounds), one), bought("c", pounds), one)
    assert three.cost_text == "12.00 EUR and 6.00 GBP"


def test_the_same_pair_is_shown_once_and_what_has_no_price_is_not_free() -> None:
    one = plan("platen", "larkspur-c")
    found = [p for p in ways_out(one, shelf(boards=())) if p.cures == "plan.no-radio"]
    assert len({frozenset(p.steps) for p in found}) == len(found)
    priced = [p for p in found if p.price is not None]
    unpriced = [p for p in found if p.price_text == "price not known"]
    for cheap, unknown in zip(priced, unpriced, strict=False):
        assert counts(cheap.findings) <= counts(unknown.findings)
