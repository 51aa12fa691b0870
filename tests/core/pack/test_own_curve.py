"""A cell with its own curve, held against full physics models of published cells."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from briskcell.core.assess import assess
from briskcell.core.charge.charging import charge
from briskcell.core.engine.sources import diffusion_s
from briskcell.core.pack.own_curve import own_curve, with_pulses
from briskcell.model.errors import FigureError
from briskcell.model.plan import plan_of
from tests.known import case, flat_cell, measured_cell, reference_plan

CELLS = ("pouch-5ah", "lco-small")


def plan_with(name: str, power_w: float, cutoff_v: float, **charger: float) -> Any:
    plan = reference_plan(power_w)
    cell = measured_cell(name).model_copy(update={"empty_v": cutoff_v})
    plan["packs"][0]["cell"] = cell
    plan["chargers"][0] |= charger
    return plan_of(plan)


@pytest.mark.parametrize("name", CELLS)
def test_hours_with_the_cells_own_curve_at_every_cut_off(name: str) -> None:
    for run in case(f"cell-reference-{name}")["discharges"]:
        found = assess(plan_with(name, run["power_W"], run["cutoff_V"])).runtime
        assert found is not None
        allowed = 0.015 if run["c_rate"] <= 0.5 else 0.05
        assert found.hours == pytest.approx(run["time_h"], rel=allowed), run


@pytest.mark.parametrize("name", CELLS)
def test_charge_with_the_cells_own_curve_phase_by_phase(name: str) -> None:
    data = case(f"cell-reference-{name}")
    for run in data["charges"]:
        plan = plan_with(name, 1.0, data["voltage_min_V"], current_a=run["current_A"], termination_a=0.05 * data["label_Ah"])
        start = 1 - (1 - run["start_soc"]) * data["capacity_C50_Ah"] / plan.packs[0].cell.capacity_ah.likely
        found = charge(assess(plan).op, plan.chargers[0], max(start, 0.0)).off
        constant_h = float(found.elapsed_h[np.flatnonzero(found.limit == 3)[0]])
        half_c = run["current_A"] > 0.3 * data["label_Ah"]
        assert found.hours == pytest.approx(run["cc_h"] + run["cv_h"], rel=0.04)
        assert constant_h == pytest.approx(run["cc_h"], rel=0.03)
        assert (found.hours or 0) - constant_h == pytest.approx(run["cv_h"], rel=0.15 if half_c else 0.3)


def line(n: int = 40, amps: float = 0.3) -> tuple[np.ndarray, np.ndarray, float]:
    """3 Ah from 4.0 V at rest to 3.0 V in a straight line, less 50 mΩ."""
    out = np.linspace(0.0, 3.0 * (1 - 0.05 * amps), n)
    return out, 4.0 - out / 3.0 - 0.05 * amps, amps


def straight(**more: Any) -> Any:
    return (
        plan_of(
            {
                "name": "x",
                "packs": [{"id": "p", "name": "P", "cell": flat_cell(volts=3.0, top_v=4.0, ohm=0.05, full_v=4.0, **more)}],
            }
        )
        .packs[0]
        .cell
    )


def test_what_its_resistance_took_is_put_back_and_the_charge_left_inside_is_counted() -> None:
    found = own_curve(straight(), *line(), "hand-worked")
    assert found.ah == pytest.approx(3.0, rel=2e-3), "it ends 15 mV early, and 45 mAh are still inside"
    assert found.c_rate == pytest.approx(0.3 / 2.955)
    assert np.interp([0.25, 0.5, 0.9], found.cell.ocv.soc, found.cell.ocv.value) == pytest.approx([3.25, 3.5, 3.9], abs=2e-3)
    assert (found.cell.curve_grade, found.cell.curve_source, found.cell.capacity_ah.grade) == (
        "measured",
        "hand-worked",
        "measured",
    )
    aged = own_curve(straight(health=0.8), *line(), "again")
    assert aged.cell.health == 1.0, "what was measured is what it has now"


def test_noise_and_thousands_of_rows_become_a_table_that_only_falls() -> None:
    rng = np.random.default_rng(7)
    out, volts, amps = line(20_000)
    found = own_curve(straight(), out, volts + rng.normal(0.0, 0.004, out.shape), amps + rng.normal(0.0, 0.01, out.shape), "noisy")
    assert len(found.cell.ocv.soc) <= 62
    assert (np.diff(found.cell.ocv.value) >= 0).all()
    at = np.linspace(0.1, 0.9, 9)
    assert np.interp(at, found.cell.ocv.soc, found.cell.ocv.value) == pytest.approx(3.0 + at, abs=0.01)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda o, v, i: (o[:5], v[:5], i), "5 points are too few"),
        (lambda o, v, i: (o, v - 0.2, i), "the cell is full at"),
        (lambda o, v, i: (o, v, 10 * i), "no slow discharge"),
        (lambda o, v, i: (o, v, i / 100), "no slow discharge"),
        (lambda o, v, i: (o, v[::-1], i), "do not fall"),
        (lambda o, v, i: (o, np.full(v.shape, np.nan), i), "0 points are too few"),
    ],
)
def test_what_is_no_slow_discharge_from_full_is_refused(change: Any, says: str) -> None:
    o, v, i = change(*line())
    with pytest.raises(FigureError, match=says):
        own_curve(straight(), o, v, i, "x")


def test_pulses_pair_and_a_minute_is_more_than_seconds() -> None:
    cell = with_pulses(straight(), [0.2, 0.5, 0.8], [0.03, 0.02, 0.02], [0.05, 0.04, 0.03], "bench")
    assert (cell.resistance_ohm.likely, cell.fast.value[1], cell.slow.value[1]) == (0.04, 0.5, 0.5)
    assert cell.diffusion_s is None
    for soc, ten, minute in (([0.5], [0.02], [0.03]), ([0.2, 0.5], [0.02], [0.03, 0.03]), ([0.2, 0.5], [0.04, 0.04], [0.03, 0.03])):
        with pytest.raises(FigureError):
            with_pulses(straight(), soc, ten, minute, "x")


def test_the_time_of_diffusion_follows_from_the_slow_part_where_none_is_given() -> None:
    # 20 mΩ of slow resistance, 3 Ah and 1 V from empty to full: 0.02·3·3600/1 = 216 s, 50 of them the pulse's own charge.
    cell = with_pulses(straight(), [0.0, 1.0], [0.03, 0.03], [0.05, 0.05], "bench")
    assert diffusion_s(cell) == pytest.approx(2.7 * (216 - 50), rel=1e-3)
    assert diffusion_s(cell.model_copy(update={"ocv_corrected": True})) == pytest.approx(2.7 * 216, rel=1e-3)
    assert diffusion_s(cell.model_copy(update={"diffusion_s": 90.0})) == 90.0
    assert diffusion_s(cell.model_copy(update={"slow": cell.slow.model_copy(update={"value": (0.0, 0.0)})})) == 30.0
