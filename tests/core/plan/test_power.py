"""Power: wire tables, worked cable and battery examples, budgets, and what must never feed a board twice."""

from __future__ import annotations

import re
from dataclasses import replace

import pytest

from mintseed.core.boards.model import Battery, Cable, Supply
from mintseed.core.boot.assembly import assembly_steps
from mintseed.core.findings import Severity
from mintseed.core.plan.copper import MILLIOHM_PER_M, drop_v
from mintseed.core.plan.fit import check_plan
from mintseed.core.plan.plan import Plan
from mintseed.core.plan.power import power_sum, wanted_text
from mintseed.core.plan.shopping import parts_list
from tests.core.plan.things import MICRO, codes, plan, shelf, stops, with_parts

CHARGER = Supply(name="Charger", voltage_v=5.1, current_a=4.0, connector="USB-A socket")


def cabled(awg: int | None, length_m: float, load_a: float = 2.5) -> Plan:
    """Return a plan whose board alone draws `load_a` over a cable."""
    cable = Cable.model_validate({"name": "it", "plug_to_board": "micro-USB", "length_m": length_m, "awg": awg})
    one = plan("platen", "larkspur-r")
    assert one.board is not None
    need = one.board.supply.model_copy(update={"least_current_a": load_a})
    return replace(one, supply=CHARGER, cable=cable, board=one.board.model_copy(update={"supply": need}))


@pytest.mark.parametrize("awg", sorted(MILLIOHM_PER_M))
def test_the_wire_table_follows_from_the_definition(awg: int) -> None:
    """ASTM B258: diameter = 0.127 mm * 92 ^ ((36 - n) / 39); annealed copper at 20 °C has 1.7241e-8 ohm metre."""
    diameter_m = 0.127e-3 * 92 ** ((36 - awg) / 39)
    milliohm = 1.7241e-8 / (3.14159265 * diameter_m**2 / 4) * 1000
    assert MILLIOHM_PER_M[awg] == pytest.approx(milliohm, rel=0.01)


@pytest.mark.parametrize(
    ("awg", "length_m", "left_v", "code", "severity"),
    [
        # Worked examples of the trade's facts: 2.5 A from 5.1 V.
        (28, 1.0, 4.04, "plan.cable-drop", Severity.STOP),
        (22, 1.0, 4.84, "plan.cable-carries", Severity.OK),
        # 2 * 1 m * 84.22 mohm/m * 2.5 A = 0.42 V
        # Its plugs may take 30 mohm * 2.5 A = 0.075 V more, which is under the line, and nobody measured them.
        (24, 1.0, 4.68, "plan.cable-drop-assumed", Severity.CHECK),
        (24, 0.9, 4.72, "plan.cable-drop-near", Severity.CHECK),
        (20, 1.6, 4.83, "plan.cable-carries", Severity.OK),
        (20, 1.8, 4.80, "plan.cable-drop-near", Severity.NOTE),  # only with its plugs
        # Nothing printed: a thin one is assumed (common practice), and what is assumed stops nothing.
        (None, 1.0, 4.04, "plan.cable-drop-assumed", Severity.CHECK),
        (18, 2.0, 4.89, "plan.cable-carries", Severity.OK),
    ],
)
def test_what_a_cable_leaves(awg: int | None, length_m: float, left_v: float, code: str, severity: Severity) -> None:
    one = cabled(awg, length_m)
    assert power_sum(one).board_load_v == pytest.approx(left_v, abs=0.01)
    assert codes(one)[code] is severity


def test_a_drop_grows_with_length_and_current_and_there_are_two_wires() -> None:
    assert drop_v(28, 1.0, 2.5) == pytest.approx(1.0645)
    assert drop_v(28, 2.0, 2.5) == pytest.approx(2 * drop_v(28, 1.0, 2.5))
    assert drop_v(28, 1.0, 1.25) == pytest.approx(drop_v(28, 1.0, 2.5) / 2)
    with pytest.raises(KeyError):
        drop_v(27, 1.0, 1.0)


def test_a_battery_lasts_as_the_worked_example_says() -> None:
    """3000 mAh at 3.7 V, 85 % of it, 1.2 W: about 7.9 hours (trade's facts, worked example)."""
    supply = Supply(
        name="Cells", voltage_v=5.0, current_a=2.0, connector="micro-USB", battery=Battery(capacity_mah=3000)
    )
    one = replace(plan("platen", "sprig"), supply=supply, load_share=0.0)
    assert one.board is not None
    need = one.board.supply.model_copy(update={"idle_current_a": 0.24})
    total = power_sum(replace(one, board=one.board.model_copy(update={"supply": need})))
    assert total.mean_w == pytest.approx(1.2)
    assert total.battery_h == pytest.approx(7.86, abs=0.01)
    assert codes(one)["plan.battery-hours"] is Severity.NOTE


