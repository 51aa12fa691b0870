"""The closed case in steady play: what the hand, the cells and the boards feel, and how long it takes."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.engine.operating import Operating
from briskcell.core.heat.case import AIR_OVER_SKIN, FAN, VENTS, case_conductance, touch_limit_c
from briskcell.core.heat.network import SKIN, cells_film, heat_network, lasting
from briskcell.core.heat.watts import AT_SOC, own_share, shares_of_heat, sources
from briskcell.model.parts import State

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

    The cells are as warm as the air and what they lose themselves makes of it. ``minutes_to_limit`` is the time from a cold
    start until the skin reaches its limit, None where it never does.
    """

    watts: float
    rise_k: float
    skin_c: float
    air_c: float
    cells_c: float
    minutes_to_limit: float | None
    parts: tuple[PartHeat, ...]
    vents_save_k: float
    fan_saves_k: float


def heat(op: Operating, at_soc: float = AT_SOC) -> Heat:
    """Temperatures in play: every watt drawn inside the case ends as heat.

    Parameters
    ----------
    op : Operating
        The solved build.
    at_soc : float
        State of charge to take the losses at.

    Returns
    -------
    Heat
        Skin, air, cells, and each board with a stated warmth per watt.
    """
    plan, point = op.plan, op.index(at_soc)
    case, room = plan.case, plan.brief.room_c
    gone = bool(op.flow.collapsed[State.PLAY, point]) if op.flow.collapsed.size else True
    drawn = 0.0 if gone else float(sum(c.ocv_v[point] * op.flow.branch_a[State.PLAY, point, k] for k, c in enumerate(op.curves)))
    rise = drawn / case_conductance(case)
    # The air inside is warmer than the skin by about half as much again: two films in a row.
    air_c, skin_c = room + AIR_OVER_SKIN * rise, room + rise
    bare = case_conductance(case.model_copy(update={"vents": False, "fan": False}))
    return Heat(
        watts=drawn,
        rise_k=rise,
        skin_c=skin_c,
        air_c=air_c,
        cells_c=air_c + (0.0 if gone else _inside_cells_w(op, point) / cells_film(plan)[1]),
        minutes_to_limit=_minutes(op, at_soc) if skin_c > touch_limit_c(plan) else None,
        parts=() if gone else tuple(_parts(op, point, air_c)),
        vents_save_k=drawn / bare * (1.0 - 1.0 / VENTS),
        fan_saves_k=drawn / bare * (1.0 - 1.0 / FAN),
    )


def _inside_cells_w(op: Operating, point: int) -> float:
    """What all cells turn into heat themselves. [W]"""
    at, amps = (State.PLAY, point), op.flow.branch_a[State.PLAY, point]
    lost = ((op.curves[k].ocv_v[point] - op.store_v[(*at, k)]) * amps[k] for k in range(len(op.plan.stores)))
    return float(sum(own_share(op, k) * watts for k, watts in enumerate(lost)))


def _minutes(op: Operating, soc: float) -> float | None:
    """From a cold start until the skin is past its limit."""
    network = heat_network(op.plan)
    watts = sources(network, shares_of_heat(op, State.PLAY, soc), op)
    passed = network.passed_s(*lasting(watts), SKIN, touch_limit_c(op.plan) - op.plan.brief.room_c)
    return None if passed is None else passed / 60.0


def _parts(op: Operating, point: int, air_c: float) -> list[PartHeat]:
    out = []
    for k, board in enumerate(op.network.converters):
        if board.thermal_k_per_w is not None:
            at = State.PLAY, point
            watts = max(float(op.flow.converter_input_w(k)[at] - op.flow.converter_output_w(k)[at]), 0.0)
            celsius = air_c + board.thermal_k_per_w.likely * watts
            out.append(PartHeat(element=board.id, name=board.name, watts=watts, celsius=celsius, limit_c=board.junction_max_c))
    for k, load in enumerate(op.network.loads):
        if load.theta_k_per_w is not None and (load.limit_c is not None or load.slows_c is not None):
            watts = float(op.load_w[State.PLAY, point, k])
            celsius = air_c + load.theta_k_per_w.likely * watts
            most = load.limit_c if load.limit_c is not None else MOST_C
            slows = load.slows_c
            out.append(PartHeat(element=load.id, name=load.name, watts=watts, celsius=celsius, limit_c=most, slows_c=slows))
    return out
