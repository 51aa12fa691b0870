"""The closed case in steady play: what the hand, the cells and the boards feel, and how long it takes."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.operating import Operating
from briskcell.core.heat.case import AIR_OVER_SKIN, AIR_OVER_SKIN_RANGE, HOT_K_W, blown, skin_rise_k, touch_limit_c
from briskcell.core.heat.network import AIR, CELLS, SKIN, Contact, HeatNetwork, heat_network, lasting
from briskcell.core.heat.watts import AT_SOC, shares_of_heat, sources
from briskcell.model.parts import Converter, Load, State
from briskcell.model.plan import Plan

Array = NDArray[np.float64]

MOST_C = 125.0  # that a part stands which says only from where it slows down


@dataclass(frozen=True, slots=True, kw_only=True)
class PartHeat:
    """One part's own temperature: the air in the case, and its warmth per watt on top; what it stands, from where it slows down."""

    element: str
    name: str
    watts: float
    celsius: float
    limit_c: float
    slows_c: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Heat:
    """The case in steady play, in the warmest room of the brief.

    ``skin_c`` is what hands feel at the hottest place of the skin, ``mean_skin_c`` its mean, which rises by ``rise_k``, that by
    ``hottest`` times as much; the air inside is likely ``air_c``,
    and somewhere in ``air_range_c``. The cells are as warm as the air, the wall and what lies beside them, and what they lose
    themselves, makes of it. ``minutes_to_limit`` is the time from a cold start until the skin reaches its limit, None where it
    never does.
    """

    watts: float
    rise_k: float
    hottest: float
    skin_c: float
    mean_skin_c: float
    air_c: float
    air_range_c: tuple[float, float]
    cells_c: float
    minutes_to_limit: float | None
    parts: tuple[PartHeat, ...]
    vents_save_k: float
    fan_saves_k: float


def heat(op: Operating, beside: tuple[Contact, ...] = (), at_soc: float = AT_SOC) -> Heat:
    """Temperatures in play: every watt drawn inside the case ends as heat.

    Parameters
    ----------
    op : Operating
        The solved build.
    beside : tuple of Contact
        What the cells lie beside.
    at_soc : float
        State of charge to take the losses at.

    Returns
    -------
    Heat
        Skin, air, cells, and each board with a stated warmth per watt.
    """
    plan, room = op.plan, op.plan.brief.room_c
    shares = shares_of_heat(op, State.PLAY, at_soc)
    drawn, held = sum(s.watts for s in shares), plan.brief.held
    rise = skin_rise_k(plan.case, drawn, room, held=held)
    most_w = max((s.watts for s in shares if isinstance(plan.by_id.get(s.element), (Converter, Load))), default=0.0)
    hottest = 1.0 + HOT_K_W[plan.case.material] * most_w / (blown(plan.case) * rise) if rise > 0 else 1.0
    network = heat_network(plan, beside, rise, hottest=hottest)
    watts = sources(network, shares, op)
    risen = network.settled(watts)
    skin_c, air_c, limit = room + float(risen[SKIN]), room + float(risen[AIR]), touch_limit_c(plan)
    mean = float(risen[SKIN]) / hottest
    low, high = ((f - 1.0) / (AIR_OVER_SKIN - 1.0) * (air_c - room - mean) + mean + room for f in AIR_OVER_SKIN_RANGE)
    passed = network.passed_s(*lasting(watts), SKIN, limit - room) if skin_c > limit else None
    return Heat(
        watts=drawn,
        rise_k=mean,
        hottest=hottest,
        skin_c=skin_c,
        mean_skin_c=room + mean,
        air_c=air_c,
        air_range_c=(low, high),
        cells_c=room + float(risen[CELLS]),
        minutes_to_limit=None if passed is None else passed / 60.0,
        parts=tuple(_parts(op, network, watts, room + risen)) if shares else (),
        vents_save_k=_saved(plan, drawn, most_w, vents=True),
        fan_saves_k=_saved(plan, drawn, most_w, fan=True),
    )


def _saved(plan: Plan, watts: float, most_w: float, **added: bool) -> float:
    """What vents or a fan take off the hottest place of a case that has neither."""
    bare = plan.case.model_copy(update={"vents": False, "fan": False})
    made = bare.model_copy(update=added)
    hot = HOT_K_W[plan.case.material] * most_w
    rises = [skin_rise_k(c, watts, plan.brief.room_c, held=plan.brief.held) + hot / blown(c) for c in (bare, made)]
    return rises[0] - rises[1]


def _parts(op: Operating, network: HeatNetwork, watts: Array, celsius: Array) -> Iterator[PartHeat]:
    """Boards and loads that state what they stand, or from where they slow down."""
    for k, node in enumerate(network.nodes):
        part = op.plan.by_id.get(node.element)
        slows = part.slows_c if isinstance(part, Load) else None
        if k <= CELLS or not isinstance(part, (Converter, Load)) or (math.isinf(node.limit_c) and slows is None):
            continue
        most = node.limit_c if math.isfinite(node.limit_c) else MOST_C
        yield PartHeat(
            element=part.id,
            name=part.name,
            watts=float(watts[k]),
            celsius=float(celsius[k]),
            limit_c=most,
            slows_c=slows,
        )
