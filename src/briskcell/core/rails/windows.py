"""What each part gets within its window of volts, from a full pack to the end."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from briskcell.core.engine.operating import Operating
from briskcell.model.parts import Load


@dataclass(frozen=True, slots=True, kw_only=True)
class VoltsGot:
    """The volts of one part down to the end of play, over all states: least and most, and the best of its worst moments.

    Where ``best_v`` is within its window it is left in some states alone, and only as the pack runs low. [V]
    """

    load: Load
    least_v: float
    most_v: float
    best_v: float


def volts_got(op: Operating, ends: Sequence[float]) -> tuple[VoltsGot, ...]:
    """What every part gets.

    Parameters
    ----------
    op : Operating
        The solved build.
    ends : sequence of float
        State of charge of each store when play ends.

    Returns
    -------
    tuple of VoltsGot
        In the order of the plan.
    """
    out = []
    for k, load in enumerate(op.network.loads):
        volts = op.flow.loads_v[:, op.down_to(ends[op.network.store_of_load(k)]), k]
        out.append(
            VoltsGot(load=load, least_v=float(volts.min()), most_v=float(volts.max()), best_v=float(volts.max(axis=1).min()))
        )
    return tuple(out)
