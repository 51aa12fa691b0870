"""Hand-worked values of sources, converters, resistances and settings."""

from __future__ import annotations

import math
from typing import Any

import pytest

from briskcell.core.engine.converters import (
    Losses,
    deliverable_a,
    fit_losses,
    same_output,
    stiff_output_v,
    switching_input_current,
    typical_efficiency,
)
from briskcell.core.engine.network import setting_factors
from briskcell.core.engine.operating import operate
from briskcell.core.engine.resistance import link_rating_a, link_resistance_ohm, link_section_mm2
from briskcell.core.engine.sources import age_factor, cold_factor, current_limit_a, pack_curves, store_curves
from briskcell.library import catalogue
from briskcell.model.changes import altered
from briskcell.model.parts import Converter, EfficiencyPoint, Link
from briskcell.model.plan import plan_of
from briskcell.model.stores import Bank, Capacitor, Pack
from briskcell.model.units import awg_section_mm2
from tests.known import drawing, flat_cell, hand_plan


def board(kind: str, **figures: Any) -> Converter:
    plain = {
        "id": "b",
        "name": "board",
        "fed_by": "p",
        "kind": kind,
        "output_v": 5.0,
        "switch_current_a": 3.0,
        "inductance_h": 2.2e-6,
        "frequency_hz": 1e6,
    }
    loss = {} if kind == "linear" else {"loss": {"kind": "fixed", "efficiency": 0.9}}
    return Converter.model_validate(plain | loss | figures)


def test_a_boost_gives_what_slva372_gives() -> None:
    # 1 − D = 0.9·3.3/5 = 0.594; ΔI = 3.3·0.406/(2.2 µH·1 MHz) = 0.609; (3 − 0.3045)·0.594 = 1.601 A.
    assert float(deliverable_a(board("boost"), 3.3)) == pytest.approx(1.6011, abs=2e-4)
    assert float(deliverable_a(board("boost", output_limit_a=1.2), 3.3)) == 1.2
    assert float(deliverable_a(board("boost", inductance_h=None), 3.3)) == pytest.approx(3 * 0.594)


def test_a_buck_gives_what_slva477_gives() -> None:
    # D = 5/12; ΔI = 7·(5/12)/2.2 = 1.3258; 3 − 0.6629 = 2.337 A. Fed below its output, it has no ripple left.
    assert float(deliverable_a(board("buck"), 12.0)) == pytest.approx(2.3371, abs=2e-4)
    assert float(deliverable_a(board("buck"), 4.5)) == pytest.approx(3.0)


def test_a_buck_boost_gives_less_below_its_output_and_its_switch_above() -> None:
    # At 3.3 V as a boost. At 12 V it only steps down: 1 − D is held at 1, and no ripple of the boost is left.
    assert float(deliverable_a(board("buck_boost"), 3.3)) == pytest.approx(1.6011, abs=2e-4)
    assert float(deliverable_a(board("buck_boost"), 12.0)) == pytest.approx(3.0)


def test_a_linear_regulator_gives_what_is_stated() -> None:
    assert float(deliverable_a(board("linear", output_v=3.3, output_limit_a=0.5), 5.0)) == 0.5
    assert math.isinf(float(deliverable_a(board("linear", output_v=3.3), 5.0)))


@pytest.mark.parametrize(
    ("source_v", "ohm", "input_v"), [(3.0, 0.05, 1.2), (3.0, 0.02, 0.75), (4.0, 0.05, 4.6 / 3), (4.0, 3.0, 3.89)]
)
def test_a_linear_regulator_in_drop_out_on_a_heavy_resistor_is_no_collapse(source_v: float, ohm: float, input_v: float) -> None:
    # (3.0 − 0.3) V over 0.1 + 0.05 Ω are 18 A; where it regulates, 3.3 V over 3 Ω are 1.1 A.
    linear = {"id": "ldo", "name": "LDO", "kind": "linear", "fed_by": "pack", "output_v": 3.3, "dropout_v": 0.3}
    load = drawing(ohm, "resistance_ohm", fed_by="ldo", window={"low_v": 0.1, "high_v": 5})
    cell = flat_cell(volts=source_v, ohm=0.1)
    flow = operate(plan_of(hand_plan(packs=[{"id": "pack", "name": "Pack", "cell": cell}], converters=[linear], loads=[load]))).flow
    assert not flow.lost.any()
    assert flow.converter_input_v(0)[1, 50] == pytest.approx(input_v, rel=1e-6)
    assert flow.loads_v[1, 50, 0] == pytest.approx(min(3.3, input_v - 0.3), rel=1e-6)


