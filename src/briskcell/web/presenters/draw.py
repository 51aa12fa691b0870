"""The Draw station: bars by state, the use profile, parts by where they hang."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from briskcell.core.assess import Assessment
from briskcell.core.draw import LoadDraw
from briskcell.library import catalogue
from briskcell.model.parts import STATES, Fed
from briskcell.services.edits import feeders

from .scale import Scale


@dataclass(frozen=True, slots=True)
class DrawRow:
    """A part with its fields and bars."""

    draw: LoadDraw
    path: str
    unit: str
    bars: tuple[tuple[str, float, float, float], ...]
    rail: str
    mean_x: float


def surface(assessed: Assessment, _view: Any) -> dict[str, Any]:
    """What the Draw station shows."""
    rows = assessed.draw.loads
    most = max((high for d in rows for _, _, high in d.watts), default=1.0)
    scale = Scale(0.0, max(most, 0.1), 0.0, 220.0)
    units = {"power_w": "W", "current_a": "A", "resistance_ohm": "Ω"}
    out = [
        DrawRow(
            draw=d,
            path=f"loads/{d.load.id}/{d.load.kind}",
            unit=units[d.load.kind],
            bars=tuple((s, scale(low), scale(likely), scale(high)) for s, (low, likely, high) in zip(STATES, d.watts, strict=True)),
            rail=_hangs_on(assessed, d.load),
            mean_x=scale(d.mean_w),
        )
        for d in rows
    ]
    rails = list(dict.fromkeys(r.rail for r in out))
    return {
        "groups": [(rail, [r for r in out if r.rail == rail]) for rail in rails],
        "ticks": [(t, scale(t)) for t in scale.ticks(4)],
        "classes": catalogue().of_kind("loads"),
        "feeders": feeders(assessed.plan),
        "states": STATES,
    }


def _hangs_on(assessed: Assessment, part: Fed) -> str:
    """Name of the nearest rail, board or pack above a part."""
    at = assessed.plan.by_id[part.fed_by]
    while at in assessed.plan.links and isinstance(at, Fed):
        at = assessed.plan.by_id[at.fed_by]
    return at.name
