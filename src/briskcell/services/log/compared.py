"""A measured discharge beside what the plan predicts at the very amps that flowed, and where the difference comes from."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.integrate import cumulative_trapezoid

from briskcell.core.assess import Assessment
from briskcell.core.bench.course import thinned
from briskcell.core.log.parts_of import NOTHING, PartsOf, parts_of
from briskcell.model.units import show
from briskcell.store.runs import RunRow, RunStore

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Compared:
    """Predicted volts at measured times, and shares by which the run differs: its charge, and its mean volts at the same amps.

    Each is measured over predicted less one; nan where it cannot be said.
    """

    t_s: Array
    volts: Array
    charge: float
    mean_v: float
    words: tuple[str, ...]
    parts: PartsOf | None = None


def compared(a: Assessment, run: RunRow, store: RunStore, most: int = 300) -> Compared | None:
    """A run against the plan; None where it has no volts or amps, or began no one knows where."""
    if not a.plan.stores or not run.about.get("full"):
        return None
    rows = store.rows(run.id)
    known = np.isfinite(rows[:, 1]) & np.isfinite(rows[:, 2])
    rows = rows[known]
    if len(rows) < 10 or float(np.mean(rows[:, 2])) <= 0:
        return None
    curves = a.op.curves[0]
    t, v, i = rows[:, 0], rows[:, 1], rows[:, 2]
    out_ah = cumulative_trapezoid(i, t, initial=0.0) / 3600.0
    soc = 1.0 - out_ah / curves.capacity_ah
    rising = curves.soc[::-1]
    ohm = np.interp(soc, rising, curves.steady_ohm[::-1])
    predicted = np.where(soc >= 0, np.interp(soc, rising, curves.ocv_v[::-1]) - i * ohm, np.nan)
    # What it should have given down to those volts, at the amps that flowed there.
    loaded = (curves.ocv_v - float(i[-1]) * curves.steady_ohm)[::-1]
    end_soc = float(np.interp(float(v[-1]), np.maximum.accumulate(loaded), rising))
    planned_ah = (1.0 - end_soc) * curves.capacity_ah
    charge = float(out_ah[-1]) / planned_ah - 1.0 if planned_ah > 0 else math.nan
    both = np.isfinite(predicted)
    mean_v = float(np.mean(v[both]) / np.mean(predicted[both]) - 1.0) if both.any() else math.nan
    at, drawn = thinned(t, predicted, most)
    parts = parts_of(curves, t, v, i)
    return Compared(at, drawn, charge, mean_v, _words(charge, mean_v, a, float(out_ah[-1]), parts), parts)


def _due(parts: PartsOf | None) -> list[str]:
    """What of the difference in hours is due to what, in a sentence."""
    if parts is None or abs(parts.measured_h - parts.planned_h) < NOTHING * parts.planned_h:
        return []
    whole = parts.measured_h - parts.planned_h
    each = [("their capacity", parts.capacity_h)]
    each += [("their resistance", parts.resistance_h)] if parts.ohm is not None else []
    each.append(("the curve of their volts" if parts.ohm is not None else "curve and resistance together", parts.curve_h))
    told = [f"{show(abs(h), 'h')} {'more' if h > 0 else 'less'} by {what}" for what, h in each if abs(h) > 0.1 * abs(whole)]
    first = f"At its amps the plan gives {show(parts.planned_h, 'h')}, it ran {show(parts.measured_h, 'h')}"
    apart = "" if parts.ohm is not None else " At one current alone the two cannot be told apart."
    return [f"{first}: {', '.join(told)}.{apart}"] if told else []


def _words(charge: float, mean_v: float, a: Assessment, held: float, parts: PartsOf | None) -> tuple[str, ...]:
    out = _due(parts)
    if math.isfinite(charge):
        more = "more" if charge >= 0 else "less"
        out.append(f"It gave {held:.3g} Ah down to where it ended, {abs(charge):.1%} {more} than planned: the cells' capacity.")
    if math.isfinite(mean_v):
        more = "above" if mean_v >= 0 else "below"
        words = "resistance and contacts" if abs(mean_v) >= 0.01 else "nothing to speak of"
        out.append(f"Its volts lie {abs(mean_v):.1%} {more} the prediction at the same amps: {words}.")
    cell = a.plan.packs[0].cell if a.plan.packs else None
    if cell is not None and a.plan.packs:
        each = held / a.plan.packs[0].parallel
        out.append(f"Each cell gave {each:.3g} Ah, {each / cell.label_ah.likely:.0%} of its label.")
    return tuple(out)
