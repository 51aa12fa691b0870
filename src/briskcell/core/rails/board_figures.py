"""What each board takes, gives, loses, and how far that raises its temperature."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.engine.operating import Operating
from briskcell.model.parts import Converter, State


@dataclass(frozen=True, slots=True, kw_only=True)
class BoardFigures:
    """One board in play at half charge. ``efficiency`` and ``rise_k`` are None where nothing flows or nothing is stated."""

    board: Converter
    taken_w: float
    given_w: float
    lost_w: float
    efficiency: float | None
    rise_k: float | None


def board_figures(op: Operating) -> dict[str, BoardFigures]:
    """Every board at half charge in play.

    Parameters
    ----------
    op : Operating
        The solved build.

    Returns
    -------
    dict
        By id; nothing is taken or given where the build collapses.
    """
    at = State.PLAY, op.half
    carried = bool(op.network.converters) and not op.flow.collapsed[at]
    out = {}
    for k, board in enumerate(op.network.converters):
        taken = float(op.flow.converter_input_w(k)[at]) if carried else 0.0
        given = float(op.flow.converter_output_w(k)[at]) if carried else 0.0
        lost = max(taken - given, 0.0)
        rise = lost * board.thermal_k_per_w.likely if board.thermal_k_per_w is not None and carried else None
        out[board.id] = BoardFigures(
            board=board, taken_w=taken, given_w=given, lost_w=lost, efficiency=given / taken if taken > 0 else None, rise_k=rise
        )
    return out
