"""The network of heat: against a numerical solution, its energy, and the steady answer."""

from __future__ import annotations

import numpy as np
import pytest

from briskcell.core.assess import assess
from briskcell.core.heat.case import AIR_OVER_SKIN, case_conductance, hands_take, wall_factor
from briskcell.core.heat.network import AIR, CELLS, SKIN, heat_network
from briskcell.core.heat.watts import own_share, shares_of_heat, sources
from briskcell.library import catalogue
from briskcell.model.changes import remade
from briskcell.model.parts import State
from briskcell.model.plan import Case, Plan
from briskcell.services.demo import curlew, demo_plans, oystercatcher, sanderling
from briskcell.services.heat.cooling import coolings, take
from briskcell.services.heat.scenarios import scenarios

STOCK = catalogue().stock()


@pytest.mark.parametrize("plan", demo_plans(), ids=lambda p: p.name)
def test_the_course_is_that_of_a_numerical_solution_and_energy_balances(plan: Plan) -> None:
    from scipy.integrate import solve_ivp

    a = assess(plan, STOCK)
    network = heat_network(plan)
    watts = sources(network, shares_of_heat(a.op, State.PLAY), a.op)
    seconds = np.linspace(0.0, 14_400.0, 60)

    def slope(_t: float, rise: np.ndarray) -> np.ndarray:
        return np.asarray((watts + network.hands_w - network.conductance @ rise) / network.capacity_j_k)

    solved = solve_ivp(slope, (0.0, seconds[-1]), np.zeros(len(watts)), "LSODA", seconds, rtol=1e-8, atol=1e-8)
    ours = network.through(np.tile(watts, (len(seconds), 1)), seconds)
    mean = np.ones(len(watts))
    mean[SKIN] = 1.0 / network.hottest  # what is told of the skin is its hottest place
    ours = ours * mean
    assert np.allclose(ours, solved.y.T, rtol=0.001, atol=0.001)
    # In from the start = stored in the lumps + given off to the room.
    fine = np.linspace(0.0, 14_400.0, 20_001)
    given = float(np.trapezoid(network.through(np.tile(watts, (len(fine), 1)), fine) * mean @ network.to_room, fine))
    stored = float(ours[-1] @ network.capacity_j_k)
    assert given + stored == pytest.approx(float(watts.sum() + network.hands_w.sum()) * 14_400.0, rel=1e-4)
    # Watts that change in between: between two moments their mean.
    some = np.linspace(0.0, 9000.0, 5)
    changing = np.outer([1.0, 0.2, 2.0, 0.0, 1.5], watts)
    between = 0.5 * (changing[1:] + changing[:-1])

    def stepping(t: float, rise: np.ndarray) -> np.ndarray:
        here = between[min(int(t / 2250.0), 3)] + network.hands_w
        return np.asarray((here - network.conductance @ rise) / network.capacity_j_k)

    stepped = solve_ivp(
        stepping, (0.0, 9000.0), np.zeros(len(watts)), "LSODA", fine[fine <= 9000.0], rtol=1e-8, atol=1e-8, max_step=200.0
    )
    assert np.allclose(
        network.through(changing, some) * mean,
        np.array([np.interp(some, stepped.t, y) for y in stepped.y]).T,
        rtol=0.002,
        atol=0.002,
    )
    cells = stepped.y[CELLS]
    rise = 0.9 * float(cells.max())
    assert network.passed_s(changing, some, CELLS, rise) == pytest.approx(stepped.t[int(np.argmax(cells > rise))], abs=5.0)
    assert network.passed_s(changing, some, CELLS, 1.01 * float(cells.max())) is None
    twice = network.through(np.tile(watts, (3, 1)), np.array([0.0, 7200.0, 14_400.0]))[2]
    assert twice == pytest.approx(network.through(np.tile(watts, (2, 1)), np.array([0.0, 14_400.0]))[1]), "in two steps as in one"


