"""Hand-worked values of runtime and its stops, reserve, storage, fit, sessions and the range of an answer."""

from __future__ import annotations

import math
from typing import Any

import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.core.day.session import play_session
from briskcell.core.pack.fit import best_placing, cell_size, fit, free_room, label_energy_wh, largest_that_fits, stack_mm
from briskcell.model.phases import Phase
from briskcell.model.plan import Bay, plan_of
from briskcell.model.stores import Cell
from briskcell.services.demo import sanderling
from briskcell.services.edits.values import set_value
from tests.known import drawing, flat_cell, hand_plan

BOOST = {
    "id": "boost",
    "name": "Boost",
    "fed_by": "pack",
    "kind": "boost",
    "output_v": 5.0,
    "loss": {"kind": "fixed", "efficiency": 0.9},
}


def found(**lists: Any) -> Assessment:
    return assess(plan_of(hand_plan(**lists)))


def pack(**figures: Any) -> list[dict[str, Any]]:
    own = {k: figures.pop(k) for k in ("series", "parallel", "protection", "strings") if k in figures}
    return [{"id": "pack", "name": "Pack", "cell": flat_cell(**figures)} | own]


def runtime(a: Assessment) -> Any:
    assert a.runtime is not None
    return a.runtime


def test_three_ampere_hours_at_one_ampere_last_three_hours() -> None:
    r = runtime(found())
    assert r.hours == pytest.approx(3.0)
    assert (r.mean_a, r.mean_w) == pytest.approx((1.0, 3.7))
    assert r.energy_wh == pytest.approx(11.1)
    assert (r.stop_cause, r.stop_soc, r.stranded_wh) == ("empty", 0.0, 0.0)


def test_the_profile_weighs_the_current() -> None:
    loads = [drawing(1.0, rest=0.2, peak=3.0)]
    r = runtime(found(loads=loads, profile={"rest": 0.5, "play": 0.4, "peak": 0.1}))
    assert r.hours == pytest.approx(3.0 / (0.5 * 0.2 + 0.4 * 1.0 + 0.1 * 3.0))


def test_a_cells_cut_off_is_met_where_its_line_less_its_drop_meets_it() -> None:
    # 3.0 to 4.0 V: 3.4 V at rest is 3.35 V at 1 A; the cut-off of 3.35 V is met at 40 %.
    a = found(packs=pack(volts=3.0, top_v=4.0, empty_v=3.35))
    r = runtime(a)
    assert (r.stop_cause, r.stop_element) == ("cell cut-off", "pack")
    assert r.stop_soc == pytest.approx(0.4, abs=1e-6)
    assert r.hours == pytest.approx(1.8, rel=1e-4)
    assert r.own_end_soc == pytest.approx(0.4, abs=1e-6)
    assert r.stranded_wh == pytest.approx(0.0, abs=1e-9)


def test_a_peak_ends_no_play_but_is_a_reset_to_expect_where_it_trips_a_protection_board() -> None:
    figures = {"volts": 3.0, "top_v": 4.0, "empty_v": 3.0}
    loads, profile = [drawing(1.0, peak=3.0, peak_share=0.1, peak_s=2.0)], {"rest": 0, "play": 0.9, "peak": 0.1}
    steady = found(packs=pack(**figures), loads=loads, profile=profile)
    assert runtime(steady).stop_soc == pytest.approx(0.05, abs=1e-4)
    guard = {"cutoff_cell_v": 3.2, "trip_a": 8.0, "resistance_ohm": 0.0}
    a = found(packs=pack(**figures, protection=guard), loads=loads, profile=profile)
    r = a.resets
    assert r is not None
    assert runtime(a).stop_cause == "protection cut-off"
    assert runtime(a).stop_soc == pytest.approx(0.25, abs=1e-4), "3.25 V less 1 A · 50 mΩ is 3.2 V"
    # 3.35 V less 3 A · 50 mΩ is 3.2 V: from 35 % down every peak trips it, a tenth of the time for 2 s: 180 an hour.
    assert r.per_hour[0] == 0.0
    assert r.at_end == pytest.approx(180.0)
    assert r.share[-1] == pytest.approx(0.1)
    # 0.1 · 3 Ah at a mean of 1.2 A are a quarter of an hour; the grid's eleven points know it to a twelfth of the pack.
    assert r.expected == pytest.approx(180.0 * 0.25, rel=0.35)
    assert (r.culprits[0].loads, r.culprits[0].words) == (("load",), "the cut-off of Pack's protection")


