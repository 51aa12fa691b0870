"""How builds are switched, act by act, and when their lamps light: hand-worked."""

from __future__ import annotations

from typing import Any

import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.core.pack.switching import Way, ways_off
from briskcell.library import catalogue
from briskcell.model.plan import plan_of
from tests.known import drawing, flat_cell, hand_plan

SWITCH = {"id": "switch", "name": "Switch", "kind": "switch", "fed_by": "fuse", "resistance_ohm": 0.0, "rating_a": 5.0}
FUSE = {"id": "fuse", "name": "Fuse", "kind": "fuse", "fed_by": "pack", "resistance_ohm": 0.0, "rating_a": 5.0}
BOARD = drawing(1.0, fed_by="switch") | {"id": "board", "name": "Board", "writes_card": True, "off_current_a": 0.05}
RADIO = drawing(0.1, fed_by="fuse") | {"id": "radio", "name": "Radio", "off_current_a": 0.002}
HARD_OFF_LEFT_OPEN = {"seconds": 25.0, "warning_v": 3.2}


def of(acts: dict[str, Any] | None = None, latching: bool = False, loads: Any = (BOARD, RADIO), **shutdown: Any) -> Assessment:
    packs = [{"id": "pack", "name": "Pack", "cell": flat_cell(volts=3.0, top_v=4.0, empty_v=3.0, ohm=0.0)}]
    switch = SWITCH | {"acts": acts, "latching": latching}
    return assess(
        plan_of(hand_plan(packs=packs, links=[FUSE, switch], loads=list(loads), shutdown=HARD_OFF_LEFT_OPEN | shutdown)),
        catalogue().stock(),
    )


def the_way(a: Assessment, element: str = "switch") -> Way:
    return next(w for w in a.ways_off if w.element == element)


def said(way: Way) -> list[tuple[str, float | None, tuple[str, ...], bool, bool]]:
    return [(a.act, a.after_s, a.loses, a.at_risk, bool(a.opened)) for a in way.acts]


@pytest.mark.parametrize(
    ("acts", "latching", "expected"),
    [
        # Thrown by hand: the board behind it goes at once; a run-down pack leaves it on, and nothing started a shutdown.
        (
            None,
            False,
            [
                ("off", 0.0, ("board",), True, True),
                ("hold", 0.0, ("board",), True, True),
                ("empty", 0.0, ("board",), True, False),
                ("crash", 0.0, ("board",), True, True),
            ],
        ),
        # A timer of 40 s outlasts a shutdown of 25; held, and when it hangs, it cuts after 6.
        (
            {"soft": True, "cuts_after_s": 40, "held_s": 6},
            True,
            [
                ("off", 40.0, ("board",), False, True),
                ("hold", 6.0, ("board",), True, True),
                ("empty", 0.0, ("board",), False, True),
                ("crash", 6.0, ("board",), True, True),
            ],
        ),
        # A timer of 24 s does not.
        (
            {"soft": True, "cuts_after_s": 24},
            True,
            [
                ("off", 24.0, ("board",), True, True),
                ("hold", None, (), False, False),
                ("empty", 0.0, ("board",), False, True),
                ("crash", 24.0, ("board",), True, True),
            ],
        ),
        # One that waits for the board's line cuts when it has shut down, and never where it hangs.
        (
            {"soft": True},
            True,
            [
                ("off", 25.0, ("board",), False, True),
                ("hold", None, (), False, False),
                ("empty", 0.0, ("board",), False, True),
                ("crash", None, (), False, False),
            ],
        ),
        # Pressed, and cuts at once.
        (
            {"soft": False},
            True,
            [
                ("off", 0.0, ("board",), True, True),
                ("hold", None, (), False, False),
                ("empty", 0.0, ("board",), True, True),
                ("crash", 0.0, ("board",), True, True),
            ],
        ),
    ],
)
def test_each_act_of_each_kind_of_switch(acts: dict[str, Any] | None, latching: bool, expected: list[Any]) -> None:
    a = of(acts, latching, warning_v=3.5)
    assert said(the_way(a)) == expected


def test_a_script_halts_the_board_and_cuts_nothing() -> None:
    a = of(soft=True, warning_v=3.5)
    assert said(the_way(a, "")) == [
        ("off", None, (), False, False),
        ("hold", None, (), False, False),
        ("empty", None, (), False, False),
        ("crash", None, (), False, False),
    ]
    assert [x.at_risk for x in the_way(a).acts] == [False, False, False, True], "the switch is thrown once the board has halted"
    late = the_way(of(soft=True, warning_v=2.9), "").act("empty")
    assert (late.after_s, late.loses, late.at_risk) == (0.0, ("board", "radio"), True)


def test_a_bank_has_its_own_button_and_a_build_without_a_card_risks_none() -> None:
    bank = {"id": "bank", "name": "Bank", "cells_wh": 37.0, "output_v": 5.0, "output_a": 2.0, "resistance_ohm": 0.05}
    plan = plan_of(
        hand_plan(
            packs=[],
            banks=[catalogue().part("bank-10", id="bank").model_dump() | {"name": bank["name"]}],
            links=[],
            loads=[BOARD | {"fed_by": "bank"}],
        )
    )
    (way,) = ways_off(plan)
    assert (way.name, way.act("off").loses, way.act("off").at_risk) == ("Bank, its own button", ("board",), True)
    assert not any(x.at_risk for x in the_way(of(soft=False)).acts), "said to need no shutdown"
    assert not any(x.at_risk for x in the_way(of(seconds=0)).acts)
    unsaid = of(loads=(BOARD | {"writes_card": False}, RADIO))
    assert the_way(unsaid).act("off").at_risk, "the part that draws most is taken for the computer board"