@pytest.mark.parametrize("plan", demo_plans(), ids=lambda p: p.name)
def test_it_settles_where_the_steady_answer_is_and_all_watts_are_counted(plan: Plan) -> None:
    a = assess(plan, STOCK)
    network = heat_network(plan, a.beside, a.heat.rise_k, hottest=a.heat.hottest)
    shares = shares_of_heat(a.op, State.PLAY)
    assert sum(s.watts for s in shares) == pytest.approx(a.heat.watts, rel=1e-3)
    watts = sources(network, shares, a.op)
    assert watts.sum() == pytest.approx(a.heat.watts, rel=1e-3)
    settled = plan.brief.room_c + network.settled(watts)
    assert settled[SKIN] == pytest.approx(a.heat.skin_c, abs=0.02)
    assert settled[AIR] == pytest.approx(a.heat.air_c, abs=0.03)
    inside = next(s.watts for s in shares if s.element == "pack")
    assert watts[CELLS] == pytest.approx(own_share(a.op, 0) * inside)
    assert settled[CELLS] == pytest.approx(a.heat.cells_c, abs=0.03)
    assert a.heat.mean_skin_c < a.heat.cells_c < a.heat.air_c + 3.0, "cells lie along a wall and what else is beside them"
    for part in a.heat.parts:
        k = next(k for k, n in enumerate(network.nodes) if n.element == part.element)
        assert settled[k] == pytest.approx(part.celsius, abs=0.1)
    out = case_conductance(plan.case, a.heat.rise_k) + hands_take(plan.case)
    assert network.conductance[SKIN].sum() == pytest.approx(out)
    bare = plan.case.model_copy(update={"covered": 0.0})
    assert -network.conductance[SKIN, AIR] == pytest.approx(case_conductance(bare) / (AIR_OVER_SKIN - 1.0))


def test_the_first_to_give_up_is_named_with_its_minutes() -> None:
    plan = oystercatcher()
    a = assess(remade(plan, {"brief": plan.brief.model_copy(update={"room_c": 40.0})}), STOCK)
    by_key = {s.key: s for s in scenarios(a)}
    play = by_key["play"]
    network = play.network
    assert play.first == SKIN
    minutes = play.minutes[SKIN]
    assert minutes is not None
    assert a.heat.minutes_to_limit == pytest.approx(minutes, rel=1e-3), "one answer for the page and for its rule"
    at = network.through(play.watts, np.array([0.0, 60.0 * minutes]))[1, SKIN] + a.plan.brief.room_c
    assert at == pytest.approx(48.0, abs=0.01)
    assert play.risen(np.array([0.0, 30.0 * minutes, 60.0 * minutes]))[2, SKIN] == pytest.approx(
        48.0 - a.plan.brief.room_c, abs=0.01
    )
    charging = by_key["charger:play"]
    warm = a.played_warmths[0]
    assert (charging.most_c[CELLS], charging.minutes[CELLS]) == pytest.approx((warm.celsius, warm.minutes), rel=0.05), (
        "as its rule says"
    )
    assert charging.total_w == pytest.approx(warm.watts, rel=0.05)
    assert charging.limits_c[CELLS] == 45.0
    assert by_key["rest"].first is None
    assert "charger:play" not in {s.key for s in scenarios(assess(curlew(), STOCK))}, "its jack cuts the console out"


def test_a_charge_leaves_in_the_case_what_the_cells_do_not_store() -> None:
    a = assess(sanderling(), STOCK)
    off = next(s for s in scenarios(a) if s.key == "charger:off")
    board = a.plan.chargers[0]
    amps = board.current_a.likely
    ocv = float(np.interp(0.5, a.op.soc[::-1], a.op.curves[0].ocv_v[::-1]))
    ohm = float(np.interp(0.5, a.op.soc[::-1], a.op.curves[0].steady_ohm[::-1]))
    since_s = (0.5 - a.charges[0].off.start_soc) * a.op.curves[0].capacity_ah / amps * 3600.0
    half = off.watts[int(np.argmin(abs(off.seconds - since_s)))]
    assert half.sum() == pytest.approx((ocv + amps * ohm) * amps / board.efficiency.likely - ocv * amps, rel=0.05)
    # Over what a minute's resistance takes, diffusion leads the surface by some more.
    led = half[CELLS] / (amps**2 * ohm * own_share(a.op, 0))
    over = a.charges[0].off.cell_v - a.charges[0].off.ocv_v
    assert led == pytest.approx(float(np.interp(0.5, a.charges[0].off.soc, over)) / (amps * ohm), rel=0.04)
    assert 1.0 < led < 1.25


def test_shells_of_other_stuff() -> None:
    # 1/9.0 and 2.5 mm of plastic at 0.2 W/mK are 0.1236 m²K/W; 6 mm of wood at 0.12 make it 0.1611.
    assert wall_factor(Case(material="wood", wall_mm=6.0)) == pytest.approx(0.12361 / 0.16111, rel=1e-3)
    assert wall_factor(Case()) == 1.0


def test_what_cools_is_ranked_by_its_money_and_can_be_taken() -> None:
    a = assess(oystercatcher(), STOCK)
    found = coolings(a)
    free = [c for c in found if c.money == 0]
    assert found[: len(free)] == tuple(free)
    assert [c.skin_k for c in free] == sorted((c.skin_k for c in free), reverse=True)
    vents = next(c for c in found if c.words == "Vents")
    assert vents.skin_k == pytest.approx(a.heat.vents_save_k, abs=0.1)
    after = take(a, "Vents").plan
    assert after.case.vents
    assert assess(after).heat.skin_c == pytest.approx(a.heat.skin_c - vents.skin_k)
