"""Power passed on by a load: solved, judged, drawn and taken apart."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.drawing.map.layout import trees, words_of
from briskcell.drawing.map.open import open_scene
from briskcell.library import catalogue
from briskcell.model.errors import FigureError, PlanError
from briskcell.model.parts import State
from briskcell.model.plan import Plan, plan_of
from briskcell.model.tree import load_feeders, made_v
from briskcell.services.demo import sanderling
from briskcell.services.parts import adding, removing
from briskcell.services.parts.feeding import places_for
from tests.known import drawing, flat_cell, hand_plan

STOCK = catalogue().stock()
WIRE = {"id": "wire", "name": "Wire", "kind": "plug", "fed_by": "pack", "resistance_ohm": 0.1}
SCREEN = drawing(1.0, fed_by="wire") | {"id": "screen", "name": "Screen"}
SOCKET = {"id": "socket", "name": "Socket", "kind": "outlet", "fed_by": "screen", "resistance_ohm": 0.2, "rating_a": 0.6}
BOARD = drawing(0.5, fed_by="socket") | {"id": "board", "name": "Board"}


def of(**lists: Any) -> Assessment:
    packs = [{"id": "pack", "name": "Pack", "cell": flat_cell(ohm=0.0)}]
    return assess(plan_of(hand_plan(packs=packs) | {"links": [WIRE, SOCKET], "loads": [SCREEN, BOARD]} | lists), STOCK)


def test_what_is_passed_on_flows_through_what_feeds_the_host_and_not_through_its_own_draw() -> None:
    op = of().op
    net, at = op.network, (State.PLAY, op.half)
    volts = {p.id: float(op.flow.consumer_v[(*at, k)]) for k, p in enumerate(net.loads)}
    # 1.5 A through 0.1 Ω before the screen, then 0.5 A through the socket's 0.2 Ω.
    assert volts == {"screen": pytest.approx(3.7 - 0.15), "board": pytest.approx(3.7 - 0.15 - 0.1)}
    assert op.load_w[(*at, 0)] == pytest.approx(1.0 * 3.55), "the screen's own draw alone"
    assert float(op.flow.branch_a[(*at, net.branch["wire"])]) == pytest.approx(1.5)
    assert float(op.flow.element_a[(*at, net.position["screen"])]) == pytest.approx(1.0)
    assert float(op.flow.element_a[(*at, net.position["socket"])]) == pytest.approx(0.5)
    given = float(op.flow.branch_a[(*at, net.branch["pack"])]) * 3.7
    lost = 1.5**2 * 0.1 + 0.5**2 * 0.2
    assert given == pytest.approx(float(np.sum(op.load_w[at])) + lost), "energy in is what is used and lost"


def test_a_pin_has_its_own_regulator_with_its_limit() -> None:
    pin = {
        "id": "pin",
        "name": "Pin",
        "kind": "linear",
        "fed_by": "screen",
        "output_v": 3.3,
        "output_limit_a": 0.05,
        "built_in": True,
    }
    radio = drawing(0.04, fed_by="pin") | {"id": "radio", "name": "Radio"}
    a = of(links=[WIRE], converters=[pin], loads=[SCREEN, radio])
    spare = next(h for h in a.headrooms if h.element == "pin")
    assert (spare.spare, spare.limit_a) == (pytest.approx(0.2), pytest.approx(0.05))
    amps = a.op.flow.branch_a[State.PLAY, a.op.half, a.op.network.branch["wire"]]
    assert float(amps) == pytest.approx(1.04), "a linear regulator takes what it gives"


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"links": [WIRE], "loads": [SCREEN, BOARD | {"fed_by": "screen"}]}, "hangs on Screen itself"),
        ({"links": [WIRE, SOCKET | {"fed_by": "wire"}]}, "is the output of no part"),
        ({"links": [WIRE, SOCKET | {"fed_by": "pack"}]}, "is the output of no part"),
        ({"links": [WIRE, SOCKET | {"kind": "plug"}]}, "hangs on Screen itself"),
        ({"loads": [SCREEN | {"fed_by": "socket"}, BOARD]}, "feeds itself by way of"),
    ],
)
def test_only_an_output_passes_power_on(change: dict[str, Any], says: str) -> None:
    with pytest.raises(PlanError, match=says):
        of(**change)


def test_an_overrun_output_is_said_and_its_part_fed_elsewhere() -> None:
    plan = adding.add(sanderling(), "outlet-usb-06", behind="board")
    greedy = adding.add(plan.plan, "board-small4", behind=plan.shows).plan
    a = assess(greedy, STOCK)
    f = next(f for f in a.findings if f.rule == "headroom" and f.element == plan.shows)
    assert f.state == "fails"
    words = [fix.words for fix in f.search()]
    assert any("fed from 5 V rail" in w for w in words)
    assert not any("in its place" in w for w in words), "a socket of a board cannot be bought apart"


def with_socket() -> Plan:
    plan = adding.add(sanderling(), "outlet-usb-12", behind="board")
    return adding.add(plan.plan, "radio-wifi-usb", behind=plan.shows).plan


def test_an_output_is_a_place_and_goes_with_its_part() -> None:
    plan = with_socket()
    socket = plan.by_id["outlet-usb-12"]
    assert load_feeders(plan)[-1] == socket
    assert made_v(plan, socket) == pytest.approx(5.1, abs=0.2)
    loads = {p.id: p for p in plan.loads}
    assert socket not in places_for(plan, loads["board"]), "it cannot be fed by itself"
    assert socket in places_for(plan, loads["light"])
    gone = removing.remove(plan, "board")
    assert "outlet-usb-12" not in gone.plan.by_id
    assert {k.fed_by for k in gone.plan.links if k.id == "w-radio-wifi-usb"} == {"rail-5"}
    assert adding.add(sanderling(), "pin-33-05").plan.converters[-1].fed_by == "board", "of the part that draws most"
    with pytest.raises(FigureError, match="belongs to a part that draws"):
        adding.add(sanderling(), "pin-33-05", behind="pack")


def test_the_map_shows_where_power_is_passed_on() -> None:
    a = assess(with_socket(), STOCK)
    nodes = [n for root in trees(a.plan) for n in root.walk()]
    host = next(n for n in nodes if words_of(n) == "Passes on")
    assert [c.parts[0].id for c in host.children] == ["board", "radio-wifi-usb"]
    scene, _ = open_scene(a)
    assert {"board", "radio-wifi-usb"} <= {r.nodes[0].id for r in scene.rows}
