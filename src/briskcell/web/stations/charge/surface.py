"""The Charge station: supply, board, and the course of a charge."""

from __future__ import annotations

from typing import Any

from briskcell.drawing.charge.curves import charge_plot
from briskcell.model.tree import layout_of
from briskcell.services.builds import Opened
from briskcell.services.library import classes
from briskcell.web.frame.facts import facts_of
from briskcell.web.sections import Section
from briskcell.web.view import View

SECTIONS = (
    Section("charging", "Boards"),
    Section("h-outside", "Outside the case"),
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
                "plot": charge_plot(c),
                "limits": c.off.held,
                "start": c.off.start_soc,
                "end": c.off.end_soc,
                "facts": facts_of(c.board),
                "way": next(w for w in assessed.ways_in if w.board.id == c.board.id),
                "layout": layout_of(assessed.plan, c.board),
                "warmth": [w for w in (*assessed.idle_warmths, *assessed.played_warmths) if w.charge is c],
            }
            for c in assessed.charges
        ],
        "outside_h": assessed.outside_h,
        "boards": classes("chargers"),
        "supplies": classes("supplies"),
        "trickles": assessed.trickles,
        "play_w": assessed.runtime.mean_w if assessed.runtime else 0.0,
        "starts_v": assessed.starting_v,
    }
