"""What each board takes, gives, loses and how warm that makes it; and what a part's whole path from the store costs."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.engine.operating import Operating
from briskcell.model.parts import Converter, Fed

MIDDLE, PLAY = 0.5, 1  # where boards are quoted: half charged, in play


@dataclass(frozen=True, slots=True, kw_only=True)
class BoardFigures:
    """One board in play at half charge. ``efficiency`` and ``warmth_k`` are None where nothing flows or nothing is stated."""

    board: Converter
    taken_w: float
    given_w: float
    lost_w: float
    efficiency: float | None
    warmth_k: float | None


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
    middle, n_loads = len(op.soc) // 2, len(op.network.loads)
    carried = bool(op.network.converters) and not op.flow.collapsed[PLAY, middle]
    out = {}
    for k, board in enumerate(op.network.converters):
        at = PLAY, middle, n_loads + k
        taken = float(op.flow.consumer_a[at] * op.flow.consumer_v[at]) if carried else 0.0
        given = float(op.flow.element_w[PLAY, middle, op.network.position[board.id]]) if carried else 0.0
        lost = max(taken - given, 0.0)
        warm = lost * board.thermal_k_per_w.likely if board.thermal_k_per_w is not None and carried else None
        out[board.id] = BoardFigures(board=board, taken_w=taken, given_w=given, lost_w=lost,
                                     efficiency=given / taken if taken > 0 else None, warmth_k=warm)  # fmt: skip
    return out


def boards_above(op: Operating, part: Fed) -> tuple[Converter, ...]:
    """The boards between a part and its store, nearest the store first.

    Parameters
    ----------
    op : Operating
        The solved build.
    part : Fed
        A part of it.

    Returns
    -------
    tuple of Converter
        Empty where it hangs straight on the store.
    """
    out: list[Converter] = []
    at = op.plan.by_id[part.fed_by]
    while isinstance(at, Fed):
        if isinstance(at, Converter):
            out.append(at)
        at = op.plan.by_id[at.fed_by]
    return tuple(reversed(out))
