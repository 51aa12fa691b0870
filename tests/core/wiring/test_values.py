"""Hand-worked and published values of conductors, fuses and the harness."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import brentq

from briskcell.core.assess import assess
from briskcell.core.wiring.conductors import (
    bundle_factor,
    carried_a,
    cylinder_h,
    melting_time_s,
    trace_carries_a,
    trace_rise_k,
    wire_rise_k,
)
from briskcell.core.wiring.fuses import fuse_holds_a
from briskcell.core.wiring.harness import find_gauge, slack_length_m
from briskcell.core.wiring.openers import first_to_open, lets_pass_a, opening_time_s
from briskcell.core.wiring.overload import overload
from briskcell.model.parts import Link
from briskcell.model.plan import plan_of
from briskcell.model.units import awg_section_mm2
from tests.known import drawing, flat_cell, hand_plan


def test_bundles_derate_by_iec_60364_5_52_table_b_52_17() -> None:
    assert [bundle_factor(n) for n in (1, 2, 3, 4, 5, 6, 9)] == [1.0, 0.80, 0.70, 0.65, 0.60, 0.57, 0.50]


def test_a_thin_cylinder_gives_off_what_churchill_and_chu_say() -> None:
    # 1 mm at 60 °C in air of 40 °C, film 323 K: k 28.0 mW/mK, ν 18.2e-6, α 26.0e-6, Pr 0.70. Ra = 9.807/323·20·1e-9/(18.2·26.0e-12)
    # = 1.283; Nu = (0.60 + 0.387·1.042/1.205)² = 0.874; h = 24.5. Radiation 0.9·5.67e-8·(333² + 313²)·(333 + 313) = 6.88.
    assert float(cylinder_h(1e-3, 60.0, 40.0)) == pytest.approx(24.5 + 6.88, rel=0.005)
    assert float(cylinder_h(1.6e-3, 60.0, 40.0)) == pytest.approx(25.2, rel=0.01), "less as it grows thicker"
    assert float(cylinder_h(1e-3, 40.0, 40.0)) == pytest.approx(0.36 * 0.0272 / 1e-3 + 4 * 0.9 * 5.67e-8 * 313.15**3, rel=0.01)


def rise_apart(amps: float, awg: float, air_c: float) -> float:
    """The same balance, written apart: air by Sutherland's formulas and the gas law, the root by bisection."""
    section = awg_section_mm2(awg) * 1e-6
    d = math.sqrt(4 * section / math.pi) + 0.8e-3

    def left(rise: float) -> Any:
        hot, cold = air_c + rise + 273.15, air_c + 273.15
        film = 0.5 * (hot + cold)
        mu, k = 1.716e-5 * (film / 273) ** 1.5 * 384 / (film + 111), 0.0241 * (film / 273) ** 1.5 * 467 / (film + 194)
        rho = 101325 / (287.06 * film)
        pr = 1007 * mu / k
        ra = 9.81 / film * rise * d**3 * (rho / mu) ** 2 * pr
        nu = (0.6 + 0.387 * ra ** (1 / 6) / (1 + (0.559 / pr) ** (9 / 16)) ** (8 / 27)) ** 2
        out_w = math.pi * d * (nu * k / d * rise + 0.9 * 5.67e-8 * (hot**4 - cold**4))
        return out_w - amps**2 * 1.7241e-8 * (1 + 0.00393 * (air_c + rise - 20)) / section

    return float(brentq(left, 1e-6, 20000.0)) if left(20000.0) > 0 else math.inf


@pytest.mark.parametrize(
    ("amps", "awg", "air_c"),
    [(0.5, 34, 20), (1.0, 30, 40), (3.0, 24, 40), (3.0, 24, 20), (6.0, 24, 45), (5.0, 28, 40), (10.0, 20, 35), (25.0, 14, 25)],
)
def test_a_wire_warms_by_its_own_balance(amps: float, awg: float, air_c: float) -> None:
    apart = rise_apart(amps, awg, air_c)
    assert wire_rise_k(amps, awg_section_mm2(awg), ambient_c=air_c) == pytest.approx(apart, rel=0.02)
    assert carried_a(awg_section_mm2(awg), air_c + apart, ambient_c=air_c) == pytest.approx(amps, rel=0.01)


