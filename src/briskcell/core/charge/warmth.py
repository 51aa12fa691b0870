"""How warm the cells get while they charge in the closed case, with the console off and in play."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.charge.charging import Charge, ChargeCourse
from briskcell.core.engine.operating import Operating
from briskcell.core.heat.network import AIR, CELLS, LONG_S, Contact, HeatNetwork, heat_network
from briskcell.core.heat.watts import own_share
from briskcell.model.stores import Pack
from briskcell.model.tree import layout_of

Array = NDArray[np.float64]
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


def charge_warmth(op: Operating, beside: tuple[Contact, ...], charge: Charge, *, playing: bool) -> ChargeWarmth | None:
    """Temperature of the cells over one charge, from a case at room temperature.

    Parameters
    ----------
    op : Operating
        The solved build.
    beside : tuple of Contact
        What the cells lie beside.
    charge : Charge
        One of its charges.
    playing : bool
        Whether someone plays meanwhile.

    Returns
    -------
    ChargeWarmth or None
        None where nobody can play meanwhile, or no pack is filled.
    """
    network = heat_network(op.plan, beside, held=playing)
    found = charge_watts(op, network, charge, playing=playing)
    if found is None or not isinstance(charge.store, Pack):
        return None
    watts, seconds = found
    room, limit = op.plan.brief.room_c, min(c.charge_high_c for c in charge.store.string_cells)
    risen = network.through(watts, seconds)[:, CELLS]
    at = int(np.argmax(risen))
    passed = network.passed_s(watts, seconds, CELLS, limit - room) if room + risen[at] > limit else None
    minutes = None if passed is None else passed / 60.0
    whole, celsius = float(watts[at].sum()), float(room + risen[at])
    return ChargeWarmth(charge=charge, playing=playing, watts=whole, celsius=celsius, limit_c=limit, minutes=minutes)


def charge_watts(op: Operating, network: HeatNetwork, charge: Charge, *, playing: bool) -> tuple[Array, Array] | None:
    """What is set free in each lump of the case over one charge.

    What stays in the case is all that comes in at the socket less what the cells store: ``P = P_in − I·OCV``. What of it
    the cells lose themselves, ``I·(V − OCV)``, is set free in them, the rest in the air around them.

    Parameters
    ----------
    op : Operating
        The solved build.
    network : HeatNetwork
        Its case, of n lumps.
    charge : Charge
        One of its charges.
    playing : bool
        Whether someone plays meanwhile.

    Returns
    -------
    tuple of ndarray, shapes (t, n) and (t,), or None
        Watts, and the moments; None where nobody can play meanwhile, or no pack is filled. [W, s]
    """
    store, course = charge.store, charge.play if playing else charge.off
    layout = layout_of(op.plan, charge.board)
    if not isinstance(store, Pack) or (playing and layout == "cut_out") or len(course.soc) < 2:
        return None
    every = np.unique(np.linspace(0, len(course.soc) - 1, POINTS).astype(int))
    whole, lost = (w[every] for w in _inside(charge, course, layout))
    own = own_share(op, op.network.stores.index(store.id)) * lost
    watts = np.zeros((len(every), len(network.nodes)))
    watts[:, CELLS], watts[:, AIR] = own, whole - own
    return watts, np.minimum(3600.0 * course.elapsed_h[every], LONG_S)


def _inside(charge: Charge, course: ChargeCourse, layout: str) -> tuple[Array, Array]:
    """Watts that stay in the case at each point of a course, and those of them that the cells lose."""
    # Into the cells; below zero where a console on the cell takes more than the board gives.
    board, into = charge.board, course.current_a
    through = into + (course.system_a if layout == "on_cell" else 0.0)
    taken = through * course.bus_v if board.kind == "linear" else through * course.cell_v / board.efficiency.likely
    console_w = course.system_a * course.bus_v if layout == "power_path" else 0.0
    whole = np.maximum(taken + console_w - into * course.ocv_v, 0.0)
    return whole, np.clip(into * (course.cell_v - course.ocv_v), 0.0, whole)
