"""A session typed in words, played through in time."""

from __future__ import annotations

import re
from typing import get_args

from briskcell.core.assess import Assessment
from briskcell.core.pack.session import Moment, Phase, Session, play_session
from briskcell.model.errors import FigureError
from briskcell.model.units import read

USUAL = "boot 1 min, play 2h00, peak 2 min, off 20 min, play 1h00 plugged"
MOST_H, MOST_PHASES, POINTS = 72.0, 40, 2500


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


def play(assessed: Assessment, text: str, start_soc: float) -> Session:
    """Play a typed session from a state of charge.

    Raises
    ------
    FigureError
        If it makes no sense, or there is no pack to play it on.
    """
    phases = read_phases(text)
    if assessed.pack_index is None:
        raise FigureError("session", "Nothing draws from a pack yet.", fix="Add parts first.")
    step_s = max(5.0, sum(p.seconds for p in phases) / POINTS)
    return play_session(assessed.op, phases, start_soc=start_soc, step_s=step_s, store=assessed.pack_index)
