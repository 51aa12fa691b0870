"""Limits and windows as a table: each tried just inside and just outside, on a plan where the figure is known by hand."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import pytest
from scipy.optimize import brentq

from briskcell.core.rules import RULES
from tests.core.rules.test_rules import BOARD, BOOST, FUSE, SUPPLY, cells, found, of
from tests.known import closed_case, drawing, flat_cell


@dataclass(frozen=True)
class Edge:
    """A limit: its rule, value and source; how a build is made for a figure; what is said on the good side and past it."""

    rule: str
    what: str
    value: float
    source: str
    build: Callable[[float], dict[str, Any]]
    within: str | None
    past: str | None
    rises: bool = True  # past it is above it
    room: float = 0.004  # of the value, that both sides are away from it


def switched(amps: float) -> dict[str, Any]:
    switch = {"id": "switch", "name": "Switch", "kind": "switch", "fed_by": "fuse", "resistance_ohm": 0.0, "rating_a": amps}
    return {"links": [FUSE, switch], "loads": [drawing(1.0, fed_by="switch")]}


def guarded(cutoff_v: float) -> dict[str, Any]:
    return {"packs": cells(empty_v=3.0, protection={"cutoff_cell_v": cutoff_v, "trip_a": 8.0, "resistance_ohm": 0.0})}


def weakest(amp_hours: float, **protection: Any) -> dict[str, Any]:
    return {"packs": cells(series=2, weakest_ah=amp_hours, **protection)}


def warm(watts: float, **brief: Any) -> dict[str, Any]:
    lossless = cells(ohm=0.0)
    return {"packs": lossless, "loads": [drawing(watts / 3.7, fed_by="fuse")], "brief": {"room_c": 25.0} | brief}


def driven(volts: float) -> dict[str, Any]:
    driver = drawing(0.1, fed_by="fuse") | {"id": "driver", "name": "Driver", "logic_v": volts}
    return {"loads": [drawing(0.1, fed_by="fuse") | {"logic_v": 3.3, "driven_by": "driver"}, driver]}


def held(volts: float, side: str) -> dict[str, Any]:
    window = {"low_v": 0.5, "high_v": 50.0} | {side: volts}
    return {"packs": cells(ohm=0.1, full_v=3.7), "loads": [drawing(1.0, fed_by="fuse") | {"window": window}]}


def charged(cells_c: float) -> dict[str, Any]:
    on = {"supplies": [SUPPLY], "chargers": [BOARD | {"current_a": 0.1, "termination_a": 0.01, "layout": "cut_out"}]}
    return on | {"packs": cells(ohm=0.0), "brief": {"cells_c": cells_c, "room_c": 20.0, "play_while_charging": False}}


def delivered(amps: float) -> dict[str, Any]:
    return {"packs": cells(max_discharge_a=amps)}


def endured(volts: float) -> dict[str, Any]:
    return {"packs": cells(full_v=3.7), "converters": [BOOST | {"input_max_v": volts}], "loads": [drawing(0.1, fed_by="boost")]}


def apart(volts: float) -> dict[str, Any]:
    return {"packs": cells(strings=[{"cell": flat_cell(), "ocv_v": v} for v in (3.7, 3.7 + volts)])}


def wired(metres: float) -> dict[str, Any]:
    wire = {"id": "wire", "name": "Wire", "kind": "wire", "fed_by": "fuse", "length_m": metres, "awg": 22, "run_m": 0.2}
    return {"links": [FUSE, wire], "loads": [drawing(1.0, fed_by="wire")]}


def filled(volts: float) -> dict[str, Any]:
    return {"capacitors": [{"id": "cap", "name": "Cap", "capacitance_f": 10, "esr_ohm": 0.05, "full_v": volts, "rating_v": 2.7}]}


GUARD = {"protection": {"cutoff_cell_v": 2.5, "trip_a": 8.0, "resistance_ohm": 0.0}}


# A case of 160 × 85 × 30 mm, 35 % covered, lets 9 · 0.0419 · 0.65 = 0.2451 W/K out.
def _felt_c(watts: float) -> float:
    """The hottest place of the skin, of a load behind a fuse of 20 mΩ in a room of 25 °C. [°C]"""
    return closed_case(watts, part_w=watts - 0.02 * (watts / 3.7) ** 2, room_c=25.0)["skin"]


HELD_W = float(brentq(lambda watts: _felt_c(watts) - 48.0, 0.5, 20.0))
EDGES = (
    Edge("headroom", "spare that is comfortable", 1.0 / 0.75, "TI SLVA372D: a quarter", switched, None, "close", rises=False),
    Edge("headroom", "spare that is enough", 1.0 / 0.90, "a tenth", switched, "close", "fails", rises=False),
    Edge("headroom", "spare of nothing", 1.0, "the rating", switched, "fails", "fails", rises=False),
    Edge("carrier", "label", 100.0 / 3.7, "IATA: 100 Wh", lambda ah: {"packs": cells(ah=ah)}, None, "close"),
    Edge("equal-strings", "strings apart, half of what one takes", 0.15, "typical", apart, None, "close"),
    Edge("equal-strings", "strings apart, all that one takes", 0.30, "the cell's sheet", apart, "close", "fails"),
    Edge("protected-cells", "cut-off below empty", 2.5, "data sheets: 2.5 V", guarded, None, "fails", rises=False),
    Edge("weakest-in-series", "weakest cell", 2.85, "cells of a batch: 5 %", weakest, None, "fails", rises=False),
    Edge(
        "weakest-in-series",
        "weakest cell, watched",
        2.85,
        "cells of a batch: 5 %",
        lambda ah: weakest(ah, **GUARD),
        None,
        "close",
        rises=False,
    ),
    Edge("case-heat", "skin that is held", HELD_W, "IEC 62368-1, table 38: 48 °C", warm, None, "fails"),
    Edge("logic-level", "sure high", 0.7 * 3.3, "JESD8C.01", driven, None, "close", rises=False),
    Edge("logic-level", "clamp", 3.3 + 0.35, "sheets: 0.3 to 0.5 V", driven, None, "fails"),
    Edge("load-window", "least volts", 3.6, "the part's sheet", lambda v: held(v, "low_v"), None, "fails"),
    Edge("load-window", "most volts", 3.6, "the part's sheet", lambda v: held(v, "high_v"), None, "fails", rises=False),
    Edge("slack", "length of a run of 200 mm", 0.2 * 1.15 + 0.02 + 0.005, "service loops", wired, None, "close"),
    Edge("capacitor-rating", "volts of a capacitor", 0.9 * 2.7, "life halves per 0.1 V", filled, None, "close"),
    Edge("capacitor-rating", "its rating", 2.7, "the part's sheet", filled, "close", "fails"),
    Edge("cell-current", "spare that is comfortable", 1.0 / 0.75, "the cell's sheet", delivered, None, "close", rises=False),
    Edge("cell-current", "spare that is enough", 1.0 / 0.90, "the cell's sheet", delivered, "close", "fails", rises=False),
    Edge("runtime-brief", "hours of the brief", 3.0, "the brief", lambda h: {"brief": {"hours": h}}, None, "fails"),
    Edge("charge-room", "least to charge at", 0.0, "IEC 62133-2", charged, None, "fails", rises=False),
    Edge("charge-room", "most to charge at", 45.0, "IEC 62133-2", charged, None, "fails"),
    Edge("input-window", "most that an input stands", 3.7, "the board's sheet", endured, None, "fails", rises=False),
)


@pytest.mark.parametrize("edge", EDGES, ids=lambda e: f"{e.rule}: {e.what}")
def test_a_limit_lies_where_its_source_has_it(edge: Edge) -> None:
    away = edge.room * abs(edge.value) or 0.2
    good, bad = (edge.value - away, edge.value + away) if edge.rises else (edge.value + away, edge.value - away)

    def says(figure: float) -> str | None:
        states = [f.state for f in found(of(**edge.build(figure)), edge.rule)]
        return "fails" if "fails" in states else states[0] if states else None

    assert (says(good), says(bad)) == (edge.within, edge.past), edge.source


@pytest.mark.parametrize("rule", [r for r in RULES.values() if r.worst == "close"], ids=lambda r: r.name)
def test_a_rule_that_is_not_asked_for_failures_never_says_one(rule: Any) -> None:
    assert '"fails"' not in inspect.getsource(rule.function)
