"""Series for the charts on canvas: round numbers only, nothing that is no number."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from briskcell.core.rails.headroom import Headroom
from briskcell.model.units import show


def numbers(values: Iterable[float], places: int = 4) -> list[float | None]:
    """Rounded values; None where there is none to draw."""
    return [round(float(v), places) if math.isfinite(v) else None for v in values]


def plot(title: str, x: dict[str, Any], series: list[dict[str, Any]], marks: list[dict[str, Any]] | None = None,
         soc: list[float | None] | None = None) -> dict[str, Any]:  # fmt: skip
    """A chart's description for the page's script: an x axis, series over it, named marks, and the states of charge along it."""
    return {"title": title, "x": x, "series": series, "marks": marks or [], "soc": soc}


def limit_plot(soc: NDArray[np.float64], found: Headroom) -> dict[str, Any]:
    """What a board can deliver, and what it is asked for, from full to empty at its worst state."""
    return plot(
        f"Amps out of {found.name}, from full to empty, at {found.at_state}",
        {"label": "state of charge", "unit": "%", "values": numbers(soc * 100, 1), "reverse": True},
        [
            {"label": "can deliver", "unit": "A", "role": "limit", "values": numbers(found.limit_series)},
            {"label": f"asked at {found.at_state}", "unit": "A", "role": "demand", "values": numbers(found.demand_series)},
        ],
        [
            {
                "x": round(found.at_soc * 100, 1),
                "words": f"least spare {show(found.spare, '%')}"
                if found.spare >= 0
                else f"{show(-found.spare, '%')} short at worst",
            }
        ],
    )