def test_a_peak_rides_on_play_with_the_fast_part_alone() -> None:
    a = found(packs=pack(ohm=0.1, slow=0.4), loads=[drawing(1.0, peak=2.0)])
    volts = a.op.store_v[:, 50, 0]
    assert volts[1] == pytest.approx(3.7 - 0.1)
    assert volts[2] == pytest.approx(3.7 - 0.04 - 2.0 * 0.06), "play's polarisation, and the peak's own drop"


def test_a_lock_out_a_current_limit_and_a_window_stop_play_where_they_are_met() -> None:
    rising = {"volts": 3.0, "top_v": 4.0, "ohm": 0.0}
    loads = [drawing(4.5, "power_w", fed_by="boost")]
    locked = runtime(found(packs=pack(**rising), converters=[BOOST | {"lockout_v": 3.25}], loads=loads))
    assert (locked.stop_cause, locked.stop_element) == ("converter lock-out", "boost")
    assert locked.stop_soc == pytest.approx(0.25, abs=1e-4)
    assert locked.stranded_wh == pytest.approx(3.0 * 0.25 * (3.0 + 3.25) / 2, rel=1e-3)
    assert locked.gain_if_fixed_h == pytest.approx(_boosted_h(0.0, 0.25), rel=2e-3)
    # 0.9 A out; 2 A·0.9·V/5 gives 0.9 A at 2.5 V: never. 1.6 A gives it at 3.125 V.
    limited = runtime(found(packs=pack(**rising), converters=[BOOST | {"switch_current_a": 1.6}], loads=loads))
    assert (limited.stop_cause, limited.stop_soc) == ("converter current limit", pytest.approx(0.125, abs=1e-4))
    picky = [drawing(1.0, window={"low_v": 3.4, "high_v": 5.0})]
    under = runtime(found(packs=pack(**rising), loads=picky))
    assert (under.stop_cause, under.stop_element) == ("load under its window", "load")
    assert under.stop_soc == pytest.approx(0.4, abs=1e-4)
    assert found(packs=pack(**rising), converters=[BOOST | {"lockout_v": 2.9}], loads=loads).runtime.stop_cause == "empty"  # type: ignore[union-attr]


def _boosted_h(low: float, high: float) -> float:
    """Hours between two states of charge: 4.5 W through 0.9 is 5 W, t = Q·∫V dsoc/5."""
    return 3.0 * (high - low) * (3.0 + (high + low) / 2) / 5.0


def test_a_bank_switches_itself_off_below_its_least_load() -> None:
    bank = {
        "id": "pack",
        "name": "Bank",
        "cells_wh": 20,
        "efficiency": 0.9,
        "output_v": 5.0,
        "output_limit_a": 2.0,
        "output_resistance_ohm": 0.0,
        "least_load_a": 0.1,
    }
    r = runtime(found(packs=[], banks=[bank], loads=[drawing(0.5)]))
    assert r.hours == pytest.approx(20 * 0.9 / 2.5)
    off = runtime(found(packs=[], banks=[bank], loads=[drawing(0.05)]))
    assert (off.stop_cause, off.hours) == ("bank switches off", 0.0)