def test_efficiency_for_the_duty_cycle_is_taken_at_half_the_switch_current() -> None:
    # 3.7 V·1.5 A = 5.55 W in; lost 3.7·0.002 + 0.1·1.5 + 0.08·2.25 = 0.3374 W.
    losses = {"kind": "losses", "quiescent_a": 0.002, "drop_v": 0.1, "resistance_ohm": 0.08}
    assert typical_efficiency(board("boost", loss=losses)) == pytest.approx(1 - 0.3374 / 5.55)
    table = {"kind": "table", "input_v": [3.0, 4.0], "output_a": [1.0], "efficiency": [[0.8], [0.9]]}
    assert typical_efficiency(board("boost", loss=table)) == pytest.approx(0.85)
    awful = losses | {"resistance_ohm": 5.0}
    assert typical_efficiency(board("boost", loss=awful)) == 0.5


def test_losses_fit_three_points_exactly_and_never_go_below_zero() -> None:
    def point(volts: float, amps_in: float, lost: float) -> EfficiencyPoint:
        watts = volts * amps_in
        return EfficiencyPoint(input_v=volts, output_a=(watts - lost) / 5.0, efficiency=(watts - lost) / watts)

    made = [point(v, i, v * 0.004 + 0.12 * i + 0.06 * i * i) for v, i in ((3.3, 0.3), (3.7, 1.0), (4.2, 2.0))]
    found = fit_losses(tuple(made), 5.0)
    assert (found.quiescent_a, found.drop_v, found.resistance_ohm) == pytest.approx((0.004, 0.12, 0.06), rel=1e-6)
    # Losses that fall with current would need a negative resistance: it is held at nothing.
    odd = fit_losses(tuple(point(3.7, i, 0.3 + 0.2 * i - 0.03 * i * i) for i in (0.5, 1.0, 2.0)), 5.0)
    assert odd.resistance_ohm == 0.0
    assert min(odd.quiescent_a, odd.drop_v) >= 0.0


def test_the_fit_is_that_of_an_independent_library() -> None:
    import numpy as np
    from scipy.optimize import nnls

    points = tuple(
        EfficiencyPoint(input_v=v, output_a=a, efficiency=e)
        for v, a, e in ((3.0, 0.2, 0.86), (3.0, 1.0, 0.87), (3.7, 0.5, 0.93), (4.2, 2.0, 0.85), (4.2, 0.1, 0.80))
    )
    out = np.array([p.output_a * 5.0 for p in points])
    taken = out / np.array([p.efficiency for p in points])
    amps, volts = taken / np.array([p.input_v for p in points]), np.array([p.input_v for p in points])
    known, _ = nnls(np.stack([volts, amps, amps**2], 1) / taken[:, None], (taken - out) / taken)
    found = fit_losses(points, 5.0)
    assert (found.quiescent_a, found.drop_v, found.resistance_ohm) == pytest.approx(tuple(known), abs=1e-9)


def test_outputs_follow_their_input_where_a_board_can_do_nothing_else() -> None:
    assert float(stiff_output_v(board("boost"), 5.6, 1.0)) == 5.6, "a boost fed above its output passes it through"
    assert float(stiff_output_v(board("boost"), 3.6, 1.0)) == 5.0
    drops = board("buck", dropout_v=0.2, dropout_ohm=0.1)
    assert float(stiff_output_v(drops, 5.0, 2.0)) == pytest.approx(5.0 - 0.2 - 0.2)
    assert float(stiff_output_v(drops, 5.5, 2.0)) == 5.0
    assert float(stiff_output_v(board("buck_boost"), 3.0, 1.0)) == 5.0


def test_a_switching_board_takes_power_over_efficiency_and_what_it_draws_idle() -> None:
    assert float(switching_input_current(4.5, 3.6, Losses(quiescent_a=0.002, efficiency=0.9))) == pytest.approx(
        4.5 / 0.9 / 3.6 + 0.002
    )
    assert math.isinf(float(switching_input_current(50.0, 3.3, Losses(0.001, 0.1, 0.08))))


@pytest.mark.parametrize(("one", "two", "same"), [(5.0, 5.39, True), (5.0, 5.41, False), (5.0, 4.61, True), (3.3, 5.0, False)])
def test_boards_for_the_same_rail_lie_within_four_tenths_of_a_volt(one: float, two: float, same: bool) -> None:
    assert same_output(board("boost", output_v=one), board("boost", output_v=two)) is same


def test_cold_and_age_raise_resistance() -> None:
    # exp(3000·(1/273.15 − 1/298.15)) = exp(0.9209) = 2.5117
    assert cold_factor(0.0, 3000.0) == pytest.approx(2.5117, rel=1e-4)
    assert cold_factor(25.0, 3000.0) == 1.0
    assert cold_factor(45.0, 3000.0) == pytest.approx(0.5313, rel=1e-3)
    assert age_factor(0.8, 2.5) == pytest.approx(1.5)
    assert age_factor(1.0, 2.5) == 1.0


