"""Ranges at the cost of some dozens of variants: by hand where one figure carries them, and against samples solved whole."""

from __future__ import annotations

import math
import random
from typing import Any

import numpy as np
import pytest

from briskcell.core.assess import assess
from briskcell.core.charge.charging import charge
from briskcell.core.engine.sources import cold_factor
from briskcell.core.pack.uncertainty import chance_words
from briskcell.core.spread.batch import Maker, Solved
from briskcell.core.spread.charge_times import charge_spread
from briskcell.core.spread.doubts import doubts, model_off, samples
from briskcell.core.spread.reach import ALL_DRAWS, COUNT, SEED, Reach
from briskcell.core.spread.table import TABLE
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.figure import Figure
from briskcell.model.plan import plan_of
from briskcell.services.demo import curlew, sanderling
from tests.core.pack.test_values import found, pack
from tests.faulty import sound
from tests.known import drawing, hand_plan

STOCK = catalogue().stock()


def certain(value: float) -> Figure:
    return Figure(low=value, likely=value, high=value)


def tenth_of(low: float, likely: float, high: float, tenths: float) -> float:
    """The 10 or 90 % point of a figure by hand: its ends lie six standard deviations of its logarithm apart."""
    off = math.log(high / low) / 6.0
    return likely * math.exp((1.2815515655 if tenths > 0.5 else -1.2815515655) * off)


@pytest.fixture
def figures_alone(monkeypatch: pytest.MonkeyPatch) -> None:
    """Doubts of figures by their typed ranges alone, without what no figure says, and without their grades."""
    monkeypatch.setattr("briskcell.core.spread.doubts._of_cells", lambda *_: iter(()))
    none = dict.fromkeys(("measured", "sheet", "typical", "guessed"), 0.0)
    for row in ("draw", "loss", "capacity", "cell", "current"):
        monkeypatch.setitem(TABLE, row, none)
    monkeypatch.setitem(TABLE, "shared", {"off": 0.0, "of_another": 0.1})


@pytest.mark.parametrize(
    ("known", "off"),
    [
        ({}, 0.07),
        ({"measured_ah": {"low": 3.0, "likely": 3.0, "high": 3.0, "grade": "measured"}}, 0.06),
        (
            {
                "measured_ah": {"low": 3.0, "likely": 3.0, "high": 3.0, "grade": "measured"},
                "resistance_ohm": {"low": 0.05, "likely": 0.05, "high": 0.05, "grade": "measured"},
            },
            0.05,
        ),
        ({"curve_grade": "measured"}, 0.02),
    ],
    ids=["label", "test", "test and pulse", "own curve"],
)
def test_the_model_of_a_cell_is_doubted_by_what_is_known_of_it(known: dict[str, Any], off: float) -> None:
    loads = [drawing(0.5, "power_w")]  # a twentieth of the pack's 11 Wh an hour: no rate to doubt
    plan = assess(plan_of(hand_plan(packs=pack(**known), loads=loads))).plan
    assert model_off(plan, plan.packs[0])[1] == pytest.approx(off)
    model = next(d for d in doubts(plan) if d.kind == "model")
    assert model.off == pytest.approx(off)
    fast = assess(plan_of(hand_plan(packs=pack(**known), loads=[drawing(11.1, "power_w")]))).plan
    assert model_off(fast, fast.packs[0])[1] == pytest.approx(off * 1.5), "two doublings past a quarter of its capacity an hour"
    early = remade(plan, {"shutdown": plan.shutdown.model_copy(update={"warning_v": 3.35})})
    assert model_off(early, early.packs[0])[1] == pytest.approx(off + (0.0 if off == 0.02 else 0.03))


def test_what_no_figure_says_is_doubted_too() -> None:
    kinds = {d.kind for d in doubts(sanderling())}
    assert {"model", "temperature", "cut-off", "wiring"} <= kinds
    worn = sanderling().packs[0].cell.model_copy(update={"health": 0.8})
    old = replaced(sanderling(), altered(sanderling().packs[0], cell=worn))
    assert next(d for d in doubts(old) if d.kind == "health").off == pytest.approx(0.03 / 0.8)
    warm = next(d for d in doubts(sanderling()) if d.kind == "temperature")
    assert warm.off == pytest.approx(math.log(cold_factor(17.5, 3000.0) / cold_factor(32.5, 3000.0)) / 6.0), "7.5 K either way"
    assert [chance_words(c).replace("\u00a0", " ") for c in (0.0, 0.3, 1.0)] == ["under 1 %", "30 %", "over 99 %"]


