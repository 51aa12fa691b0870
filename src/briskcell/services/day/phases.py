"""The phases of a session, typed in words."""

from __future__ import annotations

import re
from typing import get_args

from briskcell.model.errors import FigureError
from briskcell.model.phases import Moment, Phase
from briskcell.model.units import read

USUAL = "boot 1 min, play 2h00, peak 2 min, off 20 min, play 1h00 plugged"
MOST_H, MOST_PHASES = 72.0, 40


def read_phases(text: str) -> list[Phase]:
    """Phases from words such as ``boot 1 min, play 2h, off 30 min plugged``.

    Raises
    ------
    FigureError
        If a phase names nothing a console does, or no time.
    """
    out = []
    for piece in (p.strip() for p in re.split(r"[,;\n]", text)):
        if not piece:
            continue
        words = piece.split()
        plugged = words[-1].lower() in ("plugged", "charging")
        what, time = words[0].lower(), " ".join(words[1:-1] if plugged else words[1:])
        known = next((m for m in get_args(Moment) if m == what), None)
        if known is None:
            raise FigureError("session", f"“{piece}” begins with none of {', '.join(get_args(Moment))}.",
                              fix="Type it like play 2h00, or off 30 min plugged.")  # fmt: skip
        seconds = read(time, "s", "session")
        if seconds <= 0:
            raise FigureError("session", f"“{piece}” takes no time.", fix="Give it minutes or hours.")
        out.append(Phase(known, seconds, plugged))
    if not out or len(out) > MOST_PHASES:
        raise FigureError("session", f"A session has 1 to {MOST_PHASES} phases.", fix=f"Type it like {USUAL}.")
    if sum(p.seconds for p in out) > MOST_H * 3600:
        raise FigureError("session", f"This is longer than {MOST_H:.0f} h.", fix="Shorten it.")
    return out
