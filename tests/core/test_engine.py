"""The rest of the engine: converters, harness, fit, heat, rails, reserve, shelf, sessions, scouting, and its documentation."""

from __future__ import annotations

import importlib
import inspect
import itertools
import math
import pkgutil
import re
from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import briskcell.core
from briskcell.core.assess import assess
from briskcell.core.charge.charging import hours_added
from briskcell.core.day.session import play_session
from briskcell.core.engine.converters import (
    Losses,
    fit_losses,
    losses_of,
    stiff_output_v,
    switching_input_current,
    table_efficiency,
)
from briskcell.core.engine.operating import operate
from briskcell.core.engine.resistance import wire_resistance_ohm
from briskcell.core.engine.sources import pack_curves, store_curves
from briskcell.core.heat.steady import heat
from briskcell.core.pack.fit import best_placing, cell_size, fit, free_room, largest_that_fits
from briskcell.core.rails.fewest import fewest_rails, straight_on
from briskcell.core.search.scout import scout
from briskcell.core.wiring.conductors import cylinder_h, melting_time_s, trace_rise_k, wire_rise_k
from briskcell.core.wiring.harness import find_gauge
from briskcell.core.wiring.openers import opening_time_s
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.parts import EfficiencyPoint, EfficiencyTable, Load
from briskcell.model.phases import Phase
from briskcell.model.plan import Bay, plan_of
from briskcell.model.stores import Bank
from briskcell.model.units import awg_section_mm2
from briskcell.services.demo import curlew, demo_plans, oystercatcher, sanderling


@given(st.floats(0.0005, 0.01), st.floats(0.02, 0.3), st.floats(0.02, 0.2))
def test_losses_fitted_to_points_of_a_known_board_give_the_board_back(quiescent: float, drop: float, ohm: float) -> None:
    true = Losses(quiescent, drop, ohm)
    points = []
    for volts, amps in itertools.product((3.2, 3.7, 4.2), (0.05, 0.3, 0.8, 1.2)):
        taken = float(switching_input_current(5 * amps, volts, true))
        points.append(EfficiencyPoint(input_v=volts, output_a=amps, efficiency=5 * amps / (volts * taken)))
    fitted = fit_losses(tuple(points), 5.0)
    assert (fitted.quiescent_a, fitted.drop_v, fitted.resistance_ohm) == pytest.approx((quiescent, drop, ohm), rel=1e-3, abs=1e-5)


def test_a_table_is_read_by_straight_lines_and_held_at_its_edges() -> None:
    table = EfficiencyTable(input_v=(3.0, 4.0), output_a=(0.1, 1.0), efficiency=((0.8, 0.9), (0.84, 0.94)))
    assert table_efficiency(table, [3.5, 3.0, 2.0, 9.0], [0.55, 0.1, 0.1, 9.0]) == pytest.approx([0.87, 0.8, 0.8, 0.94])
    board = altered(catalogue().find("boost-5v-2a").part, loss=table)
    assert 5.0 / (3.5 * switching_input_current(2.75, 3.5, losses_of(board), 0.55)) * 0.55 == pytest.approx(0.87)


def test_outputs_follow_their_inputs_where_they_must() -> None:
    parts = {k: catalogue().find(k).part for k in ("boost-5v-2a", "buck-5v-3a", "linear-33-05", "buckboost-33-2a")}
    assert stiff_output_v(parts["boost-5v-2a"], 6.0, 0.1) == 6.0
    assert stiff_output_v(parts["buck-5v-3a"], 4.6, 0.1) == pytest.approx(4.4)
    path = altered(parts["buck-5v-3a"], dropout_v=0.0, dropout_ohm=0.2)
    assert stiff_output_v(path, 5.0, 2.0) == pytest.approx(4.6)
    assert stiff_output_v(parts["linear-33-05"], 3.4, 0.1) == pytest.approx(3.15)
    assert list(stiff_output_v(parts["buckboost-33-2a"], [2.5, 4.2], 0.1)) == [3.3, 3.3]


