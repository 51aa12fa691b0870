"""The tree: known answers, balances, limits."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from briskcell.core.assess import assess
from briskcell.core.charge.plugged import plugged
from briskcell.core.engine.network import Draws, compile_network, draws_of
from briskcell.core.engine.operating import operate
from briskcell.core.engine.solver import Flow, solve
from briskcell.core.engine.sources import current_limit_a, string_currents
from briskcell.model.changes import altered, replaced
from briskcell.model.plan import Plan, plan_of
from briskcell.services.demo import sanderling
from tests.known import capacitor_plan, case, tree_plan
from tests.odd import odd_documents


def solved(plan: Plan, ocv_v: float, ohm: float) -> Flow:
    network = compile_network(plan)
    d = draws_of(network.loads, "play")
    rows = Draws(power_w=d.power_w[None], current_a=d.current_a[None], conductance_s=d.conductance_s[None])
    return solve(network, [[ocv_v]], [[ohm]], rows)


@pytest.mark.parametrize("name", ["tree-01", "tree-02", "tree-04", "tree-05", "tree-10"])
def test_known_trees_agree_in_every_voltage_and_current(name: str) -> None:
    data = case(name)
    string = data["topology"]["strings"][0]
    flow = solved(plan_of(tree_plan(data)), string["ocv_V"], string["resistance_ohm"])
    for element, known in data["elements"].items():
        column = flow.network.position[element]
        names = ("voltage_out_V", "voltage_V", "terminal_voltage_V", "voltage_above_source_negative_V")
        volts = next(known[n] for n in names if n in known)
        amps = known.get("current_out_A", known.get("current_A", known.get("total_current_A")))
        assert flow.element_v[0, column] == pytest.approx(volts, rel=1e-6)
        assert flow.element_a[0, column] == pytest.approx(amps, rel=1e-6)


@pytest.mark.parametrize("name", ["tree-11", "tree-12"])
def test_known_trees_on_the_charger_agree_in_every_voltage_and_current(name: str) -> None:
    data = case(name)
    plan = plan_of(tree_plan(data))
    found = plugged(operate(plan), plan.chargers[0], 0.5, "play")
    known = data["elements"]
    for node in found.nodes:
        want = known[node.element]
        assert node.voltage_v == pytest.approx(want.get("voltage_out_V", want.get("terminal_voltage_V")), rel=1e-4)
        assert node.current_a == pytest.approx(want.get("current_A", want.get("total_current_A")), rel=1e-4)
    for element in ("boost5", "w_cpu", "cpu"):
        column = found.flow.network.position[element]
        want = known[element]
        assert found.flow.element_v[column] == pytest.approx(want.get("voltage_out_V", want.get("voltage_V")), rel=1e-4)
        assert found.flow.element_a[column] == pytest.approx(want.get("current_out_A", want.get("current_A")), rel=1e-4)
    assert found.charge_a == pytest.approx(known["chg"]["charge_current_A"], rel=1e-4)
    assert found.store_v == pytest.approx(known["chg"]["cell_terminal_voltage_V"], rel=1e-4)
    assert found.system_a == pytest.approx(known["sys"]["current_A"], rel=1e-4)


def test_unequal_strings_share_a_load_as_two_sources_do() -> None:
    plan = tree_plan(case("tree-01"))
    cell = plan["packs"][0]["cell"]
    low = cell | {"ocv": {"soc": [0, 1], "value": [3.6, 3.6]}, "resistance_ohm": 0.12}
    plan["packs"][0]["strings"] = [{"cell": cell}, {"cell": low}]
    op = operate(plan_of(plan))
    curves = op.curves[0]
    amps = op.flow.branch_a[1, 50, 0]
    volts = op.store_v[1, 50, 0]
    assert (3.7 - volts) / 0.045 + (3.6 - volts) / 0.12 == pytest.approx(amps, rel=1e-6)
    assert curves.capacity_ah == pytest.approx(6.0)
    each = string_currents(curves, op.flow.branch_a[1, :, 0])[:, 50]
    assert each == pytest.approx([(3.7 - volts) / 0.045, (3.6 - volts) / 0.12], rel=1e-6)
    assert each.sum() == pytest.approx(amps, rel=1e-6)
    pack = op.plan.packs[0]
    tired = pack.strings[1].cell.model_copy(update={"max_discharge_a": pack.cell.max_discharge_a.at(0.5)})
    weak = altered(pack, strings=(pack.strings[0], {"cell": tired}))
    assert current_limit_a(weak, curves, "max_discharge_a")[0] == pytest.approx(0.5 * (1 + 0.12 / 0.045), rel=1e-6)


def test_a_supercapacitor_lasts_as_long_as_its_known_run() -> None:
    known = case("tree-14")
    plan = plan_of(capacitor_plan(known))
    found = assess(plan).runtime
    assert found is not None
    assert found.stop_cause == "converter lock-out"
    assert (found.hours or 0) * 3600 == pytest.approx(known["results"]["time_to_minimum_input_s"], rel=1e-3)
    assert found.stop_soc * 4.8 == pytest.approx(known["results"]["internal_voltage_at_end_V"], rel=1e-3)
    used_j = (found.energy_wh - found.stranded_wh) * 3600
    assert used_j == pytest.approx(
        sum(known["results"][k] for k in known["results"] if k.startswith("energy_lost"))
        + known["results"]["energy_delivered_to_load_J"],
        rel=2e-3,
    )


def test_a_tree_that_collapses_leaves_the_other_alone() -> None:
    whole = plan_of(odd_documents()["two trees"])
    alone = assess(sanderling()).runtime
    heavy = altered(whole.by_id["strip"], current_a=None, power_w=dict.fromkeys(("rest", "play", "peak"), 300.0))
    both = assess(replaced(whole, heavy))
    assert alone is not None
    assert both.op.flow.lost[..., 1].all()
    assert not both.op.flow.lost[..., 0].any()
    assert both.runtimes[0].hours == pytest.approx(alone.hours, rel=1e-6)
    assert both.runtimes[1].hours == 0.0


def one_load(power_w: float, ohm: float) -> dict[str, Any]:
    plan = tree_plan(case("tree-01"))
    plan["converters"] = []
    plan["links"] = [{"id": "path", "name": "path", "kind": "path", "fed_by": "pack", "resistance_ohm": ohm}]
    states = dict.fromkeys(("rest", "play", "peak"), power_w)
    plan["loads"] = [plan["loads"][0] | {"fed_by": "path", "power_w": states}]
    return plan


@given(st.floats(0.005, 2.0), st.floats(2.5, 12.0), st.floats(0.0, 0.9999))
def test_the_upper_root_is_found_up_to_the_nose(ohm: float, ocv_v: float, share: float) -> None:
    power = share * ocv_v**2 / (4 * (ohm + 0.01))
    assume(power <= 500)
    flow = solved(plan_of(one_load(power, ohm)), ocv_v, 0.01)
    assert not flow.collapsed[0]
    root = (ocv_v + np.sqrt(ocv_v**2 - 4 * (ohm + 0.01) * power)) / 2
    assert flow.consumer_v[0, 0] == pytest.approx(root, rel=1e-6)


@given(st.floats(0.005, 2.0), st.floats(2.5, 12.0), st.floats(1.0001, 50.0))
def test_past_the_nose_it_collapses_and_shows_no_number(ohm: float, ocv_v: float, share: float) -> None:
    power = share * ocv_v**2 / (4 * (ohm + 0.01))
    assume(power <= 500)
    flow = solved(plan_of(one_load(power, ohm)), ocv_v, 0.01)
    assert flow.collapsed[0]
    assert flow.consumer_v[0, 0] == 0.0
    assert np.isinf(flow.element_a).all()
    assert not np.isnan(flow.element_w).any()


figures = st.floats(0.001, 0.08)


@st.composite
def trees(draw: st.DrawFn) -> Plan:
    """A random tree: links, boosts, bucks and linear regulators of any depth, loads of three kinds."""
    plan = tree_plan(case("tree-01"))
    plan["links"], plan["converters"], plan["loads"] = [], [], []
    spots = [("pack", 3.7)]
    for k in range(draw(st.integers(1, 9))):
        at, volts = draw(st.sampled_from(spots))
        kind = draw(st.sampled_from(["link", "link", "boost", "buck", "linear"]))
        part: dict[str, Any] = {"id": f"e{k}", "name": f"e{k}", "fed_by": at}
        if kind == "link":
            plan["links"].append(part | {"kind": "path", "resistance_ohm": draw(figures)})
        else:
            volts = volts * (1.5 if kind == "boost" else 0.7)
            part |= {"kind": kind, "output_v": volts, "output_resistance_ohm": draw(figures)}
            losses = {"kind": "losses", "quiescent_a": 0.001, "drop_v": 0.05, "resistance_ohm": draw(figures)}
            fixed = {"kind": "fixed", "efficiency": draw(st.floats(0.7, 0.98))}
            part |= {"quiescent_a": 0.001} if kind == "linear" else {"loss": draw(st.sampled_from([losses, fixed]))}
            plan["converters"].append(part)
        spots.append((f"e{k}", volts))
    for k in range(draw(st.integers(1, 6))):
        at, volts = draw(st.sampled_from(spots))
        watts = draw(st.floats(0.0, 0.5))
        kinds = [("power_w", watts), ("current_a", watts / volts), ("resistance_ohm", volts**2 / (watts + 0.01))]
        kind, value = draw(st.sampled_from(kinds))
        states = dict.fromkeys(("rest", "play", "peak"), value)
        window = {"low_v": 0.1, "high_v": 60}
        plan["loads"].append({"id": f"l{k}", "name": f"l{k}", "fed_by": at, kind: states, "window": window})
    return plan_of(plan)


@settings(max_examples=60, deadline=None)
@given(trees())
def test_power_in_is_power_out_plus_losses_at_every_node(plan: Plan) -> None:
    flow = solved(plan, 3.7, 0.03)
    if flow.collapsed[0]:
        return
    net = flow.network
    for name in net.elements:
        below = plan.fed.get(name, ())
        if name in [p.id for p in net.loads]:
            continue
        taken = sum(
            flow.consumer_a[0, len(net.loads) + net.converters.index(c)]
            if c in net.converters
            else flow.element_a[0, net.position[c.id]]
            for c in below
        )
        assert flow.element_a[0, net.position[name]] == pytest.approx(taken, abs=1e-6)
    source_w = 3.7 * flow.branch_a[0, 0]
    heat = float((flow.branch_a[0] ** 2 * flow.branch_ohm[0]).sum())
    for k, converter in enumerate(net.converters):
        volts_in, amps_in = flow.consumer_v[0, len(net.loads) + k], flow.consumer_a[0, len(net.loads) + k]
        heat += volts_in * amps_in - flow.source_v[0, 1 + k] * flow.output_a(k)[0]
        assert volts_in * amps_in >= flow.source_v[0, 1 + k] * flow.output_a(k)[0] - 1e-9, converter.name
    loads_w = float((flow.consumer_v[0] * flow.consumer_a[0])[: len(net.loads)].sum())
    assert source_w == pytest.approx(loads_w + heat, rel=1e-6, abs=1e-9)


@settings(max_examples=25, deadline=None)
@given(trees())
def test_a_batch_gives_what_its_points_give_one_by_one(plan: Plan) -> None:
    network = compile_network(plan)
    d = draws_of(network.loads, "play")
    share = np.array([0.2, 1.0, 4.0, 60.0])[:, None]
    rows = Draws(power_w=d.power_w * share, current_a=d.current_a * share, conductance_s=d.conductance_s * share)
    batch = solve(network, np.full((4, 1), 3.7), np.full((4, 1), 0.03), rows)
    for k in range(4):
        one = Draws(power_w=rows.power_w[k], current_a=rows.current_a[k], conductance_s=rows.conductance_s[k])
        single = solve(network, [3.7], [0.03], one)
        assert single.collapsed == batch.collapsed[k]
        assert single.consumer_v == pytest.approx(batch.consumer_v[k], abs=1e-7)
