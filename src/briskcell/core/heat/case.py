"""The case: what it gives off, and the most that hands and cells may feel."""

from __future__ import annotations

from briskcell.core.data.tables import table
from briskcell.model.plan import Case, Plan

# W/m²K of a small case in still air: radiation, and free convection that grows with the fourth root of its rise over the room.
RADIATED, CONVECTED, USUAL_RISE_K = 5.8, 1.9, 8.0  # Incropera, ch. 9, simplified for air; 9.0 at 8 K, 10.0 at 25 K
VENTS, FAN = 1.35, 2.2  # factors on it, for a few slots and for a small fan; typical
AIR_OVER_SKIN = 1.4  # rise of the air inside over that of the skin's mean: two films in a row; a guess
# Rise of the skin's hottest place over its mean for each watt of the hottest part behind it, which a shell spreads or does not;
# held against a finer network of a closed case, and what that comes to as a rule.
HOT_K_W = {"plastic": 1.6, "wood": 1.8, "metal": 0.2}
HOTTEST = 1.4
HAND_C, HAND_FILM = 34.0, 12.0  # a hand, and what it takes of what it covers, W/m²K; a guess: blood carries it off
WALL_W_MK = {"plastic": 0.2, "wood": 0.12, "metal": 150.0}  # through the shell; Incropera, appendix A: ABS, pine, aluminium
USUAL_WALL = 0.0025 / 0.2  # m²K/W of the plastic shell that the film's figure was seen with
CAPACITY = 1000.0  # J/kgK of plastic, boards and cells together; typical
SKIN_C = 48.0  # the most that is held: IEC 62368-1:2018, table 38
AIR_OVER_SKIN_RANGE = (1.25, 1.7)  # with more or less of the inside free; a guess as well
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


def still_air(rise_k: float) -> float:
    """What still air and radiation take of a small case.

    Parameters
    ----------
    rise_k : float
        Of its skin over the room. [K]

    Returns
    -------
    float
        W/m²K [1]_.

    References
    ----------
    .. [1] F. P. Incropera et al., Fundamentals of Heat and Mass Transfer, 7th ed., Wiley, 2011, ch. 9: plates in air, with an
       emissivity of 0.9 near 30 °C.

    Examples
    --------
    >>> round(still_air(8.0), 2), round(still_air(25.0), 2)
    (9.0, 10.05)
    """
    return RADIATED + CONVECTED * float(max(rise_k, 1.0) ** 0.25)


def outside_m2(case: Case) -> float:
    """The outside of a case. [m²]

    Parameters
    ----------
    case : Case
        A box.

    Returns
    -------
    float
        All six faces.
    """
    a, b, c = case.length_mm / 1e3, case.width_mm / 1e3, case.depth_mm / 1e3
    return 2.0 * (a * b + b * c + a * c)


def hands_take(case: Case) -> float:
    """What hands take of a case that they hold, for each kelvin over their own: they are no insulator. [W/K]

    Parameters
    ----------
    case : Case
        With the share that they cover.

    Returns
    -------
    float
        By a guess of what blood carries off.
    """
    return HAND_FILM * outside_m2(case) * min(case.covered, 0.95)


def skin_rise_k(case: Case, watts: float, room_c: float, *, held: bool) -> float:
    """Mean rise of the skin over the room, once settled: ``P + G_hand·(T_hand − T_room) = (G_air + G_hand)·ΔT``.

    Parameters
    ----------
    case : Case
        The case.
    watts : float
        What becomes heat in it. [W]
    room_c : float
        The room. [°C]
    held : bool
        Whether hands cover what is covered; a table insulates it.

    Returns
    -------
    float
        The film of air follows the rise. [K]
    """
    hand = hands_take(case) if held else 0.0
    rise = USUAL_RISE_K
    for _ in range(6):
        rise = (watts + hand * (HAND_C - room_c)) / (case_conductance(case, rise) + hand)
    return rise


def case_conductance(case: Case, rise_k: float = USUAL_RISE_K) -> float:
    """Heat that a case gives off per kelvin: ``h·A·(1 − covered)`` [1]_, with vents and fan as factors.

    Parameters
    ----------
    case : Case
        Its outside, cover, vents and fan.
    rise_k : float
        Of its skin over the room, that the film of air grows with. [K]

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
    return still_air(rise_k) * blown(case) * wall_factor(case) * outside_m2(case) * (1.0 - min(case.covered, 0.95))


def blown(case: Case) -> float:
    """How many times as much heat vents and a fan carry off. [1]

    Parameters
    ----------
    case : Case
        With what it has of them.

    Returns
    -------
    float
        1 of a closed case.
    """
    return (VENTS if case.vents else 1.0) * (FAN if case.fan else 1.0)


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
    film = 1.0 / still_air(USUAL_RISE_K)
    return (film + USUAL_WALL) / (film + case.wall_mm / 1e3 / WALL_W_MK[case.material])
