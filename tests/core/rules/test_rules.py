"""Each branch of each rule: a build just past its limit, and one just short of it."""

from __future__ import annotations

import re
from typing import Any

import pytest
from scipy.optimize import brentq

from briskcell.core.assess import Assessment, assess
from briskcell.core.rules import Finding
from briskcell.core.rules.registry import past
from briskcell.library import catalogue
from briskcell.model.plan import plan_of
from tests.known import closed_case, drawing, flat_cell, hand_plan

STOCK = catalogue().stock()
BOOST = {
    "id": "boost",
    "name": "Boost",
    "fed_by": "fuse",
    "kind": "boost",
    "output_v": 5.0,
    "loss": {"kind": "fixed", "efficiency": 0.9},
    "adjustable": [{"field": "output_v", "low": 4.9, "high": 5.4}],
}
FUSE = {"id": "fuse", "name": "Fuse", "kind": "fuse", "fed_by": "pack", "resistance_ohm": 0.0, "rating_a": 5.0}
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
    "cells": [1],
    "end_v": 4.2,
    "chemistries": ["by hand"],
    "adjustable": [{"field": "current_a", "low": 0.1, "high": 3.0}],
}


def of(**lists: Any) -> Assessment:
    return assess(plan_of(hand_plan(links=[FUSE], loads=[drawing(1.0, fed_by="fuse")]) | lists), STOCK)


def cells(**figures: Any) -> list[dict[str, Any]]:
    own = {k: figures.pop(k) for k in ("series", "parallel", "protection", "strings") if k in figures}
    return [{"id": "pack", "name": "Pack", "cell": flat_cell(**figures)} | own]


def found(a: Assessment, rule: str) -> list[Finding]:
    return [f for f in a.findings if f.rule == rule]


def one(a: Assessment, rule: str) -> Finding:
    (finding,) = found(a, rule)
    return finding


def boosted(amps: float = 1.0, **figures: Any) -> dict[str, Any]:
    loads = [drawing(amps, fed_by="boost", window={"low_v": 4.3, "high_v": 5.7})]  # not the volts of a pack
    return {"converters": [BOOST | figures], "loads": loads}


@pytest.mark.parametrize(
    ("switch_a", "word", "says"),
    [
        (2.01, None, ""),
        (1.9, "close", "has 21 % to spare (1.00 A of 1.27 A)"),
        (1.65, "fails", "has 9 % to spare"),
        (1.4, "fails", "is asked for 1.00 A and can give 0.93 A"),
    ],
)
def test_headroom_is_comfortable_from_a_quarter_and_close_from_a_tenth(switch_a: float, word: str | None, says: str) -> None:
    # 3.7·0.9/5 of the switch current comes out.
    a = of(packs=cells(ohm=0.0), **boosted(switch_current_a=switch_a))
    got = [f for f in found(a, "headroom") if f.element == "boost"]
    assert [f.state for f in got] == ([word] if word else [])
    assert all(says in f.cause.replace("\u00a0", " ").replace("21%", "21 %").replace("9%", "9 %") for f in got)


def test_headroom_names_the_moment_and_offers_the_smallest_part_that_is_comfortable() -> None:
    a = of(packs=cells(volts=3.0, top_v=4.0, ohm=0.0), **boosted(1.0, switch_current_a=1.7))
    f = next(f for f in found(a, "headroom") if f.element == "boost")
    assert f.cause.startswith("At 27% charge, all at rest, Boost has 0% to spare"), "where it ends play"
    assert f.fix is not None
    assert f.fix.words == "Boost board 5 V, 3 A switch in its place"
    weak = [FUSE | {"rating_a": 1.05}]
    fuse = next(f for f in found(of(links=weak), "headroom") if f.element == "fuse")
    assert fuse.fix is not None
    assert fuse.fix.words == "Fuse 2 A in its place"


def test_a_build_that_cannot_be_carried_is_one_finding_with_the_part_that_ends_it() -> None:
    thin = {"id": "wire", "name": "Wire", "kind": "wire", "fed_by": "fuse", "resistance_ohm": 2.0}
    a = of(links=[FUSE, thin], loads=[drawing(5.0, "power_w", fed_by="wire")])
    f = one(a, "headroom")
    assert f.cause.startswith("At 100% charge, all at rest, the volts collapse")
    assert a.collapse == (1.0, "rest", 0)


@pytest.mark.parametrize(
    ("window", "says"),
    [
        ({"low_v": 3.0, "high_v": 3.8}, None),
        ({"low_v": 3.0, "high_v": 3.6}, "sees 3.65 V and accepts at most 3.60 V"),
        ({"low_v": 3.0, "high_v": 3.5, "absolute_max_v": 3.6}, "sees 3.65 V; more than 3.60 V destroys it"),
        ({"low_v": 3.7, "high_v": 4.2}, "sees 3.65 V in play, needs 3.70 V"),
    ],
)
def test_a_load_wants_volts_within_its_window(window: dict[str, float], says: str | None) -> None:
    got = found(of(loads=[drawing(1.0, fed_by="fuse", window=window)]), "load-window")
    assert [says in f.cause for f in got if says] == ([True] if says else [])
    assert len(got) == (1 if says else 0)


