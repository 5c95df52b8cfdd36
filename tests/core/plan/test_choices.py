"""Starting a plan: what suits what, what is best on the shelf, what it costs and how long it takes."""

from __future__ import annotations

from dataclasses import replace

import pytest

from mintseed.core.boards.model import Battery, Supply
from mintseed.core.findings import Severity
from mintseed.core.plan.fit import check_plan
from mintseed.core.plan.job_time import job_time
from mintseed.core.plan.matrix import matrix
from mintseed.core.plan.options import best_plan, board_options, card_options, supply_options
from mintseed.core.plan.plan import Card, Plan, PlannedPart
from mintseed.core.plan.shelf import Owned
from mintseed.core.plan.shopping import parts_list
from mintseed.core.plan.starts import listed_fit, speaks_no_such
from mintseed.core.price import Price, totals
from tests.core.plan.things import BOARDS, MICRO, NET, PARTS, RECIPES, plan, shelf, stops

TABLE = matrix(RECIPES.values(), BOARDS.values(), PARTS)


@pytest.mark.parametrize("recipe", sorted(RECIPES))
@pytest.mark.parametrize("board", sorted(BOARDS))
def test_every_pair_of_the_matrix_agrees_with_the_plan_made_of_it(recipe: str, board: str) -> None:
    """Where the matrix says it can be done, the best plan with everything to be bought has no stop; where it says stop, none helps."""
    found = TABLE[recipe, board]
    assert found.reason
    owned = shelf(boards=(board,))
    everything = replace(owned, supplies=(), cards=(Owned(1, "card", Card(64, ("V30",), True)),))
    _, best = best_plan(RECIPES[recipe], everything, board=1)
    stops = {f.code for f in check_plan(best) if f.severity is Severity.STOP}
    if found.verdict is Severity.STOP:
        assert stops
    else:
        assert stops <= {"plan.board-newer-than-release", "plan.no-radio", "plan.no-ethernet"}


@pytest.mark.parametrize(
    ("recipe", "board", "code"),
    [
        ("lintel", "sprig", "plan.image-64-board-32"),
        ("threadgate", "larkspur-r", "plan.architecture"),
        ("platen", "thistle", "plan.architecture"),
        ("platen", "tansy-ii", "plan.board-newer-than-release"),
        ("logicade", "larkspur-r", "plan.board-not-listed"),
        ("platen", "bramble", "plan.board-not-listed"),
    ],
)
def test_why_not(recipe: str, board: str, code: str) -> None:
    assert (TABLE[recipe, board].verdict, TABLE[recipe, board].code) == (Severity.STOP, code)
    assert code in {f.code for f in check_plan(plan(recipe, board))}


def test_the_newest_board_has_what_came_after_it() -> None:
    """Tansy II is of 2026-08, the game console's release 4.5 of 2026-09-20, everything else is older."""
    can = {r for r in RECIPES if TABLE[r, "tansy-ii"].verdict is not Severity.STOP}
    assert can == {"tinplay"}
    old = listed_fit(RECIPES["tinplay"], BOARDS["tansy-ii"], "4.4")
    assert (old.code, old.severity) == ("plan.board-newer-than-release", Severity.STOP)
    assert "4.5" in old.fix


def test_a_recipe_that_lists_no_boards_is_told_so() -> None:
    silent = RECIPES["platen"].model_copy(
        update={"releases": tuple(r.model_copy(update={"builds": tuple(b.model_copy(update={"boards": ()}) for b in r.builds)}) for r in RECIPES["platen"].releases)}
    )  # fmt: skip
    assert speaks_no_such(silent, BOARDS["tansy"]) is None
    assert listed_fit(silent, BOARDS["tansy"]).code == "plan.board-not-told"
    assert TABLE["platen", "larkspur-c"].reason == "Starts by cable only"


