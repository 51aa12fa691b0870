"""The Pack station: cells, count, and the discharge curve with its stop."""

from __future__ import annotations

from typing import Any

import numpy as np

from briskcell.core.assess import Assessment
from briskcell.library import catalogue
from briskcell.model.stores import Pack
from briskcell.model.units import show

from .curves import numbers, plot


def surface(assessed: Assessment, _view: Any) -> dict[str, Any]:
    """What the Pack station shows."""
    found, k = assessed.runtime, assessed.pack_index or 0
    store = assessed.plan.stores[k] if assessed.plan.stores else None
    pack = store if isinstance(store, Pack) else None
    return {
        "store": store,
        "pack": pack,
        "index": k,
        "others": len(assessed.plan.stores) - 1,
        "runtime": found,
        "range": assessed.runtime_range,
        "energy": sum(r.energy_wh for r in assessed.runtimes),
        "plot": _plot(assessed, k) if store and found and found.hours else None,
        "classes": catalogue().of_kind("cells"),
        "mass": pack.cell.mass_g * pack.series * pack.parallel if pack and pack.cell.mass_g else None,
        "reserve": assessed.reserve,
        "shelf": assessed.shelves[k] if store else None,
    }


def _plot(assessed: Assessment, k: int) -> dict[str, Any]:
    found, op, curves = assessed.runtimes[k], assessed.op, assessed.op.curves[k]
    last = int(np.searchsorted(-op.soc, -found.stop_soc)) + 1
    shown = slice(0, max(min(last + 1, len(op.soc)), 2))
    hours = found.elapsed_h[shown]
    alive = np.where(op.flow.lost[..., k], np.inf, op.store_v[..., k])
    marks = [{"x": round(found.hours or 0.0, 3), "words": f"stops: {found.stop_cause}"}]
    return plot(
        "Pack volts over the hours of play",
        {"label": "time from full", "unit": "h", "values": numbers(hours), "reverse": False},
        [
            {
                "label": "at rest inside (open circuit)",
                "unit": "V",
                "role": "quiet",
                "values": numbers(curves.ocv_v[shown]),
            },
            {"label": "in play", "unit": "V", "role": "limit", "values": numbers(alive[1][shown])},
            {"label": "at the peak", "unit": "V", "role": "demand", "values": numbers(alive[2][shown])},
        ],
        [*marks, {"y": round(curves.cutoff_v, 3), "words": f"cut-off {show(curves.cutoff_v, 'V')}"}],
    )
