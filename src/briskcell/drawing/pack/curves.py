"""The discharge as curves: volts with everything that can end it, and the resets to expect on the way."""

from __future__ import annotations

from typing import Any

import numpy as np

from briskcell.core.assess import Assessment
from briskcell.core.pack.resets import Resets
from briskcell.model.units import show

from ..curves import numbers, plot


def discharge_plot(assessed: Assessment) -> dict[str, Any] | None:
    """Volts over the hours of play, down to where the pack itself ends: every stop named, what the first strands shaded.

    None where nothing plays.
    """
    k, op = assessed.pack_index, assessed.op
    if k is None or not assessed.runtimes[k].hours:
        return None
    found, curves = assessed.runtimes[k], op.curves[k]
    end = min(found.own_end_soc, found.stop_soc)
    last = int(np.searchsorted(-op.soc, -end)) + 1
    shown = slice(0, max(min(last + 1, len(op.soc)), 2))
    hours = found.elapsed_h[shown]
    alive = np.where(op.flow.lost[..., k], np.inf, op.store_v[..., k])

    def at(soc: float) -> float:
        return round(float(np.interp(-soc, -op.soc, found.elapsed_h)), 3)

    stops: dict[str, float] = {}
    for soc, stop in found.stops:
        if soc >= end - 1e-6:
            stops.setdefault(f"{stop.cause}: {assessed.plan.by_id[stop.element].name}"[:44], at(soc))
    marks: list[dict[str, Any]] = [{"x": x, "words": words} for words, x in list(stops.items())[:5]]
    marks.append({"y": round(curves.cutoff_v, 3), "words": f"cut-off {show(curves.cutoff_v, 'V')}"})
    if (volts := assessed.plan.shutdown.warning_v) is not None:
        marks.append({"y": round(volts, 3), "words": f"warning {show(volts, 'V')}, as set", "side": "right"})
    elif assessed.reserve:
        volts = assessed.reserve.under_load_v
        marks.append({"y": round(volts, 3), "words": f"a warning belongs at {show(volts, 'V')}", "side": "right"})
    drawn = plot(
        "Pack volts over the hours of play",
        {"label": "time from full", "unit": "h", "values": numbers(hours), "reverse": False},
        [
            {"label": "at rest inside (open circuit)", "unit": "V", "role": "quiet", "values": numbers(curves.ocv_v[shown])},
            {"label": "in play", "unit": "V", "role": "limit", "values": numbers(alive[1][shown])},
            {"label": "at the peak", "unit": "V", "role": "demand", "values": numbers(alive[2][shown])},
        ],
        marks,
        soc=numbers(op.soc[shown] * 100, 1),
    )
    if found.stranded_wh > 0.01:
        drawn["shade"] = {"from": at(found.stop_soc), "to": at(end), "words": f"stranded {show(found.stranded_wh, 'Wh')}"}
    return drawn


def resets_plot(found: Resets | None) -> dict[str, Any] | None:
    """Expected resets an hour over the hours of play; none where there is nothing to fear."""
    if found is None or found.at_end <= 0:
        return None
    return plot(
        "Expected resets an hour over the hours of play",
        {"label": "time from full", "unit": "h", "values": numbers(found.elapsed_h), "reverse": False},
        [{"label": "resets an hour", "unit": "", "role": "demand", "values": numbers(found.per_hour)}],
        [{"x": round(found.free_hours, 3), "words": "first to fear"}] if found.free_hours > 0 else [],
    )
