"""The case: what it gives off, and the most that hands and cells may feel."""

from __future__ import annotations

from briskcell.core.data.tables import table
from briskcell.model.plan import Case, Plan

STILL_AIR = 9.0  # W/m²K: free convection with radiation, on a small case; F. P. Incropera et al., Fundamentals of Heat
VENTS, FAN = 1.35, 2.2  # factors on it, for a few slots and for a small fan; typical
AIR_OVER_SKIN = 1.5  # rise of the air inside over that of the skin: two films in a row; a guess
WALL_W_MK = {"plastic": 0.2, "wood": 0.12, "metal": 150.0}  # through the shell; Incropera, appendix A: ABS, pine, aluminium
USUAL_WALL = 0.0025 / 0.2  # m²K/W of the plastic shell that the film's figure was seen with
CAPACITY = 1000.0  # J/kgK of plastic, boards and cells together; typical
SKIN_C = 48.0  # the most that is held: IEC 62368-1:2018, table 38
AIR_OVER_SKIN_RANGE = (1.3, 2.0)  # with films inside of 5 to 12 W/m²K, and more or less of the inside free; a guess as well
CELLS_USE_C = 60.0  # where no cell says otherwise: lithium cells in use, IEC 62133-2


def touch_limit_c(plan: Plan) -> float:
    """The most that the skin of the case may reach.

    Parameters
    ----------
    plan : Plan
        Its brief says whether hands hold it, its case what it is made of.

    Returns
    -------
    float
        By IEC 62368-1:2018, table 38: 48 °C held; only touched, 60 °C of plastic or wood, 51 °C of metal. [°C]
    """
    row = next(r for r in table("touch") if r["material"] == plan.case.material)
    return float(row["held_c" if plan.brief.held else "touched_c"])


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
