"""Hand-worked values of spare, of shared voltages, and of what boards take and lose."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.core.draw.bill import bill
from briskcell.core.engine.operating import operate
from briskcell.core.rails.board_figures import board_figures
from briskcell.core.rails.fewest import straight_on
from briskcell.core.rails.headroom import End, headrooms, judged, spare_of
from briskcell.core.stations import STATIONS
from briskcell.model.plan import Margins, Plan, plan_of
from briskcell.services.demo import demo_plans
from tests.faults import FAULTS
from tests.known import drawing, flat_cell, hand_plan

BOOST = {
    "id": "boost",
    "name": "Boost",
    "fed_by": "pack",
    "kind": "boost",
    "output_v": 5.0,
    "loss": {"kind": "fixed", "efficiency": 0.9},
    "switch_current_a": 2.0,
    "thermal_k_per_w": 40.0,
}


def of(**lists: Any) -> Assessment:
    return assess(plan_of(hand_plan(**lists)))


def load(name: str, low: float, high: float, **figures: Any) -> dict[str, Any]:
    return drawing(0.1, "power_w", window={"low_v": low, "high_v": high}, **figures) | {"id": name, "name": name.title()}


def test_spare_is_one_less_demand_over_limit() -> None:
    assert list(spare_of([1.0, 0.0, 3.0, 9.0], [4.0, 2.0, 3.0, 2.0])) == [0.75, 1.0, 0.0, -1.0]
    assert float(spare_of(1.0, 0.0)) == -1.0
    margins = Margins()
    assert [judged(s, margins) for s in (0.25, 0.2499, 0.10, 0.0999, -1.0)] == ["holds", "close", "close", "fails", "fails"]


def test_everything_with_a_limit_is_held_at_its_worst_moment() -> None:
    guard = {"cutoff_cell_v": 2.5, "trip_a": 5.0, "resistance_ohm": 0.0}
    packs = [{"id": "pack", "name": "Pack", "cell": flat_cell(volts=3.0, top_v=4.0, ohm=0.0), "protection": guard}]
    flat = {"id": "flat", "name": "Flat", "kind": "flat", "fed_by": "boost", "resistance_ohm": 0.0, "contacts": 2}
    a = of(packs=packs, converters=[BOOST], links=[flat], loads=[drawing(0.4, peak=0.6, fed_by="flat")])
    kinds = {h.kind: h for h in a.headrooms}
    assert list(kinds) == ["cells", "protection", "flat", "boost"]
    boost = kinds["boost"]
    # At 3.0 V: 2 A·0.9·3/5 = 1.08 A; 0.6 A of it at the peak.
    assert (boost.limit_a, boost.demand_a, boost.spare) == pytest.approx((1.08, 0.6, 1 - 0.6 / 1.08))
    assert (boost.at_soc, boost.at_state, boost.input_v) == (0.0, "peak", pytest.approx(3.0))
    asked = 0.6 * 5 / 0.9 / 3.0
    assert kinds["cells"].spare == pytest.approx(1 - asked / 10.0)
    assert kinds["protection"].spare == pytest.approx(1 - asked / 5.0)
    assert kinds["flat"].spare == pytest.approx(1 - 0.6 / 1.0)
    assert a.least_spare() is kinds["flat"]
    assert STATIONS["rails"].headline(a).after == "least"
    short = of(packs=packs, converters=[BOOST], links=[flat], loads=[drawing(1.2, fed_by="flat")])
    assert (STATIONS["rails"].headline(short).value, STATIONS["rails"].headline(short).after) == (pytest.approx(0.2), "short")


@pytest.mark.parametrize("plan", [*demo_plans(), FAULTS["headroom"]()], ids=lambda p: p.name)
def test_headroom_is_asked_down_to_the_very_end_of_play(plan: Plan) -> None:
    """Between two points of the grid as where one lies right at the end; a point above it there is up to 0.05 more to spare."""
    a = assess(plan)
    exactly = np.union1d(a.op.soc, [a.end_soc])[::-1]
    for read, solved in zip(a.headrooms, headrooms(operate(plan, exactly), a.ends), strict=True):
        assert (read.element, read.at_state) == (solved.element, solved.at_state)
        before = read.at_soc > solved.at_soc + 1e-9  # the next point has collapsed: the last one before it stands for the end
        assert read.spare == pytest.approx(solved.spare, abs=0.025 if before else 0.003)
        assert read.input_v == pytest.approx(solved.input_v, abs=0.03)
        assert read.at_soc == pytest.approx(solved.at_soc, abs=0.01)


def test_the_end_is_read_between_two_points_and_never_from_where_all_has_collapsed() -> None:
    soc, gone = np.array([1.0, 0.5, 0.0]), np.zeros((3, 3), dtype=bool)
    demand, limit = np.broadcast_to([1.0, 2.0, 4.0], (3, 3)), np.broadcast_to([10.0, 10.0, 8.0], (3, 3))
    assert End(soc, np.array(0.25), gone).spare(demand, limit) == pytest.approx(1 - 3 / 9)
    assert End(soc, np.array([0.5]), gone[:, None]).least(demand[:, None], limit[:, None]) == pytest.approx(0.8)
    gone[:, 2] = True
    assert End(soc, np.array(0.25), gone).spare(demand, limit) == pytest.approx(1 - 2 / 10)
    assert End(soc, np.array([0.0]), gone[:, None]).least(demand[:, None], limit[:, None]) == pytest.approx(0.8)


def test_a_board_in_play_takes_what_it_gives_and_loses() -> None:
    f = board_figures(of(converters=[BOOST], loads=[drawing(0.9, fed_by="boost")]).op)["boost"]
    assert (f.given_w, f.taken_w, f.lost_w) == pytest.approx((4.5, 5.0, 0.5))
    assert (f.efficiency, f.rise_k) == pytest.approx((0.9, 20.0))
    idle = board_figures(of(converters=[BOOST], loads=[drawing(0.0, fed_by="boost")]).op)["boost"]
    assert (idle.efficiency, idle.rise_k) == (None, 0.0)


def test_a_part_may_be_fed_directly_where_its_window_covers_the_store_with_room_for_sag() -> None:
    rising = [{"id": "pack", "name": "Pack", "cell": flat_cell(volts=2.0, top_v=4.0, empty_v=3.0)}]
    loads = [load("wide", 2.84, 4.0), load("sags", 2.86, 4.0), load("low", 2.0, 3.9)]
    plan = plan_of(hand_plan(packs=rising, loads=loads))
    assert straight_on(plan, plan.packs[0]) == ("wide",)
    wire = {"id": "wire", "name": "Wire", "kind": "wire", "fed_by": "pack", "length_m": 0.1, "awg": 22}
    boosted = of(
        packs=rising, links=[wire], converters=[BOOST | {"fed_by": "wire"}], loads=[load("wide", 2.5, 5.5, fed_by="boost")]
    )
    (feed,) = boosted.direct_feeds
    assert (feed.load.id, feed.point, feed.direct) == ("wide", "wire", False)
    (already,) = of(packs=rising, links=[wire], loads=[load("wide", 2.5, 5.5, fed_by="wire")]).direct_feeds
    assert already.direct


def test_the_fewest_voltages_say_why_and_what_would_change() -> None:
    rails = [{"id": "r5", "name": "Five", "fed_by": "boost"}, {"id": "r9", "name": "Nine", "fed_by": "nine"}]
    boards = [BOOST, BOOST | {"id": "nine", "name": "Nine V", "output_v": 9.0}]
    loads = [load("a", 4.5, 5.5, fed_by="r5"), load("b", 4.8, 6.0, fed_by="r9"), load("c", 8.0, 12.0, fed_by="r9")]
    low, high = of(converters=boards, rails=rails, loads=loads).proposals
    assert (low.choice.low_v, low.choice.high_v, low.choice.volts) == pytest.approx((4.8, 5.5, 5.08))
    assert low.why == "from 4.80 V, which B needs, to 5.50 V, the most for A; C needs 8.00 V, so it cannot join"
    assert (low.set_board, low.move_to and low.move_to.id, low.to_move) == (None, "r5", ("b",))
    assert (high.set_board, high.move_to, high.to_move) == (None, None, ())
    assert [b.id for b in low.today] == ["boost", "nine"]
    wrong = of(converters=[BOOST | {"output_v": 4.0}], loads=[load("a", 4.5, 5.5, fed_by="boost")]).proposals[0]
    assert wrong.set_board is not None
    assert wrong.set_board.id == "boost"


def test_parts_for_less_than_five_volts_are_guarded() -> None:
    linear = {"id": "ldo", "name": "Linear", "fed_by": "boost", "kind": "linear", "output_v": 3.3}

    def guard(**figures: Any) -> Any:
        radio = load("radio", 3.0, 3.6, fed_by="ldo") | figures
        return of(converters=[BOOST, linear], loads=[radio]).voltage_guards

    (held,) = guard()
    assert (held.state, held.rated_v, held.most_v) == ("holds", 3.6, pytest.approx(3.3))
    assert (held.regulator.id, held.higher.id) == ("ldo", "boost")
    assert guard(window={"low_v": 3.0, "high_v": 3.2, "absolute_max_v": 3.8})[0].state == "close"
    assert guard(window={"low_v": 3.0, "high_v": 3.2})[0].state == "fails"
    assert guard(window={"low_v": 3.0, "high_v": 5.0}) == ()


def test_cost_and_mass_add_up() -> None:
    packs = [{"id": "pack", "name": "Pack", "cell": flat_cell(cost=5.0, mass_g=45.0), "series": 2, "parallel": 3}]
    wire = {"id": "wire", "name": "Wire", "kind": "wire", "fed_by": "pack", "length_m": 0.1, "awg": 22}
    switch = {"id": "switch", "name": "Switch", "kind": "switch", "fed_by": "wire", "resistance_ohm": 0.01}
    total = bill(
        plan_of(hand_plan(packs=packs, links=[wire, switch], loads=[drawing(1.0, cost=12.0, mass_g=30.0, fed_by="switch")]))
    )
    assert (total.cost, total.mass_g) == (pytest.approx(42.0), pytest.approx(300.0))
    assert (total.unpriced, total.unweighed) == (("Switch",), ())
    strings = [{"cell": flat_cell(cost=5.0)}, {"cell": flat_cell(cost=7.0)}]
    mixed = bill(plan_of(hand_plan(packs=[{"id": "pack", "name": "Pack", "cell": flat_cell(), "series": 2, "strings": strings}])))
    assert mixed.cost == pytest.approx(24.0)


def test_nothing_is_known_of_an_empty_build_and_a_guess_is_not_enough() -> None:
    empty = assess(plan_of({"name": "Empty"}))
    assert {s.state(empty) for s in STATIONS.values()} == {"unknown"}
    assert STATIONS["draw"].state(of(loads=[drawing(1.0)])) == "unknown", "all of it is a guess"
    known = {"likely": 1.0, "grade": "measured", "source": "meter"}
    measured = drawing(1.0) | {"current_a": {"rest": known, "play": known, "peak": known}}
    assert STATIONS["draw"].state(of(loads=[measured])) == "holds"
    part = drawing(0.3) | {"id": "lamp"}
    assert STATIONS["draw"].state(of(loads=[measured, part])) == "holds", "0.3 of 1.3 A are guessed"
    assert (
        STATIONS["draw"].state(of(loads=[measured, part | {"current_a": dict.fromkeys(("rest", "play", "peak"), 0.4)}]))
        == "unknown"
    )
