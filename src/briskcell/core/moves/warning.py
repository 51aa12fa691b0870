"""A warning that is set higher or lower: play ends with it, so it is the cheapest part of a build to change."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator

import numpy as np

from briskcell.core.answers import Answers
from briskcell.model.changes import warned
from briskcell.model.stores import Bank
from briskcell.model.units import show

from .fix import Fix

STEP_V = 0.01  # to which volts are set
BEFORE_H = 1e-3  # of play that lie between two charges told apart


def higher_warning(assessed: Answers, above: Iterable[float]) -> Iterator[Fix]:
    """A warning that ends play while there is still enough left, with the hours of the brief played by then.

    Parameters
    ----------
    assessed : Answers
        The build.
    above : iterable of float
        States of charge at which play may end, the one that leaves most of it first.

    Yields
    ------
    Fix
        Plans with the warning set. Nothing where the wish would not be met any more.
    """
    found, k = assessed.runtime, assessed.pack_index
    if found is None or not found.hours or k is None or isinstance(assessed.plan.stores[k], Bank):
        return
    op, tried = assessed.op, set()
    loaded = np.where(op.flow.lost[..., k], 0.0, op.store_v[..., k])[op.steady].min(axis=0)
    for soc in above:
        soc = max(soc, found.stop_soc)
        volts = math.ceil(float(np.interp(-soc, -op.soc, loaded)) / STEP_V) * STEP_V
        plays = float(np.interp(-np.interp(-volts, -loaded, op.soc), -op.soc, found.elapsed_h))
        if volts in tried or plays < assessed.plan.brief.hours or plays > found.hours - BEFORE_H:
            continue
        tried.add(volts)
        yield _at(assessed, volts, f"ends play after {show(plays, 'h')}, before it comes to that.")


def lower_warning(assessed: Answers) -> Iterator[Fix]:
    """The lowest warning that leaves enough for a clean shutdown, where the one that is set ends play sooner.

    Parameters
    ----------
    assessed : Answers
        The build.

    Yields
    ------
    Fix
        The plan with it.
    """
    reserve, set_v = assessed.reserve, assessed.plan.shutdown.warning_v
    if reserve is not None and set_v is not None and set_v > reserve.under_load_v + 2 * STEP_V:
        yield _at(assessed, round(reserve.under_load_v + STEP_V, 2), "leaves enough for a clean shutdown, and plays longer.")


def _at(assessed: Answers, volts: float, brings: str) -> Fix:
    return Fix(f"A warning at {volts:.2f} V", brings, warned(assessed.plan, volts))