def test_a_load_short_of_volts_is_given_a_thicker_wire_or_a_higher_rail() -> None:
    wire = {"id": "wire", "name": "Wire", "kind": "wire", "fed_by": "boost", "length_m": 0.5, "awg": 30}
    loads = [drawing(1.0, fed_by="wire", window={"low_v": 4.85, "high_v": 5.3})]
    a = of(links=[FUSE, wire], converters=[BOOST], loads=loads)
    fix = one(a, "load-window").fix
    assert fix is not None
    # 30 AWG has 338 mΩ out and back; 150 mV at 1 A allow 150 mΩ: 26 AWG has 134, 28 AWG 213.
    assert fix.words == "26 AWG instead of 30 AWG for Wire"
    high = of(links=[FUSE, wire], converters=[BOOST], loads=[drawing(1.0, fed_by="wire", window={"low_v": 5.05, "high_v": 5.3})])
    both = [f.plan for f in high.options(one(high, "load-window")) if f.words.endswith(", with 22 AWG wire")]
    assert [getattr(p.by_id["wire"], "awg", None) for p in both] == [22.0], "5.05 V lie above the board's 5 V: both are needed"
    fixed = {"id": "wire", "name": "Wire", "kind": "path", "fed_by": "boost", "resistance_ohm": 0.3}
    raised = one(of(links=[FUSE, fixed], converters=[BOOST], loads=loads), "load-window").fix
    assert raised is not None
    assert raised.words == "Boost set to 5.19 V", "5 V and a quarter more than the 150 mV that are missing"
    end = of(packs=cells(volts=3.0, top_v=4.0, ohm=0.0), loads=[drawing(1.0, fed_by="fuse", window={"low_v": 3.5, "high_v": 4.5})])
    assert end.runtime.hours == pytest.approx(1.5, abs=1e-3)  # type: ignore[union-attr]  # 3 Ah at 1 A, half of it above 3.5 V
    assert not found(end, "load-window"), "what ends play is told with the hours, and nothing is asked below it"
    assert "load falls below its 3.50 V with 4.9 Wh still inside" in one(end, "runtime-brief").cause
    enough = of(
        packs=cells(volts=3.0, top_v=4.0, ohm=0.0),
        loads=[drawing(1.0, fed_by="fuse", window={"low_v": 3.5, "high_v": 4.5})],
        brief={"hours": 1.0},
    )
    assert (one(enough, "stranded").state, one(enough, "stranded").element) == ("close", "load")


def test_a_board_wants_no_more_than_its_input_stands() -> None:
    assert not found(of(**boosted(input_max_v=3.7)), "input-window")
    f = one(of(packs=cells(series=2), **boosted(0.5, input_max_v=6.0)), "input-window")
    assert f.cause == "Boost gets 7.40 V from a full store and stands 6.00 V."
    assert f.fix is not None
    assert f.fix.words.startswith("Buck board 5 V"), "7.4 V are above 5 V: it has to step down"


def second(**figures: Any) -> dict[str, Any]:
    return {
        "id": "second",
        "name": "Second",
        "fed_by": "boost",
        "kind": "boost",
        "output_v": 9.0,
        "loss": {"kind": "fixed", "efficiency": 0.9},
    } | figures


def test_two_boards_in_a_row_are_named_once_they_cost_a_twentieth_of_a_small_console() -> None:
    # 9 V·0.18 A = 1.62 W, 1.8 W into the second, a tenth and a ninth of it lost on the way: 0.2 W. With 0.12 A 0.133 W.
    a = of(converters=[BOOST, second()], loads=[drawing(0.18, fed_by="second")])
    f = one(a, "double-conversion")
    assert f.cause == "Second takes 1.80 W through Boost, which costs 0.20 W on the way."
    assert f.fix is not None
    assert f.fix.words == "Second fed beside Boost"
    assert not found(of(converters=[BOOST, second()], loads=[drawing(0.12, fed_by="second")]), "double-conversion")
    shy = of(converters=[BOOST, second(input_max_v=3.0)], loads=[drawing(0.18, fed_by="second")])
    assert one(shy, "double-conversion").fix is None, "the second does not stand the pack"
    locked = of(converters=[BOOST, second(lockout_v=3.8)], loads=[drawing(0.18, fed_by="second")])
    assert one(locked, "double-conversion").fix is None, "the second locks out on the pack"
    down = of(converters=[BOOST, second(kind="buck", output_v=3.9)], loads=[drawing(0.5, fed_by="second")])
    assert one(down, "double-conversion").fix is None, "a buck cannot make 3.9 V of 3.7"
    wide = of(packs=cells(volts=3.0, top_v=4.0), converters=[BOOST, second(lockout_v=3.5)], loads=[drawing(0.18, fed_by="second")])
    assert one(wide, "double-conversion").fix is None, "at the end of the pack there is too little"
    burns = second(kind="linear", output_v=3.3, loss=None)
    assert not found(of(converters=[BOOST, burns], loads=[drawing(1.0, fed_by="second")]), "double-conversion")