def test_a_peak_lights_the_warning_sooner() -> None:
    loads, profile = [drawing(1.0, peak=3.0)], {"rest": 0, "play": 0.9, "peak": 0.1}
    a = found(packs=pack(volts=3.0, top_v=4.0, empty_v=3.0), loads=loads, profile=profile, shutdown={"warning_v": 3.299})
    assert a.reserve is not None
    # 3.3 V are met at 35 % in play and at 45 % at 3 A: a tenth of 3 Ah at a mean of 1.2 A are a quarter of an hour.
    assert a.reserve.peak_minutes_sooner == pytest.approx(15.0, rel=0.02)


def test_the_warning_leaves_one_and_a_half_times_what_a_shutdown_takes() -> None:
    shutdown = {"power_w": 3.0, "seconds": 60, "warning_v": 3.6}
    a = found(packs=pack(volts=3.0, top_v=4.0, ohm=0.05), shutdown=shutdown)
    r = a.reserve
    assert r is not None
    assert r.needed_wh == pytest.approx(1.5 * 3.0 * 60 / 3600)
    # At 1 A the terminals are at 2.95 + soc; Q·∫(2.95 + s) ds = 0.075 Wh at s = 0.00844.
    soc = -2.95 + math.sqrt(2.95**2 + 2 * 0.075 / 3.0)
    assert r.warning_soc == pytest.approx(soc, rel=5e-3)
    assert r.under_load_v == pytest.approx(2.95 + soc, abs=1e-4)
    assert r.at_rest_v == pytest.approx(3.0 + soc, abs=1e-4)
    assert r.minutes_left == pytest.approx(3.0 * soc * 60, rel=5e-3)
    assert r.enough is True
    # Twenty minutes at 1 A are 1/3 Ah of 3: at 11.1 %, 3.111 V at rest.
    asked = found(packs=pack(volts=3.0, top_v=4.0, ohm=0.05), shutdown=shutdown | {"warning_minutes": 20}).reserve
    assert asked is not None
    assert (asked.minutes_left, asked.at_rest_v) == (pytest.approx(20.0, rel=1e-3), pytest.approx(3.0 + 1 / 9, abs=1e-3))
    assert found(packs=pack(volts=3.0, top_v=4.0), shutdown=shutdown | {"warning_minutes": 181}).reserve is None, "all it has"
    late = found(packs=pack(volts=3.0, top_v=4.0), shutdown=shutdown | {"warning_v": 2.9}).reserve
    assert late is not None
    assert late.enough is False
    unset = found(shutdown={"power_w": 3.0, "seconds": 60}).reserve
    assert unset is not None
    assert unset.enough is None
    assert found(shutdown={"power_w": 400.0, "seconds": 3600}).reserve is None, "even a full store holds too little"


def test_storage_counts_boards_that_stay_connected_and_what_cells_lose_themselves() -> None:
    sips = BOOST | {"off_current_a": 0.001}
    switch = {"id": "switch", "name": "Switch", "kind": "switch", "fed_by": "pack", "resistance_ohm": 0.01}
    cells = pack(self_discharge_per_month=0.03)
    (life,) = found(packs=cells, converters=[sips]).storage
    own = 3.0 * 0.03 / (30.44 * 24)
    assert life.self_discharge_a == pytest.approx(own)
    assert life.leakage_a == pytest.approx(0.001)
    assert life.days == pytest.approx(3.0 / (own + 0.001) / 24)
    assert life.who == (("Boost", 0.001),)
    (off,) = found(packs=cells, links=[switch], converters=[sips | {"fed_by": "switch"}]).storage
    assert off.leakage_a == 0.0
    clock = drawing(0.01, "power_w", rest=0.0037, keeps_time=True)
    (kept,) = found(packs=cells, loads=[clock], brief={"clock_must_keep": True}).storage
    assert kept.leakage_a == pytest.approx(0.001)
    for load, brief in ((clock, {}), (clock | {"keeps_time": False}, {"clock_must_keep": True})):
        assert found(packs=cells, loads=[load], brief=brief).storage[0].leakage_a == 0.0, "no clock is to be kept"
    charger = {
        "id": "c",
        "name": "Charger",
        "charges": "pack",
        "supply": "s",
        "layout": "cut_out",
        "kind": "linear",
        "current_a": 1,
        "termination_a": 0.1,
        "off_current_a": 0.0002,
    }
    supply = {"id": "s", "name": "s", "voltage_v": 5, "current_limit_a": 2, "cable_ohm": 0.1}
    (board,) = found(packs=cells, chargers=[charger], supplies=[supply]).storage
    assert board.leakage_a == pytest.approx(0.0002)
    (left,) = found(packs=pack(volts=2.0, top_v=4.0, empty_v=2.5, self_discharge_per_month=0.03)).storage
    assert left.days == pytest.approx(0.75 * 30.44 / 0.03), "down to the cut-off, a quarter of its charge from empty"


