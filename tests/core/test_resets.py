"""Peaks as a chance, held against parts that switch on and off for ten thousand hours, and against sums by hand."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.core.engine.variants import likely, variants
from briskcell.core.pack import resets as pack_resets
from briskcell.core.pack.resets import expected_resets, overrun_rate
from briskcell.core.spread.batch import Maker
from briskcell.core.spread.doubts import doubts, samples
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.plan import plan_of
from briskcell.services.demo import sanderling
from tests.core.spread.test_spread import one_by_one
from tests.known import drawing, flat_cell, hand_plan

SHARE, SECONDS = np.array([0.08, 0.05, 0.2]), np.array([0.3, 3.0, 0.8])
WATTS, MOST_W = np.array([3.0, 1.6, 0.5]), 4.2  # two or three of them together pass the most, none alone
OVER = np.array([sum(WATTS[k] for k in range(3) if n >> k & 1) > MOST_W for n in range(8)])


def test_the_rate_is_what_four_thousand_hours_of_parts_that_peak_come_to() -> None:
    rng, hours = np.random.default_rng(7), 4_000.0
    edges = []
    for k in range(3):
        off = SECONDS[k] * (1 - SHARE[k]) / SHARE[k]
        cycles = int(hours * 3600 / (SECONDS[k] + off) * 1.05)
        spans = np.stack([rng.exponential(off, cycles), rng.exponential(SECONDS[k], cycles)], axis=1).ravel()
        at = np.cumsum(spans)
        edges.append((at, np.tile([1 << k, -(1 << k)], cycles)))
    at = np.concatenate([e[0] for e in edges])
    order = np.argsort(at, kind="stable")
    states = np.cumsum(np.concatenate([e[1] for e in edges])[order])
    at, end = at[order], hours * 3600
    over = OVER[states]
    begins = np.count_nonzero(over[1:] & ~over[:-1] & (at[1:] < end))
    inside = np.where(over[:-1] & (at[1:] < end), np.diff(at), 0.0).sum()
    share, per_hour = overrun_rate(OVER, SHARE, SECONDS)
    assert begins > 8_000
    assert float(per_hour) == pytest.approx(begins / hours, rel=0.05)
    assert float(share) == pytest.approx(inside / end, rel=0.05)


def test_two_parts_meet_as_often_as_each_begins_while_the_other_is_at_its_peak() -> None:
    # 0.08 · 0.05 of the time; a begins 0.08/0.3 a second while b is up (0.05), b 0.05/3 while a is up (0.08).
    share, per_hour = overrun_rate(np.array([False, False, False, True]), SHARE[:2], SECONDS[:2])
    assert float(share) == pytest.approx(0.004)
    assert float(per_hour) == pytest.approx(3600 * (0.08 / 0.3 * 0.05 + 0.05 / 3.0 * 0.08))
    always = overrun_rate(np.array([True, True]), np.array([0.1]), np.array([1.0]))
    assert (float(always[0]), float(always[1])) == (pytest.approx(1.0), 0.0), "what is always overrun never begins to be"


def test_a_build_says_how_long_it_is_safe_and_which_two_parts_end_that() -> None:
    boost = {
        "id": "boost",
        "name": "Boost",
        "fed_by": "pack",
        "kind": "boost",
        "output_v": 5.0,
        "switch_current_a": 2.0,
        "loss": {"kind": "fixed", "efficiency": 1.0},
    }
    loads = [
        drawing(3.0, "power_w", peak=4.9, peak_share=0.1, peak_s=2.0, fed_by="boost", id="board", name="Board"),
        drawing(0.5, "power_w", peak=2.4, peak_share=0.2, peak_s=0.5, fed_by="boost", id="sound", name="Sound"),
        drawing(0.5, "power_w", peak=0.9, peak_share=0.0, fed_by="boost", id="screen", name="Screen"),
    ]
    cell = flat_cell(volts=3.0, top_v=4.0, ohm=0.0)
    a = assess(plan_of(hand_plan(packs=[{"id": "pack", "name": "Pack", "cell": cell}], converters=[boost], loads=loads)))
    r = a.resets
    assert r is not None
    # 7.8 W of both and the screen need 2 A at 3.9 V, a tenth of the charge down; 5.9 W of one of them never more than there is.
    assert [p.load.id for p in r.parts] == ["board", "sound"], "a screen that never peaks is not among them"
    (pair,) = r.culprits[:1]
    assert pair.loads == ("Board", "Sound")
    assert pair.words == "the current limit of Boost"
    both = 3600 * (0.1 / 2.0 * 0.2 + 0.2 / 0.5 * 0.1)
    assert pair.per_hour == pytest.approx(both)
    assert r.at_end == pytest.approx(both, rel=0.02)
    assert r.per_hour[0] == 0.0
    assert r.free_hours < 0.15 * r.elapsed_h[-1]
    assert r.expected == pytest.approx(both * r.elapsed_h[-1], rel=0.1)
    assert a.runtime is not None
    assert a.runtime.stop_soc < 0.01, "play ends where steady play ends"
    finding = next(f for f in a.findings if f.rule == "resets")
    assert finding.state == "fails"
    assert "Board and Sound peak together and overrun the current limit of Boost" in finding.cause
    accepted = assess(
        plan_of(
            hand_plan(
                packs=[{"id": "pack", "name": "Pack", "cell": cell}],
                converters=[boost],
                loads=loads,
                brief={"resets_per_charge": 1000},
            )
        )
    )
    assert not [f for f in accepted.findings if f.rule == "resets"]


def test_a_small_boost_resets_and_a_larger_one_does_not() -> None:
    weak = replaced(sanderling(), catalogue().part("boost-5v-2a", id="boost", fed_by="switch"))
    stock = catalogue().stock()
    sound, risky = assess(sanderling(), stock), assess(weak, stock)
    assert sound.resets is not None
    assert risky.resets is not None
    assert (sound.resets.expected, sound.wish("resets_per_charge").state) == (0.0, "holds")  # type: ignore[union-attr]
    assert risky.resets.expected > 1.0
    seldom = remade(weak, {"loads": tuple(altered(p, peak_share=0.001) for p in weak.loads)})
    assert assess(seldom).resets.expected < 0.1 * risky.resets.expected  # type: ignore[union-attr]


def test_a_game_that_ties_peaks_overruns_as_often_as_the_tied_part_peaks_in_its_share_of_the_time() -> None:
    boost = {
        "id": "boost",
        "name": "Boost",
        "fed_by": "pack",
        "kind": "boost",
        "output_v": 5.0,
        "switch_current_a": 2.0,
        "loss": {"kind": "fixed", "efficiency": 1.0},
    }
    loads = [
        drawing(3.0, "power_w", peak=4.9, peak_share=0.1, peak_s=2.0, fed_by="boost", id="board", name="Board"),
        drawing(0.5, "power_w", peak=2.4, peak_share=0.2, peak_s=0.5, fed_by="boost", id="sound", name="Sound"),
    ]
    parts = hand_plan(
        packs=[{"id": "pack", "name": "Pack", "cell": flat_cell(volts=3.0, top_v=4.0, ohm=0.0)}], converters=[boost], loads=loads
    )
    # At 3 V in 4.9 + 2.4 W overrun 2 A, neither alone. Apart: both at once, begun by one or the other. Tied: one process that peaks
    # a fifth of the time, two seconds each.
    apart_share, apart = 0.02, 3600 * (0.1 / 2.0 * 0.2 + 0.2 / 0.5 * 0.1)
    tied_share, tied = 0.2, 3600 * 0.2 / 2.0
    games = [{"name": "Loud", "share": 0.25, "together": ["sound", "board", "gone"]}, {"name": "Quiet", "share": 0.75}]
    for kept, (share, rate) in {
        (): (apart_share, apart),
        (0,): (tied_share, tied),
        (0, 1): (0.25 * tied_share + 0.75 * apart_share, 0.25 * tied + 0.75 * apart),
    }.items():
        r = assess(plan_of({**parts, "games": [games[k] for k in kept]})).resets
        assert r is not None
        assert (float(r.share[-1]), r.at_end) == (pytest.approx(share), pytest.approx(rate))


def test_the_range_of_resets_is_that_of_builds_judged_one_by_one() -> None:
    weak = replaced(sanderling(), catalogue().part("boost-5v-2a", id="boost", fed_by="switch"))
    a = assess(weak, catalogue().stock())
    of = tuple(d for d in doubts(weak) if d.kind != "loss")
    rows, batch = samples(of, 6, 3), Maker(weak, of, a.op.network)
    found = batch.solve(rows, 0)
    each = expected_resets(weak, a.op.network, batch.factors(rows), found.end, batch.soc, found.elapsed)
    alone = [assess(one_by_one(weak, of, row)).resets for row in rows]
    off = np.abs(each / [r.expected for r in alone if r] - 1.0)
    assert np.sort(off)[:-1].max() < 0.01
    assert off.max() < 0.25, "a limit met between two of the eleven states of charge"
    made = a.reset_spread
    assert made is not None
    assert len(made.expected) == 400
    low, middle, high = made.range
    assert low < a.resets.expected < high  # type: ignore[union-attr]
    assert low < middle < high
    assert (made.chance(0), made.chance(1e6)) == (pytest.approx((made.expected <= 0.1).mean()), 1.0)
    certain = assess(sanderling(), catalogue().stock()).reset_spread
    assert certain is not None
    assert certain.range == (0.0, 0.0, 0.0)
    assert 0.88 < certain.chance(0) < 0.97, "where draws that no meter has touched are far larger, a sound build is reset too"


def test_rates_of_resets_are_spread_as_the_draw_that_causes_them() -> None:
    """One part peaks a tenth of the time for two seconds; at 5 V out of 3 V in it overruns 2 A above 6 W: of peaks spread evenly
    about 6 W, half of the builds are reset 180 times an hour for as long as 3 Ah last, half never."""
    boost = {
        "id": "boost",
        "name": "Boost",
        "fed_by": "pack",
        "kind": "boost",
        "output_v": 5.0,
        "switch_current_a": 2.0,
        "loss": {"kind": "fixed", "efficiency": 1.0},
    }
    wide = {"rest": 0.0, "play": {"low": 1.0, "likely": 2.0, "high": 4.0, "grade": "measured"}, "peak": 6.0}
    load = drawing(2.0, "power_w", peak_share=0.1, peak_s=2.0, fed_by="boost", id="board", name="Board") | {"power_w": wide}
    plan = plan_of(
        hand_plan(
            packs=[{"id": "pack", "name": "Pack", "cell": flat_cell(volts=3.0, top_v=3.0, ohm=0.0)}],
            converters=[boost],
            loads=[load],
        )
    )
    made = assess(plan).reset_spread
    assert made is not None
    assert np.mean(made.expected > 0) == pytest.approx(0.5, abs=0.01)
    hours = 3.0 * 3.0 / 2.0
    assert np.median(made.expected[made.expected > 0]) == pytest.approx(180.0 * hours, rel=0.2)


@pytest.mark.parametrize(("kind", "peak_a", "resets"), [("fuse", 2.05, False), ("fuse", 2.15, True), ("switch", 2.15, False)])
def test_a_fuse_carries_a_short_peak_of_twice_its_rating_and_a_tenth(kind: str, peak_a: float, resets: bool) -> None:
    """IEC 60127-2 lets 2.1 times pass for seconds; a switch's rating is one of warmth, and no peak resets it."""
    link = {"id": "link", "name": "The link", "kind": kind, "fed_by": "pack", "resistance_ohm": 0.0, "rating_a": 1.0}
    loads = [drawing(0.5, fed_by="link", peak=peak_a)]
    chance = assess(plan_of(hand_plan(profile={"rest": 0, "play": 0.9, "peak": 0.1}, links=[link], loads=loads))).resets
    assert chance is not None
    assert (chance.expected > 0) == resets
    assert [c.words for c in chance.culprits] == (["The link"] if resets else [])


