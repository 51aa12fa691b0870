"""Spread: variants agree with builds assessed one by one, ranges with many samples."""

from __future__ import annotations

import math

import numpy as np
import pytest

from briskcell.core.assess import assess
from briskcell.core.engine.operating import operate
from briskcell.core.engine.resistance import link_resistance_ohm
from briskcell.core.rails.headroom import headrooms
from briskcell.core.spread.batch import solved
from briskcell.core.spread.doubts import Doubt, doubts, factor_at, samples
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.figure import Figure
from briskcell.model.plan import Plan
from briskcell.services.demo import curlew, sanderling

STOCK = catalogue().stock()


def test_factors_and_hypercube_by_hand() -> None:
    # Student's t of 7 degrees: 90 % below 1.4149, 99 % below 2.9980 (any table); scaled so that 90 % lie below 1.28155 deviations.
    assert factor_at(np.array([0.1, 0.5, 0.9]), 0.25) == pytest.approx(np.exp([-0.320388, 0.0, 0.320388]), rel=1e-5)
    assert factor_at(np.array([0.99]), 0.25)[0] == pytest.approx(math.exp(0.320388 * 2.9980 / 1.4149), rel=1e-4)
    of = (Doubt("draw", "a", "a", 0.25, "guessed"), Doubt("draw", "b", "b", 0.1, "guessed"))
    drawn = samples(of, 400, 7)
    shares = np.sort(np.searchsorted(factor_at(np.linspace(0.0, 1.0, 401)[1:-1], 0.25), drawn[:, 0]))
    assert (shares == np.arange(400)).all(), "one from each of 400 even shares"
    assert (drawn == samples(of, 400, 7)).all(), "the same seed, the same answer"
    assert (samples(of[::-1], 400, 7)[:, 1] == drawn[:, 0]).all(), "a doubt keeps its samples in another order"
    assert abs(float(np.corrcoef(drawn[:, 0], drawn[:, 1]).ravel()[1])) < 0.12


@pytest.mark.parametrize(("grade", "off"), [("measured", 0.03), ("sheet", 0.10), ("typical", 0.25), ("guessed", 0.5)])
def test_a_draw_is_doubted_by_its_grade_and_what_was_read_shares_nothing(grade: str, off: float) -> None:
    plan = sanderling()
    board = plan.by_id["board"]
    play = Figure.model_validate({"likely": 1.8, "grade": grade})
    plan = replaced(plan, altered(board, power_w=board.draw.model_copy(update={"play": play})))  # type: ignore[attr-defined]
    known = {d.key: d for d in doubts(plan)}
    assert known["draw:board"].off == pytest.approx(off)
    assert ("board" in known["shared:all"].on) == (grade != "measured")
    assert known["shared:all"].off == pytest.approx(0.23)


def hours_of(plan: Plan) -> float:
    found = assess(plan, STOCK).runtime
    assert found is not None
    assert found.hours is not None
    return found.hours


def likely_times(figure: Figure, factor: float) -> Figure:
    value = figure.likely * factor
    return Figure(low=value, likely=value, high=value, grade=figure.grade, source=figure.source)


