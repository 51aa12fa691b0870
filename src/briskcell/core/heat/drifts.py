"""What drifts with the warmth of the air inside: fuses, linear chargers, boards, cells and copper."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from briskcell.core.engine.operating import Operating
from briskcell.core.engine.resistance import warmer_share

from .steady import Heat

Kind = Literal["fuse", "charger", "part", "cells", "wires"]


@dataclass(frozen=True, slots=True)
class Drift:
    """One thing that changes with warmth.

    Attributes
    ----------
    element, name : str
        The part; no id where it is all wires together.
    kind : str
        What ``value`` and ``limit`` are: of a resettable *fuse* the amperes that it holds in warm air and at 23 °C; of a linear
        *charger* the watts that it may burn before it charges less, and the degrees at which it does; of a *part* and of *cells*
        their degrees in play and what they are rated to; of *wires* the share by which they resist more than at 20 °C, and 0.
    value, limit : float
        [A, W, °C or a share]
    asked : float
        Of a fuse, the amperes of the peak; else 0. [A]
    """

    element: str
    name: str
    kind: Kind
    value: float
    limit: float
    asked: float = 0.0


def drifts(op: Operating, heat: Heat, fuses: Iterable[tuple[str, str, float, float, float]]) -> tuple[Drift, ...]:
    """Everything that changes with the warmth of the air inside, in play.

    Parameters
    ----------
    op : Operating
        The solved build.
    heat : Heat
        Its temperatures in play.
    fuses : iterable of tuple
        Of each resettable fuse: id, name, and the amperes that it holds warm and at 23 °C, and that the peak asks. [A]

    Returns
    -------
    tuple of Drift
        In the order of the page.

    References
    ----------
    IEC 60028:1925 for copper's coefficient; a charger folds back where ``W·θ`` reaches its limit from the air inside.
    """
    plan, air_c = op.plan, heat.air_c
    out = [Drift(element, name, "fuse", warm, cold, asked) for element, name, warm, cold, asked in fuses]
    for board in plan.chargers:
        theta = board.thermal_k_per_w
        if board.kind == "linear" and theta is not None and theta.likely > 0:
            out.append(Drift(board.id, board.name, "charger", max(board.foldback_c - air_c, 0.0) / theta.likely, board.foldback_c))
    out += [Drift(p.element, p.name, "part", p.celsius, p.limit_c) for p in heat.parts]
    out += [Drift(p.id, p.name, "cells", heat.cells_c, min(c.use_high_c for c in p.string_cells)) for p in plan.packs]
    return (*out, Drift("", "All wires", "wires", warmer_share(air_c), 0.0))