def test_equal_cells_as_strings_are_the_same_pack_and_unequal_ones_share_by_their_tables() -> None:
    pack = sanderling().packs[0]
    grid = np.linspace(1, 0, 11)
    same = pack_curves(altered(pack, strings=({"cell": pack.cell}, {"cell": pack.cell})), grid)
    plain = pack_curves(pack, grid)
    for name in ("ocv_v", "fast_ohm", "slow_ohm"):
        assert getattr(same, name) == pytest.approx(getattr(plain, name))
    assert same.energy_wh == pytest.approx(plain.energy_wh)
    small = catalogue().find("pouch-p30").part
    mixed = pack_curves(altered(pack, strings=({"cell": pack.cell}, {"cell": small})), grid)
    assert mixed.capacity_ah == pytest.approx(pack.cell.label_ah.likely + small.label_ah.likely)
    apart = sum(
        abs(float(np.trapezoid(store_curves(altered(pack, cell=c, parallel=1), grid).ocv_v, grid))) * c.label_ah.likely
        for c in (pack.cell, small)
    )
    assert mixed.energy_wh == pytest.approx(apart, rel=0.02)
    assert (np.diff(mixed.ocv_v) <= 1e-9).all()


def test_a_measured_figure_replaces_what_is_derived() -> None:
    plan = sanderling()
    assert assess(replaced(plan, altered(plan.packs[0], ocv_v=3.6))).op.curves[0].ocv_v == pytest.approx(3.6)
    wire = altered(plan.by_id["w-pack"], resistance_ohm=0.5)
    assert assess(replaced(plan, wire)).op.flow.element_v[1, 50, 0] < assess(plan).op.flow.element_v[1, 50, 0]


def test_dimmer_and_quieter_plays_longer() -> None:
    plan = sanderling()
    dim = altered(plan.by_id["screen"], settings=({"name": "brightness", "position": 0.5, "share": 0.8},))
    bright, dimmed = assess(plan), assess(replaced(plan, dim))
    assert dimmed.draw.loads[1].mean_w == pytest.approx(0.6 * bright.draw.loads[1].mean_w, rel=1e-6)
    assert dimmed.runtime.hours > bright.runtime.hours  # type: ignore[union-attr,operator]


windows = st.tuples(st.floats(1, 12), st.floats(0.05, 6)).map(lambda w: (w[0], w[0] + w[1]))


@settings(max_examples=60, deadline=None)
@given(st.lists(windows, min_size=1, max_size=6))
def test_the_fewest_rails_are_as_few_as_any_choice_of_voltages(chosen: list[tuple[float, float]]) -> None:
    draw = dict.fromkeys(("rest", "play", "peak"), 1.0)
    loads = tuple(
        Load.model_validate({"id": f"l{k}", "name": "l", "fed_by": "p", "power_w": draw, "window": {"low_v": a, "high_v": b}})
        for k, (a, b) in enumerate(chosen)
    )
    rails = fewest_rails(loads)
    assert sorted(i for r in rails for i in r.loads) == sorted(p.id for p in loads)
    for rail in rails:
        assert all(p.window.low_v <= rail.volts <= p.window.high_v for p in loads if p.id in rail.loads)
    ends = [b for _, b in chosen]
    least = next(
        n for n in range(1, 7) for vs in itertools.combinations(ends, n) if all(any(a <= v <= b for v in vs) for a, b in chosen)
    )
    assert len(rails) == least


def test_only_parts_whose_window_covers_the_cell_may_hang_on_it() -> None:
    plan = sanderling()
    assert set(straight_on(plan, plan.packs[0])) == {"sound", "light"}


def test_wires_warm_as_the_balance_says_and_melt_as_published() -> None:
    section, ambient = awg_section_mm2(26), 30.0
    rise = wire_rise_k(2.0, section, ambient_c=ambient)
    outer = (math.sqrt(4 * section / math.pi) + 0.8) * 1e-3
    heat_in = 4.0 * wire_resistance_ohm(1.0, section, 1, ambient + rise)
    assert heat_in == pytest.approx(float(cylinder_h(outer, ambient + rise, ambient)) * math.pi * outer * rise, rel=2e-3)
    assert wire_rise_k(2.0, section, bundle=6) > 2.5 * wire_rise_k(2.0, section)
    assert math.isinf(wire_rise_k(60.0, awg_section_mm2(34)))
    assert trace_rise_k(1.0, 0.3) == pytest.approx(10.0, rel=0.05)  # the chart of IPC-2221: 1 A, 1 oz, 10 K, 0.3 mm
    assert melting_time_s(100.0, section) == pytest.approx(melting_time_s(50.0, section) / 4)
    assert math.isinf(opening_time_s(1.2, resettable=False))
    assert opening_time_s(5, resettable=True) > opening_time_s(5, resettable=False)


