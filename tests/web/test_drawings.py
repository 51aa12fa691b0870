"""The drawings made on the server: nothing overlaps, nothing leaves its frame, and what is drawn adds up."""

from __future__ import annotations

import re
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from briskcell.core.assess import Assessment, assess
from briskcell.library import catalogue
from briskcell.model.parts import Rail
from briskcell.model.plan import Plan, plan_of
from briskcell.services.compose import cell_of, load_with_wire, pack_of, plan_from, take, wire
from briskcell.services.demo import demo_plans
from briskcell.web.presenters.river import River, river
from briskcell.web.presenters.scale import Scale
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


def drawn(a: Assessment, soc: float = 0.6, state: str = "play") -> River:
    return river(a, soc, state, "rails")


def check_frame(found: River) -> None:
    ys = sorted(r.y for r in found.rows)
    assert all(b - a >= 30 for a, b in pairwise(ys)), "rows overlap"
    for row in found.rows:
        assert 20 < row.y < found.height - 8
        assert len(row.name) <= 24
    for mark in found.marks:
        assert 150 <= mark.x <= 770
        assert all(len(line) <= 17 for line in mark.lines)
        if mark.kind == "pack":
            assert 90 <= mark.y <= found.height - 95
    for band in found.bands:
        points = [(float(x), float(y)) for x, y in re.findall(r"(-?\d+\.\d),(-?\d+\.\d)", band.path)]
        assert points
        assert all(200 <= x <= 800 and 0 <= y <= found.height for x, y in points)
    tanks = sorted(m.y for m in found.marks if m.kind == "pack")
    assert all(b - a >= 195 for a, b in pairwise(tanks)), "packs overlap"


KEYS = ["light", "amp-3w", "controls-wired", "radio-bt", "usb-stick", "fan-30", "haptics"]


@settings(max_examples=25)
@given(
    st.lists(st.sampled_from(KEYS), min_size=3, max_size=30),
    st.sampled_from(["A", "Long name of a part that runs on and on for sixty letters or"]),
)
def test_the_map_of_three_to_thirty_loads_keeps_to_its_frame(keys: list[str], name: str) -> None:
    check_frame(drawn(assess(crowd(keys, name))))


@pytest.mark.parametrize(
    "name", ["two trees", "a bank", "a capacitor on a charger", "unequal strings", "a load on a pack", "a pack alone"]
)
def test_the_map_of_odd_builds_keeps_to_its_frame(name: str) -> None:
    check_frame(drawn(assess(plan_of(odd_documents()[name]))))


@pytest.mark.parametrize("plan", demo_plans(), ids=lambda p: p.name)
def test_band_widths_are_in_proportion_to_watts_and_rest_is_thinner_than_peak(plan: Plan) -> None:
    a = assess(plan, catalogue().shelf())

    def widths(state: str) -> dict[str, float]:
        out = {}
        for band in drawn(a, 0.9, state).bands:
            ys = [float(y) for y in re.findall(r",(-?\d+\.\d)", band.path)]
            out[band.title.split(":")[0]] = ys[-1] - ys[0]
        return out

    rest, peak = widths("rest"), widths("peak")
    for load in plan.loads:
        assert peak[load.name] >= rest[load.name] - 0.11
    play = drawn(a, 0.9, "play")
    watts = {r.element: float(a.op.load_w[1, 10, a.op.network.loads.index(a.plan.by_id[r.element])]) for r in play.rows}  # type: ignore[arg-type]
    wide = widths("play")
    heavy = sorted(plan.loads, key=lambda p: -watts[p.id])[:2]
    assert wide[heavy[0].name] / wide[heavy[1].name] == pytest.approx(watts[heavy[0].id] / watts[heavy[1].id], rel=0.1)


@given(st.floats(0, 50), st.floats(0.1, 500), st.integers(3, 9))
def test_ticks_are_round_rising_and_within(low: float, wide: float, about: int) -> None:
    scale = Scale(low, low + wide, 0.0, 100.0)
    ticks = scale.ticks(about)
    assert 1 <= len(ticks) <= 2.6 * about
    assert all(low - 1e-6 <= t <= low + wide + 1e-6 for t in ticks)
    assert ticks == sorted(set(ticks))
    assert all(0 <= scale(t) <= 100.1 for t in ticks)
