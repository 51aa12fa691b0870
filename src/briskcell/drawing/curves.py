"""Series for the charts on canvas: round numbers only, nothing that is no number."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any


def numbers(values: Iterable[float], places: int = 4) -> list[float | None]:
    """Rounded values; None where there is none to draw."""
    return [round(float(v), places) if math.isfinite(v) else None for v in values]


def plot(
    title: str,
    x: dict[str, Any],
    series: list[dict[str, Any]],
    marks: list[dict[str, Any]] | None = None,
    soc: list[float | None] | None = None,
) -> dict[str, Any]:
    """A chart's description for the page's script: an x axis, series over it, named marks, and the states of charge along it."""
    return {"title": title, "x": x, "series": series, "marks": marks or [], "soc": soc}
