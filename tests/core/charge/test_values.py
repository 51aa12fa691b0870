"""Hand-worked values of charging: who holds the current down, for how long, and what it comes to."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from briskcell.core.assess import assess
from briskcell.core.charge.charging import Charge, hours_added, input_ohm
from briskcell.core.charge.current_split import LIMITS
from briskcell.core.charge.plugged import plugged
from briskcell.core.charge.trickle import trickle_flow
from briskcell.core.day.session import play_session
from briskcell.core.engine.operating import operate
from briskcell.model.phases import Phase
from briskcell.model.plan import plan_of
from briskcell.model.stores import Bank, Trickle
from tests.known import drawing, flat_cell, hand_plan

SUPPLY = {"id": "usb", "name": "Supply", "voltage_v": 5.0, "current_limit_a": 2.0, "cable_ohm": 0.2}
BOARD = {
    "id": "charger",
    "name": "Charger",
    "charges": "pack",
    "supply": "usb",
    "layout": "cut_out",
    "kind": "linear",
    "current_a": 1.0,
    "termination_a": 0.1,
}
SET, BY_SUPPLY, WARMTH, FLOAT, PRECHARGE = range(5)


def charge(
    board: dict[str, Any] | None = None, supply: dict[str, Any] | None = None, cell: dict[str, Any] | None = None, **lists: Any
) -> Charge:
    packs = [{"id": "pack", "name": "Pack", "cell": flat_cell(**(cell or {}))}]
    lists = {"packs": packs, "supplies": [SUPPLY | (supply or {})], "chargers": [BOARD | (board or {})]} | lists
    (found,) = assess(plan_of(hand_plan(**lists))).charges
    return found


def test_a_flat_cell_fills_at_its_set_current() -> None:
    c = charge()
    assert c.off.hours == pytest.approx(3.0)
    assert set(c.off.limit) == {SET}
    assert (c.off.balance_h, c.off.why) == (0.0, "")
    assert c.play.hours is None
    assert c.off.cell_v[5] == pytest.approx(3.7 + 0.05)


def test_a_weak_supply_holds_the_current_down() -> None:
    c = charge(supply={"current_limit_a": 0.5})
    assert c.off.hours == pytest.approx(6.0)
    assert set(c.off.limit) == {BY_SUPPLY}
    thin = charge({"current_a": 3.0}, supply={"current_limit_a": 5.0, "cable_ohm": 0.6}, cell={"volts": 4.0})
    assert thin.off.current_a[3] == pytest.approx((5.0 - 4.0) / (0.6 + 0.05)), "volts left over cable and cell"


def test_a_switching_board_turns_power_into_current() -> None:
    c = charge(
        {"kind": "switching", "efficiency": 0.9, "current_a": 3.0},
        supply={"voltage_v": 9.0, "current_limit_a": 1.0, "cable_ohm": 0.0},
    )
    amps = c.off.current_a[10]
    assert amps * (3.7 + amps * 0.05) == pytest.approx(9.0 * 0.9)
    assert c.off.limit[10] == BY_SUPPLY


def test_a_linear_board_folds_back_when_it_is_warm() -> None:
    c = charge({"thermal_k_per_w": 100.0, "foldback_c": 120.0}, supply={"cable_ohm": 0.0})
    # 90 K over a room of 30 °C, 100 K/W, and what the closed case of 0.0419 m², 65 % of it free, warms the air by: over 5 − 3.75 V.
    case_k_w = 1.4 / ((5.8 + 1.9 * 8.0**0.25) * 0.0419 * 0.65)
    assert c.off.current_a[10] == pytest.approx(90.0 / (100.0 + case_k_w) / (5.0 - 3.75))
    assert c.off.limit[10] == WARMTH
    assert LIMITS[WARMTH] == "the charger's warmth"


def test_a_deeply_empty_cell_is_filled_gently_at_first() -> None:
    c = charge(
        {"precharge_a": 0.1, "precharge_below_v": 2.9, "layout": "cut_out"}, cell={"volts": 2.6, "top_v": 3.6, "empty_v": 2.5}
    )
    low = c.off.soc < 0.295
    assert set(c.off.limit[low]) == {PRECHARGE}
    assert c.off.current_a[low] == pytest.approx(np.full(low.sum(), 0.1))
    # 0.3 · 3 Ah at 0.1 A, less what lies below where play ends (2.6 V less the drop never: from empty), then 0.7 · 3 Ah at 1 A.
    assert c.off.hours == pytest.approx(0.3 * 3 / 0.1 + 0.7 * 3, rel=0.03)


def test_constant_voltage_begins_where_the_line_meets_the_float_voltage_and_ends_at_termination() -> None:
    c = charge(cell={"volts": 3.2, "top_v": 4.2, "ohm": 0.2})
    first = int(np.flatnonzero(c.off.limit == FLOAT)[0])
    assert c.off.soc[first] == pytest.approx(0.8, abs=0.011), "4.2 V less 1 A · 0.2 Ω"
    assert c.off.current_a[-1] == pytest.approx(0.1)
    assert c.off.end_soc == pytest.approx(0.98, abs=2e-3), "0.1 A · 0.2 Ω below the float voltage"
    # dq/dt = (1 − q)/0.2 over 3 Ah: ln(10)·0.2·3 h from 1 A down to 0.1 A.
    tail_h = c.off.hours - 0.8 * 3 / 1.0  # type: ignore[operator]
    assert tail_h == pytest.approx(np.log(10) * 0.2 * 3, rel=0.02)


def test_diffusion_brings_the_float_voltage_earlier_and_holds_the_tail_back() -> None:
    # 1 A for 1,080 s into 3 Ah: the surface is a tenth of the charge ahead, a tenth of a volt on a line of 1 V.
    plain, slow = (charge(cell={"volts": 3.2, "top_v": 4.2, "ohm": 0.2, "diffusion_s": s}).off for s in (0.0, 1080.0))
    first = int(np.flatnonzero(slow.limit == FLOAT)[0])
    assert slow.soc[first] == pytest.approx(0.7, abs=0.011), "4.2 V less 1 A · 0.2 Ω and 0.1 V"
    assert slow.cell_v[first] == pytest.approx(4.2, abs=0.012)
    assert slow.end_soc == pytest.approx(0.97, abs=4e-3), "0.1 A is 0.01 of the charge ahead, and 0.02 V over the resistance"
    assert slow.hours > plain.hours  # type: ignore[operator]


def test_a_power_path_feeds_the_console_first() -> None:
    c = charge(
        {"layout": "power_path", "kind": "switching", "efficiency": 0.9, "current_a": 3.0},
        supply={"cable_ohm": 0.0},
        loads=[drawing(4.0, "power_w")],
    )
    amps = c.play.current_a[10]
    assert c.play.system_a[10] == pytest.approx(0.8, rel=1e-3)
    assert amps * (3.7 + 0.05 * amps) == pytest.approx(5.0 * 1.2 * 0.9, rel=1e-3)
    assert c.play.hours > c.off.hours  # type: ignore[operator]
    starved = charge({"layout": "power_path"}, loads=[drawing(11.0, "power_w")])
    assert starved.play.hours is None
    assert "takes all that the supply gives" in starved.play.why or "cannot carry" in starved.play.why


def test_a_load_on_the_cell_hides_the_end_of_the_charge() -> None:
    c = charge({"layout": "on_cell"}, cell={"volts": 3.2, "top_v": 4.2}, loads=[drawing(0.3)])
    assert c.play.hours is None
    assert "never sees its 0.10 A" in c.play.why
    small = charge({"layout": "on_cell"}, cell={"volts": 3.2, "top_v": 4.2}, loads=[drawing(0.05)])
    assert small.play.hours is not None
    assert small.play.hours > small.off.hours  # type: ignore[operator]


def test_what_must_not_or_cannot_be_charged_says_why() -> None:
    assert "must not be charged" in charge(cell={"rechargeable": False}).off.why
    assert "steps down" in charge(supply={"voltage_v": 3.6}).off.why


def test_a_bank_fills_with_the_power_its_input_takes() -> None:
    bank = {
        "id": "pack",
        "name": "Bank",
        "cells_wh": 36,
        "efficiency": 0.9,
        "output_v": 5.0,
        "output_limit_a": 2.0,
        "charge_w": 12.0,
        "output_while_charging": False,
    }
    c = charge(packs=[], banks=[bank])
    assert c.off.hours == pytest.approx(36 / (10.0 * 0.9)), "5 V · 2 A is less than its 12 W"
    assert c.play.why == "Bank cuts its output while it charges."
    strong = charge(packs=[], banks=[bank | {"output_while_charging": True}], supply={"current_limit_a": 3.0})
    assert strong.off.hours == strong.play.hours == pytest.approx(36 / (12.0 * 0.9))
    found = Bank(id="b", name="b", cells_wh=37, efficiency=0.85, output_v=5.0, output_limit_a=2.4)
    assert hours_added(found, 4.0) == pytest.approx(37 * 0.85 * 0.85 / 4.0)
    assert hours_added(found, 0.0) == float("inf")


def test_cells_in_series_are_balanced_in_time() -> None:
    packs = [{"id": "pack", "name": "Pack", "cell": flat_cell(), "series": 2}]
    supply = {"voltage_v": 12.0}
    assert charge({"balancing": True, "balance_a": 0.06}, supply, packs=packs).off.balance_h == pytest.approx(0.05 * 3 / 0.06)
    assert charge({"balancing": True}, supply, packs=packs).off.balance_h == pytest.approx(3.0)
    assert charge({}, supply, packs=packs).off.balance_h is None


def test_the_way_in_has_the_resistance_of_cable_supply_and_links() -> None:
    link = {"id": "in", "name": "Wire in", "kind": "path", "fed_by": "usb", "resistance_ohm": 0.03}
    plan = plan_of(hand_plan(supplies=[SUPPLY | {"own_resistance_ohm": 0.05}], links=[link], chargers=[BOARD | {"fed_by": "in"}]))
    assert input_ohm(plan, plan.chargers[0]) == pytest.approx(0.28)
    found = plugged(assess(plan).op, plan.chargers[0], 0.5, "play")
    assert [n.element for n in found.nodes] == ["usb", "in"]
    assert found.charge_a == pytest.approx(1.0)
    assert [n.voltage_v for n in found.nodes] == pytest.approx([4.75, 4.72])
    assert [n.loss_w for n in found.nodes] == pytest.approx([0.25, 0.03])
    assert found.bus_v == pytest.approx(4.72)
    assert found.store_v == pytest.approx(3.75)
    assert found.system_a == 0.0


def test_plugged_in_the_console_hangs_where_its_layout_says() -> None:
    on_bus = plan_of(
        hand_plan(
            supplies=[SUPPLY | {"cable_ohm": 0.1}],
            chargers=[BOARD | {"layout": "power_path", "path_resistance_ohm": 0.1}],
            loads=[drawing(0.5)],
        )
    )
    found = plugged(assess(on_bus).op, on_bus.chargers[0], 0.5, "play")
    assert found.bus_v == pytest.approx(5.0 - 0.1 * 1.5)
    assert found.flow.consumer_v[0] == pytest.approx(4.85 - 0.05)
    assert (found.into_a, found.system_a, found.carried, LIMITS[found.limit]) == (1.0, 0.5, True, "the set current")
    alone = plugged(assess(on_bus).op, on_bus.chargers[0], 0.5, None)
    assert (alone.bus_v, alone.system_a) == (pytest.approx(4.9), 0.0), "the console is off"
    assert float(alone.flow.consumer_a[0]) == 0.0
    on_cell = plan_of(hand_plan(supplies=[SUPPLY], chargers=[BOARD | {"layout": "on_cell"}], loads=[drawing(0.5)]))
    shared = plugged(assess(on_cell).op, on_cell.chargers[0], 0.5, "play")
    assert shared.store_v == pytest.approx(3.7 + 0.05 * 0.5, abs=2e-3), "half of the charger's ampere goes into the cell"
    assert shared.flow.consumer_v[0] == pytest.approx(shared.store_v)
    assert shared.into_a == pytest.approx(0.5, abs=1e-3)


@pytest.mark.parametrize(("kind", "given_a"), [("switching", 0.9 * (0.5 * (5.0 - 0.5 * 0.2)) / 3.7), ("linear", 0.5)])
def test_a_power_path_takes_from_the_pack_what_its_supply_is_short_of(kind: str, given_a: float) -> None:
    # 3.7 W at a flat 3.7 V are 1 A; the supply gives what it can of it, a switching board its watts, a linear one its amperes.
    board = BOARD | {"layout": "power_path", "kind": kind, "efficiency": 0.9}
    plan = plan_of(
        hand_plan(
            packs=[{"id": "pack", "name": "Pack", "cell": flat_cell(ohm=0.0)}],
            loads=[drawing(3.7, "power_w")],
            supplies=[SUPPLY | {"current_limit_a": 0.5}],
            chargers=[board],
        )
    )
    op = operate(plan)
    found = plugged(op, plan.chargers[0], 0.5, "play")
    assert found.into_a == pytest.approx(-(1.0 - given_a), rel=1e-3)
    assert (found.bus_v, found.store_v) == (pytest.approx(3.7), pytest.approx(3.7))
    assert plugged(op, plan.chargers[0], 0.5, None).into_a > 0
    hour = play_session(op, [Phase("play", 3600.0, plugged=True)], start_soc=0.8, step_s=10.0)
    assert hour.soc[-1] == pytest.approx(0.8 - (1.0 - given_a) / 3.0, rel=1e-3)
    strong = assess(plan_of(plan.model_dump() | {"supplies": [SUPPLY]})).op
    assert plugged(strong, strong.plan.chargers[0], 0.5, "play").into_a > 0


def test_a_crank_gives_most_at_half_its_volts() -> None:
    crank = Trickle(
        id="c",
        name="c",
        charges="p",
        open_v=12.0,
        source_ohm=10.0,
        bridge_drop_v=2.0,
        smoothing_f=1e-3,
        ripple_hz=50.0,
        efficiency=0.8,
    )
    flow = trickle_flow(crank, 4.0)
    assert (flow.bus_v, flow.power_w, flow.current_a) == pytest.approx((5.0, 5.0 * 0.5 * 0.8, 0.5))
    assert flow.ripple_v == pytest.approx(0.5 / (2 * 50 * 1e-3))
    assert trickle_flow(crank.model_copy(update={"open_v": crank.open_v.at(1.5)}), 4.0).power_w == 0.0
