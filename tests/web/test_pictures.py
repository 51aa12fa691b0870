"""The bay, the windows, the curves and the numbers as they are shown: to scale, complete, and honest about what is missing."""

from __future__ import annotations

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from briskcell.core.assess import assess
from briskcell.core.pack.fit import best_placing, stack_mm
from briskcell.drawing.pack.bay import MARGIN, BayViews, bay_views
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.services.demo import curlew, demo_plans, oystercatcher, sanderling
from briskcell.services.edits.swap import swap
from briskcell.services.edits.values import set_value
from briskcell.services.pack.candidates import largest_pack
from briskcell.services.workshop import Workshop
from briskcell.web.frame.numbers import Numbers
from briskcell.web.stations.pack import surface as pack_station
from briskcell.web.stations.rails import surface as rails_station
from briskcell.web.units import change
from briskcell.web.view import View

CELLS = [c.part for c in catalogue().of_kind("cells")]


def drawn(plan: Plan) -> BayViews:
    found = bay_views(assess(plan), plan.packs[0])
    assert found is not None
    return found


bays = st.fixed_dictionaries(
    {
        "length_mm": st.floats(20, 200),
        "width_mm": st.floats(15, 120),
        "depth_mm": st.floats(6, 60),
        "holder_mm": st.sampled_from([0.0, 2.0]),
        "plug_room_mm": st.sampled_from([0.0, 8.0]),
    }
)