def test_a_session_drains_polarises_and_warms_as_its_time_constants_say() -> None:
    a = found(packs=pack(ohm=0.1, slow=0.4, ah=3.0, cold_b_k=0.0), loads=[drawing(3.7, "power_w")], brief={"room_c": 25.0})
    s = play_session(a.op, [Phase("play", 3600)], step_s=5.0)
    amps = s.store_a[-1]
    assert amps * s.store_v[-1] == pytest.approx(3.7, rel=1e-3)
    assert s.store_v[-1] == pytest.approx(3.7 - amps * 0.1, abs=1e-3), "after an hour the slow part is all there"
    assert s.store_v[0] == pytest.approx(3.7 - 0.06 * s.store_a[0], abs=5e-3), "at first only the fast"
    slow = (3.7 - s.store_v - 0.06 * s.store_a) / (0.04 * s.store_a)
    at_60 = round(60 / 5)
    assert slow[at_60] == pytest.approx(1 - math.exp(-1), abs=0.04)
    assert 1.0 - s.soc[-1] == pytest.approx(s.store_a.mean() / 3.0, rel=1e-3)
    watts = 3.7 + amps**2 * 0.1
    tau_s = 0.35 * 1000 / 0.2453
    assert s.case_c[-1] == pytest.approx(25 + watts / 0.2453 * (1 - math.exp(-3600 / tau_s)), abs=0.15)
    assert s.ended == ""
    empty = play_session(a.op, [Phase("play", 5 * 3600)], start_soc=0.5, step_s=30.0)
    assert empty.ended == "the store is empty"
    assert empty.time_s[-1] / 3600 == pytest.approx(1.5 / amps, rel=0.02)
    off = play_session(a.op, [Phase("off", 600)], start_soc=0.5)
    assert off.soc[-1] == pytest.approx(0.5)


def test_cells_in_series_hold_what_the_weakest_does() -> None:
    for series, hours in ((1, 3.0), (2, 2.4)):
        a = found(packs=pack(series=series, weakest_ah={"low": 2.4, "likely": 2.4, "high": 2.4}))
        assert runtime(a).hours == pytest.approx(hours)
    (f,) = (f for f in a.findings if f.rule == "weakest-in-series")
    # 0.6 Ah stay in one other cell of 3.7 V: 2.2 Wh. Nothing watches the cells one by one.
    assert (f.state, "2.2 Wh stay" in f.cause, "ruins it" in f.cause) == ("fails", True, True)
    guard = {"cutoff_cell_v": 2.5, "trip_a": 8.0, "resistance_ohm": 0.0}
    for weakest, verdicts in ((2.84, ["close"]), (2.86, [])):
        a = found(packs=pack(series=2, weakest_ah=weakest, protection=guard))
        assert [f.state for f in a.findings if f.rule == "weakest-in-series"] == verdicts, "a twentieth of 3 Ah is 0.15"


