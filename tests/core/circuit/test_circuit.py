"""The circuit that is soldered: pad by pad as a builder would have it, whole, and to a simulator the very tree."""

from __future__ import annotations

import random
import re

import numpy as np
import pytest

from briskcell.core.assess import assess
from briskcell.core.charge.plugged import plugged
from briskcell.core.circuit.circuit import Circuit, End, circuit_of
from briskcell.core.engine.operating import operate
from briskcell.drawing.wiring.soldered import soldered
from briskcell.formats.soldered import nodes_of_terminals, write_kicad, write_soldered
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.parts import STATES, Converter, Load
from briskcell.model.plan import Plan, plan_of
from briskcell.model.stores import Bank
from briskcell.services.demo import curlew, demo_plans, oystercatcher, sanderling
from briskcell.services.edits.swap import swap
from briskcell.services.parts.adding import add
from tests.faulty import FAULTS, sound
from tests.formats.test_spice import simulated
from tests.odd import odd_documents

STOCK = catalogue().stock()


def joined(circuit: Circuit, place: str) -> set[tuple[str, str, str]]:
    """What is joined to a place: its terminal, and the place and terminal at the other end."""
    out = set()
    for c in circuit.at(place):
        here, there = (c.a, c.b) if c.a.place == place else (c.b, c.a)
        out.add((here.terminal, there.place, there.terminal))
    return out


def test_a_power_path_feeds_the_console_from_its_output_and_nothing_hangs_on_the_pack() -> None:
    c = circuit_of(sanderling())
    assert joined(c, "pack") == {("out", "pack-protection", "cells"), ("gnd", "pack-protection", "cells-minus")}
    assert joined(c, "pack-protection") - {("cells", "pack", "out"), ("cells-minus", "pack", "gnd")} == {
        ("out", "charger", "bat"),
        ("gnd", "charger", "bat-"),
    }
    assert joined(c, "charger") == {
        ("in", "usb", "out"),
        ("in-", "usb", "gnd"),
        ("bat", "pack-protection", "out"),
        ("bat-", "pack-protection", "gnd"),
        ("out", "fuse", "a"),
        ("gnd", "boost", "in-"),
    }
    assert joined(c, "switch") == {("a", "fuse", "b"), ("b", "boost", "in")}
    assert ("plus", "boost", "out") in joined(c, "screen")
    assert ("gnd", "boost", "gnd") in joined(c, "screen")


def test_a_board_that_charges_and_boosts_is_one_board_whose_cells_and_input_are_the_same_pads() -> None:
    c = circuit_of(oystercatcher())
    assert "charger" not in c.by_id
    assert {t for t in joined(c, "pack-protection") if t[0] in ("out", "gnd")} == {("out", "switch", "a"), ("gnd", "boost", "in-")}
    assert {t for t in joined(c, "boost") if t[0] in ("in", "in-", "charge", "charge-")} == {
        ("in", "switch", "b"),
        ("in-", "pack-protection", "gnd"),
        ("charge", "usb", "out"),
        ("charge-", "usb", "gnd"),
    }
    assert [t.prints for t in c.by_id["boost"].terminals if t.key in ("in", "in-", "charge")] == ["B+", "B-", "IN+"]


def test_a_console_on_the_cell_and_its_charge_board_share_the_leads_of_the_pack() -> None:
    c = circuit_of(swap(sanderling(), "charger", "charger-lin-1-cell").plan)
    assert {t for t in joined(c, "pack-protection") if t[0] in ("out", "gnd")} == {
        ("out", "fuse", "a"),
        ("out", "charger", "bat"),
        ("gnd", "boost", "in-"),
        ("gnd", "charger", "bat-"),
    }


def test_the_plug_of_the_charger_goes_into_the_jack_that_cuts_out_and_a_balance_lead_between_the_cells() -> None:
    c = circuit_of(curlew())
    assert joined(c, "jack") == {
        ("a", "switch", "b"),
        ("b", "buck", "in"),
        ("tip", "barrel", "out"),
        ("tip", "charger", "in"),
        ("sleeve", "barrel", "gnd"),
        ("sleeve", "charger", "in-"),
    }
    assert ("tap1", "pack", "tap1") in joined(c, "charger")
    # The wire from the pack has two ways back: the regulator's, and the lamp's that hangs before it.
    assert {t[1:] for t in joined(c, "w-pack-end")} == {("pack-protection", "gnd"), ("buck", "in-"), ("low", "gnd")}


def test_half_of_a_wire_lies_in_each_strand_and_all_of_it_where_the_way_back_is_shared() -> None:
    c = circuit_of(sanderling())
    strands = {k.key: k.ohm for k in c.conductors if k.link is not None and k.link.id == "w-screen"}
    ohm = 1.7241e-8 * 0.14 * 2 / (0.205e-6)
    assert strands == {"w-screen:+": pytest.approx(ohm / 2, rel=0.01), "w-screen:-": pytest.approx(ohm / 2, rel=0.01)}
    shared = plan_of(dict(odd_documents())["a shared return"])
    wires = [k for k in circuit_of(shared).conductors if k.link is not None and k.link.kind == "return"]
    assert wires
    assert all(k.share == 1.0 for k in wires)