def test_a_board_that_locks_out_must_not_start_again_on_the_recovered_pack() -> None:
    rising = cells(volts=3.0, top_v=4.0, ohm=0.2)
    # 3.3 W over 0.9 take 1.15 A at 3.2 V: without them the pack is back at 3.43 V.
    a = of(packs=rising, **boosted(0.66, lockout_v=3.2))
    f = one(a, "lock-out-chatter")
    assert f.fix is not None
    assert f.fix.words == "Boost board 5 V, 2 A switch, without an enable pin in its place", "one that locks out later"
    knob = {"adjustable": [{"field": "restart_v", "low": 3.0, "high": 3.6}], "restart_v": 3.4}
    held = one(of(packs=rising, **boosted(0.66, lockout_v=3.2, **knob)), "lock-out-chatter")
    assert held.fix is not None
    assert held.fix.words == "A restart at 3.48 V"
    latch = FUSE | {"id": "latch", "kind": "switch", "latching": True, "resistance_ohm": 0.0}
    kept_off = of(packs=rising, links=[latch, FUSE | {"fed_by": "latch"}], **boosted(0.66, lockout_v=3.2))
    assert not found(kept_off, "lock-out-chatter")
    assert not found(of(packs=rising, **boosted(0.66, lockout_v=3.2, restart_v=3.6)), "lock-out-chatter")
    assert not found(of(packs=cells(volts=3.0, top_v=4.0, ohm=0.05), **boosted(0.66, lockout_v=3.2)), "lock-out-chatter"), (
        "50 mΩ recover by less than the usual 0.15 V of hysteresis"
    )


@pytest.mark.parametrize(
    ("driver_v", "load_v", "word"), [(3.3, 3.3, None), (3.6, 3.3, None), (3.7, 3.3, "fails"), (3.3, 4.7, None), (3.3, 5.0, "close")]
)
def test_signals_come_at_a_level_that_is_understood_and_survived(driver_v: float, load_v: float, word: str | None) -> None:
    loads = [
        drawing(0.1, fed_by="fuse", logic_v=load_v, driven_by="host"),
        drawing(0.1, fed_by="fuse", logic_v=driver_v) | {"id": "host"},
    ]
    assert [f.state for f in found(of(loads=loads), "logic-level")] == ([word] if word else [])


@pytest.mark.parametrize(("peak_a", "fails"), [(0.9, False), (1.1, True)])
def test_the_first_moment_of_a_part_leaves_what_the_rest_draws(peak_a: float, fails: bool) -> None:
    # 3 A·3.7·0.9/5 = 2 A with 1 A at rest leaves 1 A.
    loads = [
        drawing(0.0, rest=1.0, fed_by="boost"),
        drawing(0.0, fed_by="boost", inrush={"capacitance_f": 1e-4, "peak_a": peak_a}) | {"id": "screen"},
    ]
    a = of(packs=cells(ohm=0.0), converters=[BOOST | {"switch_current_a": 3.003}], loads=loads)
    assert bool(found(a, "inrush")) is fails


@pytest.mark.parametrize(("output_f", "fails"), [(None, True), (200e-6, True), (1000e-6, False)])
def test_a_rails_capacitance_fills_what_starts_before_its_board_notices(output_f: float | None, fails: bool) -> None:
    # 5 V on so much and 100 µF: 3.33 V of 200 µF, 4.55 V of a thousand; the other part works from 4.5 V.
    other = drawing(0.0, rest=1.0, fed_by="boost", window={"low_v": 4.5, "high_v": 5.5})
    start = drawing(0.0, fed_by="boost", inrush={"capacitance_f": 1e-4, "peak_a": 4.0}) | {"id": "screen"}
    a = of(packs=cells(ohm=0.0), converters=[BOOST | {"switch_current_a": 3.0, "output_f": output_f}], loads=[other, start])
    assert bool(found(a, "inrush")) is fails
    (moment,) = a.first_moments
    assert moment.lasts_s == pytest.approx(1e-4 * 5.0 / 4.0)
    assert moment.sags_v is None if output_f is None else moment.sags_v == pytest.approx(5.0 * output_f / (output_f + 1e-4))


@pytest.mark.parametrize(("capacitance_f", "fails"), [(1e-3, False), (0.2, True)])
def test_what_starts_right_on_a_pack_trips_its_protection_where_it_lasts(capacitance_f: float, fails: bool) -> None:
    # 3.7 V behind 50 mΩ pull 74 A of the 100 the part could; 4 A trip, after five milliseconds.
    start = drawing(0.1, fed_by="fuse", inrush={"capacitance_f": capacitance_f, "peak_a": 100.0})
    guard = {"cutoff_cell_v": 2.6, "trip_a": 4.0, "resistance_ohm": 0.0}
    a = of(packs=cells(protection=guard), loads=[start])
    (moment,) = a.first_moments
    assert moment.pulls_a == pytest.approx(3.7 / 0.05, rel=1e-3)
    assert moment.limit_a == 4.0
    assert bool(found(a, "inrush")) is fails


