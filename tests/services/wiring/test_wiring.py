"""The gauge finder and the joints as they are worked through."""

from __future__ import annotations

import pytest

from briskcell.core.assess import assess
from briskcell.core.wiring.harness import GAUGES
from briskcell.core.wiring.order import LAST, build_order
from briskcell.library import catalogue
from briskcell.model.errors import FigureError
from briskcell.services.demo import oystercatcher, sanderling
from briskcell.services.parts.removing import remove
from briskcell.services.wiring.gauges import owned_gauges, proposals, take
from briskcell.services.wiring.joints import made, next_joint, toggle

STOCK = catalogue().stock()


def test_the_thinnest_gauge_meets_the_drop_from_those_one_owns() -> None:
    a = assess(oystercatcher(), STOCK)
    found = {p.link.id: p for p in proposals(a, 0.05, GAUGES, gains=True)}
    screen = found["w-screen"]
    assert (screen.now, screen.gauge, screen.thicker) == (30.0, 24.0, 28.0)
    assert screen.now_drop_v == pytest.approx(0.12, abs=0.005)
    assert screen.drop_v == pytest.approx(0.03, abs=0.002)
    assert screen.gain_min > 60, "one step thicker keeps the screen above its window"
    owned = {p.link.id: p.gauge for p in proposals(a, 0.05, (26.0, 22.0))}
    assert owned["w-screen"] == 22.0, "26 AWG drops 50 mV and more"
    assert {p.gauge for p in proposals(a, 0.0001, (22.0,))} == {None}


def test_gauges_are_taken_for_one_wire_or_all_of_them() -> None:
    a = assess(oystercatcher(), STOCK)
    one = take(a, 0.05, GAUGES, ("w-screen",))
    assert one.words == "24 AWG for Wire to Screen 5 in with backlight"
    changed = [k.id for k, was in zip(one.plan.links, a.plan.links, strict=True) if k != was]
    assert changed == ["w-screen"]
    whole = take(a, 0.055, GAUGES)
    again = assess(whole.plan, STOCK)
    assert all(c.drop_v <= 0.0551 for c in again.links if c.link.kind == "wire")
    with pytest.raises(FigureError, match="has the gauge that was found"):
        take(again, 0.055, GAUGES)


def test_a_list_of_gauges_is_read_as_it_is_typed() -> None:
    assert owned_gauges("22, 24 28 AWG") == (28.0, 24.0, 22.0)
    assert owned_gauges(" ") == GAUGES
    for odd in ("thick", "90", "22; x"):
        with pytest.raises(FigureError):
            owned_gauges(odd)


def test_joints_are_made_in_order_and_taken_apart_with_what_stands_on_them() -> None:
    plan = sanderling()
    with pytest.raises(FigureError, match=r"Screen 4\.3 in with backlight has to be joined first"):
        toggle(plan, "w-screen")
    for joint in build_order(plan):
        assert (due := next_joint(plan, build_order(plan))) is not None
        assert due.key == joint.key
        plan = toggle(plan, joint.key).plan
    assert made(plan, build_order(plan)) == {j.key for j in build_order(plan)}
    apart = toggle(plan, "w-screen")
    assert apart.words == "Wire to Screen 4.3 in with backlight taken apart, and 5 that depend on it"
    assert {"w-screen", "boost", LAST} & made(apart.plan, build_order(apart.plan)) == set()
    assert "screen" in made(apart.plan, build_order(apart.plan))
    fewer = remove(plan, "light").plan
    assert LAST in made(fewer, build_order(fewer)), "what is done is kept where the plan changes"
    with pytest.raises(FigureError, match="no such joint"):
        toggle(fewer, "light")