def one_by_one(plan: Plan, of: tuple[Doubt, ...], row: np.ndarray) -> Plan:
    """A variant as a plan of its own, by another way than the batch goes: the figures are put into its parts."""
    for doubt, factor in zip(of, row, strict=True):
        if doubt.kind == "wiring":
            for k in plan.links:
                ohm = link_resistance_ohm(k) * factor
                plan = replaced(plan, altered(k, resistance_ohm={"low": ohm, "likely": ohm, "high": ohm}))
            continue
        if doubt.kind == "shared":
            for name in doubt.on:
                alone = Doubt("draw", name, "", 0.1, "guessed")
                plan = one_by_one(plan, (alone,), np.array([factor]))
            continue
        part = plan.by_id[doubt.element]
        if doubt.kind == "draw":
            f = factor if part.kind != "resistance_ohm" else 1 / factor  # type: ignore[attr-defined]
            states = part.draw.model_copy(update={s: likely_times(getattr(part.draw, s), f) for s in ("rest", "play", "peak")})  # type: ignore[attr-defined]
            plan = replaced(plan, altered(part, **{part.kind: states}))  # type: ignore[attr-defined]
        elif doubt.kind == "capacity":
            cell = part.cell  # type: ignore[attr-defined]
            plan = replaced(
                plan, altered(part, cell=cell.model_copy(update={"measured_ah": likely_times(cell.capacity_ah, factor)}))
            )
        elif doubt.kind == "cell":
            cell = part.cell  # type: ignore[attr-defined]
            plan = replaced(
                plan, altered(part, cell=cell.model_copy(update={"resistance_ohm": likely_times(cell.resistance_ohm, factor)}))
            )
        elif doubt.kind in ("model", "health"):
            cell = part.cell  # type: ignore[attr-defined]
            held = likely_times(cell.capacity_ah, factor)
            plan = replaced(plan, altered(part, cell=cell.model_copy(update={"measured_ah": held})))
        elif doubt.kind == "temperature":
            cell = part.cell  # type: ignore[attr-defined]
            ohm = likely_times(cell.resistance_ohm, factor)
            plan = replaced(plan, altered(part, cell=cell.model_copy(update={"resistance_ohm": ohm})))
        elif doubt.kind == "cut-off":
            cell, warning_v = part.cell, plan.shutdown.warning_v  # type: ignore[attr-defined]
            plan = replaced(plan, altered(part, cell=cell.model_copy(update={"empty_v": cell.empty_v * factor})))
            if warning_v:
                plan = remade(plan, {"shutdown": plan.shutdown.model_copy(update={"warning_v": warning_v * factor})})
        elif doubt.kind == "volts":
            plan = replaced(plan, altered(part, output_v=likely_times(part.output_v, factor)))  # type: ignore[attr-defined]
    return plan


@pytest.mark.parametrize("made", [sanderling, curlew])
def test_a_variant_of_the_batch_is_the_build_with_those_figures(made: object) -> None:
    plan = made()  # type: ignore[operator]
    of = tuple(d for d in doubts(plan) if d.kind != "loss")
    rows = samples(of, 6, 3)
    found = solved(plan, of, np.vstack([np.ones((1, len(of))), rows]))
    exact = hours_of(plan)
    for k, row in enumerate(rows, start=1):
        alone = assess(one_by_one(plan, of, row), STOCK)
        assert found.hours[k] / found.hours[0] == pytest.approx((alone.runtime.hours or 0) / exact, rel=4e-3)  # type: ignore[union-attr]
        fine = headrooms(operate(alone.plan, np.linspace(1.0, 0.0, 2001)), alone.ends)
        assert found.spares[k] == pytest.approx([h.spare for h in fine], abs=0.012)
        lows = np.array([p.window.low_v for p in plan.loads])
        over = (alone.op.flow.loads_v - lows).min(axis=-1)[alone.op.used]
        assert found.volts[k] == pytest.approx(over[..., alone.op.down_to(alone.runtime.stop_soc)].min(), abs=0.02)  # type: ignore[union-attr]


def test_losses_scale_what_is_lost() -> None:
    plan = sanderling()
    of = (Doubt("loss", "boost", "losses", 0.5, "guessed"),)
    found = solved(plan, of, np.array([[1.0], [2.0], [0.0001]])).hours
    op = assess(plan, STOCK).op
    share = float(op.flow.converter_output_w(0)[1, op.half] / op.flow.converter_input_w(0)[1, op.half])
    # Power in is power out over the efficiency; with twice the losses out + 2·lost, with none out alone.
    assert found[0] / found[1] == pytest.approx(share * (1 / share + (1 / share - 1)), rel=0.02)
    assert found[0] / found[2] == pytest.approx(share, rel=0.02)


def test_ranges_hold_against_many_plain_samples_and_carriers_explain_them() -> None:
    a = assess(sanderling(), STOCK)
    found = a.spread
    assert found is not None
    rng = np.random.default_rng(1)
    plain = np.stack([factor_at(rng.random(20_000), d.off) for d in found.of], axis=1)
    hours = solved(a.plan, found.of, np.vstack([np.ones((1, len(found.of))), plain])).hours
    exact = hours_of(a.plan)
    ends = np.quantile(hours[1:] * exact / hours[0], [0.1, 0.5, 0.9])
    assert found.range_h == pytest.approx(ends, rel=0.01)
    assert found.chance(0.0) == pytest.approx(1.0)
    assert found.chance(found.range_h[2]) == pytest.approx(0.1, abs=0.01)
    again = assess(sanderling(), STOCK).spread
    assert again is not None
    assert again.range_h == found.range_h, "the same seed, the same answer"