def test_signals_between_two_stores_want_a_common_negative() -> None:
    two = [*cells(), {"id": "two", "name": "Two", "cell": flat_cell()}]
    back = {"id": "back", "name": "Back", "kind": "return", "fed_by": "pack", "resistance_ohm": 0.01}
    host = drawing(0.1, fed_by="fuse") | {"id": "host"}
    apart = drawing(0.1, fed_by="two", driven_by="host")
    assert [f.state for f in found(of(packs=two, loads=[apart, host]), "common-return")] == ["close"]
    assert not found(of(packs=two, links=[FUSE, back], loads=[apart | {"return_by": "back"}, host]), "common-return")
    assert not found(of(loads=[apart | {"fed_by": "fuse"}, host]), "common-return")


def test_a_board_that_measures_its_battery_is_fed_where_it_measures() -> None:
    gauge = drawing(0.5, fed_by="boost", measures_battery=True, window={"low_v": 2.0, "high_v": 5.5})
    f = one(of(converters=[BOOST], loads=[gauge]), "battery-measure")
    assert f.fix is not None
    assert f.fix.words == "load straight on Pack, behind switch and fuse"
    assert "sees 5.00 to 5.00 V behind Boost" in f.cause
    like_a_cell = {"kind": "buck_boost", "output_v": 3.9}
    regulated = one(of(converters=[BOOST | like_a_cell], loads=[gauge]), "battery-measure")
    assert regulated.state == "close"
    assert "never sees the pack run empty" in regulated.cause
    assert not found(of(loads=[gauge | {"fed_by": "fuse"}]), "battery-measure")
    picky = gauge | {"window": {"low_v": 4.5, "high_v": 5.5}}
    assert one(of(converters=[BOOST], loads=[picky]), "battery-measure").fix is None


def test_hours_are_held_against_the_brief_and_its_pessimistic_end() -> None:
    assert not found(of(brief={"hours": 2.9}), "runtime-brief")
    short = one(of(brief={"hours": 3.5}), "runtime-brief")
    assert (short.state, short.cause) == ("fails", "It plays 3 h 00, 3 h 30 are wanted. It stops because the pack is empty.")
    assert short.fix is not None
    assert short.fix.words == "2 cells in parallel instead of 1"
    guessed = drawing(1.0, fed_by="fuse") | {"current_a": {"rest": 0, "play": {"low": 0.7, "likely": 1.0, "high": 1.6}, "peak": 1}}
    assert not found(of(brief={"hours": 3.0 / 1.101}), "runtime-range"), "a tenth more than is wanted is no margin to speak of"
    assert one(of(brief={"hours": 3.0 / 1.099}), "runtime-range").state == "close"
    assert not found(of(brief={"hours": 3.5}, loads=[guessed]), "runtime-range"), "it is too short as it likely is"
    close = one(of(brief={"hours": 2.9}, loads=[guessed]), "runtime-range")
    assert close.state == "close"
    assert close.cause.startswith("It likely plays 3 h 00, hardly longer than the 2 h 54 wanted: the chance is 5"), (
        "no more of a guess"
    )
    assert not found(of(brief={"hours": 2.6}, loads=[guessed]), "runtime-range"), "what nobody knows is a chance, no fault"
    stranded = one(
        of(packs=cells(volts=3.0, top_v=4.0, ohm=0.0), brief={"hours": 3.5}, **boosted(0.66, lockout_v=3.4)), "runtime-brief"
    )
    assert "Wh still inside." in stranded.cause
    tight = {"length_mm": 80, "width_mm": 20, "depth_mm": 20}
    sized = cells(thickness_mm=18.0, length_mm=65.0)
    assert one(of(packs=sized, bay=tight, brief={"hours": 3.5}), "runtime-brief").fix is None, "no bay for a second cell"


def test_cells_give_and_take_no_more_than_they_are_made_for() -> None:
    assert not found(of(packs=cells(max_discharge_a=1.34)), "cell-current")
    assert one(of(packs=cells(max_discharge_a=1.3)), "cell-current").state == "close"
    hard = one(of(packs=cells(max_discharge_a=0.9)), "cell-current")
    assert hard.state == "fails"
    assert hard.fix is not None
    assert hard.fix.words == "2 cells in parallel instead of 1"
    charging = {"supplies": [SUPPLY], "chargers": [BOARD]}
    assert not found(of(packs=cells(max_charge_a=1.5), **charging), "cell-current")
    fast = one(of(packs=cells(max_charge_a=1.0), **charging), "cell-current")
    assert fast.cause == "Charger charges with 1.50 A; the cells take 1.00 A."
    assert fast.fix is not None
    assert fast.fix.words == "A charge current of 1.00 A"


@pytest.mark.parametrize(
    ("figures", "word"),
    [
        ({"ah": {"likely": 3.0, "grade": "sheet"}}, None),
        ({"ah": {"likely": 3.0, "grade": "guessed"}}, "close"),
        ({"measured_ah": 2.5}, None),
        ({"measured_ah": 2.3}, "close"),
        # 18 × 65 mm hold 16.5 ml: 800 Wh a litre are 13.2 Wh, 3.58 Ah at 3.7 V.
        ({"ah": {"likely": 3.5, "grade": "sheet"}, "thickness_mm": 18.0, "length_mm": 65.0}, None),
        ({"ah": {"likely": 3.65, "grade": "sheet"}, "thickness_mm": 18.0, "length_mm": 65.0}, "fails"),
        # A pouch of 5 × 40 × 60 mm holds 12 ml, 2.59 Ah.
        ({"ah": {"likely": 2.55, "grade": "sheet"}, "thickness_mm": 5.0, "width_mm": 40.0, "length_mm": 60.0}, None),
        ({"ah": {"likely": 2.65, "grade": "sheet"}, "thickness_mm": 5.0, "width_mm": 40.0, "length_mm": 60.0}, "fails"),
    ],
)
def test_a_capacity_is_proven_and_fits_the_cells_volume(figures: dict[str, Any], word: str | None) -> None:
    assert [f.state for f in found(of(packs=cells(**figures)), "proven-capacity")] == ([word] if word else [])


