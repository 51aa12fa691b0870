"""One plan that is like no easier one, worked by hand: two in series, two in parallel, a slow share of their resistance, a protection
board and links on the way, a rail and a part on the pack itself, rest, play and peak apart."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import cache

import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.core.heat.watts import own_share
from briskcell.model.plan import plan_of
from tests.known import closed_case, drawing, flat_cell, hand_plan

STATES = ("rest", "play", "peak")
SHARES = {"rest": 0.3, "play": 0.6, "peak": 0.1}
# 0.05 Ω a cell, four tenths of it slow; 2/2 of that, links of 10 mΩ and the protection's 20 mΩ.
FAST_OHM, SLOW_OHM = 0.05 * 0.6 + 0.01 + 0.02, 0.05 * 0.4
FUSE_OHM, PLUG_OHM = 0.03, 0.01
RAIL_A, PACK_A = {"rest": 0.4, "play": 1.6, "peak": 3.0}, {"rest": 0.1, "play": 0.3, "peak": 0.5}
EFFICIENCY, CUT_V, AH = 0.9, 3.25 * 2, 2 * 3.0


@cache
def hand() -> Assessment:
    protection = {"cutoff_cell_v": 3.25, "trip_a": 8.0, "resistance_ohm": 0.02}
    cell = flat_cell(volts=3.0, top_v=4.0, ohm=0.05, ah=3.0, slow=0.4, full_v=4.0)
    pack = {"id": "pack", "name": "Pack", "cell": cell, "series": 2, "parallel": 2, "link_resistance_ohm": 0.01}
    return assess(
        plan_of(
            hand_plan(
                profile=SHARES,
                packs=[pack | {"protection": protection}],
                links=[
                    {"id": "fuse", "name": "Fuse", "kind": "fuse", "fed_by": "pack", "resistance_ohm": FUSE_OHM, "rating_a": 5.0},
                    {"id": "plug", "name": "Plug", "kind": "plug", "fed_by": "fuse", "resistance_ohm": PLUG_OHM, "rating_a": 4.0},
                ],
                converters=[
                    {
                        "id": "buck",
                        "name": "Buck",
                        "kind": "buck",
                        "fed_by": "plug",
                        "output_v": 5.0,
                        "output_limit_a": 4.0,
                        "loss": {"kind": "fixed", "efficiency": EFFICIENCY},
                    }
                ],
                loads=[
                    drawing(0.0, fed_by="buck") | {"current_a": RAIL_A},
                    drawing(0.0, fed_by="fuse") | {"id": "lamp", "name": "Lamp", "current_a": PACK_A},
                ],
            )
        )
    )


def volts(soc: float, state: str) -> tuple[float, float, float]:
    """At the pack's terminals, at the board's input, and what leaves the pack [A].

    The board takes P = 5·I/0.9 at v, and v = E − a·(i + P/v) − b·P/v, so v² − (E − a·i)·v + (a + b)·P = 0.
    """
    steady = volts(soc, "play")[2] if state == "peak" else 0.0
    ohm = FAST_OHM + (0.0 if state == "peak" else SLOW_OHM)
    ahead = 6.0 + 2.0 * soc - SLOW_OHM * steady
    power, other = 5.0 * RAIL_A[state] / EFFICIENCY, PACK_A[state]
    b = ahead - (ohm + FUSE_OHM) * other
    at_board = (b + math.sqrt(b * b - 4.0 * (ohm + FUSE_OHM + PLUG_OHM) * power)) / 2.0
    amps = other + power / at_board
    return ahead - ohm * amps, at_board, amps


def end() -> float:
    """Charge at which the pack stands at 6.5 V in play: E = 6.5 + 0.08·I, with I as the way behind the pack has it there."""
    power, other = 5.0 * RAIL_A["play"] / EFFICIENCY, PACK_A["play"]
    b = CUT_V - FUSE_OHM * other
    at_board = (b + math.sqrt(b * b - 4.0 * (FUSE_OHM + PLUG_OHM) * power)) / 2.0
    return (CUT_V + (FAST_OHM + SLOW_OHM) * (other + power / at_board) - 6.0) / 2.0


def mean_a(soc: float) -> float:
    return sum(SHARES[s] * volts(soc, s)[2] for s in STATES)


def integral(f: Callable[[float], float], low: float, high: float, n: int = 400) -> float:
    """By Simpson's rule."""
    step = (high - low) / n
    return step / 3.0 * sum((1 if k in (0, n) else 4 if k % 2 else 2) * f(low + k * step) for k in range(n + 1))


