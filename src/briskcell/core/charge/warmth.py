"""How warm the cells get while they charge in the closed case, with the console off and in play."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from briskcell.core.charge.charging import Charge, ChargeCourse
from briskcell.core.engine.operating import Operating
from briskcell.core.heat.case import AIR_OVER_SKIN, CAPACITY, case_conductance
from briskcell.model.stores import Pack
from briskcell.model.tree import layout_of

POINTS = 40  # of a charge that its warmth is followed over


@dataclass(frozen=True, slots=True, kw_only=True)
class ChargeWarmth:
    """The cells of one pack while one board fills it.

    ``celsius`` is the most they reach, ``watts`` what then stays in the case; ``minutes`` is the time until they pass
    ``limit_c``, None where they never do.
    """

    charge: Charge
    playing: bool
    watts: float
    celsius: float
    limit_c: float
    minutes: float | None


def charge_warmth(op: Operating, charge: Charge, *, playing: bool) -> ChargeWarmth | None:
    """Temperature of the cells over one charge, from a case at room temperature.

    What stays in the case is all that comes in at the socket less what the cells store: ``P = P_in − I·OCV``. The air in the
    case follows it with one time constant, and the cells are as warm as that air, as they are in use.

    Parameters
    ----------
    op : Operating
        The solved build.
    charge : Charge
        One of its charges.
    playing : bool
        Whether someone plays meanwhile.

    Returns
    -------
    ChargeWarmth or None
        None where nobody can play meanwhile, or no pack is filled.
    """
    store, course = charge.store, charge.play if playing else charge.off
    layout = layout_of(op.plan, charge.board)
    if not isinstance(store, Pack) or (playing and layout == "cut_out") or len(course.soc) < 2:
        return None
    every = np.unique(np.linspace(0, len(course.soc) - 1, POINTS).astype(int))
    watts, hours_at = _inside(charge, course, layout)[every], course.elapsed_h[every]
    case, room = op.plan.case, op.plan.brief.room_c
    conductance = case_conductance(case)
    tau_h = case.mass_g / 1e3 * CAPACITY / conductance / 3600.0
    settled = room + AIR_OVER_SKIN * watts / conductance
    limit = min(c.charge_high_c for c in store.string_cells)
    air, most, at, minutes = room, room, 0, None
    for k in range(1, len(watts)):
        before, toward = air, 0.5 * (settled[k] + settled[k - 1])
        hours = float(hours_at[k] - hours_at[k - 1])
        air = toward + (before - toward) * math.exp(-hours / tau_h)
        if minutes is None and before <= limit < air:
            passed = tau_h * math.log((toward - before) / (toward - limit))
            minutes = 60.0 * (float(hours_at[k - 1]) + passed)
        if air > most:
            most, at = air, k
    return ChargeWarmth(charge=charge, playing=playing, watts=float(watts[at]), celsius=float(most), limit_c=limit, minutes=minutes)


def _inside(charge: Charge, course: ChargeCourse, layout: str) -> np.ndarray:
    """Watts that stay in the case at each point of a course."""
    # Into the cells; below zero where a console on the cell takes more than the board gives.
    board, into = charge.board, course.current_a
    through = into + (course.system_a if layout == "on_cell" else 0.0)
    taken = through * course.bus_v if board.kind == "linear" else through * course.cell_v / board.efficiency.likely
    console_w = course.system_a * course.bus_v if layout == "power_path" else 0.0
    return np.asarray(np.maximum(taken + console_w - into * course.ocv_v, 0.0))