def test_a_pack_is_s_times_the_volts_and_p_times_the_charge() -> None:
    cell = flat_cell(volts=3.7, ohm=0.05, ah=3.0, empty_v=3.0, health=0.8, self_discharge_per_month=0.03)
    guard = {"cutoff_cell_v": 3.2, "trip_a": 8.0, "resistance_ohm": 0.02}
    pack = Pack.model_validate(
        {"id": "p", "name": "p", "cell": cell, "series": 2, "parallel": 3, "protection": guard, "link_resistance_ohm": 0.01}
    )
    found = pack_curves(pack, [1.0, 0.5, 0.0])
    assert list(found.ocv_v) == pytest.approx([7.4] * 3)
    assert found.capacity_ah == pytest.approx(3 * 3.0 * 0.8)
    # 50 mΩ · 1.5 for age · 2 / 3, with 30 mΩ of links and protection.
    assert found.steady_ohm[1] == pytest.approx(0.05 * 1.5 * 2 / 3 + 0.03)
    assert found.energy_wh == pytest.approx(7.4 * 7.2)
    assert (found.cutoff_v, found.cutoff_is_protection) == (6.4, True)
    bare = pack_curves(altered(pack, protection=None), [1.0, 0.0])
    assert (bare.cutoff_v, bare.cutoff_is_protection) == (6.0, False)
    assert current_limit_a(pack, found, "max_discharge_a")[0] == pytest.approx(3 * 10.0)
    cold = pack_curves(pack, [0.5], 0.0)
    assert cold.steady_ohm[0] - 0.03 == pytest.approx((found.steady_ohm[1] - 0.03) * 2.5117, rel=1e-4)


def test_a_capacitor_holds_half_c_v_squared_and_a_bank_what_its_converter_leaves() -> None:
    cap = Capacitor(id="c", name="c", capacitance_f=10, esr_ohm=0.05, full_v=2.4, rating_v=2.7)
    found = store_curves(cap, [1.0, 0.5, 0.0])
    assert found.energy_wh * 3600 == pytest.approx(0.5 * 10 * 2.4**2)
    assert list(found.ocv_v) == pytest.approx([2.4, 1.2, 0.0])
    assert found.steady_ohm[0] == 0.05
    bank = Bank(id="b", name="b", cells_wh=37, efficiency=0.85, output_v=5.0, output_limit_a=2.4)
    assert store_curves(bank, [1.0, 0.0]).energy_wh == pytest.approx(37 * 0.85)


def test_links_have_the_resistance_and_rating_that_follows_from_what_is_given() -> None:
    wire = Link(id="w", name="w", fed_by="p", kind="wire", length_m=0.2, awg=24)
    # 24 AWG: 0.5106 mm, 0.2047 mm²; 1.7241e-8·0.4/0.2047e-6 = 33.7 mΩ out and back.
    assert link_resistance_ohm(wire) == pytest.approx(0.03369, rel=2e-3)
    assert link_resistance_ohm(altered(wire, kind="return")) == pytest.approx(0.03369 / 2, rel=2e-3)
    assert link_resistance_ohm(altered(wire, conductors=1)) == pytest.approx(0.03369 / 2, rel=2e-3)
    assert link_resistance_ohm(altered(wire, temperature_c=60.0)) == pytest.approx(0.03369 * 1.1572, rel=2e-3)
    assert link_resistance_ohm(altered(wire, resistance_ohm=0.5)) == 0.5
    trace = Link(id="t", name="t", fed_by="p", kind="trace", length_m=0.1, trace_width_mm=2.0)
    assert link_section_mm2(trace) == pytest.approx(0.07)
    assert link_section_mm2(altered(wire, awg=None, section_mm2=0.25)) == 0.25
    assert awg_section_mm2(36) == pytest.approx(math.pi / 4 * 0.127**2)
    flat = Link(id="f", name="f", fed_by="p", kind="flat", resistance_ohm=0.1, contacts=6)
    assert link_rating_a(flat) == 3.0
    assert link_rating_a(altered(flat, rating_a=2.0)) == 2.0
    assert link_rating_a(wire) is None


def test_a_setting_scales_its_share_and_never_the_peak_upwards() -> None:
    def at(position: float, quoted: float) -> list[float]:
        knob = {"name": "b", "position": position, "share": 0.6, "quoted_at": quoted}
        return [float(v) for v in setting_factors((altered(catalogue().find("light").part, settings=(knob,)),))[:, 0]]

    assert at(0.5, 1.0) == pytest.approx([0.7, 0.7, 0.7])
    assert at(1.0, 0.5) == pytest.approx([1 / 0.7, 1 / 0.7, 1.0])