def test_best_first_with_a_reason() -> None:
    options = board_options(Plan(RECIPES["lintel"]), shelf())
    assert options[0].name == "my larkspur-c"  # over the cable; the cheapest that starts
    assert options[0].reason == "Lintel 11.4 is made for Larkspur C"
    assert options[-1].verdict is Severity.STOP
    assert [o.verdict for o in options] == sorted((o.verdict for o in options), key=lambda v: v is Severity.STOP)
    cards = (Owned(1, "small", Card(4)), Owned(2, "large", Card(128)), Owned(3, "right", Card(32)))
    assert [o.name for o in card_options(Plan(RECIPES["lintel"]), replace(shelf(), cards=cards))] == [
        "right",
        "large",
        "small",
    ]
    # 8 GB are advised; that cards over 32 GB come with another file system is a note that changes nothing.
    assert [o.name for o in card_options(Plan(RECIPES["platen"]), replace(shelf(), cards=cards[:2]))] == [
        "large",
        "small",
    ]
    assert supply_options(plan("lintel", "tansy"), shelf())[0].name == "Grey one"


def test_a_filled_plan_takes_nothing_that_is_in_use() -> None:
    chosen, best = best_plan(RECIPES["platen"], shelf())
    assert best.board is not None
    assert chosen.card == 1
    busy = shelf()
    used = replace(
        busy,
        boards=tuple(replace(o, used_by=("Boathouse",)) for o in busy.boards),
        cards=(replace(busy.cards[0], used_by=("Boathouse",)),),
    )
    nothing, empty = best_plan(RECIPES["platen"], used)
    assert (nothing.board, nothing.card, empty.board) == (None, None, None)
    # The network waits for no board: every radio hears the slower band.
    assert (nothing.way, empty.network and empty.network.band_ghz) == ("wifi", 2.4)


def test_a_filled_plan_buys_what_is_needed_and_the_adapters_it_asks_for() -> None:
    chosen, best = best_plan(RECIPES["tinplay"], shelf(boards=("sprig",)))
    assert set(chosen.kinds) == {"twin-pad", "display-full", "otg-tail", "display-mini-tail"}
    assert not [f for f in check_plan(best) if f.severity is Severity.STOP]
    owned, _ = best_plan(RECIPES["gramary"], shelf("chorus", boards=("larkspur-r",)))
    assert (owned.parts, owned.kinds) == ((1,), ())


def test_the_parts_list_sums_what_is_to_be_bought() -> None:
    """Skimmer 32.00 and antenna 18.00 are 50.00; the case one owns costs nothing more."""
    one = replace(plan("farsight", "larkspur-r"), parts=(PlannedPart(PARTS["skimmer"]),))
    found = parts_list(one, shelf("larkspur-case"), board_name="mine", supply_name="Black one", card_name="my card")
    by = {i.what: i for i in found.items}
    assert [by[w].state for w in ("board", "card", "supply", "receiver stick", "antenna", "case")] == [
        "have",
        "have",
        "have",
        "buy",
        "open",
        "optional",
    ]
    assert by["case"].owned == ("my larkspur-case",)
    assert [str(p) for p in found.to_buy] == ["50.00 EUR"]
    assert [str(p) for p in found.with_optional] == ["50.00 EUR"]
    assert [str(p) for p in parts_list(one, shelf(), board_name="mine").with_optional] == ["57.00 EUR"]


def test_prices_of_two_currencies_are_never_added() -> None:
    prices = [Price(amount=1.1, currency="EUR"), Price(amount=2, currency="GBP"), Price(amount=2.2, currency="EUR")]
    assert [str(p) for p in totals(prices)] == ["3.30 EUR", "2.00 GBP"]


def test_how_long_the_job_takes() -> None:
    """139 MB written and read at 20 to 90 MB/s are 3 to 14 s; 35 to 120 s until the network, 15 more until the page."""
    found = job_time(plan("platen", "larkspur-r"))
    assert found is not None
    write, boot, hands = found.spans
    assert [s.what for s in found.spans] == [
        "write the card and read it back",
        "first boot until its page is there",
        "with your hands",
    ]
    assert write.rests_on == "usual cards and readers; verifying takes about as long again (common practice)"
    assert boot.rests_on == "recipe platen, on a middle board"
    assert (found.from_s, found.to_s) == (pytest.approx(write.from_s + 950), pytest.approx(write.to_s + 2535))
    assert (write.from_s, write.to_s) == (pytest.approx(2 * 139 / 90), pytest.approx(2 * 139 / 20))
    assert (boot.from_s, boot.to_s) == (50, 135)
    assert (hands.from_s, hands.to_s, hands.rests_on) == (900, 2400, "common practice")
    mine = job_time(plan("platen", "larkspur-r"), [40.0, 50.0], [300.0, 420.0, 360.0])
    assert mine is not None
    assert (mine.spans[0].from_s, mine.spans[0].to_s) == (pytest.approx(2 * 139 / 50), pytest.approx(2 * 139 / 40))
    assert (mine.spans[2].from_s, mine.spans[2].to_s) == (300, 420)
    assert [s.rests_on for s in mine.spans] == ["2 writes measured here", boot.rests_on, "your last 3 jobs"]
    two_only = job_time(plan("platen", "larkspur-r"), [], [300.0, 420.0])
    assert two_only is not None
    assert two_only.spans[2].rests_on == "common practice"
    assert job_time(Plan(RECIPES["platen"], network=NET, supply=MICRO)) is None


