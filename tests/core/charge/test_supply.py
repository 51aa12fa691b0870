"""The supply side: what a source gives, what a board asks of it, and the way between them."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.core.charge.supplied import given_v, gives_nothing, holds_to_a, taken_a
from briskcell.core.engine.operating import operate
from briskcell.core.moves.suiting import takes
from briskcell.core.wiring.conductors import wire_rise_k
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.parts import Rail
from briskcell.model.plan import Plan, plan_of
from briskcell.model.units import awg_section_mm2
from briskcell.services.demo import sanderling
from briskcell.services.parts.adding import add
from tests.core.rules.test_rules import BOARD, SUPPLY, cells
from tests.known import drawing, hand_plan

STOCK = catalogue().stock()


def a_build(board: dict[str, Any], supply: dict[str, Any], links: list[dict[str, Any]] | None = None, **more: Any) -> Assessment:
    plan = hand_plan(
        packs=cells(),
        supplies=[SUPPLY | supply],
        chargers=[BOARD | {"kind": "linear"} | board],
        links=links or [],
        loads=[drawing(0.2)],
        **more,
    )
    return assess(plan_of(plan), STOCK)


def said(a: Assessment, rule: str) -> dict[str, str]:
    return {f.element: f.state for f in a.findings if f.rule == rule}


def pair(board: dict[str, Any], supply: dict[str, Any]) -> Any:
    plan = a_build(board, supply).plan
    return plan.chargers[0], plan.supplies[0]


@pytest.mark.parametrize(
    ("limits", "set_a", "gives", "held", "taken"),
    [
        ("not", None, "default", np.inf, 0.9),
        ("sags", None, "default", 0.9, 0.9),
        ("set", 0.4, "default", 0.4, 0.4),
        ("set", 2.0, "default", 2.0, 0.9),
        ("advertised", None, "default", 0.5, 0.5),
        ("advertised", None, "advertised", 0.9, 0.9),
        (None, None, None, np.inf, 0.9),
    ],
)
def test_a_board_takes_what_its_limit_and_its_source_let_it(
    limits: str | None, set_a: float | None, gives: str | None, held: float, taken: float
) -> None:
    board, supply = pair({"limits_input": limits, "input_limit_a": set_a}, {"current_limit_a": 0.9, "gives": gives})
    assert (holds_to_a(board, supply), taken_a(board, supply)) == (held, taken)


def test_more_than_five_volts_and_a_bare_reversible_outlet_want_to_be_asked() -> None:
    nine = {"voltage_v": {"low": 8.7, "likely": 9.0, "high": 9.3}, "gives": "negotiated", "outlet": "usb_c"}
    volts = {
        s: given_v(*pair({"socket": s}, nine)) for s in ("flat", "reversible", "reversible_bare", "negotiating", "barrel", None)
    }
    assert volts == {"flat": 5, "reversible": 5, "reversible_bare": 5, "negotiating": 9, "barrel": 5, None: 9}
    assert [takes(*pair({"socket": s}, nine)) for s in ("reversible", "negotiating")] == [False, True]
    assert gives_nothing(*pair({"socket": "reversible_bare"}, {"outlet": "usb_c"}))
    assert not gives_nothing(*pair({"socket": "reversible_bare"}, {"outlet": "usb_a"})), "with a cable from a flat outlet it does"
    assert not gives_nothing(*pair({"socket": "reversible"}, {"outlet": "usb_c"}))
    dead = a_build({"socket": "reversible_bare"}, {"outlet": "usb_c"})
    assert dead.charges[0].off.hours is None
    (found,) = [f for f in dead.findings if f.rule == "socket-gives"]
    assert found.fix is not None
    assert found.fix.plan.chargers[0].socket == "reversible"
    assert assess(found.fix.plan, STOCK).charges[0].off.hours is not None
    unasked = a_build({"socket": "flat"}, nine)
    assert said(unasked, "socket-gives") == {"charger": "fails"}


@pytest.mark.parametrize(
    ("limits", "state"), [("not", "fails"), (None, "close"), ("sags", None), ("advertised", None), ("set", "fails")]
)
def test_a_board_that_does_not_hold_itself_back_is_too_much_for_a_port_of_half_an_ampere(
    limits: str | None, state: str | None
) -> None:
    board = {"limits_input": limits, "input_limit_a": 1.2 if limits == "set" else None, "current_a": 1.0, "layout": "on_cell"}
    a = a_build(board, {"current_limit_a": 0.5})
    assert said(a, "input-limit").get("charger") == state
    within = a_build(board | {"current_a": 0.45}, {"current_limit_a": 0.5})
    assert not said(within, "input-limit")
    (way,) = a.ways_in
    assert (way.wanted_a, way.taken_a) == pytest.approx((1.0, 0.5), rel=1e-3), "a linear board passes its amperes"


def test_plug_wire_and_switch_before_the_board_drop_warm_and_have_ratings() -> None:
    links = [
        {"id": "plug", "name": "Plug", "kind": "plug", "fed_by": "usb", "resistance_ohm": 0.05, "rating_a": 2.0},
        {"id": "lead", "name": "Lead", "kind": "wire", "fed_by": "plug", "length_m": 0.5, "awg": 30},
    ]
    a = a_build({"fed_by": "lead", "current_a": 1.8, "layout": "on_cell"}, {"voltage_v": 5.0, "current_limit_a": 3.0}, links)
    checks = {c.link.id: c for c in a.links}
    ohm = 1.7241e-8 * 1.0 / 5.067e-8
    assert checks["plug"].amps == pytest.approx(1.8)
    assert checks["plug"].drop_v == pytest.approx(1.8 * 0.05)
    assert checks["lead"].drop_v == pytest.approx(1.8 * ohm, rel=0.01)
    assert checks["lead"].rise_k == pytest.approx(wire_rise_k(1.8, awg_section_mm2(30), ambient_c=a.heat.air_c))
    (way,) = a.ways_in
    cable = float(SUPPLY["cable_ohm"])  # type: ignore[arg-type]
    assert way.input_v == pytest.approx(5.0 - 1.8 * (0.05 + ohm + cable), abs=0.01)
    assert said(a, "way-in")["plug"] == "close", "a tenth to spare"
    assert [s.held_by for s in a.shorts if s.link.id == "lead"] == [a.plan.supplies[0].name]
    stronger = a_build({"fed_by": "lead", "current_a": 1.4, "layout": "on_cell"}, {"voltage_v": 5.0, "current_limit_a": 3.0}, links)
    assert "plug" not in said(stronger, "way-in")


def test_two_boards_on_one_way_in_add_up() -> None:
    links = [{"id": "fuse-in", "name": "Fuse in", "kind": "fuse", "fed_by": "usb", "resistance_ohm": 0.0, "rating_a": 2.0}]
    one = BOARD | {"kind": "linear", "fed_by": "fuse-in", "current_a": 0.8, "layout": "on_cell"}
    plan = hand_plan(
        packs=cells(), supplies=[SUPPLY | {"current_limit_a": 3.0}], chargers=[one, one | {"id": "second"}], links=links
    )
    a = assess(plan_of(plan), STOCK)
    assert next(c.amps for c in a.links if c.link.id == "fuse-in") == pytest.approx(1.6)
    assert said(a, "way-in")["fuse-in"] == "close"


def test_a_link_is_put_in_before_a_charge_board_and_taken_out_again() -> None:
    plan = add(sanderling(), "fuse-3", "charger").plan
    board = plan.chargers[0]
    assert plan.by_id[board.fed_by or ""].fed_by == "usb"  # type: ignore[attr-defined]
    behind = add(plan, "plug-power-10", behind="usb").plan
    way = [k.id for k in assess(behind).ways_in[0].links]
    assert way == ["fuse-3", "plug-power-10"]


def test_on_battery_the_console_hangs_behind_the_power_path() -> None:
    plan = sanderling()
    board = plan.chargers[0]
    bare, ohm = replaced(plan, altered(board, battery_path_ohm=None)), 0.1
    held = replaced(plan, altered(board, battery_path_ohm=ohm, battery_path_a=2.0))
    a, op = assess(held, STOCK), operate(held)
    net = op.network
    amps = op.flow.branch_a[..., net.branch["charger"]]
    at = op.flow.element_v[..., net.position["pack"]] - op.flow.element_v[..., net.position["charger"]]
    live = ~op.flow.collapsed
    assert np.allclose(at[live], ohm * amps[live], atol=1e-9)
    assert np.allclose(op.lost_w["charger"][live], ohm * amps[live] ** 2)
    assert said(a, "headroom")["charger"] == "fails", "the path stands 2 A"
    assert sum(s.watts for s in a.heat_shares[1]) == pytest.approx(float(amps[1, 50] * op.curves[0].ocv_v[50]), rel=1e-6)
    before, after = assess(bare), assess(replaced(plan, altered(board, battery_path_ohm=0.1)))
    assert after.runtime.hours < before.runtime.hours  # type: ignore[operator, union-attr]
    assert "charger" not in operate(bare).network.position
    # The charger is fed from the socket: the path from the cells is not in its way.
    for one, two in zip(before.charges, after.charges, strict=True):
        assert one.play.system_a.max() == pytest.approx(two.play.system_a.max(), rel=1e-3)


def boosts(one_v: float, two_v: float, ohm: float = 0.05, **second: Any) -> Plan:
    plan = sanderling()
    boost = altered(plan.by_id["boost"], output_v=one_v, output_resistance_ohm=ohm)
    other = altered(boost, id="second", name="Second", output_v=two_v, **second)
    plan = remade(replaced(plan, boost), {"converters": (*plan.converters[1:], boost, other)})
    return replaced(plan, altered(plan.by_id["rail-5"], also=("second",)))


@pytest.mark.parametrize(("one_v", "two_v"), [(5.1, 5.1), (5.1, 5.09), (5.0, 5.2), (5.1, 4.5)])
def test_two_boosts_share_a_rail_by_their_volts_and_ohms(one_v: float, two_v: float) -> None:
    op = operate(boosts(one_v, two_v))
    net, flow = op.network, op.flow
    one, two = (flow.element_a[1, 50, net.position[n]] for n in ("boost", "second"))
    rail_v, whole = flow.element_v[1, 50, net.position["rail-5"]], flow.element_a[1, 50, net.position["rail-5"]]
    assert one + two == pytest.approx(whole)
    # Two stiff sources behind 50 mΩ each; none lets current in.
    mean = (one_v + two_v) / 2 - 0.025 * whole
    if mean < min(one_v, two_v):
        assert (one, two) == pytest.approx(((one_v - mean) / 0.05, (two_v - mean) / 0.05), rel=1e-4)
        assert rail_v == pytest.approx(mean)
    else:
        assert min(one, two) == 0.0
        assert rail_v == pytest.approx(max(one_v, two_v) - 0.05 * whole)


def test_what_is_driven_from_outside_is_judged_by_what_it_stands() -> None:
    for figures, state in (
        ({"blocks_back": True, "output_max_v": 6.0}, None),
        ({"blocks_back": None}, "close"),
        ({"blocks_back": False}, "fails"),
        ({"blocks_back": True, "output_max_v": 5.05}, "fails"),
    ):
        a = assess(boosts(5.1, 5.0, **figures), STOCK)
        assert said(a, "sources-meet").get("second") == state, figures
    bare = sanderling()
    second = altered(bare.packs[0], id="two", name="Second pack", parallel=1)
    wire = altered(bare.by_id["w-pack"], id="w-two", fed_by="two")
    both = remade(bare, {"packs": (*bare.packs, second), "links": (*bare.links, wire)})
    met = remade(both, {"rails": (Rail(id="joint", name="Joint", fed_by="fuse", also=("w-two",)), *both.rails)})
    met = replaced(met, altered(met.by_id["boost"], fed_by="joint"))
    a = assess(met, STOCK)
    assert said(a, "sources-meet") == {"pack": "fails", "two": "fails"}
    found = next(f for f in a.findings if f.rule == "sources-meet")
    assert found.fix is not None
    assert "ideal-diode" in found.fix.words.lower()
    assert not said(assess(found.fix.plan, STOCK), "sources-meet")
