"""Two sources that meet on a rail: who stands higher, and whether current can flow back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from briskcell.core.engine.converters import stiff_output_v
from briskcell.core.engine.sources import store_curves
from briskcell.model.parts import Converter, Fed, Link, Part, Rail
from briskcell.model.plan import Plan, Store

HALF = np.array([0.5])  # of the charge, at which it is told which of two sources stands higher


@dataclass(frozen=True, slots=True)
class Meeting:
    """A rail that a second source gives to as well, by ``main`` and by ``other``: the ids of the parts right before the rail.

    The main one stands higher while nothing draws and carries first. ``…_one_way`` says that no current can flow back there,
    ``by_diode`` that the other ends in a diode.
    """

    rail: str
    main: str
    other: str
    main_one_way: bool
    other_one_way: bool
    by_diode: bool


def meetings_of(plan: Plan) -> tuple[Meeting, ...]:
    """Every second source of a rail.

    Parameters
    ----------
    plan : Plan
        The build.

    Returns
    -------
    tuple of Meeting
        Of a rail with n sources, n − 1.
    """
    out = []
    for rail in plan.rails:
        if rail.also:
            main, *others = sorted((rail.fed_by, *rail.also), key=lambda at: -idle_v(plan, at))
            out += [Meeting(rail.id, main, at, one_way(plan, main), one_way(plan, at), is_diode(plan.by_id[at])) for at in others]
    return tuple(out)


def idle_v(plan: Plan, at: str, ocv_v: Mapping[str, float] | None = None) -> float:
    """Volts at a part while nothing draws. [V]

    Parameters
    ----------
    plan : Plan
        The build.
    at : str
        A store, or what is fed from one.
    ocv_v : mapping of str to float, optional
        Of each store; at half charge where not given. [V]

    Returns
    -------
    float
        Past a diode less what it drops.
    """
    part = plan.by_id[at]
    if not isinstance(part, Fed):
        assert isinstance(part, Store)
        if ocv_v is not None:
            return ocv_v[at]
        return float(store_curves(part, HALF, plan.brief.cells_c).ocv_v[0])
    fed = max(idle_v(plan, e, ocv_v) for e in (part.fed_by, *(part.also if isinstance(part, Rail) else ())))
    if isinstance(part, Converter):
        return float(stiff_output_v(part, fed, 0.0))
    return fed - (part.drop_v.likely if isinstance(part, Link) and part.drop_v else 0.0)


def one_way(plan: Plan, at: str) -> bool:
    """Whether no current flows back at the end of a way: a diode lies on it, or a board that makes its volts.

    Parameters
    ----------
    plan : Plan
        The build.
    at : str
        The last part of the way.

    Returns
    -------
    bool
        Whether the board stands what it then gets from outside is a matter of its own.
    """
    part = plan.by_id[at]
    while isinstance(part, Fed):
        if isinstance(part, Converter) or is_diode(part):
            return True
        part = plan.by_id[part.fed_by]
    return False


def is_diode(part: Part) -> bool:
    """Whether a part is a diode.

    Parameters
    ----------
    part : Part
        Any part.

    Returns
    -------
    bool
        Also of an ideal one.
    """
    return isinstance(part, Link) and part.kind == "diode"