@pytest.mark.parametrize(
    ("watts", "wire_ohm", "cell", "cause", "soc"),
    [
        # V²/4R: 3 W through 0.9 Ω need 3.286 V, of which half arrives. Cells that are empty at 0.5 V are not empty then; at 2.5 V
        # they are before: 2.5 V + 3 W / 2.5 V · 0.9 Ω are 3.58 V.
        (3.0, 0.0, {"ohm": 0.9, "empty_v": 0.5}, "collapse", 0.286),
        (3.0, 0.0, {"ohm": 0.9, "empty_v": 2.5}, "cell cut-off", 0.58),
        # 1 Ω of wire behind a strong cell: 3.55 V are needed, and nearly all of them stand at the cell.
        (3.0, 1.0, {"ohm": 0.05, "empty_v": 2.5}, "collapse", 0.55),
        (30.0, 1.0, {"ohm": 0.05, "empty_v": 2.5}, "collapse", 1.0),
    ],
)
def test_a_path_that_gives_way_is_told_from_an_empty_cell(
    watts: float, wire_ohm: float, cell: dict[str, Any], cause: str, soc: float
) -> None:
    wire = [{"id": "wire", "name": "Wire", "kind": "switch", "fed_by": "pack", "resistance_ohm": wire_ohm}]
    load = drawing(watts, "power_w", fed_by="wire" if wire_ohm else "pack", window={"low_v": 0.1, "high_v": 9})
    r = runtime(found(packs=pack(volts=3.0, top_v=4.0, **cell), links=wire if wire_ohm else [], loads=[load]))
    assert (r.stop_cause, r.stop_soc) == (cause, pytest.approx(soc, abs=0.01))


def test_a_session_ends_where_a_stop_is_met_and_says_which() -> None:
    rising = {"volts": 3.0, "top_v": 4.0, "ohm": 0.1, "cold_b_k": 0.0}
    picky = [drawing(1.0, window={"low_v": 3.4, "high_v": 5.0}, peak=3.0)]
    cold = found(packs=pack(**rising), loads=picky, brief={"cells_c": 5.0, "room_c": 35.0}).op
    under = play_session(cold, [Phase("play", 3 * 3600)], step_s=10.0)
    # 3.4 V at 1 A is 3.5 V at rest: half of the charge, an hour and a half.
    assert under.ended == "load falls below its 3.40 V"
    assert under.time_s[-1] == pytest.approx(1.5 * 3600, abs=40)
    assert (under.case_c[0], under.case_c[-1] < 20.0) == (5.0, True), "cells and room start where the runtime is worked out"
    # 3 A at 70 % are 3.7 − 0.3 = 3.4 V: a peak is carried above, and ends it below.
    for soc, ended in ((0.72, ""), (0.68, "load falls below its 3.40 V at the peak")):
        course = play_session(cold, [Phase("play", 60), Phase("peak", 5)], start_soc=soc)
        assert course.ended == ended, soc
    trips = {"cutoff_cell_v": 2.5, "trip_a": 2.0, "resistance_ohm": 0.0}
    tripped = play_session(
        found(packs=pack(protection=trips), loads=[drawing(1.0, peak=3.0)]).op, [Phase("play", 60), Phase("peak", 5)]
    )
    assert (tripped.ended, tripped.time_s[-1]) == ("the protection trips at 2.00 A at the peak", 60.0)
    # Each moment has its own volts: the last of play and the first of the peak stand at one time.
    steps = play_session(found(packs=pack(cold_b_k=0.0), loads=[drawing(1.0, peak=3.0)]).op, [Phase("play", 60), Phase("peak", 5)])
    at = [float(v) for t, v in zip(steps.time_s, steps.store_v, strict=True) if t == 60.0]
    assert at == pytest.approx([3.65, 3.55], abs=1e-6)


def test_behind_a_power_path_the_cells_get_what_play_leaves_of_the_supply() -> None:
    plan = set_value(sanderling(), "supplies/usb/current_limit_a", "1 A").plan
    plugged = play_session(assess(plan).op, [Phase("play", 600, plugged=True)], start_soc=0.5)
    into = -plugged.store_a * plugged.store_v
    # 1 A through 0.14 ohm leaves 5.01 W; play takes 3.3 W and the boards' losses of it, at most a seventh.
    assert 5.01 - 3.3 * 1.15 < into.mean() < 5.01 - 3.3


def sized(**figures: float) -> Cell:
    return Cell.model_validate(flat_cell() | figures)


