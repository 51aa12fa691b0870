"""What a start costs, and what spare cells bring: each set of them plays as long as the first, less its own start."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from briskcell.core.engine.operating import Operating
from briskcell.core.pack.runtime import Runtime, carried_peaks
from briskcell.model.parts import State
from briskcell.model.stores import Pack


@dataclass(frozen=True, slots=True, kw_only=True)
class Starts:
    """A start takes ``start_h`` of play out of a full pack; one set of cells then plays ``set_h``, all sets ``all_h``, with
    ``swap_s`` at a standstill between two of them. [h], [s]"""

    start_h: float
    set_h: float
    sets: int
    all_h: float
    swap_s: float


def starts(op: Operating, found: Runtime, store: int) -> Starts | None:
    """What starts take, and how long all sets of cells play.

    Booting draws as all parts at their peak do, at the volts of a full pack: ``t_start = t_boot · I_peak/I_play``, both from the
    store. Where such a peak cannot be carried, play stands in for it.

    Parameters
    ----------
    op : Operating
        The solved build.
    found : Runtime
        Of the store.
    store : int
        Which store.

    Returns
    -------
    Starts or None
        None where nothing plays.
    """
    if not found.hours or not found.mean_a:
        return None
    part = op.plan.stores[store]
    full = carried_peaks(op.flow.branch_a[..., store])[:, 0]
    amps = np.where(np.isfinite(full), full, 0.0)  # what cannot be carried takes nothing: the build says that elsewhere
    mean = float(op.shares @ amps)
    taken = min(op.plan.boot_s / 3600.0 * float(amps[State.PEAK]) / mean if mean > 0 else 0.0, found.hours)
    own = found.hours - taken
    sets = 1 + (part.spare_sets if isinstance(part, Pack) else 0)
    swap = (part.swap_s if isinstance(part, Pack) else 0.0) + op.plan.boot_s
    return Starts(start_h=taken, set_h=own, sets=sets, all_h=own * sets, swap_s=swap)