def test_strings_are_joined_at_one_voltage() -> None:
    def at(*volts: float) -> list[Finding]:
        strings = [{"cell": flat_cell(ohm=0.1), "ocv_v": v} for v in volts]
        return found(of(packs=cells(strings=strings)), "equal-strings")

    assert not at(3.70, 3.99)
    (apart,) = at(3.70, 4.02)
    assert "0.32 V apart: joined, 1.60 A would flow between them" in apart.cause.replace("\u00a0", " ")
    assert (apart.state, at(3.4, 4.02)[0].state) == ("close", "fails"), "the emptier one takes 3 A"
    assert len(at(3.3, 3.7, 4.1)) == 3


@pytest.mark.parametrize(("full_v", "word"), [(2.43, None), (2.5, "close"), (2.8, "fails")])
def test_a_supercapacitor_keeps_a_tenth_of_its_rating(full_v: float, word: str | None) -> None:
    cap = {"id": "cap", "name": "Cap", "capacitance_f": 10, "esr_ohm": 0.05, "full_v": full_v, "rating_v": 2.7}
    got = found(of(capacitors=[cap]), "capacitor-rating")
    assert [f.state for f in got] == ([word] if word else [])
    assert all(f.fix and f.fix.words == "Charge it to 2.43 V" for f in got)


def test_a_bank_stays_on_at_rest_and_while_it_charges() -> None:
    bank = {
        "id": "pack",
        "name": "Bank",
        "cells_wh": 20,
        "efficiency": 0.9,
        "output_v": 5.0,
        "output_limit_a": 2.0,
        "least_load_a": 0.1,
    }
    quiet = of(packs=[], banks=[bank], links=[], loads=[drawing(0.5, rest=0.09)])
    assert "switches off below 0.10 A after 30 s" in one(quiet, "bank-output").cause
    assert not found(of(packs=[], banks=[bank], links=[], loads=[drawing(0.5, rest=0.11)]), "bank-output")
    cuts = of(packs=[], banks=[bank | {"output_while_charging": False}], links=[], loads=[drawing(0.5)])
    assert one(cuts, "bank-output").cause == "Bank cuts its output while it charges."
    calm = of(
        packs=[],
        banks=[bank | {"output_while_charging": False}],
        links=[],
        loads=[drawing(0.5)],
        brief={"play_while_charging": False},
    )
    assert not found(calm, "bank-output")


def test_there_is_one_of_each() -> None:
    two = {"supplies": [SUPPLY, SUPPLY | {"id": "usb-2"}], "chargers": [BOARD, BOARD | {"id": "charger-2", "supply": "usb-2"}]}
    assert one(of(**two), "one-of-each").cause == "The build has 2 charge ports, 1 is wanted."
    assert not found(of(**two, brief={"charge_ports": 2}), "one-of-each")
    switches = [
        FUSE,
        *(
            {"id": f"s{k}", "name": "Switch", "kind": "switch", "fed_by": at, "resistance_ohm": 0.01}
            for k, at in ((1, "fuse"), (2, "second"))
        ),
    ]
    packs = [*cells(), {"id": "second", "name": "Second", "cell": flat_cell()}]
    apart = of(packs=packs, links=switches, loads=[drawing(1.0, fed_by="s1"), drawing(0.1, fed_by="s2") | {"id": "lamp"}])
    assert "2 stores with 2 switches" in one(apart, "one-of-each").cause
    assert not found(
        of(packs=packs, links=switches[:2], loads=[drawing(1.0, fed_by="s1"), drawing(0.1, fed_by="second") | {"id": "lamp"}]),
        "one-of-each",
    )


@pytest.mark.parametrize(
    ("shutdown", "words"),
    [
        ({"warning_v": 3.6}, []),
        ({"warning_v": 2.9}, [("fails", "comes too late")]),
        ({}, [("close", "No warning before shutdown")]),
        ({"soft": False}, []),
        ({"seconds": 0}, []),
        ({"power_w": 400.0, "seconds": 3600, "warning_v": 3.6}, [("fails", "Even a full store")]),
    ],
)
def test_the_warning_comes_early_enough(shutdown: dict[str, Any], words: list[tuple[str, str]]) -> None:
    plain = {"power_w": 3.0, "seconds": 60, "hard_off": True} | shutdown
    got = found(of(packs=cells(volts=3.0, top_v=4.0), shutdown=plain), "shutdown-reserve")
    assert [f.state for f in got] == [w for w, _ in words]
    assert all(says in f.cause for f, (_, says) in zip(got, words, strict=True))