def random_builds(seed: int, count: int) -> list[Plan]:
    rng = random.Random(seed)
    out: list[Plan] = []
    while len(out) < count:
        plan = sound(rng)
        try:
            for fault in rng.sample(list(FAULTS), rng.choice([0, 1, 2])):
                plan = fault(plan, rng)
        except (IndexError, StopIteration):  # nothing within reach for that fault
            continue
        out.append(plan)
    return out


def compared(plan: Plan, soc: float, state: str) -> int:
    """Parts whose volts a simulator finds from terminals and conductors as the engine does from the tree."""
    op, row = operate(plan, np.array([soc])), STATES.index(state)
    if op.flow.collapsed[row, 0]:
        return 0
    circuit = circuit_of(plan)
    node = nodes_of_terminals(circuit)
    text = simulated(write_soldered(plan, soc, state).replace("\n.op\n", "\n"), "op\nprint all")
    found = {n.lower(): float(v) for n, v in re.findall(r"^(\S+) = (\S+)$", text, re.M) if "," not in v}
    for k, part in enumerate((*op.network.loads, *op.network.converters)):
        plus = "plus" if isinstance(part, Load) else "out"
        at = circuit.end(part, plus) if isinstance(part, Converter) else circuit.fed(part)
        volts = found[node[at]] - found[node[circuit.end(part, "gnd")]]
        ours = op.flow.loads_v[row, 0, k] if isinstance(part, Load) else op.flow.element_v[row, 0, op.network.position[part.id]]
        assert volts == pytest.approx(float(ours), rel=1e-3, abs=1e-5), (plan.name, part.id)
    return len(op.network.loads) + len(op.network.converters)


def on_the_charger(plan: Plan, soc: float, state: str) -> int:
    """Volts of what is fed while each board charges, and of the cells, by a simulator and by the engine."""
    count, circuit = 0, circuit_of(plan)
    node, op = nodes_of_terminals(circuit), operate(plan)
    for board in plan.chargers:
        ours = plugged(op, board, soc, state)
        short = ours.layout == "power_path" and ours.into_a < ours.charge_a - 1e-9  # the cells help: another balance
        if isinstance(plan.by_id[board.charges], Bank) or not ours.carried or ours.flow.collapsed.any() or short:
            continue
        jacks = any(k.kind == "jack" for k in plan.links)
        if ours.layout == "cut_out" and (not jacks or assess(plan).of_rule("cut-out-whole")):
            continue  # what cuts out is not in the plan, or not all hangs behind it: told by rules
        text = simulated(write_soldered(plan, soc, state, board).replace("\n.op\n", "\n"), "op\nprint all")
        found = {n.lower(): float(v) for n, v in re.findall(r"^(\S+) = (\S+)$", text, re.M) if "," not in v}
        cells = found[node[End(board.charges, "out")]] - found[node[End(board.charges, "gnd")]]
        assert cells == pytest.approx(ours.store_v, rel=1e-3), (plan.name, board.id)
        came = found[node[circuit.end(board, "in")]] - found[node[circuit.end(board, "in-")]]
        assert came == pytest.approx(ours.nodes[-1].voltage_v, rel=1e-3), (plan.name, board.id)
        for k, part in enumerate(op.network.loads if ours.layout != "cut_out" else ()):
            volts = found[node[circuit.fed(part)]] - found[node[circuit.end(part, "gnd")]]
            assert volts == pytest.approx(float(np.ravel(ours.flow.loads_v[..., k])[0]), rel=1e-3, abs=1e-5), (plan.name, part.id)
            count += 1
        count += 2
    return count


def test_what_is_soldered_is_what_is_computed_on_the_charger_too() -> None:
    states = random.Random(6)
    wired = add(add(sanderling(), "fuse-5", "charger").plan, "wire-26", "charger").plan
    plans = [*demo_plans(), wired, *with_whole_boards(), *random_builds(32, 20)]
    counts = [on_the_charger(p, states.choice((0.95, 0.6, 0.2)), states.choice(STATES[:2])) for p in plans]
    assert sum(n > 2 for n in counts) >= 12


def with_whole_boards() -> list[Plan]:
    """Sanderling on each board that does more than one thing, and a trimmed console board on its power board."""
    base = sanderling()
    boosts = [key for key in STOCK.halves if getattr(catalogue().find(key).part, "kind", "") == "boost"]
    out = [swap(base, "boost", key).plan for key in boosts]
    out.append(add(add(curlew(), "power-console", behind="jack").plan, "console-trimmed").plan)
    return [remade(p, {"name": f"{p.name} {k}"}) for k, p in enumerate(out)]


def test_what_is_soldered_is_what_is_computed() -> None:
    states = random.Random(5)
    odd = (plan_of(d) for _, d in odd_documents().items())
    plans = [*demo_plans(), *with_whole_boards(), *random_builds(31, 30), *odd]
    counts = [compared(p, states.choice((0.9, 0.5, 0.2)), states.choice(STATES)) for p in plans if p.stores]
    assert sum(n > 0 for n in counts) >= 30


