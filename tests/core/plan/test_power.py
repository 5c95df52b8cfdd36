"""Power: wire tables, worked cable and battery examples, budgets, and what must never feed a board twice."""

from __future__ import annotations

from dataclasses import replace

import pytest

from mintseed.core.boards.model import Battery, Cable, Supply
from mintseed.core.findings import Severity
from mintseed.core.plan.copper import MILLIOHM_PER_M, drop_v
from mintseed.core.plan.plan import Plan
from mintseed.core.plan.power import power_sum
from tests.core.plan.things import MICRO, codes, plan, stops, with_parts

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
        (24, 1.0, 4.68, "plan.cable-drop-near", Severity.CHECK),
        (None, 1.0, 4.04, "plan.cable-drop", Severity.STOP),  # nothing printed: a thin one is assumed (common practice)
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
