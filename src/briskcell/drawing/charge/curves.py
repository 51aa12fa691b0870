"""A charge as curves."""

from __future__ import annotations

from typing import Any

from briskcell.core.assess import Assessment
from briskcell.core.charge.charging import Charge

from ..curves import numbers, plot


def charge_plot(found: Charge) -> dict[str, Any] | None:
    """The amperes into the pack and its volts over the hours; None where it never gets full."""
    course = found.off
    if course.hours is None or course.hours <= 0:
        return None
    inside = (course.soc >= course.start_soc - 1e-9) & (course.soc <= course.end_soc + 1e-9)
    series = [
        {
            "label": "into the pack, console off",
            "unit": "A",
            "role": "limit",
            "values": numbers(course.current_a[inside]),
        },
        {
            "label": "pack volts",
            "unit": "V",
            "role": "quiet",
            "axis": "right",
            "values": numbers(course.cell_v[inside]),
        },
    ]
    return plot(
        "Current and volts over the hours of charging",
        {"label": "time on the charger", "unit": "h", "values": numbers(course.elapsed_h[inside]), "reverse": False},
        series,
        [{"x": round(course.hours, 3), "words": "full"}],
        soc=numbers(course.soc[inside] * 100, 2),
    )


def charge_plots(assessed: Assessment) -> list[dict[str, Any]]:
    """Those of all boards that get full."""
    return [made for c in assessed.charges if (made := charge_plot(c)) is not None]
