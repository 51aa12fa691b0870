"""The Charge station: supply, board, and the course of a charge."""

from __future__ import annotations

from typing import Any

import numpy as np

from briskcell.core.assess import Assessment
from briskcell.core.charge.charging import Charge, ChargeCourse
from briskcell.core.charge.current_split import LIMITS
from briskcell.model.parts import State
from briskcell.model.plan import Store
from briskcell.model.tree import layout_of
from briskcell.services.library import classes
from briskcell.services.workshop import Opened
from briskcell.web.drawing.curves import numbers, plot
from briskcell.web.frame.facts import facts_of
from briskcell.web.view import View

from ..sections import Section

SECTIONS = (
    Section("charging", "Boards"),
    Section("course", "A charge"),
    Section("times", "Times"),
    Section("h-supplies", "Any supply"),
    Section("h-trickle", "Cranks and panels"),
)


def surface(opened: Opened, _view: View) -> dict[str, Any]:
    """What the Charge station shows."""
    assessed = opened.assessed
    return {
        "charges": [
            {
                "charge": c,
                "plot": _plot(c),
                "limits": _held(c.off),
                "start": c.off.start_soc,
                "end": c.off.end_soc,
                "facts": facts_of(c.board),
                "layout": layout_of(assessed.plan, c.board),
                "warmth": [w for w in (*assessed.idle_warmths, *assessed.played_warmths) if w.charge is c],
            }
            for c in assessed.charges
        ],
        "boards": classes("chargers"),
        "supplies": classes("supplies"),
        "trickles": assessed.trickles,
        "play_w": assessed.runtime.mean_w if assessed.runtime else 0.0,
        "starts_v": {t.store.id: _starts_v(assessed, t.store) for t in assessed.trickles},
    }


def _starts_v(assessed: Assessment, store: Store) -> float | None:
    """The least volts at rest from which a start, at every part's peak, is carried; None where none is."""
    op, k = assessed.op, assessed.plan.stores.index(store)
    limits = [op.board_limit_a[n] >= op.flow.output_a(n) for n in range(len(op.network.converters))]
    carried = ~op.flow.lost[State.PEAK, :, k] & np.all([limit[State.PEAK] for limit in limits] or [True], axis=0)
    return float(op.curves[k].ocv_v[carried].min()) if carried.any() else None


def _held(course: ChargeCourse) -> list[tuple[str, float, float]]:
    """What holds the current down, from which to which state of charge, in order."""
    inside = np.flatnonzero((course.soc >= course.start_soc - 1e-9) & (course.soc <= course.end_soc + 1e-9))
    out: list[tuple[str, float, float]] = []
    for k in inside:
        words, at = LIMITS[int(course.limit[k])], float(course.soc[k])
        if out and out[-1][0] == words:
            out[-1] = (words, out[-1][1], at)
        else:
            out.append((words, at, at))
    return out


def _plot(found: Charge) -> dict[str, Any] | None:
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
