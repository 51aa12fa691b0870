"""What a plan allows of a discharge, each end just inside and just outside, and the gate before a reading becomes a figure."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.core.bench.discharge import End, Stops, Watch, allowed, ended
from briskcell.core.bench.gate import impossible, no_capacity, no_figure
from briskcell.core.wiring.conductors import carried_a
from briskcell.library import catalogue
from briskcell.model.changes import altered, replaced
from briskcell.model.figure import Figure
from briskcell.model.plan import Plan
from briskcell.model.units import awg_section_mm2
from briskcell.services.demo import curlew, oystercatcher, sanderling


def assessed(plan: Plan) -> Assessment:
    return assess(plan, catalogue().stock())


def figure(value: float) -> Figure:
    return Figure(low=value, likely=value, high=value, source="by hand")


def test_a_plan_allows_what_its_weakest_part_stands() -> None:
    plan = sanderling()
    may = allowed(assessed(plan))
    assert (may.least_v.value, may.most_a.value, may.most_a.whose, may.most_c.value) == (3.0, 5.0, "Fuse 5 A", 60.0)
    assert may.full_v == pytest.approx(4.19, abs=0.005)
    series = allowed(assessed(curlew()))
    assert (series.least_v.value, series.full_v) == (6.0, pytest.approx(8.38, abs=0.01)), "two in series"
    assert allowed(assessed(oystercatcher())).most_a.whose == "Slide switch, 2 A"
    pack: Any = plan.by_id["pack"]
    high = replaced(plan, altered(pack, protection=pack.protection.model_copy(update={"cutoff_cell_v": 3.1})))
    assert (allowed(assessed(high)).least_v.value, "lets go" in allowed(assessed(high)).least_v.whose) == (3.1, True)
    trips = replaced(plan, altered(pack, protection=pack.protection.model_copy(update={"trip_a": figure(2.5)})))
    assert (allowed(assessed(trips)).most_a.value, allowed(assessed(trips)).most_a.whose) == (2.5, "the protection board")
    weak = replaced(plan, altered(pack, cell=pack.cell.model_copy(update={"max_discharge_a": figure(0.6), "use_high_c": 45.0})))
    assert allowed(assessed(weak)).most_a.value == pytest.approx(0.6 * pack.parallel)
    assert allowed(assessed(weak)).most_c.value == 45.0
    wire: Any = plan.by_id["w-pack"]
    thin = allowed(assessed(replaced(plan, altered(wire, awg=34.0, section_mm2=None))))
    assert (thin.most_a.value, thin.most_a.whose) == (
        pytest.approx(carried_a(awg_section_mm2(34), wire.insulation_c, ambient_c=30.0)),
        wire.name,
    )


def test_what_a_wire_carries_warms_it_to_what_its_insulation_stands() -> None:
    """By hand, 24 AWG: 0.2047 mm², 104 mΩ/m at 80 °C; h·π·d of its outside times 50 K over that, root of it. Film of 55 °C, 1.311 mm:
    Ra = 9.807/328·50·(1.311e-3)³/(18.7e-6·26.7e-6) = 6.75, Nu = (0.6 + 0.387·1.375/1.205)² = 1.084, h = 23.5 and 7.3 by radiation."""
    section = awg_section_mm2(24)
    outer_m = (math.sqrt(4 * section / math.pi) + 2 * 0.4) * 1e-3
    at_80 = 1.7241e-8 / (section * 1e-6) * (1 + 0.00393 * 60)
    by_hand = math.sqrt((23.5 + 7.3) * math.pi * outer_m * 50.0 / at_80)
    assert carried_a(section, 80.0, ambient_c=30.0) == pytest.approx(by_hand, rel=0.02)
    assert carried_a(section, 80.0, bundle=4, ambient_c=30.0) == pytest.approx(0.65 * carried_a(section, 80.0, ambient_c=30.0))
    assert carried_a(section, 30.0, ambient_c=40.0) == 0.0


STOPS = Stops(below_v=3.2, least_v=3.0, set_a=2.0, most_c=60.0, most_ah=1.0, seconds=7200.0)


def seen(**reading: float) -> End | None:
    """What a watch says to one reading of a discharge at two amps."""
    return Watch(STOPS).seen(0.0, **({"load_v": 3.7, "amps": 2.0} | reading))


@pytest.mark.parametrize(
    ("inside", "outside", "reason"),
    [
        ({"meter_v": 3.2, "load_v": 3.1}, {"meter_v": 3.199, "load_v": 3.1}, "volts"),
        ({"load_v": 3.2}, {"load_v": 3.199}, "volts"),
        ({"meter_v": 3.25, "load_v": 2.601, "age_s": 6.0}, {"meter_v": 3.25, "load_v": 2.599, "age_s": 6.0}, "volts"),
        ({"amps": 2.249}, {"amps": 2.251}, "amps"),
        ({"celsius": 60.0}, {"celsius": 60.1}, "heat"),
        ({"meter_v": 4.09}, {"meter_v": 4.11}, "apart"),
        ({"meter_v": 4.11, "age_s": 5.0}, {"meter_v": 3.5, "load_v": 3.91, "age_s": 4.9}, "apart"),
    ],
)
def test_each_end_comes_just_outside_its_limit(inside: dict[str, float], outside: dict[str, float], reason: str) -> None:
    assert seen(**inside) is None
    end = seen(**outside)
    assert end is not None
    assert end.reason == reason
    assert end.planned == (reason == "volts")


def test_charge_and_time_are_counted_by_the_benchs_own_clock() -> None:
    watch = Watch(replace(STOPS, most_ah=math.inf))
    assert all(watch.seen(t, load_v=3.7, amps=2.0) is None for t in (50.0, 1850.0, 1000.0, 3650.0))
    assert watch.ah == pytest.approx(2.0 * (1800 + 2650) / 3600), "a clock that leaps back counts nothing by itself"
    assert watch.seen(7249.0, load_v=3.7, amps=2.0) is None
    end = watch.seen(7250.0, load_v=3.7, amps=2.0)
    assert (end.reason if end else "") == "time"
    watch = Watch(STOPS)
    assert watch.seen(0.0, load_v=3.7, amps=2.0) is None
    assert watch.seen(1799.0, load_v=3.7, amps=2.0) is None
    end = watch.seen(1800.0, load_v=3.7, amps=2.0)
    assert (end.reason if end else "", end.words if end else "") == ("charge", "Ended after 1.00 Ah.")
    assert ended(3.0, "below", 3.2, "V") == "Ended at 3.00 V, below 3.20 V."
    assert ended(3.1999, "below", 3.2, "V") == "Ended below 3.20 V."


@pytest.mark.parametrize(
    ("value", "unit", "likely", "says"),
    [
        (710.0, "A", 0.7, "710 A? 710 mA, perhaps."),
        (29.9, "A", None, ""),
        (31.0, "A", None, "31 A? No bench meter reads that."),
        (3700.0, "V", 3.7, "3700 V? 3700 mV, perhaps."),
        (22.0, "A", 0.02, "22 A? 22 mA, perhaps."),
        (0.7, "A", 0.02, ""),
        (99.0, "V", 5.0, ""),
        (1e9, "Ω", 0.1, ""),
    ],
)
def test_what_nobody_can_have_read_is_told_with_what_was_meant(value: float, unit: str, likely: float | None, says: str) -> None:
    assert impossible(value, unit, likely) == says
    assert bool(impossible(-value, unit, likely)) == bool(says), "leads the other way round are no excuse"


def test_a_reading_far_off_makes_no_figure_but_of_a_joint() -> None:
    assert no_figure(1.0, "A", 0.101) == ""
    assert "fault" in no_figure(1.02, "A", 0.1)
    assert "fault" in no_figure(0.0099, "A", 0.1)
    assert no_figure(0.85, "Ω", 0.006) == ""


def course(v0: float, v1: float, hours: float = 4.9, amps: float = 1.96, gap: float = 0.0) -> np.ndarray:
    t = np.linspace(0.0, hours * 3600.0, 400)
    t[200:] += gap
    return np.stack([t, np.linspace(v0, v1, 400), np.full(400, amps), np.full(400, 25.0)], axis=1)


@pytest.mark.parametrize(
    ("rows", "held", "end_v", "says"),
    [
        (course(4.1, 3.0), 9.6, 3.0, ""),
        (course(4.1, 3.0), 9.6, 3.14, ""),
        (course(4.1, 3.0), 9.6, 3.16, "It ended at 3.16 V"),
        (course(3.9, 3.0), 9.6, 3.0, "which is not full"),
        (course(4.1, 3.0), 12.15, 3.0, "124% of the label"),
        (course(4.1, 3.0), 0.01, 3.0, "0% of the label"),
        (course(4.1, 3.0, gap=1200.0), 9.6, 3.0, "nothing was read"),
        (course(4.1, 3.0, gap=800.0), 9.6, 3.0, ""),
        (course(4.1, 3.0), math.nan, 3.0, "no amps"),
    ],
)
def test_a_test_says_what_a_pack_holds_only_if_it_is_whole_and_possible(
    rows: np.ndarray, held: float, end_v: float, says: str
) -> None:
    """Two cells of 5 Ah: a fifth an hour from full to 3 V."""
    why = no_capacity(assessed(sanderling()), rows, held, end_v)
    assert (says in why) if says else why == "", why
