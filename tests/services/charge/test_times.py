"""Times from every supply: against each other, by hand, and against a day that is lived through."""

from __future__ import annotations

import pytest

from briskcell.core.assess import assess
from briskcell.core.charge.charging import hours_added
from briskcell.library import catalogue
from briskcell.model.changes import altered, replaced
from briskcell.model.plan import Day, Stretch
from briskcell.services.charge.times import balancing_h, bank_hours, enough_soc, layout_times, supply_times
from briskcell.services.demo import curlew, sanderling

STOCK = catalogue().stock()
SANDERLING, CURLEW = assess(sanderling(), STOCK), assess(curlew(), STOCK)


def test_a_stronger_supply_is_never_slower_and_a_weak_one_lets_the_pack_empty() -> None:
    rows = supply_times(SANDERLING, 0.1, 2.0)
    watts = [t.socket.supply.voltage_v.likely * t.socket.supply.current_limit_a.likely for t in rows]
    assert watts == sorted(watts, reverse=True)
    for which in ("eighty_h", "enough_h", "full_h"):
        off = [getattr(t.off, which) for t in rows]
        assert off == sorted(off), which
        play = [v for t in rows if (v := getattr(t.play, which)) is not None]
        assert play == sorted(play)
        assert all(p >= o - 1e-9 for p, o in zip(play, off, strict=False))
    for t in rows:
        assert t.off.enough_h < t.off.eighty_h < t.off.full_h  # type: ignore[operator]
    by = {t.socket.supply.part_class: t for t in rows}
    assert by["usb-05"].play.full_h is None
    # 5.1 V · 0.5 A less what its cable takes, to play's 3.3 W at the store and more: it gives about what is missing at 3.7 V.
    assert -0.45 < by["usb-05"].gain_a < 0
    assert by["usb-3"].gain_a == pytest.approx(1.5, abs=0.01), "the board's own limit: the supply carries both"
    # Between a tenth and 80 % at 1.5 A, without the constant volts: 0.7 · Q / I
    capacity = SANDERLING.op.curves[0].capacity_ah
    assert by["usb-3"].off.eighty_h == pytest.approx(0.7 * capacity / 1.5, rel=0.02)


def test_what_is_enough_is_enough_in_a_day_and_a_little_less_is_not() -> None:
    # The day plays the mean of the profile, as the hours are counted: by a game of these shares.
    plan = sanderling()
    game = {"name": "Usual", "share": 1.0, "profile": plan.profile.model_dump()}
    a = assess(plan.model_validate(plan.model_dump() | {"games": [game]}), STOCK)
    own = next(t for t in supply_times(a, 0.1, 2.0) if t.own)
    assert own.off.enough_h is not None

    def lasts(hours: float) -> bool:
        charged = Stretch(what="off", minutes=hours * 60, plug="own")
        played = Stretch(what="play", minutes=120, game="Usual")
        return a.live(Day(name="x", start_soc=0.1, stretches=(charged, played))).lasts

    assert lasts(own.off.enough_h * 1.03)
    assert not lasts(own.off.enough_h * 0.9)
    assert enough_soc(a, 30.0) is None, "more than a full pack"
    assert [t.off.enough_h for t in supply_times(a, 0.1, 30.0)] == [None] * 6
    assert next(t for t in supply_times(a, 0.9, 2.0) if t.own).off.enough_h == 0.0


def test_layouts_balancing_and_banks_by_hand() -> None:
    board = CURLEW.charges[0].board
    ways = {w.name: w for w in layout_times(CURLEW, board, "cut_out", 0.1)}
    assert [n for n, w in ways.items() if w.own] == ["Cut out by the jack"]
    assert ways["Cut out by the jack"].play_h is None
    assert ways["Power path"].play_h is not None, "12 V 2 A carry console and charge"
    assert ways["Power path"].off_h == pytest.approx(ways["Console on the cell"].off_h)
    cell = CURLEW.plan.packs[0].cell
    slow = assess(
        replaced(CURLEW.plan, altered(board, balance_a={"low": 0.05, "likely": 0.05, "high": 0.05, "source": "by hand"})), STOCK
    )
    assert balancing_h(slow, slow.charges[0].board) == pytest.approx(0.02 * 2 * cell.capacity_ah.likely / 0.05)
    assert balancing_h(SANDERLING, SANDERLING.charges[0].board) is None
    assert SANDERLING.runtime is not None
    for b in bank_hours(SANDERLING):
        assert b.hours == pytest.approx(hours_added(b.bank, SANDERLING.runtime.mean_w))
        assert b.stays_on == (b.bank.least_load_a.likely <= SANDERLING.runtime.mean_w / b.bank.output_v.likely)
    sleepy = {b.bank.part_class: (b.stays_on, b.at_rest) for b in bank_hours(SANDERLING)}
    assert {on for on, _ in sleepy.values()} == {True}
    assert all(on or not rest for on, rest in sleepy.values())
