"""Where the watts go: the case, what the hand feels, what parts and cells feel, and how long it takes."""

from __future__ import annotations

import math
from dataclasses import dataclass

from briskcell.core.engine.operating import Operating
from briskcell.model.parts import State
from briskcell.model.plan import Brief, Case, Plan

STILL_AIR = 9.0  # W/m²K: free convection with radiation, on a small case; F. P. Incropera et al., Fundamentals of Heat
VENTS, FAN = 1.35, 2.2  # factors on it, for a few slots and for a small fan; typical
AIR_OVER_SKIN = 1.5  # rise of the air inside over that of the skin: two films in a row; a guess
WALL_W_MK = {"plastic": 0.2, "wood": 0.12, "metal": 150.0}  # through the shell; Incropera, appendix A: ABS, pine, aluminium
USUAL_WALL = 0.0025 / 0.2  # m²K/W of the plastic shell that the film's figure was seen with
CAPACITY = 1000.0  # J/kgK of plastic, boards and cells together; typical
SKIN_C, SURFACE_C = 48.0, 60.0  # held, and not held: IEC 62368-1:2018, table 38
AIR_OVER_SKIN_RANGE = (1.3, 2.0)  # with films inside of 5 to 12 W/m²K, and more or less of the inside free; a guess as well
CELLS_USE_C = 60.0  # where no cell says otherwise: lithium cells in use, IEC 62133-2


@dataclass(frozen=True, slots=True, kw_only=True)
class PartHeat:
    """One part's own temperature: the air in the case, and its warmth per watt on top."""

    element: str
    name: str
    watts: float
    celsius: float
    limit_c: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Heat:
    """The case in steady play, in the warmest room of the brief.

    ``minutes_to_limit`` is the time from a cold start until the skin reaches its limit, None where it never does.
    """

    watts: float
    rise_k: float
    skin_c: float
    air_c: float
    cells_c: float
    minutes_to_limit: float | None
    time_constant_min: float
    parts: tuple[PartHeat, ...]
    vents_save_k: float
    fan_saves_k: float


def touch_limit_c(brief: Brief) -> float:
    """The most that the skin of the case may reach.

    Parameters
    ----------
    brief : Brief
        Says whether hands hold it.

    Returns
    -------
    float
        By IEC 62368-1:2018, table 38: 48 °C where plastic is held, 60 °C where it is only touched. [°C]
    """
    return SKIN_C if brief.held else SURFACE_C


def cells_limit_c(plan: Plan) -> float:
    """The most that the build's cells may reach in use.

    Parameters
    ----------
    plan : Plan
        The build.

    Returns
    -------
    float
        Of the cells that stand least. [°C]
    """
    return min((p.cell.use_high_c for p in plan.packs), default=CELLS_USE_C)


def case_conductance(case: Case) -> float:
    """Heat that a case gives off per kelvin: ``h·A·(1 − covered)`` [1]_, with vents and fan as factors.

    Parameters
    ----------
    case : Case
        Its outside, cover, vents and fan.

    Returns
    -------
    float
        W/K.

    References
    ----------
    .. [1] F. P. Incropera et al., Fundamentals of Heat and Mass Transfer, 7th ed., Wiley, 2011, ch. 9.

    Examples
    --------
    >>> round(case_conductance(Case()), 3)
    0.245
    """
    a, b, c = case.length_mm / 1e3, case.width_mm / 1e3, case.depth_mm / 1e3
    area = 2.0 * (a * b + b * c + a * c)
    factor = (VENTS if case.vents else 1.0) * (FAN if case.fan else 1.0)
    return STILL_AIR * factor * wall_factor(case) * area * (1.0 - min(case.covered, 0.95))


def wall_factor(case: Case) -> float:
    """What a shell lets through beside the usual one of 2.5 mm of plastic: film and wall in a row.

    Parameters
    ----------
    case : Case
        Its material and wall.

    Returns
    -------
    float
        A factor on the conductance.

    Examples
    --------
    >>> round(wall_factor(Case()), 3), round(wall_factor(Case(material="metal", wall_mm=1.0)), 3)
    (1.0, 1.112)
    """
    film = 1.0 / STILL_AIR
    return (film + USUAL_WALL) / (film + case.wall_mm / 1e3 / WALL_W_MK[case.material])


def heat(op: Operating, at_soc: float = 0.5) -> Heat:
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
    conductance = case_conductance(case)
    rise = drawn / conductance
    # The air inside is warmer than the skin by about half as much again: two films in a row.
    air_c, skin_c = room + AIR_OVER_SKIN * rise, room + rise
    own = [] if gone else _parts(op, point, air_c)
    tau_s = case.mass_g / 1e3 * CAPACITY / conductance
    limit = touch_limit_c(plan.brief) - room
    bare = case_conductance(case.model_copy(update={"vents": False, "fan": False}))
    return Heat(
        watts=drawn,
        rise_k=rise,
        skin_c=skin_c,
        air_c=air_c,
        cells_c=air_c,
        minutes_to_limit=-tau_s * math.log(1.0 - limit / rise) / 60.0 if rise > limit > 0 else (0.0 if limit <= 0 else None),
        time_constant_min=tau_s / 60.0,
        parts=tuple(own),
        vents_save_k=drawn / bare * (1.0 - 1.0 / VENTS),
        fan_saves_k=drawn / bare * (1.0 - 1.0 / FAN),
    )


def _parts(op: Operating, point: int, air_c: float) -> list[PartHeat]:
    out = []
    for k, board in enumerate(op.network.converters):
        if board.thermal_k_per_w is not None:
            at = State.PLAY, point
            watts = max(float(op.flow.converter_input_w(k)[at] - op.flow.converter_output_w(k)[at]), 0.0)
            celsius = air_c + board.thermal_k_per_w.likely * watts
            out.append(PartHeat(element=board.id, name=board.name, watts=watts, celsius=celsius, limit_c=board.junction_max_c))
    for k, load in enumerate(op.network.loads):
        if load.theta_k_per_w is not None and load.limit_c is not None:
            watts = float(op.load_w[State.PLAY, point, k])
            celsius = air_c + load.theta_k_per_w.likely * watts
            out.append(PartHeat(element=load.id, name=load.name, watts=watts, celsius=celsius, limit_c=load.limit_c))
    return out