@pytest.mark.usefixtures("figures_alone")
def test_one_figure_that_is_not_known_carries_the_range() -> None:
    """Hours of a constant current are amp-hours over amps: 3 Ah at 1 A."""
    a = found(loads=[drawing(1.0)], packs=pack(ah={"low": 2.4, "likely": 3.0, "high": 3.3}))
    assert a.runtime_range is not None
    assert a.runtime_range.likely == pytest.approx(3.0, rel=1e-3)
    assert a.runtime_range.low == pytest.approx(tenth_of(2.4, 3.0, 3.3, 0.1), rel=2e-3)
    assert a.runtime_range.high == pytest.approx(tenth_of(2.4, 3.0, 3.3, 0.9), rel=2e-3)
    loads = [drawing(1.0) | {"current_a": {"rest": 0, "play": {"low": 0.7, "likely": 1.0, "high": 1.6}, "peak": 1}}]
    b = found(loads=loads, packs=pack(ah={"low": 3.0, "likely": 3.0, "high": 3.0}))
    assert b.runtime_range is not None
    assert b.runtime_range.low == pytest.approx(3.0 / tenth_of(0.7, 1.0, 1.6, 0.9), rel=2e-3)
    assert b.runtime_range.high == pytest.approx(3.0 / tenth_of(0.7, 1.0, 1.6, 0.1), rel=2e-3)
    certain = found(loads=[drawing(1.0)], packs=pack(ah={"low": 3.0, "likely": 3.0, "high": 3.0}))
    assert certain.runtime_range is not None
    assert certain.runtime_range.low == certain.runtime_range.high == certain.runtime_range.likely


def test_the_range_is_that_of_four_thousand_samples_solved_whole(monkeypatch: pytest.MonkeyPatch) -> None:
    source, off = random.Random(9), []
    asked: list[int] = []
    solve = Maker.solve

    def counted(maker: Maker, factors: np.ndarray, store: int) -> Solved:
        asked.append(len(factors))
        return solve(maker, factors, store)

    monkeypatch.setattr(Maker, "solve", counted)
    for plan in (sanderling(), curlew()):
        asked.clear()
        assert assess(plan, STOCK).runtime_range is not None
        assert asked == [1 + 2 * len(doubts(plan)) + len(ALL_DRAWS) + 6], "a sound build is put together from dozens"
    builds = [sanderling(), curlew(), *(sound(source) for _ in range(6))]
    for plan in builds:
        a = assess(plan, STOCK)
        if a.spread is None:
            continue
        assert a.runtime is not None
        assert a.runtime.hours is not None
        quick = Reach(a.op, a.pack_index or 0).hours(a.runtime.hours)
        low, _, high = a.spread.range_h
        off += [abs(quick.low / low - 1), abs(quick.high / high - 1)]
        assert a.spare_range is not None
        least = a.spread.at(a.spread.found.spare, 0.1, 0.9)
        shift = a.spare_range.likely - Maker(plan, (), a.op.network).solve(np.ones((1, 0)), 0).spare[0]
        assert np.subtract((a.spare_range.low, a.spare_range.high), least) == pytest.approx([shift, shift], abs=0.05)
    assert len(off) >= 12
    assert max(off) < 0.012
    assert np.median(off) < 0.003


@pytest.mark.usefixtures("figures_alone")
def test_the_least_spare_reaches_as_the_draw_does_that_takes_it() -> None:
    """A cell of 4 A at a constant current spares what the current leaves: the range is the draw's own."""
    loads = [drawing(1.0) | {"current_a": {"rest": 0, "play": {"low": 0.7, "likely": 1.0, "high": 1.6}, "peak": 1}}]
    most = {"low": 4.0, "likely": 4.0, "high": 4.0}
    a = found(loads=loads, packs=pack(ah={"low": 3.0, "likely": 3.0, "high": 3.0}, max_discharge_a=most, peak_discharge_a=most))
    assert a.spare_range is not None
    assert a.spare_range.likely == pytest.approx(0.75)
    assert a.spare_range.low == pytest.approx(1 - tenth_of(0.7, 1.0, 1.6, 0.9) / 4, abs=2e-3)
    assert a.spare_range.high == pytest.approx(1 - tenth_of(0.7, 1.0, 1.6, 0.1) / 4, abs=2e-3)