def test_shipped_boards_recipes_and_parts_are_consistent() -> None:
    for board in BOARDS.values():
        assert board.twin is None or BOARDS[board.twin].twin == board.id
        assert board.drawing is not None
        for place in board.drawing.places:
            assert place.x_mm + place.width_mm <= board.drawing.width_mm
            assert place.y_mm + place.height_mm <= board.drawing.height_mm
        assert any(p.what == "mark" for p in board.drawing.places)
    names = {b.compatible[0] for b in BOARDS.values()}
    for recipe in RECIPES.values():
        times = recipe.boot
        assert times.usual_from_s < times.usual_to_s < times.late_after_s < times.hopeless_after_s
        assert recipe.card.least_gb <= recipe.card.advised_gb
        assert {n for r in recipe.releases for b in r.builds for n in b.boards} <= names
        assert [r.date for r in recipe.releases] == sorted((r.date for r in recipe.releases), reverse=True)


def test_nothing_weak_is_chosen_by_itself() -> None:
    """4 A at load: of 2.5 and 3 A neither is taken, not even the one that still wants a cable."""
    owned = shelf(boards=("tansy-ii",))
    charger = Supply(name="Charger", voltage_v=5.1, current_a=2.5, connector="USB-A socket")
    more = replace(owned, supplies=(*owned.supplies, Owned(9, "Charger", charger)))
    chosen, best = best_plan(RECIPES["tinplay"], more)
    assert (chosen.supply, best.supply) == (None, None)
    weak = {o.name: o.verdict for o in supply_options(best, more)}
    assert weak["Grey one"] is Severity.CHECK
    assert weak["Charger"] is Severity.CHECK


def test_a_clash_of_parts_says_nothing_of_a_board() -> None:
    clashing = plan("gramary", "larkspur-r", "chorus", "reed-modem")
    first = board_options(clashing, shelf())[0]
    assert (first.name, first.verdict) == ("my sprig", Severity.CHECK)  # the 26-pin socket can sit one row off
    assert board_options(clashing, shelf())[-1].verdict is Severity.STOP


def test_a_battery_is_never_chosen_unasked() -> None:
    cells = Supply(
        name="Pocket battery", voltage_v=5.1, current_a=2.4, connector="micro-USB", battery=Battery(capacity_mah=10_000)
    )
    only = replace(shelf(boards=("larkspur-r",)), supplies=(Owned(1, "Pocket battery", cells),))
    chosen, _ = best_plan(RECIPES["hidewatch"], only)
    assert chosen.supply is None
    both = replace(only, supplies=(*only.supplies, Owned(2, "Black one", MICRO)))
    assert [o.name for o in supply_options(plan("platen", "larkspur-r"), both)] == ["Black one", "Pocket battery"]


@pytest.mark.parametrize(
    ("recipe", "owned"),
    [
        ("farsight", ("skimmer", "mast-1090", "otg-tail")),
        ("tinplay", ("twin-pad", "display-full", "display-mini-tail", "otg-tail")),
    ],
)
def test_what_lies_on_the_shelf_is_not_bought_again(recipe: str, owned: tuple[str, ...]) -> None:
    """Each wants an adapter on this board, which lies there too; and what stands against one says nothing of the next."""
    chosen, best = best_plan(RECIPES[recipe], shelf(*owned, boards=("sprig",)))
    assert chosen.kinds == ()
    assert chosen.parts == tuple(range(1, len(owned) + 1))
    assert not stops(best)
