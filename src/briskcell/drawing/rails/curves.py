"""A regulator's limit as a curve."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from briskcell.core.rails.headroom import Headroom
from briskcell.model.units import show

from ..curves import numbers, plot


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
