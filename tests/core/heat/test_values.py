"""Hand-worked values of the closed case."""

from __future__ import annotations

import math
from typing import Any

import pytest

from briskcell.core.assess import assess
from briskcell.core.heat.case import case_conductance, cells_limit_c, touch_limit_c
from briskcell.formats.assessment_json import assessment_document
from briskcell.library import catalogue
from briskcell.model.plan import Case, plan_of
from briskcell.services.demo import oystercatcher
from tests.known import closed_case, drawing, flat_cell, hand_plan

# 160 × 85 × 30 mm: 2·(0.0136 + 0.00255 + 0.0048) = 0.0419 m², 65 % free, 9.0 W/m²K at 8 K over the room.
FILM = 5.8 + 1.9 * 8.0**0.25
BARE = FILM * 0.0419 * 0.65


def found(watts: float, **lists: Any) -> Any:
    plan = hand_plan(packs=[{"id": "pack", "name": "Pack", "cell": flat_cell(ohm=0.0)}], loads=[drawing(watts, "power_w")]) | lists
    return assess(plan_of(plan)).heat


def test_a_case_gives_off_heat_by_its_free_surface() -> None:
    assert case_conductance(Case()) == pytest.approx(BARE)
    assert case_conductance(Case(vents=True)) == pytest.approx(BARE * 1.35)
    assert case_conductance(Case(vents=True, fan=True)) == pytest.approx(BARE * 1.35 * 2.2)
    assert case_conductance(Case(covered=0.0)) == pytest.approx(FILM * 0.0419)
    assert case_conductance(Case(covered=0.0), 25.0) == pytest.approx((5.8 + 1.9 * 25.0**0.25) * 0.0419)
    assert case_conductance(Case(covered=1.0)) == pytest.approx(FILM * 0.0419 * 0.05), "never quite wrapped up"


@pytest.mark.parametrize(("watts", "brief"), [(3.0, {}), (6.0, {}), (3.0, {"held": False}), (2.0, {"room_c": 40.0})])
def test_every_watt_warms_skin_air_and_cells_and_hands_take_some_of_it_away(watts: float, brief: dict[str, Any]) -> None:
    h, room = found(watts, brief=brief), brief.get("room_c", 30.0)
    told = closed_case(watts, part_w=watts, room_c=room, held=brief.get("held", True))
    assert h.watts == pytest.approx(watts)
    assert (h.mean_skin_c, h.skin_c) == pytest.approx((told["mean"], told["skin"]), abs=0.02)
    assert (h.air_c, h.cells_c) == pytest.approx((told["air"], told["cells"]), abs=0.02)
    low, high = h.air_range_c
    assert (low - h.mean_skin_c, high - h.mean_skin_c) == pytest.approx(
        (0.25 / 0.4 * (h.air_c - h.mean_skin_c), 0.7 / 0.4 * (h.air_c - h.mean_skin_c))
    )


def test_vents_and_a_fan_save_what_the_balance_of_the_skin_says() -> None:
    h = found(3.0)
    for saved, factor in ((h.vents_save_k, 1.35), (h.fan_saves_k, 2.2)):
        rise = h.rise_k - (saved - 1.6 * 3.0 * (1.0 - 1.0 / factor))
        given = (5.8 + 1.9 * rise**0.25) * factor * 0.0419 * 0.65 * rise
        assert given + 12.0 * 0.0419 * 0.35 * (30.0 + rise - 34.0) == pytest.approx(3.0, rel=1e-3)
    assert h.minutes_to_limit is None


def test_a_metal_shell_spreads_what_a_part_makes_hot() -> None:
    plastic, metal = found(3.0), found(3.0, case={"material": "metal", "wall_mm": 1.0})
    assert plastic.skin_c - plastic.mean_skin_c == pytest.approx(1.6 * 3.0)
    assert metal.skin_c - metal.mean_skin_c == pytest.approx(0.2 * 3.0)


def test_cells_warm_by_what_they_lose_over_the_air_and_the_wall_beside_them() -> None:
    # 1 A from 3.7 V behind 50 mΩ loses 50 mW in the cell.
    plan = hand_plan(packs=[{"id": "pack", "name": "Pack", "cell": flat_cell(ohm=0.05)}])
    for cells_c, times in ((30.0, 1.0), (40.0, 1.0), (0.0, math.exp(3000 / 273.15 - 3000 / 303.15))):
        h = assess(plan_of(plan | {"brief": {"room_c": 30.0, "cells_c": cells_c}})).heat
        assert h.watts == pytest.approx(3.7)
        ohm = 0.05 * math.exp(3000 / (cells_c + 273.15) - 3000 / 298.15)
        told = closed_case(3.7, own_w=ohm / times, part_w=3.7)
        assert h.cells_c == pytest.approx(told["cells"], abs=0.02), "in the room of 30 °C, as it resists there"