def test_a_pack_lasts_its_weeks_on_the_shelf() -> None:
    sips = BOOST | {"off_current_a": 0.002}
    # 3 Ah at 2 mA and a hundredth a month of its own: 62 days.
    a = {"packs": cells(self_discharge_per_month=0.01), "converters": [sips], "loads": [drawing(1.0, fed_by="boost")]}
    assert not found(of(**a, brief={"shelf_days": 60}), "shelf-life")
    f = one(of(**a, brief={"shelf_days": 63}), "shelf-life")
    assert f.cause == "Pack is empty after 61 days on the shelf: 2 mA leak, most by Boost."


def test_past_a_hundred_watt_hours_a_carrier_is_asked() -> None:
    assert not found(of(packs=cells(parallel=9)), "carrier"), "9 · 11.1 Wh"
    assert "111.0 Wh" in one(of(packs=cells(parallel=10)), "carrier").cause


def test_charging_is_held_against_the_brief() -> None:
    charging = {"supplies": [SUPPLY], "chargers": [BOARD | {"layout": "cut_out"}], "packs": cells(max_charge_a=3.0)}
    assert not found(of(**charging, brief={"charge_hours": 2.0, "play_while_charging": False}), "charge-brief")
    slow = one(of(**charging, brief={"charge_hours": 1.9, "play_while_charging": False}), "charge-brief")
    assert slow.cause == "Charger fills the pack in 2 h 00; 1 h 54 are wanted."
    assert slow.fix is not None
    assert slow.fix.words == "A charge current of 1.66 A", "as much as the brief asks, and a twentieth"
    assert "does not fill while someone plays" in one(of(**charging, brief={"charge_hours": 2.0}), "charge-brief").cause
    never = of(supplies=[SUPPLY | {"voltage_v": 3.0}], chargers=[BOARD | {"kind": "linear"}], brief={"play_while_charging": False})
    assert "never fills the pack" in one(never, "charge-brief").cause
    held = of(
        supplies=[SUPPLY | {"current_limit_a": 1.5}],
        chargers=[BOARD | {"kind": "linear", "layout": "cut_out"}],
        brief={"charge_hours": 1.5, "play_while_charging": False},
    )
    assert one(held, "charge-brief").fix is None, "neither cells nor supply give more"


def test_the_console_does_not_hang_on_the_charging_cell_and_series_cells_are_balanced() -> None:
    on_cell = {"supplies": [SUPPLY], "chargers": [BOARD | {"layout": "on_cell"}]}
    assert found(of(**on_cell), "load-on-charging-cell")
    assert not found(of(**on_cell, links=[], loads=[]), "load-on-charging-cell")
    pair = {"supplies": [SUPPLY | {"voltage_v": 12.0}], "packs": cells(series=2)}
    assert "2 cells in series without balancing" in one(of(**pair, chargers=[BOARD]), "series-balance").cause
    assert not found(of(**pair, chargers=[BOARD | {"balancing": True}]), "series-balance")


@pytest.mark.parametrize(
    ("brief", "says"),
    [
        ({"cells_c": 0.0}, []),
        ({"cells_c": -1.0}, ["charged at -1 °C"]),
        ({"cells_c": 45.0}, []),
        ({"cells_c": 46.0}, ["charged at 46 °C"]),
        ({"room_c": 46.0}, ["charged at 46 °C"]),
        ({"room_c": -5.0}, []),
        ({"cells_c": -21.0}, ["charged at -21", "used at -21 °C"]),
        ({"cells_c": 61.0}, ["charged at 61", "used at 61 °C"]),
    ],
)
def test_cells_are_charged_and_used_within_their_temperatures(brief: dict[str, float], says: list[str]) -> None:
    a = of(supplies=[SUPPLY], chargers=[BOARD | {"current_a": 0.9}], brief={"play_while_charging": False} | brief)
    got = [*found(a, "charge-room"), *found(a, "use-room")]
    assert [s in f.cause for s, f in zip(says, got, strict=True)] == [True] * len(says)
    assert not found(of(brief={"cells_c": -1.0}), "charge-room"), "nothing charges it"


def test_cold_cells_are_charged_with_a_third_and_indoors_is_another_temperature() -> None:
    def at(charge_c: float | None, amps: float, cells_c: float = 25.0) -> list[tuple[str, str]]:
        board = BOARD | {"current_a": amps, "layout": "cut_out"}
        brief = {"play_while_charging": False, "charge_c": charge_c, "cells_c": cells_c}
        return [(f.state, f.cause) for f in found(of(supplies=[SUPPLY], chargers=[board], brief=brief), "charge-room")]

    assert not at(10.0, 1.5)
    assert not at(9.0, 0.99), "a third of the 3 A that the cell takes"
    (slow,) = at(9.0, 1.01)
    assert slow[0] == "fails"
    assert "At 9 °C the cells take 1.00 A, a third of what they take from 10 °C" in slow[1].replace("\u00a0", " ")
    assert not at(20.0, 1.5, cells_c=-10.0), "used outdoors, charged indoors"
    assert at(None, 0.5, cells_c=-1.0)[0][0] == "fails"


