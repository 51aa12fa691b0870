"""The drawings made on the server: nothing overlaps, nothing leaves its frame, and what is drawn adds up."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from briskcell.core.assess import assess
from briskcell.drawing.map.flows import flows_of
from briskcell.drawing.map.layout import LEAST_STEP, Layout, Node, trees
from briskcell.drawing.map.open import open_map, open_scene
from briskcell.drawing.map.scene import Scene
from briskcell.drawing.scale import Scale
from briskcell.drawing.shapes import Drawing, Shape
from briskcell.drawing.words import wide
from briskcell.library import catalogue
from briskcell.model.parts import Rail
from briskcell.model.plan import Plan, plan_of
from briskcell.services.assembly import cell_of, load_with_wire, pack_of, plan_from, take, wire
from briskcell.services.demo import demo_plans, sanderling
from briskcell.services.edits.values import set_value
from tests.odd import odd_documents


def crowd(keys: list[str], name: str) -> Plan:
    """A build of many loads on two rails, all with the same long name."""
    parts = [
        pack_of("pack", "Pack", cell_of("cell-21700-p40"), 1, 6, cutoff=2.8),
        wire("w-pack", "Wire from the pack", "pack", 18, 0.09),
        take("fuse-10", id="fuse", fed_by="w-pack"),
        take("boost-5v-5a", id="boost", fed_by="fuse"),
        Rail(id="rail-5", name="5 V rail", fed_by="boost"),
        take("linear-33-1", id="linear", fed_by="rail-5"),
        Rail(id="rail-33", name="3.3 V rail", fed_by="linear"),
    ]
    for k, key in enumerate(keys):
        rail = "rail-33" if key.startswith("radio-bt") else "rail-5"
        parts += load_with_wire(key, f"load-{k}", rail, 26, 0.1, name=f"{name} {k}")
    return plan_from("Crowd", "", parts)


def check_frame(found: tuple[Scene, Layout]) -> None:
    """Every element keeps to its own strip and column, whatever the tree."""
    scene, layout = found

    def check(node: Node) -> None:
        assert node.top - 0.01 <= node.y <= node.bottom + 0.01
        assert node.bottom <= layout.height
        assert layout.left <= node.x <= layout.mouth
        for upper, lower in pairwise(node.children):
            assert upper.bottom <= lower.top + 0.01, "strips overlap"
        for child in node.children:
            assert child.in_x >= node.out_x
            assert child.kind == "load" or child.x - node.x >= LEAST_STEP / 2
            assert node.top - 0.01 <= child.top
            assert child.bottom <= node.bottom + 0.01
            check(child)
        if node.kind != "load":
            assert node.y - node.top >= 13 + 14 * len(node.lines)
            assert all(wide(line) <= layout.step + 62 for line in node.lines)

    for root in layout.roots:
        check(root)
    for upper, lower in pairwise(layout.roots):
        assert upper.bottom <= lower.top + 0.01, "trees overlap"
    ys = sorted(r.y for r in scene.rows)
    assert all(b - a >= 20 for a, b in pairwise(ys)), "rows overlap"


KEYS = ["light", "amp-3w", "controls-wired", "radio-bt", "usb-stick", "fan-30", "haptics"]


@settings(max_examples=25)
@given(
    st.lists(st.sampled_from(KEYS), min_size=3, max_size=30),
    st.sampled_from(["A", "Long name of a part that runs on and on for sixty letters or"]),
)
def test_the_map_of_three_to_thirty_loads_keeps_to_its_frame(keys: list[str], name: str) -> None:
    for room in ("wide", "narrow"):
        check_frame(open_scene(assess(crowd(keys, name)), room))


@pytest.mark.parametrize(
    "name", ["two trees", "a bank", "a capacitor on a charger", "unequal strings", "a load on a pack", "a pack alone"]
)
def test_the_map_of_odd_builds_keeps_to_its_frame(name: str) -> None:
    for room in ("wide", "narrow"):
        check_frame(open_scene(assess(plan_of(odd_documents()[name])), room))


@pytest.mark.parametrize("plan", demo_plans(), ids=lambda p: p.name)
def test_what_is_drawn_adds_up_and_rest_is_thinner_than_peak(plan: Plan) -> None:
    a = assess(plan, catalogue().stock())
    roots = trees(plan)
    flows = flows_of(a, roots)
    alive = ~a.op.flow.collapsed
    for node in (n for root in roots for n in root.walk() if n.children):
        handed_on = np.sum([flows[c.id].watts + flows[c.id].lost for c in node.children], axis=0)
        assert np.allclose(flows[node.id].watts[alive], handed_on[alive], rtol=1e-6), f"{node.id} hands on what it gives"
    used = [flows[n.id].watts for r in roots for n in r.walk() if n.kind == "load"]
    inside = np.sum([*(f.lost for f in flows.values()), *used], axis=0)
    cells = np.sum([c.ocv_v * a.op.flow.branch_a[..., k] for k, c in enumerate(a.op.curves)], axis=0)
    assert np.allclose(inside[alive], cells[alive], rtol=1e-6), "all that the cells give is used or lost"
    thick = {b.ids: b.thick for m in open_scene(a)[0].marks for b in m.bands}
    for load in plan.loads:
        assert thick[load.id][2, 10] >= thick[load.id][0, 10] - 0.11
    heavy = sorted(plan.loads, key=lambda p: -float(flows[p.id].watts[1, 10]))[:2]
    one, two = (float((flows[p.id].watts + flows[p.id].lost)[1, 10]) for p in heavy)
    assert thick[heavy[0].id][1, 10] / thick[heavy[1].id][1, 10] == pytest.approx(one / two, rel=0.05)


def changed(found: Drawing) -> list[str]:
    """What opens from shapes that look changed, by mark and name."""

    def within(shape: Shape) -> list[str]:
        own = [shape.opens] if shape.opens and any("changed" in s.look.split() for s in shape.inside) else []
        return own + [o for s in shape.inside for o in within(s)]

    return [o for s in found.shapes for o in within(s)]


def test_the_map_marks_what_changed_since_the_baseline_and_nothing_else() -> None:
    before = assess(sanderling())
    after = assess(set_value(before.plan, "links/w-screen/awg", "20").plan)
    assert changed(open_map(after, 0.7, "play", baseline=before)) == ["part:screen"], "a wire is drawn as its load's own band"
    assert changed(open_map(before, 0.7, "play", baseline=before)) == []


@given(st.floats(0, 50), st.floats(0.1, 500), st.integers(3, 9))
def test_ticks_are_round_rising_and_within(low: float, wide: float, about: int) -> None:
    scale = Scale(low, low + wide, 0.0, 100.0)
    ticks = scale.ticks(about)
    assert 1 <= len(ticks) <= 2.6 * about
    assert all(low - 1e-6 <= t <= low + wide + 1e-6 for t in ticks)
    assert ticks == sorted(set(ticks))
    assert all(0 <= scale(t) <= 100.1 for t in ticks)
