"""The Pack station: cells, count, the bay, and the discharge curve with everything that can end it."""

from __future__ import annotations

from typing import Any

import numpy as np

from briskcell.core.assess import Assessment
from briskcell.core.pack.resets import Resets
from briskcell.core.rules.resets import in_words
from briskcell.core.search.candidates import Candidate
from briskcell.model.stores import Pack
from briskcell.model.units import show
from briskcell.services.library import chemistry_names, classes
from briskcell.services.pack.candidates import fitting_packs
from briskcell.services.workshop import Opened
from briskcell.web.drawing.curves import numbers, plot
from briskcell.web.drawing.scale import Scale
from briskcell.web.view import View

from ..sections import Section
from .bay_drawing import draw_bay
from .switching import switched_off

SECTIONS = (
    Section("h-cells", "Cells"),
    Section("h-curve", "Discharge"),
    Section("h-answers", "Hours"),
    Section("h-sure", "Sure"),
    Section("h-off", "Off"),
    Section("h-peaks", "Peaks"),
    Section("h-bay", "Bay"),
    Section("h-packs", "Packs"),
    Section("h-search", "Search"),
)


def surface(opened: Opened, _view: View) -> dict[str, Any]:
    """What the Pack station shows."""
    assessed = opened.assessed
    found, k = assessed.runtime, assessed.pack_index or 0
    store = assessed.plan.stores[k] if assessed.plan.stores else None
    pack = store if isinstance(store, Pack) else None
    return {
        "store": store,
        "pack": pack,
        "others": [s for s in assessed.plan.stores if s is not store],
        "runtime": found,
        "range": assessed.runtime_range,
        "plot": _plot(assessed, k) if store and found and found.hours is not None and found.hours > 0 else None,
        "classes": classes("cells"),
        "chemistries": chemistry_names(),
        "reserve": assessed.reserve,
        "resets": assessed.resets,
        "resets_words": in_words(assessed.resets) if assessed.resets else "",
        "resets_plot": _resets_plot(assessed.resets),
        **switched_off(assessed),
        "bay": draw_bay(assessed, pack) if pack else None,
    }


def _plot(assessed: Assessment, k: int) -> dict[str, Any]:
    """Volts over the hours of play, down to where the pack itself ends: every stop named, what the first strands shaded."""
    found, op, curves = assessed.runtimes[k], assessed.op, assessed.op.curves[k]
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
    if assessed.reserve and k == assessed.pack_index:
        volts = assessed.reserve.under_load_v
        marks.append({"y": round(volts, 3), "words": f"warning {show(volts, 'V')}", "side": "right"})
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


def _resets_plot(found: Resets | None) -> dict[str, Any] | None:
    """Expected resets an hour over the hours of play; none where there is nothing to fear."""
    if found is None or found.at_end <= 0:
        return None
    return plot(
        "Expected resets an hour over the hours of play",
        {"label": "time from full", "unit": "h", "values": numbers(found.elapsed_h), "reverse": False},
        [{"label": "resets an hour", "unit": "", "role": "demand", "values": numbers(found.per_hour)}],
        [{"x": round(found.free_hours, 3), "words": "first to fear"}] if found.free_hours > 0 else [],
    )


def choices(opened: Opened) -> dict[str, Any]:
    """All packs of the library that fit, as a table and a scatter."""
    plan, found = opened.plan, fitting_packs(opened.assessed)
    if found is None:
        return {"pack": None, "found": ()}
    drawn = _scatter(found.packs, found.replaced, plan.brief.hours)
    return {
        "pack": found.replaced,
        "found": found.packs,
        "guessed_bay": found.bay_is_guessed,
        "margins": plan.brief.margins,
        **drawn,
    }


def _scatter(found: tuple[Candidate, ...], pack: Pack, wanted_h: float) -> dict[str, Any]:
    """Runtime against thickness; the frontier is joined."""
    played = [c for c in found if c.runtime_h]
    if not played:
        return {"points": (), "frontier": "", "x_ticks": (), "y_ticks": (), "wanted_y": None}
    x = Scale(0.0, max(c.thickness_mm for c in played) * 1.08, 46.0, 540.0)
    y = Scale(0.0, max(wanted_h, *(c.runtime_h or 0.0 for c in played)) * 1.08, 246.0, 14.0)
    points: list[dict[str, Any]] = [
        {"c": c, "x": x(c.thickness_mm), "y": y(c.runtime_h or 0.0),
         "now": c.cell.part_class == pack.cell.part_class and c.parallel == pack.parallel}
        for c in played
    ]  # fmt: skip
    line = sorted((p for p in points if p["c"].frontier), key=lambda p: float(p["x"]))
    return {
        "points": points,
        "frontier": " ".join(f"{p['x']},{p['y']}" for p in line),
        "x_ticks": [(t, x(t)) for t in x.ticks(6)],
        "y_ticks": [(t, y(t)) for t in y.ticks(5)],
        "wanted_y": y(wanted_h),
    }
