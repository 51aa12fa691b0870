"""The order to build in: over random builds, each joint once, nothing closed before the last, by a walk of the graph of its own."""

from __future__ import annotations

import random
from itertools import pairwise

import pytest

from briskcell.core.wiring.order import LAST, Joint, build_order, needed_by
from briskcell.model.changes import altered, remade
from briskcell.model.figure import Figure
from briskcell.model.parts import Fed, Link, Rail
from briskcell.model.plan import Plan
from briskcell.model.tree import board_of
from briskcell.services.demo import curlew, demo_plans, sanderling
from briskcell.services.parts.adding import add
from tests.extremes import extreme_plan

SEEDS = (*range(3), *range(3000, 3060))


def random_harness(seed: int) -> Plan:
    """A demo build as it comes, or with a handful of parts of the library put in anywhere."""
    if seed < len(demo_plans()):
        return demo_plans()[seed]
    rng = random.Random(seed)
    plan = rng.choice(demo_plans())
    keys = [
        "fuse-3",
        "plug-power-10",
        "light",
        "radio-bt",
        "linear-33-025",
        "lamp-low-35",
        "outlet-usb-12",
        "pin-33-05",
        "cell-18650-e35",
        "charger-lin-05",
        "fan-30",
        "jack-dc-2",
    ]
    for key in rng.sample(keys, rng.randint(1, 8)):
        plan = add(plan, key).plan
    return plan


def reached(plan: Plan, joints: tuple[Joint, ...], start: str) -> set[str]:
    """What is joined with a part by some joints, straight or by way of others."""
    found, left = {start}, [start]
    while left:
        at = left.pop()
        for j in joints:
            part, to = (board_of(plan.by_id[i]) for i in (j.part, j.to))  # what comes on a board is joined with it
            other = to if part == at else part if to == at else None
            if other is not None and other not in found:
                found.add(other)
                left.append(other)
    return found


@pytest.mark.parametrize("seed", SEEDS)
def test_no_circuit_to_a_cell_closes_before_the_last_joint(seed: int) -> None:
    plan = random_harness(seed)
    order = build_order(plan)
    keys = [j.key for j in order]
    assert len(set(keys)) == len(keys)
    wanted = {p.id for p in plan.parts() if isinstance(p, Fed) and not isinstance(p, Rail)}
    inside = {k.id for k in plan.links if k.kind == "outlet"} | {c.id for c in plan.converters if c.built_in}
    beside = {b.id for b in (*plan.chargers, *plan.balancers, *plan.trickles) if b.half_of is None}
    assert set(keys) == (wanted - inside) | beside | {LAST}
    # A cell is joined to nothing but its own lead until the last: whatever is joined to the lead has no store behind it.
    stores = {s.id for s in plan.stores}
    assert order[-1].key == LAST
    assert set(order[-1].after) == set(keys) - {LAST}
    for j in order[:-1]:
        assert j.part not in stores, "a store itself is joined by the last alone"
    # Everything comes after what it depends on, and what hangs on a part is joined to it first.
    place = {k: n for n, k in enumerate(keys)}
    for j in order:
        assert all(place[a] < place[j.key] for a in j.after)
        if j.key != LAST and j.part in wanted:
            below = [i for i in order[:-1] if i.to == j.part]
            assert all(place[i.key] < place[j.key] for i in below)
    # The whole is one console for each store, nothing forgotten.
    everything = set().union(*(reached(plan, order[:-1], s) for s in stores))
    assert {p.id for p in plan.loads} <= everything


def test_valid_extremes_have_an_order_too() -> None:
    for seed in range(5000, 5040):
        order = build_order(extreme_plan(seed))
        assert all(set(b.after) <= {j.key for j in order[:n]} for n, b in enumerate(order))


def test_the_order_goes_from_the_far_ends_to_the_pack() -> None:
    keys = [j.key for j in build_order(sanderling())]
    way = ["board", "w-board", "boost", "switch", "w-pack", "fuse", "charger", LAST]
    assert all(keys.index(a) < keys.index(b) for a, b in pairwise(way))
    joints = {j.key: j for j in build_order(curlew())}
    assert (joints["fuse"].to, joints["fuse"].live_later, joints["fuse"].guard) == ("pack", True, "")
    assert (joints["w-pack"].to, joints["w-pack"].live_later, joints["w-pack"].guard) == ("fuse", True, "fuse")
    assert joints["plug"].live_later, "before the switch it is live once the pack is joined"
    assert not joints["jack"].live_later
    assert joints["buck"].guard == "fuse"
    assert joints["w-board"].to == "buck", "a rail is a name; the wire goes to its board"
    ohms = {k.id: k.resistance_ohm.likely for k in curlew().links if k.resistance_ohm}
    assert {k: joints[k].ohm for k in ohms} == ohms


def test_a_joint_undone_takes_back_what_stands_on_it() -> None:
    order = build_order(sanderling())
    assert needed_by(order, "w-screen") == {"w-screen", "boost", "fuse", "switch", "w-pack", LAST}
    assert needed_by(order, LAST) == {LAST}
    assert isinstance(sanderling().by_id["w-screen"], Link)


def test_a_charge_board_comes_after_what_leads_to_it_from_its_socket() -> None:
    plan = sanderling()
    inlet = [
        Link(id=i, name=i, kind="plug", fed_by=at, resistance_ohm=Figure(low=0, likely=0.01, high=0.02))
        for i, at in (("inlet", "usb"), ("lead", "inlet"))
    ]
    fed = remade(plan, {"links": (*plan.links, *inlet), "chargers": tuple(altered(b, fed_by="lead") for b in plan.chargers)})
    joints = {j.key: j for j in build_order(fed)}
    assert set(joints["charger"].after) == {"inlet", "lead"}
    assert joints["charger"].to == "pack"
    assert {j.key: j for j in build_order(plan)}["charger"].after == ()