def test_more_load_and_worse_cells_take_hours_away() -> None:
    def hours(share: float, efficiency: float) -> float:
        cells = Battery(capacity_mah=10_000, efficiency=efficiency)
        supply = Supply(name="Cells", voltage_v=5.1, current_a=2.4, connector="micro-USB", battery=cells)
        return power_sum(replace(plan("platen", "larkspur-r"), supply=supply, load_share=share)).battery_h or 0

    assert hours(0.0, 0.85) > hours(0.5, 0.85) > hours(1.0, 0.85) > 0
    assert hours(0.5, 0.7) < hours(0.5, 0.85)


def test_the_budget_counts_every_part_and_a_margin_of_a_fifth() -> None:
    bare, loaded = plan("gramary", "larkspur-r"), plan("gramary", "larkspur-r", "chorus", "drift-drive")
    assert power_sum(bare).load_a == pytest.approx(2.0)
    assert power_sum(loaded).load_a == pytest.approx(2.0 + 0.2 + 0.5)
    assert power_sum(loaded).wanted_a == pytest.approx(2.7 * 1.2)
    assert codes(bare)["plan.supply-fits"] is Severity.OK
    assert codes(loaded)["plan.supply-weak"] is Severity.CHECK
    own = power_sum(with_parts(bare, "quad-hub"))
    assert own.load_a == pytest.approx(2.0)  # a hub with a supply of its own draws nothing from the board


def test_two_supplies_never_feed_one_board() -> None:
    fed = plan("cinderwick", "larkspur-c", "kiln-probes-fed", way="cable")
    assert "plan.two-supplies" in stops(fed)
    alone = replace(fed, supply=None)
    assert "plan.two-supplies" not in codes(alone)
    assert "plan.supply-missing" not in codes(alone)  # the add-on feeds it
    assert fed.board is not None
    bears = replace(fed, board=fed.board.model_copy(update={"two_supplies": True}))
    assert "plan.two-supplies" not in codes(bears)


def test_a_socket_wants_a_cable_and_the_right_one() -> None:
    one = replace(plan("platen", "larkspur-r"), supply=CHARGER)
    assert codes(one)["plan.cable-missing"] is Severity.YET
    wrong = Cable(name="it", plug_to_board="USB-C", length_m=0.5, awg=20)
    assert "plan.cable-plug" in stops(replace(one, cable=wrong))
    right = Cable(name="it", plug_to_board="micro-USB", length_m=0.5, awg=20)
    assert codes(replace(one, cable=right))["plan.cable-carries"] is Severity.OK
    with pytest.raises(ValueError, match="no cable of its own"):
        Supply(name="Charger", voltage_v=5.1, current_a=2, connector="USB-A socket", length_m=1)


def test_hungry_parts_on_usb_want_a_hub_with_a_supply() -> None:
    one = plan("gramary", "sprig", "chorus", "otg-tail", "drift-drive")
    assert "plan.usb-overdrawn" not in codes(one)  # 0.5 A of 0.5 A
    two = with_parts(one, "chorus", "drift-drive", "finch")
    assert codes(two)["plan.usb-overdrawn"] is Severity.CHECK
    assert "plan.usb-overdrawn" not in codes(with_parts(one, "chorus", "drift-drive", "finch", "quad-hub"))


def test_only_five_volt_boards_are_measured_by_their_brown_out() -> None:
    module = replace(plan("threadgate", "thistle", "tether", way="cable"), supply=MICRO)
    assert "plan.supply-connector" in stops(module)
    assert power_sum(module).brown_out_v is None


def test_what_hangs_behind_a_hub_with_its_own_supply_is_not_the_boards() -> None:
    """The hungriest go into the hub, as many as it has sockets; the rest stay on the board."""
    bare = plan("gramary", "larkspur-r")
    drive = power_sum(with_parts(bare, "drift-drive")).load_a
    assert drive == pytest.approx(2.5)
    behind = with_parts(bare, "quad-hub", "drift-drive", "chorus")
    names = {c.name for c in power_sum(behind).consumers}
    assert "own drift-drive" not in names
    assert "own chorus" in names  # it sits on the header
    assert "plan.usb-overdrawn" not in codes(behind)


