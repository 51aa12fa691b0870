"""What must go one way, whatever the build: more draw never plays longer, more copper never sags more, more cells never less."""

from __future__ import annotations

from functools import cache

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from briskcell.core.assess import Assessment, assess
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.figure import Figure
from briskcell.model.plan import Plan
from briskcell.model.tree import store_point
from briskcell.services.demo import curlew, sanderling
from briskcell.services.drafts import DraftRequest, draft
from briskcell.services.draw.loads import duplicate
from briskcell.services.parts.adding import add
from briskcell.services.rails.rewiring import feed_from

PAIRS = {"board-micro": "screen-28", "board-small4": "screen-50", "board-full": "screen-70", "board-disc": "screen-70-12v"}


@cache
def drafted() -> tuple[Plan, ...]:
    drafts = (draft(DraftRequest(name=b, board=b, screen=s, hours=3.0, thickness_mm=32.0)) for b, s in PAIRS.items())
    return sanderling(), curlew(), *drafts


plans = st.integers(0, len(PAIRS) + 1).map(lambda k: drafted()[k])
rising = st.floats(1.02, 1.6)


def hours(a: Assessment) -> float:
    assert a.runtime is not None
    return a.runtime.hours or 0.0


def grown(figure: Figure, by: float) -> Figure:
    return figure.at(figure.likely * by, grade=figure.grade, source=figure.source)


@settings(max_examples=24)
@given(plans, st.integers(0, 30), rising)
def test_a_part_that_takes_more_never_plays_longer_nor_runs_cooler(plan: Plan, k: int, by: float) -> None:
    load = plan.loads[k % len(plan.loads)]
    more = type(load.draw)(**{s: grown(getattr(load.draw, s), by) for s in ("rest", "play", "peak")})
    before, after = assess(plan), assess(replaced(plan, altered(load, **{load.kind: more})))
    assert hours(after) <= hours(before) + 1e-9
    assert after.draw.mean_w >= before.draw.mean_w
    assert after.heat.skin_c >= before.heat.skin_c - 1e-9
    # Play may end earlier, so every moment is compared by itself; a buck's ripple is a little less at a lower input.
    for was, now in zip(before.headrooms, after.headrooms, strict=True):
        assert (now.spare_now <= was.spare_now + 1e-2)[~after.op.flow.collapsed].all(), was.element


@settings(max_examples=18)
@given(plans, st.sampled_from(["light", "haptics", "amp-3w", "usb-stick", "radio-bt"]))
def test_one_part_more_never_plays_longer_and_two_alike_share_what_they_draw(plan: Plan, key: str) -> None:
    before = assess(plan)
    one = add(plan, key).plan
    assert hours(assess(one)) <= hours(before) + 1e-9
    two = duplicate(one, one.loads[-1].id).plan
    drawn = assess(two).draw.loads
    assert drawn[-1].mean_w == pytest.approx(drawn[-2].mean_w, rel=0.02)
    assert sum(d.share for d in drawn) == pytest.approx(1.0)


@settings(max_examples=18)
@given(plans, st.integers(1, 3))
def test_more_cells_never_play_less_and_weigh_what_they_weigh(plan: Plan, more: int) -> None:
    pack = plan.packs[0]
    grown_pack = replaced(plan, altered(pack, parallel=pack.parallel + more))
    before, after = assess(plan), assess(grown_pack)
    share = (pack.parallel + more) / pack.parallel
    assert hours(after) >= hours(before) * share * 0.999, "less sag on top of more charge"
    assert after.runtimes[0].energy_wh == pytest.approx(before.runtimes[0].energy_wh * share, rel=1e-6)
    assert after.op.store_v[1, 50, 0] >= before.op.store_v[1, 50, 0]


