"""Netlists held against an open simulator: the same voltages in the tree, the same course of a session."""

from __future__ import annotations

import random
import re
import subprocess
from pathlib import Path

import numpy as np
import pytest

from briskcell.core.assess import assess
from briskcell.core.day.session import play_session
from briskcell.core.engine.operating import operate
from briskcell.formats.spice import nodes_of, write_circuit, write_session
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.parts import STATES, Rail
from briskcell.model.plan import Plan, plan_of
from briskcell.services.day.phases import read_phases
from briskcell.services.demo import curlew, demo_plans, sanderling
from tests.core.charge.test_supply import boosts
from tests.faulty import FAULTS, sound
from tests.known import drawing, flat_cell, hand_plan
from tests.odd import odd_documents


def simulated(netlist: str, commands: str) -> str:
    body = netlist.removesuffix(".end\n") + f".control\nset numdgt=12\n{commands}\n.endc\n.end\n"
    return subprocess.run(["ngspice", "-b"], input=body, capture_output=True, text=True, timeout=60).stdout


def agrees(plan: Plan, soc: float, state: str) -> int:
    """Nodes compared, of a build that can be carried."""
    op, row = operate(plan, np.array([soc])), STATES.index(state)
    if op.flow.collapsed[row, 0]:
        return 0
    netlist = write_circuit(plan, soc, state).replace("\n.op\n", "\n")
    found = {n.lower(): float(v) for n, v in re.findall(r"^(\S+) = (\S+)$", simulated(netlist, "op\nprint all"), re.M)}
    nodes = nodes_of(plan)
    for name, k in op.network.position.items():
        expected = float(op.flow.element_v[row, 0, k])
        assert found[nodes[name]] == pytest.approx(expected, rel=1e-3, abs=1e-5), (plan.name, name)
    return len(op.network.position)


@pytest.mark.parametrize("soc", [0.95, 0.5, 0.15])
def test_a_simulator_finds_the_same_voltages_in_the_demo_builds(soc: float) -> None:
    assert sum(agrees(plan, soc, state) for plan in demo_plans() for state in STATES) == 177


def test_a_simulator_finds_the_same_voltages_in_twenty_random_builds() -> None:
    rng = random.Random(13)
    compared = 0
    for _ in range(20):
        plan = sound(rng)
        for fault in rng.sample(list(FAULTS), rng.choice([0, 1, 2])):
            plan = fault(plan, rng)
        compared += sum(agrees(plan, soc, rng.choice(STATES)) > 0 for soc in (0.9, 0.5, 0.2))
    assert compared >= 48, "most random builds can be carried"


def test_a_simulator_finds_the_same_voltages_where_two_sources_meet() -> None:
    compared = 0
    for one_v, two_v, diode in ((5.1, 5.1, ""), (5.1, 5.0, ""), (5.1, 5.4, "diode-schottky-3"), (5.1, 5.12, "diode-ideal-4")):
        plan = boosts(one_v, two_v)
        if diode:
            link = catalogue().part(diode, id="d", fed_by="second")
            plan = remade(plan, {"links": (*plan.links, link)})
            plan = replaced(plan, altered(plan.by_id["rail-5"], also=("d",)))
        compared += sum(agrees(plan, soc, state) for soc in (0.9, 0.4, 0.1) for state in STATES)
    assert compared == 9 * (22 + 22 + 23 + 23)