@given(st.sampled_from(CELLS), st.integers(1, 12), bays)
def test_the_bay_is_to_scale_with_every_cell_in_its_place_or_beside_it(cell: object, parallel: int, bay: dict[str, float]) -> None:
    plan = remade(replaced(sanderling(), altered(sanderling().packs[0], cell=cell, parallel=parallel)), {"bay": bay})
    found, placing = drawn(plan), best_placing(plan.packs[0].cell, plan.bay)  # type: ignore[arg-type]
    frame = next(r for r in found.top if r.kind == "bay")
    scale = frame.width / bay["length_mm"]
    assert frame.height == pytest.approx(bay["width_mm"] * scale)
    side = next(r for r in found.side if r.kind == "bay")
    assert side.height == pytest.approx(bay["depth_mm"] * scale)
    inside = [r for r in found.top if r.kind == "swelling"]
    placed = min(parallel, placing.cells if placing else 0)
    assert len(inside) == placed
    assert any(r.kind == "left-out" for r in found.top) == (placed < parallel and plan.packs[0].cell.thickness_mm is not None)
    for r in inside:
        assert r.x >= frame.x - 0.01
        assert r.x + r.width <= frame.x + frame.width + 0.01
        assert r.y + r.height <= frame.y + frame.height + 0.01
        assert (r.width, r.height) == pytest.approx((placing.cell_mm[0] * scale, placing.cell_mm[1] * scale))  # type: ignore[union-attr]
    if placing:
        layer = placing.count[0] * placing.count[1]
        assert stack_mm(placing, placed) == pytest.approx(-(-placed // layer) * placing.cell_mm[2])
    assert found.fits == (placed == parallel)
    for edge in found.edges:
        assert edge.drag["low"] <= edge.value <= edge.drag["high"]
        at = edge.drag["start"] + (edge.value - edge.drag["low"]) / (edge.drag["high"] - edge.drag["low"]) * (
            edge.drag["end"] - edge.drag["start"]
        )
        assert at == pytest.approx(edge.x1 if edge.axis == "x" else edge.y1, abs=0.01), "a handle lies where its value is"
    assert frame.x == MARGIN


def test_the_largest_that_fits_does_fit_and_suits_the_charge_board() -> None:
    for plan in (sanderling(), curlew()):
        assert plan.bay is not None
        largest = largest_pack(plan.packs[0], plan.bay)
        assert largest is not None
        cell, parallel, wh = largest
        bigger = replaced(plan, altered(plan.packs[0], cell=cell, parallel=parallel))
        assert assess(bigger).fits[0].fits
        assert abs(cell.full_v - plan.packs[0].cell.full_v) < 0.06
        assert wh == pytest.approx(assess(bigger).runtimes[0].energy_wh, rel=0.06)
        assert wh >= assess(plan).runtimes[0].energy_wh * 0.95


@pytest.mark.parametrize("plan", demo_plans(), ids=lambda p: p.name)
def test_the_rails_proposed_serve_every_part_once_within_its_window(plan: Plan) -> None:
    found = assess(plan).proposals
    served = [p for choice in found for p in choice.parts]
    assert sorted(p.id for p in served) == sorted(p.id for p in plan.loads)
    for choice in found:
        assert choice.choice.low_v <= choice.choice.volts <= choice.choice.high_v
        assert all(p.window.low_v <= choice.choice.volts <= p.window.high_v for p in choice.parts)
        assert choice.why
    assert all(a.choice.high_v < b.choice.low_v for a, b in pairwise(found)), "one voltage fewer would not do"


def test_a_rail_of_the_wrong_volts_is_set_right_in_one_step() -> None:
    low = set_value(sanderling(), "converters/boost/output_v", "4.4 V").plan
    wrong = next(p for p in assess(low).proposals if p.set_board)
    assert wrong.set_board is not None
    mended = set_value(low, f"converters/{wrong.set_board.id}/output_v", f"{wrong.choice.volts:.2f} V").plan
    assert all(p.set_board is None for p in assess(mended).proposals)


def test_the_station_of_rails_tells_what_a_higher_voltage_would_destroy(workshop: Workshop) -> None:
    opened = workshop.builds.open(3)
    surface = rails_station.surface(opened, View("rails", 0.7, "play", ""))
    (radio,) = surface["guarded"]
    assert radio.load.id == "radio"
    assert radio.state == "holds"
    assert radio.higher.id == "boost", "the 5 V above its regulator is named"
    assert {h.board.id for h in surface["handles"]} == {c.id for c in opened.plan.converters}
    assert [p.id for p, above in surface["twice"]] == ["radio"]


def test_every_stop_before_the_packs_own_end_is_named_and_what_it_strands_is_shaded(workshop: Workshop) -> None:
    weak = workshop._store.create(workshop._store.head(3).document, "weak")
    base = workshop.builds.open(weak).revision.id
    changed = workshop.builds.change(weak, base, lambda a: swap(a.plan, "boost", "boost-5v-1a"))
    surface = pack_station.surface(changed, View("pack", 0.7, "play", ""))  # type: ignore[arg-type]
    plot = surface["plot"]
    words = [m["words"] for m in plot["marks"]]
    assert any("current limit" in w for w in words)
    assert any(w.startswith("cut-off") for w in words)
    hours = plot["x"]["values"]
    assert plot["shade"]["from"] == pytest.approx(surface["runtime"].hours, abs=0.01)
    assert plot["shade"]["from"] < plot["shade"]["to"] <= hours[-1] + 0.01
    assert f"{surface['runtime'].stranded_wh:.1f}" in plot["shade"]["words"]


def test_candidates_are_drawn_where_their_figures_are(workshop: Workshop) -> None:
    shown = pack_station.choices(workshop.builds.open(3))
    played = [c for c in shown["found"] if c.runtime_h]
    spots = [s for s in shown["scatter"].shapes if s.look.startswith("spot")]
    assert len(spots) == len(played)
    points = [(c, float(s.inside[0].at["cx"]), float(s.inside[0].at["cy"])) for c, s in zip(played, spots, strict=True)]
    by_hours = sorted(points, key=lambda p: p[0].runtime_h)
    assert all(a[2] >= b[2] for a, b in pairwise(by_hours)), "longer stands higher"
    by_depth = sorted(points, key=lambda p: p[0].thickness_mm)
    assert all(a[1] <= b[1] for a, b in pairwise(by_depth))
    assert [s.look.endswith("here") for s in spots].count(True) == 1
    assert pack_station.choices(workshop.builds.open(2))["scatter"] is None, "nothing plays there: no picture that pretends"


def test_a_number_shows_its_change_only_where_it_can_be_seen() -> None:
    before = assess(sanderling())
    same = Numbers(before, before)
    assert all(same(k).delta == "" for k in ("runtime", "draw", "energy", "heat", "cost"))
    after = assess(set_value(sanderling(), "packs/pack/parallel", "3").plan)
    found = Numbers(after, before)
    assert found("runtime").delta.startswith("+")
    assert found("energy").delta == "+18.3 Wh, better"
    assert found("draw").delta == ""
    gone = assess(swap(oystercatcher(), "boost", "boost-5v-5a").plan)
    assert Numbers(gone, before)("part-draw:radio").delta.startswith("was")
    assert Numbers(before, gone)("part-draw:radio").delta == "new"
    assert Numbers(before, None)("warmth:nobody", "not stated").shown == "not stated"
    assert [change(v, u) for v, u in ((0.35, "h"), (-0.04, "%"), (1.0, "W"), (-3.0, "°C"))] == ["+0:21", "−4", "+1.00 W", "−3 °C"]


def test_a_pack_of_unequal_strings_still_has_a_bay_and_a_list() -> None:
    plan = sanderling()
    strings = ({"cell": plan.packs[0].cell}, {"cell": catalogue().find("pouch-p30").part})
    mixed = replaced(plan, altered(plan.packs[0], strings=strings))
    assert isinstance(mixed.packs[0], Pack)
    assert drawn(mixed).words
