"""A session typed in words, played through in time."""

from __future__ import annotations

from briskcell.core.assess import Assessment
from briskcell.core.day.session import Session, play_session
from briskcell.model.errors import FigureError

from .phases import read_phases

POINTS = 2500  # of a session's course: steps grow with its length, 5 s at the least


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
