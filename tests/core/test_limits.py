"""Guards that other tests do not reach: numbers at the edge of what is shown, blocks of a bay, words that depend on a flag."""

from __future__ import annotations

import pytest

from briskcell.core.assess import assess
from briskcell.core.draw.consumption import draw_report
from briskcell.core.pack.fit import free_room
from briskcell.core.workings import NUMBERS, working
from briskcell.model.plan import Bay, plan_of
from tests.known import drawing, flat_cell, hand_plan

SUPPLY = {"id": "usb", "name": "Supply", "voltage_v": 5.0, "current_limit_a": 3.0, "cable_ohm": 0.0}
BOARD = {
    "id": "charger",
    "name": "Charger",
    "charges": "pack",
    "supply": "usb",
    "layout": "power_path",
    "kind": "switching",
    "current_a": 1.5,
    "termination_a": 0.1,
}


def test_free_blocks_of_a_bay_come_largest_first() -> None:
    block = {"length_mm": 20, "width_mm": 10, "depth_mm": 30, "x_mm": 30, "y_mm": 0, "z_mm": 0}
    rooms = free_room(
        Bay.model_validate({"length_mm": 100, "width_mm": 40, "depth_mm": 30, "clearance_mm": 0.0, "keep_outs": [block]})
    )
    sizes = [s[0] * s[1] * s[2] for _, s in rooms]
    assert sizes == pytest.approx([100 * 30 * 30, 50 * 40 * 30, 30 * 40 * 30])


def test_a_pack_that_hardly_leaks_says_so_and_one_that_does_says_days() -> None:
    def stored(*monthly: float) -> tuple[object, str]:
        packs = [
            {"id": f"pack-{k}" if k else "pack", "name": f"Pack {k}", "cell": flat_cell(self_discharge_per_month=m)}
            for k, m in enumerate(monthly)
        ]
        found = assess(plan_of(hand_plan(packs=packs))).requirements
        return next((r.got, r.number) for r in found if r.field == "shelf_days")

    assert stored(0.0003)[0] == "no leak counted"
    assert stored(0.03)[0] == pytest.approx(30.44 / 0.03)
    assert stored(0.03, 0.06, 0.04) == (pytest.approx(30.44 / 0.06), "shelf:pack-1")


def test_the_working_of_a_charge_names_what_the_console_takes_only_in_play() -> None:
    a = assess(plan_of(hand_plan(supplies=[SUPPLY], chargers=[BOARD])))
    names = {k: [i.name for i in NUMBERS[k].make(a, "charger").inputs] for k in ("charge", "charge-play")}  # type: ignore[union-attr]
    assert not [n for n in names["charge"] if "console" in n]
    assert [n for n in names["charge-play"] if "console" in n]


def test_a_share_moves_by_points_and_a_time_by_its_own_share() -> None:
    boost = {
        "id": "boost",
        "name": "Boost",
        "fed_by": "pack",
        "kind": "boost",
        "output_v": 5.0,
        "loss": {"kind": "fixed", "efficiency": 0.9},
    }
    a = assess(plan_of(hand_plan(converters=[boost], loads=[drawing(0.5, fed_by="boost")])))
    share, hours = working(a, "efficiency:boost"), working(a, "runtime")
    assert share is not None
    assert hours is not None
    assert (share.in_points, hours.in_points) == (True, False)
    # A tenth more loss: 0.9 becomes 0.89, one point; the hours fall by 1.1 %.
    assert share.movers[0].change == pytest.approx(-0.01, abs=1e-6)
    assert next(m for m in hours.movers if m.name == "Draw of load").change == pytest.approx(-1 / 11, rel=0.02)


def test_a_draw_has_its_range_in_watts_and_ohms_turn_it_round() -> None:
    wide = {"low": 0.5, "likely": 1.0, "high": 2.0, "grade": "sheet"}
    ohms = {"low": 5.0, "likely": 10.0, "high": 20.0, "grade": "guessed"}
    loads = [
        drawing(0.0) | {"current_a": {"rest": 0, "play": wide, "peak": wide}},
        drawing(1.0, "resistance_ohm") | {"id": "lamp", "resistance_ohm": {"rest": 1e6, "play": ohms, "peak": 10}},
    ]
    packs = [{"id": "pack", "name": "Pack", "cell": flat_cell(ohm=0.0)}]
    report = draw_report(assess(plan_of(hand_plan(packs=packs, loads=loads))).op)
    amps, lamp = report.loads
    assert amps.watts[1] == pytest.approx((1.85, 3.7, 7.4))
    assert lamp.watts[1] == pytest.approx((3.7**2 / 20, 3.7**2 / 10, 3.7**2 / 5))
    assert report.mean_w == pytest.approx(3.7 + 1.369)
    assert lamp.share == pytest.approx(1.369 / 5.069)
    assert report.guessed == pytest.approx(1.369 / 5.069)
    assert (amps.worst_grade, lamp.worst_grade) == ("sheet", "guessed")