ROUND = {"thickness_mm": 18.0, "length_mm": 65.0}


def bay(length: float, width: float, depth: float, **more: Any) -> Bay:
    plain = {"clearance_mm": 0.5, "plug_room_mm": 8.0, "wrap_mm": 0.3}
    return Bay.model_validate(plain | {"length_mm": length, "width_mm": width, "depth_mm": depth} | more)


def test_a_cell_takes_its_measures_with_swelling_and_wrap() -> None:
    assert cell_size(sized(**ROUND), bay(80, 40, 20)) == pytest.approx((65.6, 18.6, 18.6))
    pouch = sized(thickness_mm=6.0, width_mm=40.0, length_mm=60.0)
    assert cell_size(pouch, bay(80, 50, 20)) == pytest.approx((60.6, 40.6, 7.2)), "a tenth of its thickness, where it states none"
    assert cell_size(sized(thickness_mm=6.0, width_mm=40.0, length_mm=60.0, swelling=0.08), bay(80, 50, 20)) == pytest.approx(
        (60.6, 40.6, 7.08)
    )
    assert cell_size(sized(), bay(80, 40, 20)) is None


def test_cells_are_counted_along_each_edge_with_room_for_the_plug_at_their_end() -> None:
    cell = sized(**ROUND)
    # Clear inside: 80 × 40 × 20 less a millimetre each; 65.6 and the plug's 8 go into 79, two of 18.6 into 39.
    assert best_placing(cell, bay(81, 40, 20)).cells == 2  # type: ignore[union-attr]
    short = best_placing(cell, bay(74.5, 40, 20))
    assert short is None, "73.5 mm do not hold cell and plug, 73.6 mm would"
    assert best_placing(cell, bay(74.7, 40, 20)) is not None
    fits = fit(cell, 2, bay(81, 40, 20))
    assert (fits.fits, fits.most) == (True, 2)
    assert fits.spare_mm == pytest.approx(19 - 18.6)
    not_fits = fit(cell, 3, bay(81, 40, 20))
    assert (not_fits.fits, not_fits.most) == (False, 2)
    assert not_fits.spare_mm == pytest.approx(-(3 * 18.6 - 39))
    assert "another row lacks 16.8 mm" in not_fits.words
    none = fit(cell, 1, bay(30, 40, 20))
    assert (none.fits, none.most) == (False, 0)
    assert none.words.startswith("Not one")
    assert none.spare_mm == pytest.approx(-0.1), "18.6 mm go into 19: something else is too short"
    assert fit(sized(), 1, bay(80, 40, 20)).words == "hand cell states no size."


def test_layers_holders_and_blocks_take_depth_and_room() -> None:
    cell, wide = sized(**ROUND), bay(81, 40, 39)
    placing = best_placing(cell, wide)
    assert placing is not None
    assert (placing.cells, stack_mm(placing, 2), stack_mm(placing, 3)) == (4, pytest.approx(18.6), pytest.approx(37.2))
    assert best_placing(cell, bay(81, 40, 39, holder_mm=2.0)).cells == 2  # type: ignore[union-attr]
    block = {"length_mm": 81, "width_mm": 20, "depth_mm": 39}
    assert best_placing(cell, bay(81, 40, 39, keep_outs=[block])).cells == 2  # type: ignore[union-attr]
    rooms = free_room(bay(81, 40, 39, keep_outs=[block]))
    assert [size for _, size in rooms] == [pytest.approx((80, 19.5, 38))]
    assert free_room(bay(1.0, 40, 39)) == []


def test_the_largest_pack_is_the_one_that_holds_most() -> None:
    small, large = sized(**ROUND), sized(thickness_mm=21.0, length_mm=70.0)
    assert label_energy_wh(small) == pytest.approx(3.0 * 3.7)
    assert largest_that_fits((small, large), bay(90, 40, 24)) == (small, 2)
    assert largest_that_fits((large,), bay(60, 40, 24)) is None
