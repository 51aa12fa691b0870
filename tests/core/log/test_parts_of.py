"""What of a difference is capacity, resistance or curve: made up with one cause at a time."""

from __future__ import annotations

import numpy as np
import pytest

from briskcell.core.engine.sources import StoreCurves, store_curves
from briskcell.core.log.parts_of import parts_of
from briskcell.services.demo import sanderling

GRID = np.linspace(1.0, 0.0, 201)


def run(
    curves: StoreCurves, *, held: float = 1.0, ohm: float = 0.0, lift_v: float = 0.0, even: bool = False
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A discharge from full to 3 V at 1 A on the mean, with a pack that differs in one thing."""
    t = np.arange(0.0, 60_000.0, 20.0)
    amps = np.full(t.shape, 1.0) if even else np.where((t // 200) % 2 == 0, 1.4, 0.6)
    out = np.concatenate([[0.0], np.cumsum(np.diff(t) * 0.5 * (amps[1:] + amps[:-1]))]) / 3600.0
    soc = 1.0 - out / (held * curves.capacity_ah)
    rising = curves.soc[::-1]
    bow = lift_v * np.sin(np.pi * np.clip(soc, 0.0, 1.0)) + lift_v * 4 * np.exp(-(((soc - 0.04) / 0.05) ** 2))
    volts = np.interp(soc, rising, curves.ocv_v[::-1]) + bow - amps * (np.interp(soc, rising, curves.steady_ohm[::-1]) + ohm)
    end = int(np.argmax((volts < 3.05) | (soc <= 0)))
    return t[:end], volts[:end], amps[:end]


def test_each_cause_is_named_for_what_it_took() -> None:
    curves = store_curves(sanderling().packs[0], GRID)
    same = parts_of(curves, *run(curves))
    assert same is not None
    assert same.measured_h == pytest.approx(same.planned_h, rel=0.01)
    assert same.ohm == pytest.approx(0.0, abs=0.002)
    weak = parts_of(curves, *run(curves, held=0.9))
    assert weak is not None
    assert weak.capacity_h == pytest.approx(-0.1 * weak.planned_h, rel=0.05)
    assert abs(weak.resistance_h) + abs(weak.curve_h) < 0.02 * weak.planned_h
    worn = parts_of(curves, *run(curves, ohm=0.08))
    assert worn is not None
    assert worn.ohm == pytest.approx(0.08, abs=0.004)
    assert worn.resistance_h == pytest.approx(worn.measured_h - worn.planned_h, abs=0.04)
    assert abs(worn.capacity_h) < 0.03
    assert worn.capacity_h + worn.resistance_h + worn.curve_h == pytest.approx(worn.measured_h - worn.planned_h)


def test_at_one_current_curve_and_resistance_are_told_together() -> None:
    curves = store_curves(sanderling().packs[0], GRID)
    even = parts_of(curves, *run(curves, ohm=0.08, even=True))
    assert even is not None
    assert (even.ohm, even.resistance_h) == (None, 0.0)
    assert parts_of(curves, np.zeros(0), np.zeros(0), np.zeros(0)) is None