@given(st.floats(0.1, 6.0), st.floats(0.05, 0.5), st.floats(0.02, 0.3))
def test_the_gauge_found_does_and_the_next_thinner_does_not(amps: float, length: float, drop: float) -> None:
    gauge = find_gauge(amps, length, drop)

    def does(awg: float) -> bool:
        section = awg_section_mm2(awg)
        return amps * wire_resistance_ohm(length, section, 2, 40.0) <= drop and wire_rise_k(amps, section) <= 40.0

    if gauge is None:
        assert not does(10.0)
    else:
        assert does(gauge)
        assert gauge == 34.0 or not does(gauge + 2)


def test_what_fits_fits_without_overlap_and_one_more_does_not() -> None:
    cell = catalogue().find("cell-21700-e50").part
    bay = Bay(length_mm=85, width_mm=46, depth_mm=24, plug_room_mm=8)
    found = fit(cell, 2, bay)
    assert found.fits
    assert found.most == 2
    assert not fit(cell, 3, bay).fits
    placing = found.placing
    assert placing is not None
    for room, count, size in zip(placing.room_mm, placing.count, placing.cell_mm, strict=True):
        assert count * size <= room + 1e-9
    blocked = altered_bay(bay)
    assert fit(cell, 2, blocked).most < 2
    assert all(b[1][0] <= 84 for b in free_room(blocked))
    pouch = catalogue().find("pouch-p50").part
    assert cell_size(pouch, bay)[2] == pytest.approx(8 * 1.1 + 0.6)  # type: ignore[index]
    assert "Not one" in fit(cell, 1, Bay(length_mm=60, width_mm=30, depth_mm=30)).words
    best = largest_that_fits(tuple(c.part for c in catalogue().of_kind("cells")), bay)
    assert best is not None
    assert best_placing(best[0], bay).cells == best[1]  # type: ignore[union-attr]


def altered_bay(bay: Bay) -> Bay:
    fields = {n: getattr(bay, n) for n in Bay.model_fields}
    return Bay.model_validate(fields | {"keep_outs": ({"length_mm": 30, "width_mm": 46, "depth_mm": 24, "x_mm": 30},)})


def test_every_watt_drawn_warms_the_case_and_air_takes_it_away() -> None:
    plan = curlew()
    closed = remade(plan, {"case": plan.case.model_copy(update={"vents": False, "fan": False})})
    cool, hot = heat(operate(plan)), heat(operate(closed))
    op = operate(plan)
    assert cool.watts == pytest.approx(float(op.flow.branch_a[1, 50, 0] * op.curves[0].ocv_v[50]))
    case, room = plan.case, plan.brief.room_c
    m2 = 2.0 * (0.215 * 0.12 + 0.215 * 0.036 + 0.12 * 0.036)
    for h, factor in ((cool, 1.35 * 2.2), (hot, 1.0)):
        given = (5.8 + 1.9 * h.rise_k**0.25) * factor * m2 * (1.0 - case.covered) * h.rise_k
        assert given + 12.0 * m2 * case.covered * (h.mean_skin_c - 34.0) == pytest.approx(h.watts, rel=1e-3)
    assert hot.mean_skin_c > cool.mean_skin_c + 5.0
    assert room < cool.mean_skin_c
    assert hot.minutes_to_limit is not None