def findings(a: Assessment, rule: str) -> list[tuple[str, str]]:
    return [(f.state, f.cause) for f in a.findings if f.rule == rule]


def test_what_is_said_of_switching_off() -> None:
    behind = (BOARD,)
    timed = {"soft": True, "cuts_after_s": 25, "held_s": 6}
    assert not findings(of(timed, True, behind), "switched-off"), "as long as it takes is long enough"
    short = of(timed | {"cuts_after_s": 24}, True, behind)
    assert findings(short, "switched-off") == [("fails", "Switch cuts 24 s after it is pressed; a shutdown takes 25 s.")]
    fix = next(f for f in short.findings if f.rule == "switched-off").fix
    assert fix is not None
    assert fix.words == "Switch set to wait 31 s"
    assert not findings(of(soft=True, loads=behind), "switched-off")
    hand = of(loads=behind)
    assert findings(hand, "switched-off") == [
        ("close", "Switch cuts at once: unless the board was shut down by its menu, its card is at risk.")
    ]
    fix = next(f for f in hand.findings if f.rule == "switched-off").fix
    assert fix is not None
    assert fix.words == "Latching switch with timed shutdown, 2 A in its place"
    hangs = of({"soft": True}, True, behind)
    assert findings(hangs, "switched-off") == [("close", "Nothing cuts the power when the board hangs.")]
    assert not findings(of({"soft": True}, True, behind, hard_off=True), "switched-off")
    assert [w for w, _ in findings(of(timed, True), "switched-off")] == ["close"], "the radio hangs before the switch"


def lamp(threshold: Any, fed_by: str = "fuse", **more: Any) -> dict[str, Any]:
    return drawing(0.0, fed_by=fed_by) | {"id": "low", "name": "Lamp", "lamp": {"lights_below_v": threshold} | more}


def test_a_lamp_lights_where_the_line_meets_its_threshold() -> None:
    # 3 Ah at 1 A from 4.0 V without resistance: 4 − h/3; the warning ends play at 3.2 V, after 144 min. At 3.5 V 54 of them are
    # left, 3.6 V leaves 72, 3.4 V 36.
    board = BOARD | {"fed_by": "fuse"}
    range_v = {"low": 3.4, "likely": 3.5, "high": 3.6}
    (shown,) = of(loads=(board, lamp(range_v))).lamps
    assert (shown.soc, shown.minutes_left) == (pytest.approx(0.5, abs=1e-3), pytest.approx(54.0, abs=0.2))
    assert (shown.least_min, shown.most_min) == (pytest.approx(36.0, abs=0.2), pytest.approx(72.0, abs=0.2))
    assert shown.flashes_min == 0.0
    (never,) = of(loads=(board, lamp(2.9))).lamps
    assert never.minutes_left is None
    assert never.least_v == pytest.approx(3.2, abs=0.02)


def test_peaks_flash_a_lamp_sooner() -> None:
    # 0.1 Ω: play lies 0.1 V under the line and a peak of 3 A 0.3 V, so it meets 3.5 V 0.2 V sooner: a fifth of 3 Ah at 1.2 A mean.
    packs = [{"id": "pack", "name": "Pack", "cell": flat_cell(volts=3.0, top_v=4.0, empty_v=2.5, ohm=0.1)}]
    loads = [drawing(1.0, peak=3.0, fed_by="fuse"), lamp(3.5)]
    a = assess(plan_of(hand_plan(packs=packs, links=[FUSE], loads=loads, profile={"rest": 0.0, "play": 0.9, "peak": 0.1})))
    (shown,) = a.lamps
    assert shown.soc == pytest.approx(0.6, abs=1e-3)
    assert shown.flashes_min == pytest.approx(60.0 * 0.2 * 3.0 / 1.2, abs=0.5)


def test_what_is_said_of_lamps() -> None:
    board = BOARD | {"fed_by": "fuse"}
    assert not findings(of(loads=(board, lamp(3.5))), "lamps")
    assert findings(of(loads=(board, lamp(3.5, hidden=True))), "lamps") == [("close", "The case hides Lamp: nobody sees it light.")]
    never = of(loads=(board, lamp(2.9) | {"window": {"low_v": 2.5, "high_v": 5.5}}))
    assert findings(never, "lamps")[0][1].startswith("Lamp never lights before play ends: it is fed 3")
    fix = next(f for f in never.findings if f.rule == "lamps").fix
    assert fix is not None
    assert fix.words == "Low-battery lamp, one cell, 3.3 V in its place"
    late = of(loads=(board, lamp(3.05)), warning_minutes=30, warning_v=None)
    assert findings(late, "lamps") == [
        ("close", "Lamp lights at 3.05 V with 9 min left, later than the 30 min that the warning has to leave.")
    ]