def test_where_a_stop_lies_between_the_samples_are_solved_whole() -> None:
    """Near its lock-out a little more resistance ends play early: that is no parabola, which would say 7.85 h."""
    plan = sanderling()
    cell = plan.packs[0].cell
    wide = cell.resistance_ohm.model_copy(update={"low": 0.01, "high": 0.9})
    a = assess(replaced(plan, altered(plan.packs[0], cell=cell.model_copy(update={"resistance_ohm": wide}))), STOCK)
    assert a.runtime_range is not None
    assert a.spread is not None
    assert a.runtime_range.low == pytest.approx(a.spread.range_h[0], rel=0.01)


@pytest.mark.usefixtures("figures_alone")
def test_the_time_on_the_charger_goes_as_the_amp_hours_over_the_current() -> None:
    a = assess(sanderling(), STOCK)
    board = a.plan.chargers[0]
    current = Figure(low=1.2, likely=1.5, high=1.6)
    cell = a.plan.packs[0].cell.model_copy(
        update={"measured_ah": Figure(low=4.7, likely=4.7, high=4.7), "resistance_ohm": Figure(low=0.02, likely=0.02, high=0.02)}
    )
    plan = replaced(replaced(a.plan, altered(board, current_a=current)), altered(a.plan.packs[0], cell=cell))
    a = assess(plan, STOCK)
    made = charge_spread(a.op, a.charges[0])
    assert made is not None
    assert [d.key for d in made.of if d.element != "pack"] == [f"charger:{board.id}"]
    for share, point in ((0.9, made.range_h[0]), (0.1, made.range_h[2])):
        amps = tenth_of(1.2, 1.5, 1.6, share)
        slower = assess(replaced(plan, altered(a.plan.chargers[0], current_a=Figure(low=amps, likely=amps, high=amps))), STOCK)
        assert point == pytest.approx(charge(slower.op, slower.plan.chargers[0], a.end_soc).off.hours, rel=3e-3)
    assert made.chance(made.range_h[2]) == pytest.approx(0.9, abs=0.01)
    likely = a.charges[0].off.hours
    assert likely is not None
    assert made.range_h[0] < likely < made.range_h[2]
    weak = altered(plan.by_id["usb"], current_limit_a=Figure(low=0.7, likely=0.9, high=1.0))
    fed = assess(replaced(replaced(plan, altered(plan.chargers[0], current_a=Figure(low=1.5, likely=1.5, high=1.5))), weak), STOCK)
    by_supply = charge_spread(fed.op, fed.charges[0])
    assert by_supply is not None
    assert [d.kind for d in by_supply.of] == ["supply"]
    least = tenth_of(0.7, 0.9, 1.0, 0.1)
    slow = assess(replaced(fed.plan, altered(weak, current_limit_a=Figure(low=least, likely=least, high=least))), STOCK)
    assert by_supply.range_h[2] == pytest.approx(slow.charges[0].off.hours, rel=3e-3)
    assert by_supply.range_h[2] > 1.05 * by_supply.range_h[1]


def test_doubts_of_a_charge_go_together_as_they_do_one_by_one() -> None:
    full = assess(sanderling(), STOCK)
    made = full.charge_spread
    assert made is not None
    pack, board = full.plan.packs[0], full.plan.chargers[0]
    keys = [d.kind for d in made.of]
    for row, hours in list(zip(samples(made.of, COUNT, SEED), made.hours, strict=True))[:8]:
        by = dict(zip(keys, row, strict=True))
        cell = pack.cell.model_copy(
            update={
                "measured_ah": certain(pack.cell.capacity_ah.likely * by["capacity"] * by["model"]),
                "resistance_ohm": certain(pack.cell.resistance_ohm.likely * by["cell"] * by["temperature"]),
            }
        )
        plan = replaced(full.plan, altered(pack, cell=cell))
        plan = replaced(plan, altered(board, current_a=certain(board.current_a.likely * by["charger"])))
        usb = plan.by_id[board.supply]
        plan = replaced(plan, altered(usb, current_limit_a=certain(usb.current_limit_a.likely * by["supply"])))  # type: ignore[attr-defined]
        assert hours == pytest.approx(charge(assess(plan, STOCK).op, plan.chargers[0], full.end_soc).off.hours, rel=8e-3)
    assert {d.kind for d in made.of} == {"capacity", "cell", "charger", "supply", "model", "temperature"}
    assert {d.key for d in doubts(full.plan)}.isdisjoint({f"charger:{board.id}"}), "hours of play do not hang on it"
