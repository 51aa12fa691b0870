"""Days: by hand, against a finer course, and the latest moment to plug in, to the minute."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from briskcell.core.answers import Answers
from briskcell.core.assess import assess
from briskcell.core.day.course import latest_plug, live_through, phases_of, plugged_into, weakest_supply
from briskcell.core.day.session import Course
from briskcell.library import catalogue
from briskcell.model.changes import remade
from briskcell.model.plan import Day, plan_of
from briskcell.services.day.days import read_stretches, supply_classes
from briskcell.services.day.plugs import lasts, plugs
from briskcell.services.demo import curlew, sanderling
from briskcell.services.edits.swap import swapped
from tests.known import drawing, flat_cell, hand_plan

STOCK = catalogue().stock()


def day(text: str, plan: Any = None, **figures: Any) -> Day:
    return Day(name="A day", stretches=read_stretches(text, plan or sanderling()), **figures)


def by_hand(**more: Any) -> Answers:
    """3 Ah at a flat 3.7 V, 1 A in play, 3 A at the peak, 0.2 A at rest: three hours of play."""
    load = drawing(1.0, "current_a", rest=0.2, peak=3.0, fed_by="pack", id="board", name="Board")
    cell = flat_cell(volts=3.7, top_v=3.7, ohm=0.0, max_discharge_a=10)
    return assess(plan_of(hand_plan(packs=[{"id": "pack", "name": "Pack", "cell": cell}], loads=[load], **more)), STOCK)


def test_a_day_is_what_its_stretches_take_by_hand() -> None:
    a = by_hand(games=[{"name": "Loud", "share": 1.0, "profile": {"rest": 0.25, "play": 0.5, "peak": 0.25}}])
    found = a.live(day("boot 1 min, play 1h00, rest 30 min, off 5h00, play 24 min with Loud", a.plan, begins_h=20.0))
    # 3 A · 1/60 h + 1 A · 1 h + 0.2 A · 0.5 h + nothing + (0.25·0.2 + 0.5·1 + 0.25·3) A · 0.4 h = 1.67 Ah of 3
    assert found.soc[-1] == pytest.approx(1 - (0.05 + 1.0 + 0.1 + 0.52) / 3, abs=1e-4)
    assert (found.lasts, found.wanted_s) == (True, 60 * (1 + 60 + 30 + 24))
    assert [bool(v) for v in np.interp([30, 3000, 5000, 20000, 24000], found.time_s, found.on)] == [True, True, True, False, True]
    over = a.live(day("play 2h00, off 1h00, play 2h00, rest 1h00", a.plan, start_soc=0.9))
    # 2.7 Ah: 2 h, then 0.7 h of the second two; what it rests after that is missed too
    stop = next(e for e in over.events if e.kind == "stops")
    assert stop.at_s / 3600 == pytest.approx(3.7, abs=0.03)
    assert over.missed_s / 3600 == pytest.approx(1.3 + 1.0, abs=0.03)
    assert over.soc[-1] == pytest.approx(0.0, abs=0.01)
    assert len([e for e in over.events if e.kind == "stops"]) == 2, "the rest is tried, and stops at once"


@pytest.mark.parametrize("made", [curlew, sanderling])
def test_a_day_is_what_a_course_in_steps_of_two_seconds_comes_to(made: Any) -> None:
    a = assess(made(), STOCK)
    long = day(
        "boot 1 min, play 3h00, off 1h00 plugged, rest 30 min, play 1h00 plugged, off 8h00, play 2h00", a.plan, start_soc=0.7
    )
    coarse = a.live(long)
    begin = Course(a.op, a.pack_index or 0, 0.7)
    fine = live_through(begin, long, phases_of(a.plan, long, supply_classes()), step_s=2.0)
    assert len(coarse.time_s) < 400
    assert len(fine.time_s) > 20_000
    at = np.arange(30.0, coarse.time_s[-1], 600.0)
    for ours, reference, most in (
        (coarse.soc, fine.soc, 0.004),
        (coarse.store_v, fine.store_v, 0.02),
        (coarse.case_c, fine.case_c, 0.3),
    ):
        assert np.interp(at, coarse.time_s, ours) == pytest.approx(np.interp(at, fine.time_s, reference), abs=most)
    assert coarse.missed_s == pytest.approx(fine.missed_s, abs=0.01 * coarse.wanted_s)


@pytest.mark.parametrize("made", [curlew, sanderling])
def test_three_days_are_as_true_as_one(made: Any) -> None:
    a = assess(made(), STOCK)
    long = day("play 6h00, off 40h00 plugged, play 9h00, off 12h00 plugged, play 12h00", a.plan)
    coarse = a.live(long)
    fine = live_through(Course(a.op, 0), long, phases_of(a.plan, long, supply_classes()), step_s=15.0)
    at = np.arange(100.0, coarse.time_s[-1], 1800.0)
    assert np.interp(at, coarse.time_s, coarse.soc) == pytest.approx(np.interp(at, fine.time_s, fine.soc), abs=0.008)
    assert coarse.missed_s == pytest.approx(fine.missed_s, abs=0.01 * coarse.wanted_s)
    assert len(coarse.time_s) < 600


def test_what_fills_is_said_and_the_warning_comes_before_the_stop() -> None:
    a = assess(sanderling(), STOCK)
    filled = a.live(day("play 1h00, off 14h00 plugged, play 30 min"))
    full = next(e for e in filled.events if e.kind == "full")
    board = a.charges[0]
    assert full.at_s > 3600
    assert board.off.hours is not None
    assert full.at_s / 3600 - 1 < board.off.hours
    assert filled.soc[np.searchsorted(filled.time_s, 15 * 3600 - 60)] > 0.99
    emptied = a.live(day("play 14h00"))
    kinds = {e.kind: e.at_s for e in emptied.events}
    assert "warning" not in kinds, "the one that is set ends play, the one that is advised is told before the stop"
    bare = remade(a.plan, {"shutdown": a.plan.shutdown.model_copy(update={"warning_v": None})})
    advised = {e.kind: e.at_s for e in assess(bare, STOCK).live(day("play 14h00")).events}
    assert advised["warning"] < advised["stops"]
    at = int(np.searchsorted(emptied.time_s, kinds["stops"]))
    assert emptied.store_v[at - 1] == pytest.approx(3.04, abs=0.002), "the warning as it is set on the demo build"
    stopped = kinds["stops"] / 3600
    assert a.runtime is not None
    assert a.runtime.hours is not None
    assert stopped == pytest.approx(a.runtime.hours, rel=0.12), "steady play, without what the profile rests"


def test_lamps_light_and_resets_add_up_in_a_day() -> None:
    a = assess(curlew(), STOCK)
    (lamp,) = [x for x in a.lamps if x.soc is not None]
    whole = a.live(day("play 9h00", a.plan))
    lit = next(e for e in whole.events if e.kind == "lamp")
    assert lit.words == f"{lamp.load.name} lights"
    assert np.interp(lit.at_s, whole.time_s, whole.soc) == pytest.approx(lamp.soc, abs=0.01)
    assert whole.resets == 0
    chancy = assess(sanderling(), STOCK).of(swapped(sanderling(), "boost", "boost-5v-3a")[0])
    assert chancy.resets is not None
    found = chancy.live(day("play 20h00", chancy.plan))
    # The day plays steadily, the profile rests besides: per hour of play at each charge, integrated over its own course.
    by_hand = np.trapezoid(np.interp(-found.soc, -chancy.resets.soc, chancy.resets.per_hour) * found.on, found.time_s) / 3600
    assert found.resets == pytest.approx(by_hand, rel=0.05)
    assert found.resets > 1
    late, plugged = (chancy.live(day(f"play 1h00{how}", chancy.plan, start_soc=0.1)) for how in ("", " plugged"))
    assert late.resets > 0.1
    assert plugged.resets == 0, "the same hour on the charger"


def test_what_the_charger_gives_hangs_on_whether_the_console_takes_of_it() -> None:
    a = assess(swapped(sanderling(), "usb", "usb-1")[0], STOCK)
    charge = a.charges[0]
    off_a, play_a = (float(np.interp(0.51, c.soc, c.current_a)) for c in (charge.off, charge.play))
    assert play_a < 0.7 * off_a, "a supply of 1 A feeds the console first"
    found = a.live(day("play 30 min plugged, off 30 min plugged, play 30 min plugged", a.plan, start_soc=0.5))
    gained = np.diff(np.interp([0.0, 1800.0, 3600.0, 5400.0], found.time_s, found.soc)) * a.op.curves[0].capacity_ah
    assert gained == pytest.approx(0.5 * np.array([play_a, off_a, play_a]), rel=0.03)


def test_a_jack_that_cuts_the_console_out_lets_nobody_play_while_it_charges() -> None:
    a = assess(curlew(), STOCK)
    found = a.live(day("play 1h00, play 1h00 plugged, play 1h00", a.plan))
    assert found.missed_s == 3600
    assert [e.words for e in found.events] == ["the jack cuts the console out while it charges"]
    assert not found.on[np.searchsorted(found.time_s, 5400)]
    assert assess(sanderling(), STOCK).live(day("play 1h00, play 1h00 plugged, play 1h00")).missed_s == 0


def test_the_latest_moment_to_plug_in_is_enough_and_a_minute_later_is_not() -> None:
    a = assess(sanderling(), STOCK)
    tight = day("play 6h00, off 4h00 plugged, play 7h00")
    asks = lasts(a)
    found = latest_plug(tight, 1, asks)
    assert found is not None
    later, shorter = found.stretches[0], found.stretches[1]
    assert later.minutes + shorter.minutes == 600
    assert 360 < later.minutes < 599
    assert asks(found)
    minute = [s.model_copy(update={"minutes": s.minutes + by}) for s, by in zip(found.stretches, (1, -1, 0), strict=True)]
    assert not asks(found.model_copy(update={"stretches": tuple(minute)}))
    assert latest_plug(day("play 14h00, off 30 min plugged, play 9h00"), 1, asks) is None, "as it is, it does not last"
    assert latest_plug(day("off 30 min plugged, play 1h00"), 0, asks) is None
    free = latest_plug(day("play 1h00, off 30 min plugged, play 1h00"), 1, asks)
    assert free is not None
    assert free.stretches[0].minutes == 60 + 29, "it need not be plugged in at all: but a minute is left of it"


def test_the_weakest_supply_lasts_the_day_and_the_next_weaker_does_not() -> None:
    a = assess(sanderling(), STOCK)
    tight = day("play 6h00, off 2h00 plugged, play 6h00")
    found = plugs(a, tight)
    assert found.weakest is not None
    watts = found.weakest.voltage_v.likely * found.weakest.current_limit_a.likely
    asks = lasts(a)
    assert asks(plugged_into(tight, found.weakest.part_class))
    weaker = [s for s in STOCK.supplies if s.voltage_v.likely * s.current_limit_a.likely < watts and s.voltage_v.likely < 6]
    assert weaker, "there are weaker ones"
    assert not any(asks(plugged_into(tight, s.part_class)) for s in weaker)
    assert weakest_supply(day("play 30h00, off 10 min plugged, play 9h00"), STOCK.supplies, asks) is None
    assert plugs(a, day("play 1h00")).weakest is None


def test_a_day_that_does_not_last_is_found_and_its_fix_makes_it_last() -> None:
    plan = sanderling()
    weak = next(s for s in STOCK.supplies if s.current_limit_a.likely <= 0.5 and s.voltage_v.likely < 6)
    wanted = plugged_into(day("play 6h00, off 2h00 plugged, play 6h00"), weak.part_class)
    a = assess(remade(plan, {"days": (wanted,)}), STOCK)
    finding = next(f for f in a.findings if f.rule == "day")
    assert (finding.state, finding.station) == ("fails", "day")
    assert "are missed" in finding.cause
    assert finding.fix is not None
    assert "plugged into" in finding.fix.words
    assert not [f for f in assess(finding.fix.plan, STOCK).findings if f.rule == "day"]
    assert not [f for f in assess(plan, STOCK).findings if f.rule == "day"], "the demo's own day lasts"
