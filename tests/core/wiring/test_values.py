"""Hand-worked and published values of conductors, fuses and the harness."""

from __future__ import annotations

import math
from typing import Any

import pytest

from briskcell.core.assess import assess
from briskcell.core.wiring.conductors import bundle_factor, melting_time_s, trace_rise_k, wire_rise_k
from briskcell.core.wiring.fuses import fuse_holds_a, opening_time_s, opens_in_time
from briskcell.core.wiring.harness import find_gauge, slack_length_m
from briskcell.model.plan import plan_of
from briskcell.model.units import awg_section_mm2
from tests.known import drawing, flat_cell, hand_plan


def test_bundles_derate_by_iec_60364_5_52_table_b_52_17() -> None:
    assert [bundle_factor(n) for n in (1, 2, 3, 4, 5, 6, 9)] == [1.0, 0.80, 0.70, 0.65, 0.60, 0.57, 0.50]


def test_a_wire_warms_by_its_own_balance() -> None:
    # 24 AWG: 0.5106 mm and 0.4 mm of insulation all round, 1.3106 mm. 3 A at 40 °C: R' = 1.7241e-8·1.0786/0.20469e-6 = 90.85 mΩ/m.
    # 9·0.09085 = 0.8176 W/m; cooling 10·π·1.3106e-3 = 0.041174 W/mK; growth 9·1.7241e-8·0.00393/0.20469e-6 = 0.002979.
    assert wire_rise_k(3.0, awg_section_mm2(24)) == pytest.approx(0.8176 / (0.041174 - 0.002979), rel=1e-3)
    assert wire_rise_k(2.4, awg_section_mm2(24), bundle=2) == pytest.approx(wire_rise_k(3.0, awg_section_mm2(24)))
    assert wire_rise_k(3.0, awg_section_mm2(24), ambient_c=20.0) == pytest.approx(0.8176 / 1.0786 / 0.038195, rel=1e-3)
    assert math.isinf(wire_rise_k(60.0, awg_section_mm2(30)))


def test_traces_warm_by_ipc_2221() -> None:
    # I = 0.048·ΔT^0.44·A^0.725 with A in square mils: 10 K and 16.27 mil² give 1.00 A; inside a board half of it.
    area = (0.3 / 0.0254) * (35 / 25.4)
    assert trace_rise_k(0.048 * 10**0.44 * area**0.725, 0.3) == pytest.approx(10.0)
    assert trace_rise_k(0.024 * 10**0.44 * area**0.725, 0.3, inner=True) == pytest.approx(10.0)
    assert trace_rise_k(1.0, 0.3, 70.0) < trace_rise_k(1.0, 0.3)


def test_onderdonk_melts_copper() -> None:
    # 33·(I/A)²·t = log10((1083 − 40)/(234 + 40) + 1) = 0.6817; A of 24 AWG is 404 circular mils.
    assert melting_time_s(50.0, awg_section_mm2(24)) == pytest.approx(0.6817 / 33 * (404 / 50) ** 2, rel=3e-3)
    assert melting_time_s(25.0, awg_section_mm2(24)) == pytest.approx(4 * melting_time_s(50.0, awg_section_mm2(24)))
    assert math.isinf(melting_time_s(0.0, 0.2))


def test_a_resettable_fuse_loses_six_tenths_of_a_percent_a_kelvin_above_23_degrees() -> None:
    assert fuse_holds_a(2.0, 48.0, resettable=True) == pytest.approx(2.0 * (1 - 0.006 * 25))
    assert fuse_holds_a(2.0, 10.0, resettable=True) == 2.0
    assert fuse_holds_a(2.0, 300.0, resettable=True) == 0.0
    assert fuse_holds_a(2.0, 48.0, resettable=False) == 2.0


def test_a_fuse_opens_sooner_the_more_it_carries_and_never_below_its_table() -> None:
    for resettable in (False, True):
        times = [opening_time_s(m, resettable=resettable) for m in (2.2, 4.0, 8.0, 15.0)]
        assert times == sorted(times, reverse=True)
        assert math.isinf(opening_time_s(1.0, resettable=resettable))
    # Between two rows on logarithmic scales: half way in the logarithm of the multiple is half way in that of the time.
    a, b = opening_time_s(2.75, resettable=False), opening_time_s(4.0, resettable=False)
    assert opening_time_s(math.sqrt(2.75 * 4.0), resettable=False) == pytest.approx(math.sqrt(a * b))
    assert [opening_time_s(m, resettable=False) for m in (2.0, 2.75, 4.0, 10.0, 99.0)] == pytest.approx([5.0, 0.5, 0.1, 0.02, 0.02])
    assert [opening_time_s(m, resettable=True) for m in (2.0, 5.0, 10.0)] == pytest.approx([20.0, 2.0, 0.5])
    assert (opens_in_time(0.4, 1.0), opens_in_time(0.6, 1.0), opens_in_time(math.inf, math.inf)) == (True, False, False)