def test_a_console_that_is_switched_off_to_charge_may_hang_on_the_cell() -> None:
    switch = {"id": "switch", "name": "Switch", "kind": "switch", "fed_by": "fuse", "resistance_ohm": 0.01, "rating_a": 5}
    for links, play, state in ((FUSE,), True, "fails"), ((FUSE,), False, "fails"), ((FUSE, switch), False, "close"):
        a = of(
            supplies=[SUPPLY],
            chargers=[BOARD | {"layout": "on_cell"}],
            links=list(links),
            loads=[drawing(1.0, fed_by=links[-1]["id"])],
            brief={"play_while_charging": play},
        )
        (told,) = found(a, "load-on-charging-cell")
        assert (told.state, "switch off to charge" in told.cause) == (state, state == "close")


def test_cells_of_half_their_health_are_retired_and_no_lithium_balancer_sits_on_others() -> None:
    def worn(health: float) -> list[str]:
        return [f.state for f in found(of(packs=cells(health=health)), "retired")]

    assert [worn(h) for h in (0.8, 0.7, 0.69, 0.55, 0.54)] == [[], [], ["close"], ["close"], ["fails"]]
    nimh = {"series": 4, "full_v": 1.5, "empty_v": 1.0, "volts": 1.2, "chemistry": "NiMH"}
    balancer = {"id": "bal", "name": "Balancer", "charges": "pack", "balance_a": 0.06}
    on = of(packs=cells(**nimh), supplies=[SUPPLY], chargers=[BOARD], balancers=[balancer])
    (drains,) = found(on, "series-balance")
    assert (drains.element, drains.state) == ("bal", "fails")
    assert "would drain them" in drains.cause
    assert drains.fix is not None
    assert not drains.fix.plan.balancers
    assert not found(of(packs=cells(**nimh), supplies=[SUPPLY], chargers=[BOARD]), "series-balance")


def test_a_board_that_slows_down_when_warm_is_told() -> None:
    def warm(slows_c: float) -> list[Finding]:
        load = drawing(1.0, fed_by="fuse") | {"theta_k_per_w": 4.0, "slows_c": slows_c}
        return found(of(loads=[load], brief={"room_c": 20.0}), "part-heat")

    a = of(loads=[drawing(1.0, fed_by="fuse") | {"theta_k_per_w": 4.0, "slows_c": 80.0}], brief={"room_c": 20.0})
    (part,) = a.heat.parts
    assert part.celsius == pytest.approx(a.heat.air_c + 4.0 * part.watts)
    assert not warm(part.celsius + 0.5)
    (told,) = warm(part.celsius - 0.5)
    assert told.state == "close"
    assert "slows down from" in told.cause


def test_a_fuse_lies_right_behind_every_pack() -> None:
    wire = {"id": "wire", "name": "Wire", "kind": "wire", "fed_by": "pack", "length_m": 0.1, "awg": 22}
    bare = one(of(links=[wire], loads=[drawing(1.0, fed_by="wire")]), "fuse-at-the-store")
    assert bare.cause.startswith("No fuse lies between Pack and Wire")
    assert bare.fix is not None
    assert bare.fix.words == "Fuse 2 A right at Pack", "three quarters of 2 A carry 1 A"
    behind = [wire, FUSE | {"fed_by": "wire"}]
    assert not found(of(links=behind, loads=[drawing(1.0, fed_by="fuse")]), "fuse-at-the-store")
    forked = [*behind, wire | {"id": "branch", "name": "Branch", "fed_by": "wire"}]
    assert found(
        of(links=forked, loads=[drawing(1.0, fed_by="fuse"), drawing(0.1, fed_by="branch") | {"id": "lamp"}]), "fuse-at-the-store"
    )


def test_wires_stay_within_what_their_insulation_stands() -> None:
    def at(amps: float, **figures: Any) -> list[Finding]:
        wire = {"id": "wire", "name": "Wire", "kind": "wire", "fed_by": "fuse", "length_m": 0.05, "awg": 30} | figures
        return found(
            of(
                links=[FUSE | {"rating_a": 40.0}, wire],
                loads=[drawing(amps, fed_by="wire")],
                brief={"room_c": 20.0},
                case={"length_mm": 800, "width_mm": 600, "depth_mm": 300},
            ),
            "wire-warmth",
        )

    # 30 AWG carries 3.4 A at 60 K over 20 °C, which are left in a case so large that its air stays cool.
    assert not at(3.2)
    (warm,) = at(4.2)
    assert warm.fix is not None
    assert warm.fix.words == "28 AWG instead of 30 AWG for Wire"
    (away,) = at(32.0)
    assert "runs away in play" in away.cause
    trace = at(3.0, kind="trace", awg=None, trace_width_mm=0.4)
    assert trace
    assert trace[0].fix is None


def test_no_conductor_is_longer_than_it_must_be() -> None:
    def at(length: float) -> list[Finding]:
        wire = {"id": "wire", "name": "Wire", "kind": "wire", "fed_by": "fuse", "length_m": length, "awg": 22, "run_m": 0.2}
        return found(of(links=[FUSE, wire], loads=[drawing(1.0, fed_by="wire")]), "slack")

    assert not at(0.254)
    (long,) = at(0.30)
    assert "5 cm longer" in long.cause
    assert long.fix is not None
    assert long.fix.words == "25 cm"