def test_the_warning_leaves_what_a_shutdown_needs() -> None:
    a = assess(sanderling())
    found, reserve = a.runtime, a.reserve
    assert found is not None
    assert reserve is not None
    assert reserve.enough
    needs = 1.5 * a.plan.shutdown.power_w.likely * a.plan.shutdown.seconds / 3600
    between = (a.op.soc <= reserve.warning_soc) & (a.op.soc >= found.stop_soc)
    assert reserve.needed_wh == pytest.approx(needs)
    assert reserve.at_rest_v > reserve.under_load_v > a.op.curves[0].cutoff_v
    assert between.sum() <= 3
    heavy = remade(a.plan, {"shutdown": a.plan.shutdown.model_copy(update={"seconds": 1200.0})})
    later = assess(heavy)
    assert later.reserve.warning_soc > reserve.warning_soc  # type: ignore[union-attr]
    assert later.reserve.enough is False  # type: ignore[union-attr]


def test_shelf_days_fall_with_every_sip() -> None:
    plan = sanderling()
    quiet = assess(plan).storage[0]
    thirsty = assess(replaced(plan, altered(plan.by_id["charger"], off_current_a=0.001))).storage[0]
    # The charger's power path sips 40 µA, the protection 6 µA; the boost lies behind the switch.
    assert quiet.leakage_a == pytest.approx(46e-6)
    assert quiet.days == pytest.approx(9.8 / (quiet.self_discharge_a + 46e-6) / 24, rel=0.02)
    assert thirsty.days == pytest.approx(9.8 / (quiet.self_discharge_a + 1006e-6) / 24, rel=0.02)


def test_a_session_of_play_alone_lasts_as_long_as_the_runtime() -> None:
    plan = remade(sanderling(), {"profile": {"rest": 0, "play": 1, "peak": 0}})
    op = operate(plan)
    found = play_session(op, [Phase("play", 40 * 3600)], step_s=30)
    hours = assess(plan).runtime.hours  # type: ignore[union-attr]
    assert found.ended == "the warning is set to 3.04 V"
    assert found.time_s[-1] / 3600 == pytest.approx(hours, rel=0.02)
    assert found.case_c[-1] == pytest.approx(heat(op).skin_c, abs=2.0)
    assert (np.diff(found.soc) <= 0).all()


def test_plugging_in_fills_and_a_peak_on_a_nearly_empty_pack_ends_it() -> None:
    op = operate(sanderling())
    course = [Phase("boot", 40), Phase("play", 600), Phase("off", 60), Phase("play", 1800, plugged=True), Phase("rest", 60)]
    found = play_session(op, course, start_soc=0.5)
    assert found.ended == ""
    before, after = np.interp([700, 2500], found.time_s, found.soc)
    assert after > before
    assert found.store_v[3] < found.store_v[60]  # booting sags deeper than play
    assert play_session(operate(oystercatcher()), [Phase("play", 60), Phase("peak", 5)], start_soc=0.012).ended != ""


def test_a_bank_adds_hours_and_stops_where_it_switches_off() -> None:
    bank = Bank(id="bank", name="bank", cells_wh=37, efficiency=0.85, output_v=5.05, output_limit_a=2.4, least_load_a=0.06)
    plan = sanderling()
    light = catalogue().part("light", id="lamp", fed_by="bank")
    alone = plan_of({"name": "bank", "banks": (bank,), "loads": (light,)})
    assert assess(alone).runtime.stop_cause == "bank switches off"  # type: ignore[union-attr]
    board = catalogue().part("board-small4", id="board", fed_by="bank")
    both = assess(plan_of({"name": "bank", "banks": (bank,), "loads": (board,), "brief": plan.brief}))
    assert both.runtime.hours == pytest.approx(37 * 0.85 / both.runtime.mean_w, rel=1e-3)  # type: ignore[union-attr]
    assert hours_added(bank, 4.0) == pytest.approx(37 * 0.85 * 0.85 / 4)