@pytest.mark.parametrize("kinds", [("diode-ideal-4", "diode-ideal-4"), ("", ""), ("diode-schottky-3", "diode-ideal-4")])
def test_a_simulator_finds_the_same_voltages_where_two_packs_meet(kinds: tuple[str, str]) -> None:
    plan = sanderling()
    second = altered(plan.packs[0], id="two", name="Second pack", parallel=1)
    links, ends = [*plan.links, altered(plan.by_id["w-pack"], id="w-two", fed_by="two")], ["fuse", "w-two"]
    for k, kind in enumerate(kinds):
        if kind:
            links.append(catalogue().part(kind, id=f"d{k}", fed_by=ends[k]))
            ends[k] = f"d{k}"
    joint = Rail(id="joint", name="Joint", fed_by=ends[0], also=(ends[1],))
    met = remade(plan, {"packs": (*plan.packs, second), "links": tuple(links), "rails": (joint, *plan.rails)})
    met = replaced(met, altered(met.by_id["boost"], fed_by="joint"))
    assert min(agrees(met, soc, state) for soc in (0.9, 0.4, 0.1) for state in STATES) >= 24


@pytest.mark.parametrize(("kind", "series"), [("boost", 1), ("buck", 2), ("buck_boost", 1)])
@pytest.mark.parametrize(("drop_v", "ohm"), [(0.3, 0.0), (0.0, 0.2), (0.3, 0.2), (0.0, 0.0)])
def test_each_sort_of_loss_counts_by_itself(kind: str, series: int, drop_v: float, ohm: float) -> None:
    loss = {"kind": "losses", "quiescent_a": 0.004, "drop_v": drop_v, "resistance_ohm": ohm}
    board = {"id": "board", "name": "Board", "kind": kind, "fed_by": "pack", "output_v": 5.0, "loss": loss}
    pack = {"id": "pack", "name": "Pack", "cell": flat_cell(), "series": series}
    plan = plan_of(hand_plan(packs=[pack], converters=[board], loads=[drawing(0.6, fed_by="board")]))
    assert agrees(plan, 0.5, "play") > 1
    op = operate(plan, np.array([0.5]))
    volts, amps = float(op.store_v[1, 0, 0]), float(op.flow.branch_a[1, 0, 0])
    through = 0.6 if kind == "buck" else amps  # a buck's coil carries what it puts out
    lost = volts * 0.004 + drop_v * through + ohm * through**2
    assert volts * amps - 5.0 * 0.6 == pytest.approx(lost, rel=1e-3), "and by the balance of watts"


def test_odd_builds_too() -> None:
    compared = [n for n, d in odd_documents().items() if plan_of(d).stores and agrees(plan_of(d), 0.6, "play")]
    assert len(compared) >= 8


@pytest.mark.parametrize("made", [curlew, sanderling])
def test_a_simulator_plays_a_session_to_the_same_charge_volts_and_warmth(made: object, tmp_path: Path) -> None:
    plan = made()  # type: ignore[operator]
    op, store = assess(plan).op, 0
    phases = read_phases("boot 1 min, play 40 min, rest 10 min, off 15 min, play 20 min plugged, off 30 min plugged, play 30 min")
    course = play_session(op, phases, start_soc=0.6, step_s=2.0, store=store)
    assert course.ended == ""
    netlist = write_session(op, phases, start_soc=0.6, seconds=float(course.time_s[-1]), store=store)
    at, node = tmp_path / "course", nodes_of(plan)[plan.stores[store].id]
    simulated(netlist, f"set wr_singlescale\nrun\nwrdata {at} v(soc) v({node}t) v(warm) i(vstore)")
    table = np.loadtxt(at)
    settled = np.diff(course.time_s, append=np.inf) > 0  # of two samples at the same moment the second holds
    for column, ours, most in (
        (1, course.soc, 0.01),
        (2, course.store_v, 0.04),
        (3, course.case_c, 0.3),
        (4, course.store_a, 0.02),
    ):
        found = np.interp(course.time_s[settled] + 0.05, table[:, 0], table[:, column])
        assert found == pytest.approx(ours[settled], abs=most), column  # a hundredth of the charge, of 4 V, of 30 °C, of 2 A
    moved = [float(course.soc[k]) for k in np.searchsorted(course.time_s, [60.0, 2460.0, 5160.0, 6960.0])]
    assert moved[0] > moved[1], "play drains it"
    assert moved[3] > moved[2], "plugged in and off it fills"