def links(*more: dict[str, Any]) -> list[dict[str, Any]]:
    fuse = {"id": "fuse", "name": "Fuse", "kind": "fuse", "fed_by": "pack", "resistance_ohm": 0.02, "rating_a": 3.0}
    wire = {"id": "wire", "name": "Wire", "kind": "wire", "fed_by": "fuse", "length_m": 0.3, "awg": 26, "conductors": 1}
    return [fuse, wire, *more]


def found(**lists: Any) -> Any:
    return assess(plan_of(hand_plan(links=links(), loads=[drawing(1.0, peak=2.5, fed_by="wire")]) | lists))


def test_a_fuse_is_held_against_its_peak_and_the_thinnest_wire_behind_it() -> None:
    (check,) = found().fuses
    assert check.peak_a == pytest.approx(2.5)
    assert check.holds_a == 3.0
    assert check.fault_a == pytest.approx(3.7 / (0.05 + 0.02))
    assert check.opens_after_s == pytest.approx(opening_time_s(3.7 / 0.07 / 3.0, resettable=False))
    assert check.thinnest.id == "wire"
    assert check.melts_after_s == pytest.approx(melting_time_s(3.7 / 0.07, awg_section_mm2(26)))
    assert check.words == ""
    thin = {"id": "thin", "name": "Thin", "kind": "wire", "fed_by": "wire", "length_m": 0.1, "awg": 34}
    (thinner,) = found(links=links(thin), loads=[drawing(1.0, fed_by="thin")]).fuses
    assert thinner.thinnest.id == "thin"
    (weak,) = found(loads=[drawing(1.0, peak=3.5, fed_by="wire")]).fuses
    assert weak.words == "Fuse holds 3.00 A in the warm case; the peak asks 3.50 A."
    slow = [links()[0] | {"rating_a": 30.0}, links()[1] | {"awg": 36}]
    (late,) = found(links=slow).fuses
    assert "Wire melts after" in late.words


def test_a_protection_board_limits_a_short_to_three_times_its_trip() -> None:
    guard = {"cutoff_cell_v": 2.8, "trip_a": 8.0, "resistance_ohm": 0.0}
    (check,) = found(packs=[{"id": "pack", "name": "Pack", "cell": flat_cell(ohm=0.01), "protection": guard}]).fuses
    assert check.fault_a == pytest.approx(24.0)


def test_a_conductor_drops_at_its_highest_current_and_warms_in_play() -> None:
    check = next(c for c in found(profile={"rest": 0, "play": 0.9, "peak": 0.1}).links if c.link.id == "wire")
    ohm = 1.7241e-8 * 0.3 / (awg_section_mm2(26) * 1e-6)
    assert check.amps == pytest.approx(2.5)
    assert check.drop_v == pytest.approx(2.5 * ohm)
    air = 30 + 1.5 * 3.7 / 0.2453
    assert check.rise_k == pytest.approx(wire_rise_k(1.0, awg_section_mm2(26), ambient_c=air), rel=1e-3)
    assert check.allowed_k == pytest.approx(80 - air, rel=1e-3)
    assert next(c for c in found().links if c.link.id == "fuse").rise_k is None
    long = [links()[0], links()[1] | {"run_m": 0.2}]
    assert next(c for c in found(links=long).links if c.link.id == "wire").excess_m == pytest.approx(0.3 - (0.2 * 1.15 + 0.02))
    hot = found(brief={"room_c": 55.0}, loads=[drawing(6.0, fed_by="wire")])
    assert hot.links[1].allowed_k == 5.0, "a wire that warms by less is not what makes a hot case hot"


def test_slack_is_a_seventh_and_two_centimetres() -> None:
    assert slack_length_m(0.2) == pytest.approx(0.25)


def test_the_gauge_finder_takes_the_thinnest_that_meets_each_demand() -> None:
    # 0.15 m out and back at 2.5 A, 50 mV: 20 mΩ; 22 AWG at 40 °C has 1.7241e-8·1.0786·0.3/0.3255e-6 = 17.1, 24 has 27.2.
    assert find_gauge(2.5, 0.15, 0.05) == 22
    assert find_gauge(2.5, 0.15, 0.08) == 24
    # Then warming decides. 28 AWG: 6.25·0.2296/(0.03522 − 0.00523) = 47.8 K; 26 AWG: 26 K; 24 AWG in a bundle of four 37 K.
    assert find_gauge(2.5, 0.15, 1.0) == 26
    assert find_gauge(2.5, 0.15, 1.0, insulation_c=105.0) == 28
    assert find_gauge(2.5, 0.15, 1.0, bundle=4) == 24
    assert find_gauge(0.5, 0.15, 1.0, fuse_a=5.0, fault_a=60.0) == _outlives(5.0, 60.0)
    assert find_gauge(80.0, 3.0, 0.01) is None


def _outlives(fuse_a: float, fault_a: float) -> int:
    return max(
        g
        for g in range(34, 9, -2)
        if opening_time_s(fault_a / fuse_a, resettable=False) < 0.5 * melting_time_s(fault_a, awg_section_mm2(g))
    )