def test_scouted_candidates_are_what_single_builds_come_to() -> None:
    plan = sanderling()
    cells = [catalogue().find(k).part for k in ("cell-18650-e35", "cell-21700-e50", "pouch-p80")]
    boards = [catalogue().find(k).part for k in ("boost-5v-3a", "boost-5v-5a")]
    found = scout(plan, cells, [1, 2, 4], boards, [20.0, 26.0])
    assert len(found.runtime_h) == 36
    for k in range(0, 36, 5):
        pack = altered(plan.packs[0], cell=found.cells[found.cell[k]], parallel=int(found.parallel[k]))
        board = altered(found.boards[found.board[k]], id="boost", fed_by="switch")
        single = assess(replaced(replaced(replaced(plan, pack), board), altered(plan.by_id["w-pack"], awg=float(found.awg[k]))))
        assert found.runtime_h[k] == pytest.approx(single.runtime.hours, rel=0.02, abs=0.05)  # type: ignore[union-attr]
        assert found.energy_wh[k] == pytest.approx(single.runtime.energy_wh, rel=0.03)  # type: ignore[union-attr]
    assert len(scout(plan, cells, [1], boards, [20.0], stop=lambda: True).runtime_h) == 0


@settings(max_examples=30, deadline=None)
@given(st.data())
def test_no_valid_plan_gives_nan(data: st.DataObject) -> None:
    plan = data.draw(st.sampled_from(demo_plans()))
    for load in plan.loads:
        factor = data.draw(st.sampled_from([0.0, 0.3, 1.0, 3.0, 30.0]))
        states = {}
        for s in ("rest", "play", "peak"):
            states[s] = min(getattr(load.draw, s).likely * factor, 100.0)
        plan = replaced(plan, altered(load, **{load.kind: type(load.draw)(**states)}))
    plan = replaced(plan, altered(plan.packs[0], series=data.draw(st.integers(1, 6)), parallel=data.draw(st.integers(1, 4))))
    plan = remade(plan, {"brief": plan.brief.model_copy(update={"cells_c": data.draw(st.sampled_from([-15.0, 25.0, 50.0]))})})
    a = assess(plan)
    numbers = [a.op.flow.element_v, a.op.flow.element_w, [h.spare for h in a.headrooms], [a.draw.mean_w]]
    numbers += [[v for v in (c.off.hours, c.play.hours) if v is not None] for c in a.charges]
    numbers += [[r.stop_soc, r.energy_wh, r.stranded_wh, r.hours or 0.0] for r in a.runtimes]
    numbers += [[s.days for s in a.storage], [a.heat.skin_c]]
    for found in numbers:
        assert not np.isnan(np.asarray(found, dtype=float)).any()
    assert all(f.cause and "nan" not in f.cause for f in a.findings)


# Of a whole family of functions, what goes in and comes out stands once, where they are walked.
FAMILIES = {
    "(a: 'Answers') -> 'Requirement'",
    "(a: 'Answers', got: 'float | None') -> 'Ways'",
    "(b: 'Console') -> 'Iterator[Step]'",
}


def said_once(function: Callable[..., object]) -> str:
    return str(inspect.signature(function)).replace("_got", "got").replace("_a:", "a:")


def public_functions() -> list[tuple[str, Callable[..., object]]]:
    out: list[tuple[str, Callable[..., object]]] = []
    for module in pkgutil.walk_packages(briskcell.core.__path__, "briskcell.core."):
        if not module.name.startswith(("briskcell.core.rules", "briskcell.core.workings", "briskcell.core.data.")):
            found = importlib.import_module(module.name)
            members = [m for m in inspect.getmembers(found, inspect.isfunction) if m[1].__module__ == found.__name__]
            out += [(f"{module.name}.{n}", f) for n, f in members if not n.startswith("_") and said_once(f) not in FAMILIES]
    assert len(out) > 60, "the walk finds the stations"
    return out


@pytest.mark.parametrize(("name", "function"), public_functions(), ids=lambda v: v if isinstance(v, str) else "")
def test_a_docstring_names_every_parameter_and_what_comes_back(name: str, function: object) -> None:
    text = inspect.getdoc(function) or ""
    for parameter in inspect.signature(function).parameters:  # type: ignore[arg-type]
        section = re.search(r"Parameters\n-+\n(.*?)(?:\n\n[A-Z]\w+\n-+|\Z)", text, re.S)
        assert section, f"{name} documents no parameters"
        assert re.search(rf"(?:^|[ ,*]){re.escape(parameter)}(?=[ ,:]|$)", section[1], re.M), f"{name}: {parameter}"
    assert re.search(r"(Returns|Yields)\n-+", text), f"{name} does not say what comes back"