def test_parts_of_5_v_on_a_board_of_12_v_go_by_power() -> None:
    """0.6 A at 5 V are 3 W, and 3 W at 12 V are 0.25 A."""
    one = plan("gramary", "larkspur-r", "drift-drive")
    assert one.board is not None
    need = one.board.supply.model_copy(update={"voltage_v": 12.0})
    parts = tuple(replace(p, part=p.part.model_copy(update={"load_current_a": 0.6})) for p in one.parts)
    total = power_sum(replace(one, board=one.board.model_copy(update={"supply": need}), parts=parts))
    assert total.consumers[1].load_a == pytest.approx(0.25)


def test_printed_numbers_are_compared_as_decimals() -> None:
    """Three parts of 0.1 A on sockets of 0.3 A fit; 1.2 A are enough for 1.2 A."""
    one = plan("gramary", "larkspur-r", "drift-drive", "drift-drive", "drift-drive")
    assert one.board is not None
    parts = tuple(
        replace(p, part=p.part.model_copy(update={"load_current_a": 0.1, "idle_current_a": 0.1})) for p in one.parts
    )
    board = one.board.model_copy(update={"usb_current_a": 0.3})
    assert "plan.usb-overdrawn" not in codes(replace(one, parts=parts, board=board))
    need = one.board.supply.model_copy(update={"least_current_a": 0.9})
    weak = replace(
        one,
        parts=parts,
        board=one.board.model_copy(update={"supply": need}),
        supply=MICRO.model_copy(update={"current_a": 1.2}),
    )
    assert "plan.supply-weak" not in codes(weak)


def test_no_sentence_speaks_of_volts_below_nothing_and_none_rounds_away_what_is_drawn() -> None:
    thin = cabled(30, 20.0, 4.0)
    assert power_sum(thin).board_load_v == 0
    said = [f.detail for f in check_plan(thin)]
    assert not [d for d in said if re.search(r"-\d", d)]
    assert any("nothing is left" in d for d in said)
    quarter = cabled(20, 0.5, 1.25)
    assert any("1.25 A" in f.detail for f in check_plan(quarter))


def test_plugs_alone_take_a_board_of_4_a_under_the_line_and_that_is_an_assumption() -> None:
    """5.0 V, AWG 20, 1 m: 2 * 33.31 mohm * 4 A = 0.27 V by the wire (ASTM B258), 30 mohm * 4 A = 0.12 V by the plugs."""
    one = replace(cabled(20, 1.0, 4.0), supply=CHARGER.model_copy(update={"voltage_v": 5.0}))
    total = power_sum(one)
    assert (total.board_load_v, total.contacts_v) == (pytest.approx(4.73, abs=0.01), pytest.approx(0.12))
    found = {f.code: f for f in check_plan(one)}["plan.cable-drop-assumed"]
    assert found.severity is Severity.CHECK
    assert "30 mΩ assumed" in found.detail
    assert "30 mΩ of its plugs, which may take 0.12 V more" in total.assumed
    unmarked = power_sum(cabled(None, 1.0))
    assert any("no gauge is printed" in text for text in unmarked.assumed)


@pytest.mark.parametrize("length_m", [0.1, 0.5, 1.0, 2.0, 5.0])
@pytest.mark.parametrize("load_a", [0.4, 1.2, 2.5, 4.0])
def test_a_cable_on_which_nothing_is_printed_stops_nothing(length_m: float, load_a: float) -> None:
    assert "plan.cable-drop" not in stops(cabled(None, length_m, load_a))


def test_what_is_to_be_bought_carries_the_plan_and_not_the_board_alone() -> None:
    """2.0 A of the board, 0.5 A of a drive, a fifth to spare: 3.0 A."""
    one = replace(plan("gramary", "larkspur-r", "drift-drive"), supply=None)
    assert wanted_text(power_sum(one)) == "3 A"
    assert any("3 A" in i.name for i in parts_list(one, shelf()).items if i.what == "supply")
    assert one.board is not None
    bought = Supply(name="New one", voltage_v=one.board.supply.voltage_v, current_a=3.0, connector="micro-USB")
    assert codes(replace(one, supply=bought))["plan.supply-fits"] is Severity.OK
    steps = assembly_steps(one.board, None, "wifi", released=True, parts=one.parts, wanted=wanted_text(power_sum(one)))
    assert "3 A supply" in steps[-1].title


def test_two_add_ons_that_feed_are_a_stop_without_any_supply() -> None:
    one = plan("cinderwick", "larkspur-c", "kiln-probes-fed", "kiln-probes-fed", way="cable")
    assert "plan.two-supplies" in stops(replace(one, supply=None))
    assert one.board is not None
    bears = one.board.model_copy(update={"two_supplies": True})
    assert "plan.two-supplies" not in codes(replace(one, supply=None, board=bears))
