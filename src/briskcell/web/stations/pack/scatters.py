"""What nothing beats, as scatters that share their points: hours over each other measure, with a bound on every one of them."""

from __future__ import annotations

from typing import Any

from briskcell.web.units import show

WIDTH, HEIGHT, LEFT, FOOT, TOP = 240.0, 178.0, 8.0, 22.0, 20.0
# Of an offer: its field, words for its bound, its title, its unit, and whether more is better.
MEASURES = (
    ("runtime_h", "plays at least", "Plays", "h", True),
    ("thickness_mm", "thick at most", "Thickness", "mm", False),
    ("mass_g", "cells at most", "Mass of the cells", "g", False),
    ("cost", "costs at most", "To buy", "€", False),
    ("charge_h", "full within", "Full in", "h", False),
)


def scatters(points: list[dict[str, Any]]) -> dict[str, Any] | None:
    """Measures with their bounds, and the drawings; None of fewer than two points."""
    if len(points) < 2:
        return None
    known = [m for m in MEASURES if all(p[m[0]] is not None for p in points)]
    measures = [_measure(points, *m) for m in known]
    hours = next((m for m in measures if m["field"] == "runtime_h"), None)
    if hours is None:
        return None
    return {
        "measures": measures,
        "plots": [_drawn(hours, m) for m in measures if m is not hours],
        "points": [[p["cell"], p["parallel"], p["board"], p["awg"], p["charger"], _words(p)] for p in points],
        "width": WIDTH,
        "height": HEIGHT,
    }


def _measure(points: list[dict[str, Any]], field: str, bound: str, title: str, unit: str, most: bool) -> dict[str, Any]:
    values = [float(p[field]) for p in points]
    stops = sorted(set(values), reverse=not most)
    return {
        "field": field,
        "bound": bound,
        "title": title,
        "most": most,
        "values": values,
        "stops": stops,
        "labels": [show(v, unit) for v in stops],
        "low": min(values),
        "high": max(values),
    }


def _drawn(hours: dict[str, Any], other: dict[str, Any]) -> dict[str, Any]:
    """Hours upwards, the other measure to the right; the stops at both ends are the labels of the axes."""

    def part(m: dict[str, Any], v: float) -> float:
        return float((v - m["low"]) / max(m["high"] - m["low"], 1e-9))

    across, up = WIDTH - 2 * LEFT, HEIGHT - TOP - FOOT
    return {
        "field": other["field"],
        "title": other["title"],
        "circles": [
            (round(LEFT + part(other, x) * across, 1), round(TOP + (1 - part(hours, y)) * up, 1))
            for x, y in zip(other["values"], hours["values"], strict=True)
        ],
        "ends": (other["labels"][-1], other["labels"][0]),
        "tops": (hours["labels"][-1], hours["labels"][0]),
        "frame": (LEFT, TOP, across, up),
    }


def _words(p: dict[str, Any]) -> str:
    charged = f", {p['charger_name']}" if p["charger_name"] else ""
    figures = ", ".join(show(p[f], unit) for f, _, _, unit, _ in MEASURES if p[f] is not None)
    return f"{p['parallel']}P of {p['cell_name']}, {p['board_name']}, {show(p['awg'], 'AWG')}{charged}: {figures}"