@pytest.mark.parametrize("plan", [*demo_plans(), *random_builds(8, 12)], ids=lambda p: p.name)
def test_every_part_is_joined_by_both_poles_and_no_net_joins_plus_to_minus(plan: Plan) -> None:
    circuit = circuit_of(plan)
    for part in (*plan.loads, *plan.converters):
        if isinstance(part, Converter) and part.built_in:
            continue
        poles = {circuit.by_id[part.id].of(t).polarity for t, _, _ in joined(circuit, part.id)}
        assert poles >= {"+", "-"}, part.id
    for net in circuit.nets:
        signs = {circuit.by_id[e.place].of(e.terminal).polarity for e in net} - {""}
        assert len(signs) <= 1, sorted((e.place, e.terminal) for e in net)


@pytest.mark.parametrize("plan", [*demo_plans(), *random_builds(9, 6)], ids=lambda p: p.name)
def test_what_is_on_the_list_is_what_is_on_the_drawing_and_in_the_netlist(plan: Plan) -> None:
    a = assess(plan, STOCK)
    drawn = soldered(a)
    assert drawn is not None
    titles = [s.title for s in drawn.shapes if " to " in s.title]
    assert len(titles) == len(a.circuit.conductors)
    ends = {frozenset((p.near, p.far)) for p in a.pieces}
    wires = {frozenset((a.circuit.words(c.a), a.circuit.words(c.b))) for c in a.circuit.conductors if c.link is not None}
    assert ends == wires
    text = write_kicad(a.circuit)
    nets = re.split(r"\(net ", text)[1:]
    refs = dict(re.findall(r'\(comp \(ref "(J\d+)"\) \(value "([^"]*)"', text))
    told = sorted(sorted((refs[r], pin) for r, pin in re.findall(r'\(node \(ref "(J\d+)"\) \(pin "([^"]*)"\)', n)) for n in nets)
    ours = sorted(sorted((a.circuit.by_id[e.place].name, e.terminal) for e in net) for net in a.circuit.nets)
    assert told == ours
    assert text.count("(") == text.count(")")


def test_no_cell_is_in_any_circuit_before_the_last_joint() -> None:
    for plan in (*demo_plans(), *random_builds(10, 8)):
        a = assess(plan, STOCK)
        stores = {s.id for s in plan.stores}
        before = {j.key for j in a.joints} - {"last"}
        reached = {c.key for c in a.circuit.conductors if {c.a.place, c.b.place} & stores}
        for key in reached:  # a lead of the cells themselves: joined last, or that of a board beside it, to the free lead
            assert key.rpartition(":")[0].removesuffix("-protection") in stores | before


FUSED = add(oystercatcher(), "fuse-5", "charger").plan


@pytest.mark.parametrize("plan", [*demo_plans(), FUSED, *with_whole_boards(), *random_builds(12, 8)], ids=lambda p: p.name)
def test_the_joints_of_the_order_make_every_conductor_once_and_close_no_cell_before_the_last(plan: Plan) -> None:
    a = assess(plan, STOCK)
    own = {s.id for s in plan.stores}
    rails = {r.id: r.fed_by for r in plan.rails}

    def made_with(key: str) -> str:
        part = key.rpartition(":")[0]
        for ending in ("-protection", "-button"):
            part = part.removesuffix(ending)
        return rails.get(part, part)

    joints = [j.key for j in a.joints]
    left = {c.key for c in a.circuit.conductors}
    met: dict[End, set[End]] = {}
    for key in joints:
        part = None if key == "last" else key
        for c in a.circuit.conductors:
            owner = made_with(c.key)
            whose = a.circuit.by_id.get(owner)
            halves = {h.id for h in plan.halves.get(owner, ())} if whose is not None else set()
            if c.key in left and (owner in own if part is None else part in ({owner} | halves)):
                left.discard(c.key)
                met.setdefault(c.a, set()).add(c.b)
                met.setdefault(c.b, set()).add(c.a)
        for store in own if part is not None else ():
            assert not any(e.place == store and not e.terminal.startswith("tap") for e in met), "a cell is joined by the last alone"
    plugged_in = {c.key for c in a.circuit.conductors if {c.a.place, c.b.place} & {s.id for s in plan.supplies}}
    assert not left - plugged_in - {c.key for c in a.circuit.conductors if ":also" in c.key}, left


def test_links_before_a_charge_board_and_a_second_source_are_in_it() -> None:
    plan = add(add(sanderling(), "fuse-5", "charger").plan, "wire-26", "charger").plan
    c = circuit_of(plan)
    assert ("a", "usb", "out") in joined(c, "fuse-5")
    assert ("in", "fuse-5", "b") in joined(c, "charger")
    second = altered(sanderling().by_id["boost"], id="second", name="Second")
    two = remade(sanderling(), {"converters": (*sanderling().converters, second)})
    two = replaced(two, altered(two.by_id["rail-5"], also=("second",)))
    assert ("out", "boost", "out") in joined(circuit_of(two), "second")