@settings(max_examples=18)
@given(plans, st.integers(0, 60), st.floats(2.0, 6.0))
def test_a_thicker_wire_never_lowers_a_voltage_anywhere(plan: Plan, k: int, gauges: float) -> None:
    wires = [w for w in plan.links if w.awg is not None and w.awg > 8]
    wire = wires[k % len(wires)]
    before = assess(plan)
    after = assess(replaced(plan, altered(wire, awg=wire.awg - gauges)))  # type: ignore[operator]
    alive = ~(before.op.flow.collapsed | after.op.flow.collapsed)
    assert (after.op.flow.element_v[alive] >= before.op.flow.element_v[alive] - 1e-7).all()
    assert hours(after) >= hours(before) - 1e-9


@settings(max_examples=15)
@given(plans, st.floats(0.5, 0.98))
def test_a_tired_pack_plays_less_sags_more_and_charges_no_faster_than_its_charge_allows(plan: Plan, health: float) -> None:
    pack = plan.packs[0]
    tired = replaced(plan, altered(pack, cell=pack.cell.model_copy(update={"health": health})))
    before, after = assess(plan), assess(tired)
    assert hours(after) <= hours(before) * health * 1.001
    assert after.op.store_v[2, 40, 0] <= before.op.store_v[2, 40, 0] + 1e-9
    assert after.runtimes[0].energy_wh == pytest.approx(before.runtimes[0].energy_wh * health, rel=1e-6)


@settings(max_examples=15)
@given(plans, st.floats(-10.0, 20.0))
def test_cold_cells_sag_more_and_never_play_longer(plan: Plan, celsius: float) -> None:
    cold = remade(plan, {"brief": plan.brief.model_copy(update={"cells_c": celsius})})
    before, after = assess(plan), assess(cold)
    alive = ~(before.op.flow.collapsed | after.op.flow.collapsed)
    assert (after.op.store_v[alive] <= before.op.store_v[alive] + 1e-9).all()
    assert hours(after) <= hours(before) + 1e-9


@settings(max_examples=15)
@given(plans, st.floats(0.0, 25.0))
def test_a_warmer_room_warms_a_case_that_nobody_holds_by_as_much_and_nothing_electrical(plan: Plan, by: float) -> None:
    plan = remade(plan, {"brief": plan.brief.model_copy(update={"held": False})})
    warm = remade(plan, {"brief": plan.brief.model_copy(update={"room_c": plan.brief.room_c + by})})
    before, after = assess(plan), assess(warm)
    assert after.heat.skin_c - before.heat.skin_c == pytest.approx(by, abs=1e-9)
    assert hours(after) == hours(before)
    assert np.array_equal(after.op.flow.element_v, before.op.flow.element_v)


@settings(max_examples=15)
@given(plans, rising)
def test_a_stronger_supply_and_a_shorter_cable_never_charge_slower(plan: Plan, by: float) -> None:
    supply = plan.supplies[0]
    before = assess(plan).charges[0].off.hours
    for change in ({"current_limit_a": grown(supply.current_limit_a, by)}, {"cable_ohm": grown(supply.cable_ohm, 1 / by)}):
        after = assess(replaced(plan, altered(supply, **change))).charges[0].off.hours
        assert before is None or (after is not None and after <= before + 1e-9)


def test_a_part_hung_on_the_pack_spares_the_boards_loss() -> None:
    plan = sanderling()
    sound = plan.by_id["sound"]
    straight = feed_from(plan, "sound", store_point(plan, sound)).plan  # type: ignore[arg-type]
    assert hours(assess(straight)) > hours(assess(plan))


@pytest.mark.parametrize("key", [c.key for c in catalogue().of_kind("cells") if c.part.full_v > 4])
def test_every_lithium_cell_of_the_library_makes_a_pack_that_is_judged(key: str) -> None:
    cell = catalogue().find(key).part
    a = assess(replaced(sanderling(), altered(sanderling().packs[0], cell=cell, parallel=3)), catalogue().stock())
    found = a.runtimes[0]
    assert found.energy_wh == pytest.approx(3 * cell.capacity_ah.likely * (3.7 if cell.full_v < 4.3 else 3.92), rel=0.06)
    assert (found.hours or 0.0) * found.mean_w <= found.energy_wh + 1e-9
    assert found.stranded_wh >= 0
    assert {w.field: w for w in a.requirements}["hours"].number == "runtime"