def test_a_rails_capacitance_carries_what_is_short_and_little() -> None:
    """One part peaks 0.05 A over the limit for 20 ms at a time; 0.4 V of 1,000 µF are 8 ms of that: exp(−0.4) of them last longer."""
    boost = {
        "id": "boost",
        "name": "Boost",
        "fed_by": "pack",
        "kind": "buck_boost",
        "output_v": 5.0,
        "output_limit_a": 1.0,
        "loss": {"kind": "fixed", "efficiency": 1.0},
    }
    load = drawing(0.5, peak=1.05, peak_share=0.1, peak_s=0.02, fed_by="boost", id="board", name="Board")
    load["window"] = {"low_v": 4.6, "high_v": 5.5}
    pack = {"id": "pack", "name": "Pack", "cell": flat_cell(volts=3.7, ohm=0.0)}

    def told(**figures: Any) -> Any:
        plan = plan_of(hand_plan(packs=[pack], converters=[boost | figures], loads=[load]))
        return assess(plan).resets

    bare, carried = told(), told(output_f=1000e-6)
    assert bare.at_end == pytest.approx(0.1 / 0.02 * 3600.0)
    assert carried.at_end == pytest.approx(bare.at_end * np.exp(-(1000e-6 * 0.4 / 0.05) / 0.02))
    assert carried.expected == pytest.approx(bare.expected * np.exp(-0.4), rel=1e-3)
    assert told(output_f=1.0).at_end == 0.0 or told(output_f=1.0).at_end < 1e-9