def test_the_case_stays_cool_enough_for_hands_and_cells_and_is_vented_first() -> None:
    def at(watts: float, stands_c: float = 60.0, **brief: Any) -> list[Finding]:
        packs = cells(ohm=0.0, use_high_c=stands_c)
        return found(of(packs=packs, loads=[drawing(watts, "power_w", fed_by="fuse")], brief={"room_c": 30.0} | brief), "case-heat")

    def most_w(place: str, celsius: float, *, held: bool = True) -> float:
        return float(brentq(lambda w: closed_case(w, part_w=w, held=held)[place] - celsius, 0.5, 20.0))

    assert not at(0.97 * most_w("skin", 48.0))
    (skin,) = at(1.01 * most_w("skin", 48.0))
    assert re.search(r"reaches 48.\d °C after", skin.cause.replace("\u00a0", " "))
    assert skin.fix is not None
    assert skin.fix.words == "Vents"
    assert not at(1.1 * most_w("skin", 48.0), held=False)
    assert not at(0.97 * most_w("cells", 45.0, held=False), 45.0, held=False)
    (hot,) = at(1.02 * most_w("cells", 45.0, held=False), 45.0, held=False)
    assert "The cells reach 45." in hot.cause
    (worst,) = at(6.0)
    assert worst.fix is not None
    assert worst.fix.words == "Vents and a fan"


def test_no_part_gets_warmer_than_its_sheet_allows() -> None:
    def at(limit_c: float) -> list[Finding]:
        board = BOOST | {"thermal_k_per_w": 50.0, "junction_max_c": limit_c}
        return found(of(packs=cells(ohm=0.0), converters=[board], loads=[drawing(0.5, fed_by="boost")]), "part-heat")

    # 2.5 W out, 0.278 W lost: 13.9 K over the air.
    reaches = closed_case(2.778)["air"] + 13.9
    assert not at(reaches + 0.5)
    (hot,) = at(reaches - 1.0)
    assert hot.cause.replace("\u00a0", " ").startswith(f"Boost reaches {reaches:.0f} °C in play")


def test_the_pack_fits_its_bay() -> None:
    sized = {"thickness_mm": 18.0, "length_mm": 65.0}
    bay = {"length_mm": 81, "width_mm": 40, "depth_mm": 20}
    assert not found(of(packs=cells(**sized, parallel=2), bay=bay), "fits-the-bay")
    f = one(of(packs=cells(**sized, parallel=3), bay=bay), "fits-the-bay")
    assert f.fix is not None
    assert f.fix.words == "2 in parallel instead of 3"
    assert one(of(packs=cells(**sized, series=3), bay=bay), "fits-the-bay").fix is None


def test_a_temperature_past_its_limit_is_told_apart_from_it() -> None:
    assert [past(c, 45.0) for c in (52.4, 45.6, 45.4, 45.04, 45.001)] == ["52 °C", "46 °C", "45.4 °C", "45.04 °C", "45.00 °C"]


@pytest.mark.parametrize(
    ("cell", "cutoff", "fails"),
    [
        ({}, None, True),
        ({}, 2.0, False),
        ({}, 1.99, True),
        ({"empty_v": 3.0}, 2.5, False),
        ({"empty_v": 3.0}, 2.49, True),
        ({"rechargeable": False}, None, False),
        ({"full_v": 3.0}, None, False),
        ({"full_v": 3.05}, None, True),
    ],
)
def test_lithium_cells_are_protected_before_a_discharge_harms_them(
    cell: dict[str, Any], cutoff: float | None, *, fails: bool
) -> None:
    guard = {"protection": {"cutoff_cell_v": cutoff, "trip_a": 6.0, "resistance_ohm": 0.02}} if cutoff else {}
    a = of(packs=[{"id": "pack", "name": "Pack", "cell": flat_cell(**({"empty_v": 2.5} | cell)), **guard}])
    assert [f.state for f in found(a, "protected-cells")] == ["fails"] * fails
    if fails:
        fix = one(a, "protected-cells").fix
        assert fix is not None
        made = fix.plan.packs[0].protection
        assert made is not None
        assert made.cutoff_cell_v == pytest.approx((cell.get("empty_v", 2.5)) - 0.2)
        assert made.trip_a.likely == (6.0 if cutoff else 8.0), "its own, or four fifths of the 10 A that the cells give"


def test_of_unlike_cells_the_one_that_is_empty_first_says_where_protection_must_cut_off() -> None:
    strings = [{"cell": flat_cell(empty_v=v)} for v in (2.5, 3.0)]
    guard = {"cutoff_cell_v": 2.2, "trip_a": 6.0, "resistance_ohm": 0.02}
    f = one(of(packs=cells(strings=strings, protection=guard)), "protected-cells")
    assert "below 2.50 V" in f.cause
    assert f.fix is not None
    made = f.fix.plan.packs[0].protection
    assert made is not None
    assert made.cutoff_cell_v == pytest.approx(2.8)
