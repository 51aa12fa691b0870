"""A session as a chart: volts and charge of the pack, and the warmth of the case, over time."""

from __future__ import annotations

from typing import Any

import numpy as np

from briskcell.core.pack.session import Session
from briskcell.web.drawing.curves import numbers, plot

MOST = 400  # points that a chart of this width can show


def course_plot(found: Session) -> dict[str, Any] | None:
    """The chart's description; None where it ended before it began."""
    if not len(found.time_s):
        return None
    pick = np.unique(np.linspace(0, len(found.time_s) - 1, MOST).astype(int))
    return plot(
        "A session in time",
        {"label": "time", "unit": "h", "values": numbers(found.time_s[pick] / 3600), "reverse": False},
        [
            {"label": "pack volts", "unit": "V", "role": "limit", "values": numbers(found.store_v[pick])},
            {"label": "charge left", "unit": "%", "role": "quiet", "axis": "right", "values": numbers(found.soc[pick] * 100, 2)},
        ],
        [{"x": round(float(found.time_s[-1]) / 3600, 3), "words": found.ended}] if found.ended else [],
    )
