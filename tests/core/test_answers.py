"""Runtime, charge, headroom and rules: published runs, orderings that must hold, and one broken build a rule."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.core.charge.charging import charge
from briskcell.core.data.tables import sourced
from briskcell.core.engine.converters import deliverable_a, losses_of, switching_input_current
from briskcell.core.engine.resistance import wire_resistance_ohm
from briskcell.core.rules import RULES
from briskcell.core.stations import STATIONS
from briskcell.core.workings import working
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.errors import FigureError
from briskcell.model.figure import Figure
from briskcell.model.plan import Plan, plan_of
from briskcell.model.units import awg_section_mm2
from briskcell.services.demo import curlew, demo_plans, oystercatcher, sanderling
from briskcell.services.drafts import DraftRequest, draft
from tests.faults import BROKEN, FAULTS, judged
from tests.known import CASES, case, drawing, hand_plan, reference_plan

SHELF = catalogue().stock()


@pytest.mark.parametrize("run", range(4))
@pytest.mark.parametrize("corrected", [False, True])
def test_the_reference_cell_runs_as_long_as_its_full_physics_model(run: int, corrected: bool) -> None:
    known = case("cell-reference-21700")["discharges"][run]
    plan = reference_plan(known["power_W"], corrected=corrected)
    plan["packs"][0]["cell"]["empty_v"] = known["cutoff_V"]
    found = assess(plan_of(plan)).runtime
    assert found is not None
    assert found.stop_cause == "cell cut-off"
    assert found.hours == pytest.approx(known["time_h"], rel=0.01)
    assert found.mean_w * (found.hours or 0) == pytest.approx(known["energy_Wh"], rel=0.04)


@pytest.mark.parametrize(("run", "total"), [(0, 0.03), (1, 0.05)])
@pytest.mark.parametrize("corrected", [False, True])
def test_the_reference_cell_charges_in_the_known_time_and_each_phase_in_its_own(run: int, total: float, corrected: bool) -> None:
    known = case("cell-reference-21700")["charges"][run]
    plan = reference_plan(4.0, corrected=corrected)
    plan["chargers"][0] |= {"current_a": known["cc_current_A"], "termination_a": known["cutoff_current_A"]}
    built = plan_of(plan)
    found = charge(assess(built).op, built.chargers[0], known["start_soc"]).off
    assert found.hours == pytest.approx(known["time_total_h"], rel=total)
    constant_h = float(found.elapsed_h[np.flatnonzero(found.limit == 3)[0]])
    assert constant_h == pytest.approx(known["time_cc_h"], rel=0.1)
    assert found.hours - constant_h == pytest.approx(known["time_cv_h"], rel=0.1)  # type: ignore[operator]
    assert np.all(np.diff(found.elapsed_h) >= 0)
    assert assess(plan_of(reference_plan(4.0))).charges[0].off.start_soc == pytest.approx(known["start_soc"], abs=0.01)


@pytest.mark.parametrize(("celsius", "least", "most"), [(0.0, 0.05, 0.10), (-10.0, 0.15, 0.25), (-20.0, 0.30, 0.50)])
def test_a_cold_cell_gives_less_at_half_c(celsius: float, least: float, most: float) -> None:
    cell = catalogue().find("cell-21700-e50").part
    at_half_c = {"packs": [{"id": "pack", "name": "Pack", "cell": cell}], "loads": [drawing(cell.label_ah.likely / 2.0)]}
    warm, cold = (runtime_h(plan_of(hand_plan(**at_half_c, brief={"cells_c": t}))) for t in (25.0, celsius))
    assert least <= 1.0 - cold / warm <= most


def test_a_buck_loses_more_from_a_higher_input_and_lies_where_such_boards_do() -> None:
    board = catalogue().find("buck-5v-3a").part
    losses = losses_of(board)
    efficiency = [10.0 / (v * float(switching_input_current(10.0, v, losses, 2.0))) for v in (7.4, 12.0, 15.0, 20.0)]
    assert efficiency == sorted(efficiency, reverse=True)
    assert all(0.91 <= e <= 0.95 for e in efficiency[1:])
    # 0.14 V and 0.09 Ω at 2 A are 0.64 W, 12 V at 0.5 mA 6 mW, half of 15 ns at 600 kHz of 12 V and 2 A 0.108 W.
    assert efficiency[1] == pytest.approx(10.0 / (10.0 + 0.64 + 0.006 + 0.108), rel=1e-6)


def test_cold_cells_play_shorter_and_sag_deeper() -> None:
    plan = sanderling()
    cold = remade(plan, {"brief": plan.brief.model_copy(update={"cells_c": -5.0})})
    assert runtime_h(cold) < runtime_h(plan)
    warm_v, cold_v = (assess(p).op.store_v[2, 50, 0] for p in (plan, cold))
    rise = (3.9 - cold_v) / (3.9 - warm_v)
    assert 1.1 < rise < 4.0


def test_wire_agrees_to_the_last_digit_of_its_table() -> None:
    for line in (CASES / "wire.csv").read_text().splitlines()[1:]:
        awg, _, area, cold, warm = line.split(",")
        section = awg_section_mm2(float(awg))
        assert f"{section:.4g}" == f"{float(area):.4g}"
        assert f"{wire_resistance_ohm(1, section, 1, 20):.4g}" == f"{float(cold):.4g}"
        assert f"{wire_resistance_ohm(1, section, 1, 60):.4g}" == f"{float(warm):.4g}"


def runtime_h(plan: Plan) -> float:
    found = assess(plan).runtime
    assert found is not None
    assert found.hours is not None
    return found.hours


@pytest.mark.parametrize("plan", demo_plans()[::2], ids=lambda p: p.name)
def test_a_higher_draw_never_plays_longer_and_more_cells_never_shorter(plan: Plan) -> None:
    here = runtime_h(plan)
    for load in plan.loads:
        states = {s: getattr(load.draw, s).at(getattr(load.draw, s).likely * 1.3) for s in ("rest", "play", "peak")}
        assert runtime_h(replaced(plan, altered(load, **{load.kind: type(load.draw)(**states)}))) < here
    more = altered(plan.packs[0], parallel=plan.packs[0].parallel + 1)
    assert runtime_h(replaced(plan, more)) > here


def test_a_thicker_wire_never_lowers_a_voltage() -> None:
    plan = oystercatcher()
    thin = assess(plan).op.flow
    for link in plan.links:
        if link.awg:
            thick = assess(replaced(plan, altered(link, awg=link.awg - 4))).op.flow
            both = ~thin.collapsed & ~thick.collapsed
            assert (thick.element_v[both] >= thin.element_v[both] - 1e-9).all()


def test_energy_taken_from_the_cells_is_what_the_loads_and_losses_took() -> None:
    a = assess(curlew())
    found, op = a.runtime, a.op
    assert found is not None
    mean_w = op.shares @ (op.flow.branch_a[..., 0] * op.curves[0].ocv_v)
    hours = np.interp(found.stop_soc, op.soc[::-1], found.elapsed_h[::-1])
    spent = np.trapezoid(mean_w[op.soc >= found.stop_soc], found.elapsed_h[op.soc >= found.stop_soc])
    assert spent == pytest.approx(found.mean_w * hours, rel=0.02)
    assert found.energy_wh == pytest.approx(spent + found.stranded_wh, rel=0.03), "less what lies below the cut-off"


def test_a_boost_gives_less_as_its_pack_empties_and_a_buck_does_not() -> None:
    boost, buck = (catalogue().find(k).part for k in ("boost-5v-3a", "buck-5v-3a"))
    volts = np.linspace(3.0, 4.2, 9)
    assert (np.diff(deliverable_a(boost, volts)) > 0).all()
    assert (deliverable_a(boost, volts) < 3.0 * volts / 5.0).all()
    assert (deliverable_a(buck, volts + 3.4) > 2.5).all()


def test_a_stop_by_a_board_strands_energy_and_says_which_board() -> None:
    plan = sanderling()
    weak = catalogue().part("boost-5v-1a", id="boost", fed_by="switch")
    a = assess(replaced(plan, weak))
    found = a.runtime
    assert found is not None
    assert (found.stop_cause, found.stop_element) == ("converter current limit", "boost")
    assert found.stranded_wh > 0
    assert found.gain_if_fixed_h == pytest.approx(runtime_h(plan) - (found.hours or 0), rel=0.15), (
        "with a weaker board, which loses more"
    )
    assert runtime_h(replaced(plan, weak)) < runtime_h(plan)


def test_the_three_charge_layouts_differ_as_they_do_on_the_bench() -> None:
    plan = sanderling()

    def charge(**figures: Any) -> Any:
        (found,) = assess(replaced(plan, altered(plan.chargers[0], **figures))).charges
        return found

    path, cut, cell = (charge(layout=layout, battery_path_ohm=None) for layout in ("power_path", "cut_out", "on_cell"))
    assert path.off.hours == pytest.approx(cut.off.hours)
    assert path.play.hours >= path.off.hours
    assert cut.play.hours is None
    assert "cuts it out" in cut.play.why
    assert cell.play.hours is None
    assert "never sees" in cell.play.why
    starved = replaced(plan, altered(plan.supplies[0], current_limit_a=0.5))
    assert assess(starved).charges[0].play.hours is None
    warm = charge(kind="linear", thermal_k_per_w=60.0)
    assert warm.off.hours > path.off.hours
    assert (warm.off.current_a >= -1e-12).all()


@pytest.mark.parametrize("plan", demo_plans()[::2], ids=lambda p: p.name)
def test_a_sound_build_raises_no_rule(plan: Plan) -> None:
    assert assess(plan, SHELF).findings == ()


def test_the_failing_demo_fails_at_every_station_but_draw() -> None:
    a = assess(oystercatcher(), SHELF)
    assert [STATIONS[s].state(a) for s in ("draw", "rails", "pack", "charge")] == ["holds", "fails", "fails", "fails"]


def test_every_rule_has_a_fault_that_only_it_must_catch() -> None:
    assert set(FAULTS) == set(RULES)


@pytest.mark.parametrize("name", sorted(FAULTS))
def test_a_rule_catches_its_fault_and_its_fix_mends_it(name: str) -> None:
    found = [f for f in judged(name).findings if f.rule == name]
    assert found
    assert found[0].cause.endswith(".")
    assert found[0].fix_words
    if BROKEN[name].by_hand:
        assert found[0].fix is None
        return
    assert found[0].fix is not None
    after = [f.state for f in assess(found[0].fix.plan, SHELF).findings if f.key == found[0].key]
    assert "fails" not in after if found[0].state == "fails" else not after


def test_what_fails_is_told_without_the_rules_that_never_say_so() -> None:
    for name in FAULTS:
        found = judged(name)
        assert not [f.rule for f in found.findings if f.state == "fails" and RULES[f.rule].worst != "fails"]
        assert list(found.failing) == [f for f in found.findings if f.state == "fails"], name
        said = {f"wish:{w.field}" for w in found.requirements if w.state == "fails"} - {"wish:hours"}
        assert found.failures.keys() == {f.key for f in found.failing} | said
    quick = assess(FAULTS["runtime-range"](), SHELF)
    assert quick.failures == {}
    assert not {"runtime_range", "reset_spread"} & quick.__dict__.keys(), "how sure it is was not asked"


def test_a_build_that_collapses_is_a_finding_and_never_a_strange_number() -> None:
    plan = oystercatcher()
    a = assess(replaced(plan, altered(plan.links[0], resistance_ohm=0.9)), SHELF)
    assert a.collapse is not None
    assert any("collapse" in f.cause for f in a.findings)
    assert not np.isnan(a.op.flow.element_v).any()
    assert all(np.isfinite(h.spare) for h in a.headrooms)


def test_an_empty_plan_and_a_pack_without_loads_have_honest_answers() -> None:
    empty = assess(plan_of({"name": "Empty"}), SHELF)
    assert (empty.runtime, empty.least_spare(), empty.findings) == (None, None, ())
    assert STATIONS["pack"].state(empty) == "unknown"
    plan = sanderling()
    idle = assess(plan_of(plan.model_dump() | {"loads": (), "converters": (), "rails": (), "links": ()}), SHELF)
    assert idle.runtime is None
    assert idle.charges[0].off.hours is not None


def keys(a: Assessment) -> list[str]:
    spares = [f"headroom:{h.element}:{h.kind}" for h in a.headrooms]
    case = [
        "heat",
        *(["reserve"] if a.reserve else []),
        *(f"wiring:{c.link.id}" for c in a.links),
        *(f"fuse:{c.fuse.id}" for c in a.fuses),
    ]
    shelves = [f"shelf:{s.id}" for s in a.plan.stores]
    return ["draw", "runtime", "energy", *(f"charge:{c.board.id}" for c in a.charges), *spares, *case, *shelves, "voltage:screen"]


@pytest.mark.parametrize("plan", demo_plans(), ids=lambda p: p.name)
def test_every_number_shows_its_working(plan: Plan) -> None:
    a = assess(plan, SHELF)
    for key in keys(a):
        shown = working(a, key)
        assert shown is not None, key
        assert shown.formula
        assert shown.inputs
        assert all(i.source and i.grade for i in shown.inputs), key
        assert len(shown.movers) <= 2
    assert working(a, "voltage:nowhere") is None


def test_the_input_that_moves_runtime_most_is_the_one_that_matters() -> None:
    shown = working(assess(sanderling()), "runtime")
    assert shown is not None
    assert shown.movers[0].name.startswith("Capacity")
    assert shown.movers[0].change == pytest.approx(0.1, abs=0.01)
    assert shown.movers[1].name == "Draw of Small four-core computer board"
    assert shown.movers[1].change < 0


@pytest.mark.parametrize("board", [c.key for c in catalogue().classes if c.group == "computer board"])
@pytest.mark.parametrize("screen", ["screen-28", "screen-70", "screen-70-12v"])
def test_a_draft_is_complete_and_feeds_every_part_within_its_window(board: str, screen: str) -> None:
    a = assess(draft(DraftRequest(name="Draft", board=board, screen=screen, hours=2.0, thickness_mm=34.0)), SHELF)
    assert not [f.cause for f in a.findings if f.state == "fails"]
    assert a.charges
    assert all(p.source and f.grade == "typical" for p in [f for c in a.plan.loads for f in [c.draw.play]] for f in [p])


def test_what_hangs_on_the_currents_alone_is_asked_once_of_plans_that_have_them() -> None:
    a = assess(sanderling(), SHELF)
    a.work_out()
    plan, board, pack = a.plan, a.plan.chargers[0], a.plan.packs[0]
    brief, cell = plan.brief, pack.cell
    same = [
        replaced(plan, altered(board, current_a=2.0)),
        remade(plan, {"brief": brief.model_copy(update={"hours": 11.0})}),
        remade(plan, {"case": plan.case.model_copy(update={"depth_mm": 40.0, "vents": True})}),
        remade(plan, {"days": ()}),
    ]
    other = [
        remade(plan, {"brief": brief.model_copy(update={"cells_c": 0.0})}),
        replaced(plan, altered(pack, parallel=3)),
        replaced(plan, altered(plan.loads[0], peak_share=0.4)),
        remade(plan, {"profile": plan.profile.model_copy(update={"rest": 0.5, "play": 0.4, "peak": 0.1})}),
        replaced(plan, altered(pack, cell=cell.model_copy(update={"max_discharge_a": Figure(low=3, likely=3, high=3)}))),
    ]
    for changed in (*same, *other):
        made, fresh = a.of(changed), assess(changed, SHELF)
        assert (made.op.flow is a.op.flow) == (changed in same)
        assert made.op.plan is changed
        assert [(f.key, f.state, f.cause) for f in made.findings] == [(f.key, f.state, f.cause) for f in fresh.findings]
        assert made.requirements == fresh.requirements
        assert (made.resets.expected, made.spare_range) == (fresh.resets.expected, fresh.spare_range)  # type: ignore[union-attr]


def test_a_table_row_without_source_does_not_load() -> None:
    with pytest.raises(FigureError, match="no source"):
        sourced("sheet", ({"value": "1", "source": " "},))
