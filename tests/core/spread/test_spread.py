"""Spread: variants agree with builds assessed one by one, ranges with many samples; learning is calibrated on made-up truth."""

from __future__ import annotations

import math
import random

import numpy as np
import pytest

from briskcell.core.assess import assess
from briskcell.core.engine.operating import operate
from briskcell.core.engine.resistance import link_resistance_ohm
from briskcell.core.log.learning import Measured, draw_that_explains, learn, transferred
from briskcell.core.rails.headroom import headrooms
from briskcell.core.spread.batch import solved
from briskcell.core.spread.doubts import Doubt, doubts, pert_at, samples
from briskcell.core.spread.spread import spread
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.figure import Figure
from briskcell.model.plan import Plan
from briskcell.services.demo import curlew, sanderling
from tests.faulty import sound

STOCK = catalogue().stock()


def test_pert_and_hypercube_by_hand() -> None:
    # Symmetric PERT is beta(3, 3): 10 % lie below 0.2466 of its width (Johnson, Kotz, Balakrishnan, table of the beta).
    assert pert_at(np.array([0.1, 0.5, 0.9]), 0.0, 0.5, 1.0) == pytest.approx([0.2466, 0.5, 0.7534], abs=2e-4)
    # beta(1, 5), its mode at the low end: 1 − (1 − x)^5 = 1/2 at x = 0.1294.
    assert pert_at(np.array([0.5]), 0.0, 0.0, 1.0)[0] == pytest.approx(1 - 0.5**0.2, abs=1e-4)
    of = (Doubt("draw", "a", "a", 0.5, 1.5, "guessed"), Doubt("draw", "b", "b", 0.9, 1.2, "guessed"))
    drawn = samples(of, 400, 7)
    shares = np.sort(np.searchsorted(np.sort(pert_at(np.linspace(0, 1, 401), 0.5, 1.0, 1.5)), drawn[:, 0]))
    assert (np.diff(shares) == 1).all(), "one from each of 400 even shares"
    assert (drawn == samples(of, 400, 7)).all(), "the same seed, the same answer"
    assert (samples(of[::-1], 400, 7)[:, 1] == drawn[:, 0]).all(), "a doubt keeps its samples in another order"
    assert abs(float(np.corrcoef(drawn[:, 0], drawn[:, 1]).ravel()[1])) < 0.12


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
    of = (Doubt("loss", "boost", "losses", 0.5, 2.0, "guessed"),)
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
    plain = np.stack([pert_at(rng.random(20_000), d.low, 1.0, d.high) for d in found.of], axis=1)
    hours = solved(a.plan, found.of, np.vstack([np.ones((1, len(found.of))), plain])).hours
    exact = hours_of(a.plan)
    ends = np.quantile(hours[1:] * exact / hours[0], [0.1, 0.5, 0.9])
    assert found.range_h == pytest.approx(ends, rel=0.006)
    first, second = found.carriers()[:2]
    assert {first.doubt.key, second.doubt.key} == {"draw:board", "model:pack"}, "the board draws most and is least known"
    assert 0.8 < first.share + second.share < 0.98
    assert found.range_h[0] < first.known_low_h < first.known_high_h < found.range_h[2]
    assert sum(c.share for c in found.carriers(20)) == pytest.approx(1.0, abs=0.05)
    assert found.chance(0.0) == pytest.approx(1.0)
    assert found.chance(found.range_h[2]) == pytest.approx(0.1, abs=0.01)
    again = assess(sanderling(), STOCK).spread
    assert again is not None
    assert again.range_h == found.range_h, "the same seed, the same answer"


def test_learning_is_calibrated_on_made_up_truth_and_narrows() -> None:
    rng, source = np.random.default_rng(15), random.Random(15)
    held = narrower = 0
    tried, before, after = 0, [], []
    while tried < 150:
        a = assess(sound(source), STOCK)
        prior = spread(a.op, hours_of(a.plan), count=600, seed=20)
        if prior is None or not prior.of:
            continue
        for _ in range(12):  # hidden draws of the same plan: each its own truth
            row = np.array([[pert_at(rng.random(1), d.low, 1.0, d.high)[0] for d in prior.of]])
            both = solved(a.plan, prior.of, np.vstack([np.ones((1, len(prior.of))), row])).hours
            truth = float(both[1] / both[0]) * (a.runtimes[0].hours or 0.0)
            learned = learn(prior, [Measured("hours", truth * math.exp(rng.normal(0.0, 0.05)))], 1.0)
            low, _, high = learned.after.range_h
            held += low <= truth <= high
            was = prior.range_h[2] / prior.range_h[0]
            narrower += high / low < was
            before.append(was)
            after.append(high / low)
            tried += 1
    print(
        f"{held} of {tried} truths within the 80 % range after one run, {narrower} narrower; "
        f"highest over lowest {np.median(before):.3f} before, {np.median(after):.3f} after"
    )
    assert 0.75 <= held / tried <= 0.85
    assert narrower / tried > 0.95


def test_what_was_learned_holds_for_another_pack_and_surprises_are_said() -> None:
    a = assess(sanderling(), STOCK)
    prior = a.spread
    assert prior is not None
    usual = prior.range_h[1]
    hungry = learn(prior, [Measured("hours", 0.9 * usual)], 10.0)
    pack = a.plan.packs[0]
    other = assess(replaced(a.plan, altered(pack, parallel=4)), STOCK)
    fresh = other.spread
    assert fresh is not None
    moved = transferred(hungry, fresh)
    assert moved.range_h[1] / fresh.range_h[1] == pytest.approx(hungry.after.range_h[1] / usual, abs=0.01), (
        "it draws more there too"
    )
    assert moved.range_h[2] / moved.range_h[0] < fresh.range_h[2] / fresh.range_h[0]
    assert not hungry.surprises
    strange = learn(prior, [Measured("hours", 0.3 * usual)], 10.0)
    assert len(strange.surprises) == 1
    assert strange.widened > 1.0
    assert strange.effective >= 25.0
    longer = learn(prior, [Measured("hours", usual, ended=False)], 10.0)
    assert longer.after.range_h[0] > prior.range_h[0], "it lasted so long at the least"
    half = learn(prior, [Measured("hours", 0.9 * usual, sibling=True)], 10.0)
    assert hungry.after.range_h[1] < half.after.range_h[1] < usual, "another unit says less"
    capacity = learn(prior, [Measured("capacity", 0.97 * 10.0)], 10.0)
    assert capacity.after.range_h[1] < usual


def test_an_unknown_draw_is_read_from_a_run() -> None:
    a = assess(sanderling(), STOCK)
    exact = hours_of(a.plan)
    assert draw_that_explains(a, exact) == pytest.approx(1.0, abs=0.01)
    factor = draw_that_explains(a, exact / 2)
    assert factor is not None
    assert 1.7 < factor < 2.0, "twice the draws are a little more than twice the power in: losses grow too"
    loads = {
        p.id: altered(
            p, **{p.kind: p.draw.model_copy(update={s: likely_times(getattr(p.draw, s), factor) for s in ("rest", "play", "peak")})}
        )
        for p in a.plan.loads
        if p.kind != "resistance_ohm"
    }
    plan = a.plan
    for part in loads.values():
        plan = replaced(plan, part)
    assert hours_of(plan) == pytest.approx(exact / 2, rel=0.02)
    assert draw_that_explains(a, 1000.0) is None