def test_a_wires_warmth_at_the_ends_of_its_range() -> None:
    assert wire_rise_k(2.4, awg_section_mm2(24), bundle=2) == pytest.approx(wire_rise_k(3.0, awg_section_mm2(24)))
    assert wire_rise_k(0.002, awg_section_mm2(24)) == pytest.approx(wire_rise_k(0.001, awg_section_mm2(24)) * 4, rel=1e-6)
    assert wire_rise_k(0.0, 0.2) == 0.0
    assert math.isinf(wire_rise_k(60.0, awg_section_mm2(30)))
    assert carried_a(awg_section_mm2(24), 40.001, ambient_c=40.0) == pytest.approx(
        0.1 * carried_a(awg_section_mm2(24), 40.1, ambient_c=40.0), rel=0.1
    )


def test_a_trace_carries_what_warms_it_so_far() -> None:
    for rise in (5.0, 40.0):
        assert trace_rise_k(trace_carries_a(rise, 1.5), 1.5) == pytest.approx(rise)


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
    assert [opening_time_s(m, resettable=False) for m in (2.1, 2.75, 4.0, 10.0, 99.0)] == pytest.approx(
        [1800.0, 2.0, 0.3, 0.02, 0.02]
    )
    assert math.isinf(opening_time_s(2.09, resettable=False))
    assert [opening_time_s(m, resettable=True) for m in (2.0, 5.0, 8.0)] == pytest.approx([100.0, 3.0, 0.5])


def test_what_opens_first_is_named_at_each_current() -> None:
    guard = {"cutoff_cell_v": 2.8, "trip_a": 8.0, "resistance_ohm": 0.0}
    plan = plan_of(hand_plan(packs=[{"id": "pack", "name": "Pack", "cell": flat_cell(), "protection": guard}], links=links()))
    way = [plan.by_id["fuse"], plan.by_id["pack"]]
    times, names = first_to_open(way, [6.2, 6.3, 7.99, 8.0, 23.9, 24.0])
    assert names == ("", "Fuse", "Fuse", *["protection of Pack"] * 3)
    assert times == pytest.approx([math.inf, 1800.0, opening_time_s(7.99 / 3, resettable=False), 0.03, 0.03, 0.005])
    assert lets_pass_a(plan.by_id["fuse"]) == pytest.approx(6.3)  # type: ignore[arg-type]


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
    assert (check.wire.id, check.lets_a) == ("wire", pytest.approx(6.3))
    air = found().heat.air_c
    assert check.carries_a == pytest.approx(carried_a(awg_section_mm2(26), 80.0, ambient_c=air), rel=1e-3)
    assert "Fuse takes up to 5 s to open on 7.96 A" in check.words.replace("\u00a0", " "), (
        "26 AWG carries 4.4 A in that warm case, and the fuse lets more than 6 A pass"
    )
    assert not found(links=[links()[0], links()[1] | {"insulation_c": 200.0}]).fuses[0].words
    thin = {"id": "thin", "name": "Thin", "kind": "wire", "fed_by": "wire", "length_m": 0.1, "awg": 34}
    (thinner,) = found(links=links(thin), loads=[drawing(1.0, fed_by="thin")]).fuses
    assert thinner.wire.id == "thin"
    (weak,) = found(loads=[drawing(1.0, peak=3.5, fed_by="wire")]).fuses
    assert weak.words == "Fuse holds 3.00 A in the warm case; the peak asks 3.50 A."
    slow = [links()[0] | {"rating_a": 30.0}, links()[1] | {"awg": 36}]
    (late,) = found(links=slow).fuses
    assert "Fuse lets 7.74 A pass for as long as it may" in late.words.replace("\u00a0", " "), (
        "all that flows through so thin a wire"
    )
    assert 820 < late.worst.reaches_c < 850
    assert f"and would reach {late.worst.reaches_c:.0f} °C" in late.words.replace("\u00a0", " ")