def test_an_amplifier_takes_no_more_than_its_speaker_lets_it() -> None:
    # 5 V in a bridge on 4 Ω: 25 / 8 = 3.125 W; on 8 Ω half of that, whatever the sheet says of its peak.
    rail = {
        "id": "buck",
        "name": "Buck",
        "fed_by": "pack",
        "kind": "buck_boost",
        "output_v": 5.0,
        "loss": {"kind": "fixed", "efficiency": 1.0},
    }
    pack = {"id": "pack", "name": "Pack", "cell": flat_cell(volts=3.7, ohm=0.0)}
    for ohm, watts in ((4.0, 3.0), (8.0, 25.0 / 16.0), (None, 3.0)):
        amp = drawing(0.2, "power_w", peak=3.0, fed_by="buck", speaker_ohm=ohm)
        op = assess(plan_of(hand_plan(packs=[pack], converters=[rail], loads=[amp]))).op
        assert op.load_w[2, 50, 0] == pytest.approx(watts)
        assert op.load_w[1, 50, 0] == pytest.approx(0.2)


def by_monte_carlo(a: Assessment, seed: int) -> float:
    """Resets over one pack: parts that peak by chance, played through the hours of a discharge on a grid of 1,500 states of charge."""
    plan, rng = a.plan, np.random.default_rng(seed)
    assert a.runtime is not None
    peaks = pack_resets._peaks(plan, a.op.network)
    soc = np.linspace(1.0, a.runtime.stop_soc, 1500)[None]
    made = variants(plan, a.op.network, soc, likely(a.op.network))
    over = pack_resets._left(pack_resets._limits(plan, made, peaks.rows))[:, 0] < 0
    hours = np.interp(-soc[0], -a.op.soc, a.runtime.elapsed_h)
    end_s = 3600.0 * hours[-1]
    at, flips = [], []
    for k, part in enumerate(peaks.parts):
        off = part.seconds * (1 - part.share) / part.share
        count = int(end_s / (part.seconds + off) * 1.2) + 50
        spans = np.stack([rng.exponential(off, count), rng.exponential(part.seconds, count)], axis=1).ravel()
        at.append(np.cumsum(spans))
        flips.append(np.tile([1 << k, -(1 << k)], count))
    order = np.argsort(np.concatenate(at), kind="stable")
    when, state = np.concatenate(at)[order], np.cumsum(np.concatenate(flips)[order])
    state, when = state[when < end_s], when[when < end_s]
    place = np.searchsorted(3600.0 * hours, when)
    here = over[state, np.minimum(place, 1499)]
    before = over[np.concatenate([[0], state[:-1]]), np.minimum(place, 1499)]
    return float(np.count_nonzero(here & ~before)) * (plan.use.play + plan.use.peak)


@pytest.mark.parametrize("board", ["boost-5v-2a", "boost-5v-3a", "combined-5v-2", "combined-5v-1"])
def test_resets_are_those_of_parts_that_peak_by_chance_on_a_fine_grid(board: str) -> None:
    plan = replaced(sanderling(), catalogue().part(board, id="boost", fed_by="switch"))
    a = assess(plan, catalogue().stock())
    assert a.resets is not None
    counted = float(np.mean([by_monte_carlo(a, seed) for seed in range(24)]))
    assert a.resets.expected > 1.0
    assert a.resets.expected == pytest.approx(counted, rel=0.25)