def test_minutes_to_the_limit_are_those_of_the_skin() -> None:
    h = found(6.0)
    # Half of the 0.29 kg beside the 60 g cell are shell; air and cell warm with it, later: between that alone and the whole mass.
    # The hottest place goes with the mean: 48 °C there are 18 K of its whole rise.
    limit, given = math.log(1 - 18 / (h.skin_c - 30.0)), 6.0 / h.rise_k
    assert h.minutes_to_limit is not None
    assert -145.0 / given / 60 * limit < h.minutes_to_limit < -1.4 * 350.0 / given / 60 * limit
    assert found(6.0, brief={"room_c": 50.0}).minutes_to_limit == 0.0
    on_a_table = found(4.0, brief={"held": False})
    assert on_a_table.skin_c < 60.0
    assert on_a_table.minutes_to_limit is None, "nobody holds it: its skin may reach 60 °C, and never does"


def test_limits_are_those_of_hands_and_of_the_cells_that_stand_least() -> None:
    touched = [
        touch_limit_c(plan_of(hand_plan(brief={"held": held}, case={"material": of})))
        for held in (True, False)
        for of in ("plastic", "wood", "metal")
    ]
    assert touched == [48.0, 48.0, 48.0, 60.0, 60.0, 51.0], "metal takes heat to the finger sooner"
    plan = plan_of(
        hand_plan(
            packs=[
                {"id": "pack", "name": "Pack", "cell": flat_cell(use_high_c=50.0)},
                {"id": "two", "name": "Two", "cell": flat_cell()},
            ]
        )
    )
    assert cells_limit_c(plan) == 50.0


def test_parts_warm_over_the_air_by_what_they_lose() -> None:
    boost = {
        "id": "boost",
        "name": "Boost",
        "fed_by": "pack",
        "kind": "boost",
        "output_v": 5.0,
        "thermal_k_per_w": 40.0,
        "junction_max_c": 110.0,
        "loss": {"kind": "fixed", "efficiency": 0.9},
    }
    load = drawing(2.7, "power_w", fed_by="boost", theta_k_per_w=10.0, limit_c=85.0)
    h = found(0.0, converters=[boost], loads=[load])
    board, part = h.parts
    assert (board.element, board.watts, board.limit_c) == ("boost", pytest.approx(0.3), 110.0)
    assert board.celsius == pytest.approx(h.air_c + 12.0)
    assert (part.element, part.celsius, part.limit_c) == ("load", pytest.approx(h.air_c + 27.0), 85.0)


def test_what_drifts_when_warm_by_hand() -> None:
    """Oystercatcher's linear charger, and copper: 0.393 % a kelvin over 20 °C; what the page words is what the answers say."""
    a = assess(oystercatcher(), catalogue().stock())
    air_c = a.heat.air_c
    by_kind = {d.kind: d for d in a.drifts}
    assert by_kind["wires"].value == pytest.approx(0.00393 * (air_c - 20.0))
    board = next(c for c in a.plan.chargers if c.kind == "linear")
    assert board.thermal_k_per_w is not None
    assert by_kind["charger"].value == pytest.approx((board.foldback_c - air_c) / board.thermal_k_per_w.likely)
    assert (by_kind["cells"].value, by_kind["cells"].limit) == (a.heat.cells_c, 60.0)
    assert {d.element for d in a.drifts if d.kind == "part"} == {p.element for p in a.heat.parts}
    told = assessment_document(a)["heat"]["drifts"]
    assert [d["kind"] for d in told] == [d.kind for d in a.drifts]
    fuse = next((k for k in a.plan.links if k.kind == "fuse" and k.resettable), None)
    if fuse is not None and fuse.rating_a is not None:
        assert by_kind["fuse"].limit == pytest.approx(fuse.rating_a.likely)
        assert by_kind["fuse"].value == pytest.approx(fuse.rating_a.likely * (1 - 0.006 * (air_c - 23.0)))