def test_a_protection_board_limits_a_short_to_three_times_its_trip() -> None:
    guard = {"cutoff_cell_v": 2.8, "trip_a": 8.0, "resistance_ohm": 0.0}
    (check,) = found(packs=[{"id": "pack", "name": "Pack", "cell": flat_cell(ohm=0.01), "protection": guard}]).fuses
    assert check.fault_a == pytest.approx(24.0)


def test_a_conductor_drops_at_its_highest_current_and_warms_in_play() -> None:
    check = next(c for c in found(profile={"rest": 0, "play": 0.9, "peak": 0.1}).links if c.link.id == "wire")
    ohm = 1.7241e-8 * 0.3 / (awg_section_mm2(26) * 1e-6)
    assert check.amps == pytest.approx(2.5)
    assert check.drop_v == pytest.approx(2.5 * ohm)
    air = found().heat.air_c
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
    # Then warming decides, of 40 K: 32 AWG would warm by 48 K at 2.5 A, 30 AWG by 29 K; four together count as 3.85 A.
    assert (rise_apart(2.5, 32, 40.0), rise_apart(2.5, 30, 40.0)) == (pytest.approx(40.0, abs=9.0), pytest.approx(24.0, abs=6.0))
    assert find_gauge(2.5, 0.15, 1.0) == max(g for g in range(34, 9, -2) if rise_apart(2.5, g, 40.0) < 40.0)
    assert find_gauge(2.5, 0.15, 1.0, insulation_c=105.0) == max(g for g in range(34, 9, -2) if rise_apart(2.5, g, 40.0) < 65.0)
    assert find_gauge(2.5, 0.15, 1.0, bundle=4) == max(g for g in range(34, 9, -2) if rise_apart(2.5 / 0.65, g, 40.0) < 40.0)
    fuse = plan_of(hand_plan(links=links())).by_id["fuse"]
    guarded = find_gauge(0.5, 0.15, 1.0, guards=(fuse,), fault_a=60.0)
    assert guarded is not None
    assert rise_apart(2.1 * 3.0, guarded, 40.0) < 40.0 < rise_apart(2.6 * 3.0, guarded + 2, 40.0)
    assert find_gauge(80.0, 3.0, 0.01) is None


@settings(max_examples=60)
@given(
    st.floats(0.5, 20.0), st.floats(10.0, 34.0), st.floats(20.0, 70.0), st.sampled_from([80.0, 105.0, 200.0]), st.floats(2.0, 90.0)
)
def test_no_accepted_pair_of_fuse_and_wire_lets_the_insulation_pass_its_rating(
    fuse_a: float, awg: float, air_c: float, stands_c: float, dead_a: float
) -> None:
    """At any current from the rating up to the dead short: what lasts by the balance written apart, a moment's by its own energy."""
    fuse = Link(id="f", name="F", kind="fuse", fed_by="pack", resistance_ohm=0.02, rating_a=fuse_a)
    wire = Link(id="w", name="W", kind="wire", fed_by="f", length_m=0.2, awg=awg, insulation_c=stands_c)
    found = overload([fuse], wire, dead_a, air_c)
    if not found.safe:
        return
    section = awg_section_mm2(awg)
    for amps in np.geomspace(min(fuse_a, dead_a), dead_a, 40):
        opens = opening_time_s(float(amps) / fuse_a, resettable=False)
        if opens < 5.0:  # I²t = S²·K²·ln((T2 + 234.5)/(T1 + 234.5)), K = 226 for copper, IEC 60724
            took = float(amps) ** 2 * opens / (section**2 * 226.0**2)
            assert min((air_c + 234.5) * math.exp(took) - 234.5, air_c + rise_apart(amps, awg, air_c)) < max(stands_c, 160.0) + 4.0
        else:
            assert air_c + rise_apart(float(amps), awg, air_c) < stands_c + 3.0