@pytest.mark.parametrize("soc", [0.3, 0.7, 1.0])
@pytest.mark.parametrize("state", STATES)
def test_every_node_stands_where_ohms_law_has_it(soc: float, state: str) -> None:
    a, row = hand(), STATES.index(state)
    at = int(abs(a.op.soc - soc).argmin())
    assert a.op.soc[at] == pytest.approx(soc)
    at_pack, at_board, amps = volts(soc, state)
    assert a.op.store_v[row, at, 0] == pytest.approx(at_pack, abs=1e-6)
    assert a.op.flow.branch_a[row, at, 0] == pytest.approx(amps, abs=1e-6)
    assert a.op.flow.converter_input_v(0)[row, at] == pytest.approx(at_board, abs=1e-6)


@pytest.mark.parametrize("state", STATES)
def test_what_each_part_turns_into_heat_is_what_flows_through_it(state: str) -> None:
    a, row = hand(), STATES.index(state)
    at_pack, at_board, amps = volts(0.5, state)
    power, lost = 5.0 * RAIL_A[state] / EFFICIENCY, {k: w[row, a.op.half] for k, w in a.op.lost_w.items()}
    assert lost["pack"] == pytest.approx((7.0 - at_pack) * amps, abs=1e-6)
    assert lost["fuse"] == pytest.approx(FUSE_OHM * amps**2, abs=1e-6)
    assert lost["plug"] == pytest.approx(PLUG_OHM * (power / at_board) ** 2, abs=1e-6)
    assert lost["buck"] == pytest.approx(power * (1.0 - EFFICIENCY), abs=1e-6)
    taken = 5.0 * RAIL_A[state] + PACK_A[state] * (at_pack - FUSE_OHM * amps)
    assert sum(lost.values()) + taken == pytest.approx(7.0 * amps, abs=1e-6), "energy balances"
    assert float(a.op.load_w[row, a.op.half].sum()) == pytest.approx(taken, abs=1e-6)


def test_play_ends_where_the_protection_cuts_and_lasts_what_flows_out_by_then() -> None:
    r = hand().runtime
    assert r is not None
    assert (r.stop_cause, r.stop_element) == ("protection cut-off", "pack")
    assert r.stop_soc == pytest.approx(end(), abs=1e-5)
    hours = AH * integral(lambda s: 1.0 / mean_a(s), end(), 1.0)
    assert r.hours == pytest.approx(hours, rel=1e-5)
    assert r.mean_a == pytest.approx(AH * (1.0 - end()) / hours, rel=1e-5)
    assert r.mean_w == pytest.approx(AH * integral(lambda s: 6.0 + 2.0 * s, end(), 1.0) / hours, rel=1e-5)
    # Without the cut-off it would play on until the cells are empty: their 2.5 V lie below the table.
    assert r.gain_if_fixed_h == pytest.approx(AH * integral(lambda s: 1.0 / mean_a(s), 0.0, end()), rel=1e-4)
    assert r.energy_wh == pytest.approx(6.0 * 7.0)


def test_spare_is_that_of_the_worst_moment_which_is_a_peak_at_the_end() -> None:
    amps = volts(end(), "peak")[2]
    demand = {"pack": amps, "fuse": amps, "plug": amps - PACK_A["peak"], "buck": RAIL_A["peak"]}
    limits = {
        ("pack", "cells"): 2 * 10.0,
        ("pack", "protection"): 8.0,
        ("fuse", "fuse"): 5.0,
        ("plug", "plug"): 4.0,
        ("buck", "buck"): 4.0,
    }
    found = {(h.element, h.kind): h for h in hand().headrooms}
    assert set(found) == set(limits)
    for (element, kind), limit in limits.items():
        spare = found[element, kind]
        assert (spare.demand_a, spare.limit_a) == (pytest.approx(demand[element], abs=1e-4), pytest.approx(limit))
        assert spare.spare == pytest.approx(1.0 - demand[element] / limit, abs=1e-4)
        assert spare.at_state == "peak"


def test_a_closed_case_warms_by_what_play_turns_into_heat() -> None:
    """160 × 85 × 30 mm have 0.0419 m², of which hands cover 35 %; the rest as worked in ``closed_case``."""
    heat, room = hand().heat, hand().plan.brief.room_c
    assert heat.watts == pytest.approx(7.0 * volts(0.5, "play")[2], abs=1e-5)
    own_w = next(s.watts for s in hand().heat_shares[1] if s.element == "pack") * own_share(hand().op, 0)
    parts = {p.id for p in (*hand().plan.loads, *hand().plan.converters)}
    most_w = max(s.watts for s in hand().heat_shares[1] if s.element in parts)
    told = closed_case(heat.watts, own_w=own_w, part_w=most_w, room_c=room)
    assert (heat.mean_skin_c, heat.skin_c) == pytest.approx((told["mean"], told["skin"]), abs=0.05)
    assert (heat.air_c, heat.rise_k) == pytest.approx((told["air"], told["mean"] - room), abs=0.3)
