"""What a conductor stands: its warmth by itself and in a bundle, as a trace, and how soon a short circuit melts it."""

from __future__ import annotations

import math

import numpy as np

from briskcell.core.data.tables import table
from briskcell.core.engine.resistance import wire_resistance_ohm

H_CLOSED = 10.0  # W/m²K from an insulated wire to still air in a closed case
INSULATION_MM = 0.4  # wall of the insulation of small equipment wire
COPPER_MELTS_C = 1083.0


def bundle_factor(conductors: int) -> float:
    """What a bundle leaves of a wire's current rating, by IEC 60364-5-52.

    Parameters
    ----------
    conductors : int
        Loaded conductors lying together.

    Returns
    -------
    float
        1 for a single one.

    Examples
    --------
    >>> bundle_factor(1), bundle_factor(4)
    (1.0, 0.65)
    """
    if conductors == 1:
        return 1.0
    rows = table("bundles")
    counts, factors = ([float(r[k]) for r in rows] for k in ("conductors", "factor"))
    return float(np.interp(conductors, counts, factors))


def wire_rise_k(current_a: float, section_mm2: float, *, bundle: int = 1, ambient_c: float = 40.0) -> float:
    """Warming of an insulated copper wire over the air around it.

    Balance of a metre of wire: ``I²·R' = h·π·d·ΔT`` [1]_, the copper's resistance at its own temperature, the current
    raised by what the bundle derates.

    Parameters
    ----------
    current_a : float
        Steady current. [A]
    section_mm2 : float
        Copper section. [mm²]
    bundle : int
        Loaded conductors lying together.
    ambient_c : float
        Air in the case. [°C]

    Returns
    -------
    float
        Kelvin; inf where the copper runs away.

    References
    ----------
    .. [1] F. P. Incropera et al., Fundamentals of Heat and Mass Transfer, 7th ed., Wiley, 2011, ch. 3.

    Examples
    --------
    >>> from briskcell.model.units import awg_section_mm2
    >>> round(wire_rise_k(3.0, awg_section_mm2(24)), 1)
    21.4
    """
    amps = current_a / bundle_factor(bundle)
    cool, at_ambient, grows = _balance(section_mm2, ambient_c)
    left = cool - amps**2 * grows
    return amps**2 * at_ambient / left if left > 0.0 else math.inf


def carried_a(section_mm2: float, hottest_c: float, *, bundle: int = 1, ambient_c: float = 40.0) -> float:
    """Current that an insulated copper wire carries for ever: the balance of ``wire_rise_k``, solved for the current.

    Parameters
    ----------
    section_mm2 : float
        Copper section. [mm²]
    hottest_c : float
        What its insulation stands. [°C]
    bundle : int
        Loaded conductors lying together.
    ambient_c : float
        Air around it. [°C]

    Returns
    -------
    float
        Amperes; 0 where the air alone is too warm.

    Examples
    --------
    >>> from briskcell.model.units import awg_section_mm2
    >>> round(carried_a(awg_section_mm2(24), 40.0 + wire_rise_k(3.0, awg_section_mm2(24))), 6)
    3.0
    """
    rise_k = max(hottest_c - ambient_c, 0.0)
    cool, at_ambient, grows = _balance(section_mm2, ambient_c)
    return bundle_factor(bundle) * math.sqrt(rise_k * cool / (at_ambient + rise_k * grows))


def _balance(section_mm2: float, ambient_c: float) -> tuple[float, float, float]:
    """Of a metre of wire: watts that leave it a kelvin, its ohms in the air's warmth, and by how many they grow a kelvin."""
    outer_m = (math.sqrt(4.0 * section_mm2 / math.pi) + 2.0 * INSULATION_MM) * 1e-3
    cold, warmer = (wire_resistance_ohm(1.0, section_mm2, 1, ambient_c + k) for k in (0.0, 1.0))
    return H_CLOSED * math.pi * outer_m, cold, warmer - cold


def trace_rise_k(current_a: float, width_mm: float, copper_um: float = 35.0, *, inner: bool = False) -> float:
    """Warming of a board's trace by IPC-2221: ``I = k·ΔT^0.44·A^0.725`` [1]_.

    Parameters
    ----------
    current_a : float
        Current. [A]
    width_mm, copper_um : float
        The trace. [mm, µm]
    inner : bool
        Inside the board.

    Returns
    -------
    float
        Kelvin.

    References
    ----------
    .. [1] IPC-2221B, Generic Standard on Printed Board Design, 2012, 6.2.

    Examples
    --------
    >>> round(trace_rise_k(1.0, 0.3), 1)
    10.0
    """
    mils2 = (width_mm / 0.0254) * (copper_um / 25.4)
    return float((current_a / ((0.024 if inner else 0.048) * mils2**0.725)) ** (1.0 / 0.44))


def melting_time_s(current_a: float, section_mm2: float, ambient_c: float = 40.0) -> float:
    """Time until a copper wire melts under a short circuit, by Onderdonk's equation [1]_.

    Parameters
    ----------
    current_a : float
        Fault current. [A]
    section_mm2 : float
        Copper section. [mm²]
    ambient_c : float
        Before the fault. [°C]

    Returns
    -------
    float
        Seconds; no heat is given off meanwhile, so past about ten seconds it is on the safe side.

    References
    ----------
    .. [1] E. R. Stauffacher, Short-time current carrying capacity of copper wire, General Electric Review 31(6), 1928.

    Examples
    --------
    >>> from briskcell.model.units import awg_section_mm2
    >>> round(melting_time_s(50.0, awg_section_mm2(24)), 3)
    1.349
    """
    circular_mils = section_mm2 / 5.067075e-4
    reach = math.log10((COPPER_MELTS_C - ambient_c) / (234.0 + ambient_c) + 1.0)
    return reach / 33.0 * (circular_mils / current_a) ** 2 if current_a > 0 else math.inf


def short_temperature_c(current_a: float, section_mm2: float, seconds: float, ambient_c: float = 40.0) -> float:
    """Temperature that a copper wire reaches in a short circuit: Onderdonk's equation [1]_ solved for it.

    Parameters
    ----------
    current_a : float
        Fault current. [A]
    section_mm2 : float
        Copper section. [mm²]
    seconds : float
        How long it flows. [s]
    ambient_c : float
        Before the fault. [°C]

    Returns
    -------
    float
        Degrees Celsius; no heat is given off meanwhile. Copper melts at 1083 °C, where it ends.

    References
    ----------
    .. [1] E. R. Stauffacher, Short-time current carrying capacity of copper wire, General Electric Review 31(6), 1928.

    Examples
    --------
    >>> from briskcell.model.units import awg_section_mm2
    >>> round(short_temperature_c(50.0, awg_section_mm2(24), 1.349))
    1083
    """
    circular_mils = section_mm2 / 5.067075e-4
    power: float = min(33.0 * seconds * (current_a / circular_mils) ** 2, 3.0)
    return min((234.0 + ambient_c) * (math.pow(10.0, power) - 1.0) + ambient_c, COPPER_MELTS_C)
