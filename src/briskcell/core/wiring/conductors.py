"""What a conductor stands: its warmth by itself and in a bundle, as a trace, and how soon a short circuit melts it."""

from __future__ import annotations

import math
from functools import cache, lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from briskcell.core.data.tables import table
from briskcell.core.engine.resistance import wire_resistance_ohm

AIR = ("conductivity_w_mk", "viscosity_m2_s", "diffusivity_m2_s", "prandtl")
EMISSIVITY = 0.9  # of insulation of plastic or rubber, Incropera, 7th ed., table A.11
GRAVITY, BOLTZMANN, KELVIN = 9.807, 5.670e-8, 273.15  # [m/s², W/m²K⁴, K]
LEAST_K = 0.05
INSULATION_MM = 0.4  # wall of the insulation of small equipment wire
COPPER_MELTS_C = 1083.0
Array = NDArray[np.float64]


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


def cylinder_h(diameter_m: ArrayLike, surface_c: ArrayLike, air_c: float) -> Array:
    """What a thin horizontal cylinder gives off to still air, by convection [1]_ and radiation.

    ``Nu = (0.60 + 0.387·Ra^(1/6) / [1 + (0.559/Pr)^(9/16)]^(8/27))²``, the air's figures at the film's temperature [2]_.

    Parameters
    ----------
    diameter_m, surface_c : array_like
        Of the cylinder, broadcast together. [m, °C]
    air_c : float
        Air around it. [°C]

    Returns
    -------
    ndarray
        W/m²K: about 31 at a millimetre, 25 at 1.6 mm, less as it grows thicker.

    References
    ----------
    .. [1] S. W. Churchill, H. H. S. Chu, Correlating equations for laminar and turbulent free convection from a horizontal
       cylinder, Int. J. Heat Mass Transfer 18(9), 1975.
    .. [2] F. P. Incropera et al., Fundamentals of Heat and Mass Transfer, 7th ed., Wiley, 2011, table A.4.

    Examples
    --------
    >>> round(float(cylinder_h(1e-3, 60.0, 40.0)), 1)
    31.4
    """
    d, surface = np.asarray(diameter_m, dtype=float), np.asarray(surface_c, dtype=float)
    film = 0.5 * (surface + air_c)
    k, nu, alpha, pr = (np.interp(film, *_air(name)) for name in AIR)
    ra = GRAVITY / (film + KELVIN) * np.maximum(surface - air_c, 0.0) * d**3 / (nu * alpha)
    nusselt = (0.60 + 0.387 * ra ** (1 / 6) / (1.0 + (0.559 / pr) ** (9 / 16)) ** (8 / 27)) ** 2
    hot, cold = surface + KELVIN, air_c + KELVIN
    return np.asarray(nusselt * k / d + EMISSIVITY * BOLTZMANN * (hot**2 + cold**2) * (hot + cold))


@cache
def _air(name: str) -> tuple[Array, Array]:
    rows = table("air")
    return np.array([float(r["celsius"]) for r in rows]), np.array([float(r[name]) for r in rows])


@lru_cache(maxsize=4096)
def _balance(section_mm2: float, ambient_c: float) -> tuple[Array, Array]:
    """Logarithms of the currents and of the kelvins they warm a wire by: ``I²·R'(T) = h·π·d·ΔT``, from a little up to melting."""
    rise = np.geomspace(LEAST_K, COPPER_MELTS_C - min(ambient_c, COPPER_MELTS_C - 1.0), 64)
    outer_m = (math.sqrt(4.0 * section_mm2 / math.pi) + 2.0 * INSULATION_MM) * 1e-3
    cold, warmer = (wire_resistance_ohm(1.0, section_mm2, 1, ambient_c + k) for k in (0.0, 1.0))
    given_w = cylinder_h(outer_m, ambient_c + rise, ambient_c) * math.pi * outer_m * rise
    return 0.5 * np.log(given_w / (cold + (warmer - cold) * rise)), np.log(rise)


def wire_rises_k(current_a: ArrayLike, section_mm2: float, *, bundle: int = 1, ambient_c: float = 40.0) -> Array:
    """Warming of an insulated copper wire over the air around it, for many currents.

    Balance of a metre of wire: ``I²·R' = h·π·d·ΔT``, h of a thin horizontal cylinder with radiation (``cylinder_h``), the copper's
    resistance at its own temperature, the current raised by what the bundle derates [1]_.

    Parameters
    ----------
    current_a : array_like
        Steady currents. [A]
    section_mm2 : float
        Copper section. [mm²]
    bundle : int
        Loaded conductors lying together.
    ambient_c : float
        Air in the case. [°C]

    Returns
    -------
    ndarray
        Kelvin; inf where the copper melts.

    References
    ----------
    .. [1] IEC 60364-5-52:2009, table B.52.17.
    """
    amps, rise = _balance(section_mm2, ambient_c)
    with np.errstate(divide="ignore"):
        asked = np.log(np.asarray(current_a, dtype=float) / bundle_factor(bundle))
    found = np.exp(np.interp(asked, amps, rise))
    found = np.where(asked < amps[0], np.exp(rise[0] + 2.0 * (asked - amps[0])), found)  # so little that only the current counts
    return np.where(asked > amps[-1], np.inf, found)


def wire_rise_k(current_a: float, section_mm2: float, *, bundle: int = 1, ambient_c: float = 40.0) -> float:
    """Warming of an insulated copper wire over the air around it, as ``wire_rises_k`` of one current.

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
        Kelvin; inf where the copper melts.

    Examples
    --------
    >>> from briskcell.model.units import awg_section_mm2
    >>> round(wire_rise_k(3.0, awg_section_mm2(24)), 1)
    8.2
    """
    return float(wire_rises_k(current_a, section_mm2, bundle=bundle, ambient_c=ambient_c))


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
    >>> round(carried_a(awg_section_mm2(24), 40.0 + wire_rise_k(3.0, awg_section_mm2(24))), 3)
    3.0
    """
    if hottest_c <= ambient_c:
        return 0.0
    amps, rise = _balance(section_mm2, ambient_c)
    asked = math.log(hottest_c - ambient_c)
    if asked < rise[0]:
        return bundle_factor(bundle) * math.exp(amps[0] + 0.5 * (asked - rise[0]))
    return bundle_factor(bundle) * math.exp(float(np.interp(asked, rise, amps)))


def trace_rises_k(current_a: ArrayLike, width_mm: float, copper_um: float = 35.0, *, inner: bool = False) -> Array:
    """Warming of a board's trace by IPC-2221, for many currents: ``I = k·ΔT^0.44·A^0.725`` [1]_.

    Parameters
    ----------
    current_a : array_like
        Currents. [A]
    width_mm, copper_um : float
        The trace. [mm, µm]
    inner : bool
        Inside the board.

    Returns
    -------
    ndarray
        Kelvin.

    References
    ----------
    .. [1] IPC-2221B, Generic Standard on Printed Board Design, 2012, 6.2.
    """
    return np.asarray((np.asarray(current_a, dtype=float) / _trace(width_mm, copper_um, inner=inner)) ** (1.0 / 0.44))


def _trace(width_mm: float, copper_um: float, *, inner: bool = False) -> float:
    """Current that warms a trace by one kelvin. [A]"""
    mils2 = (width_mm / 0.0254) * (copper_um / 25.4)
    return float((0.024 if inner else 0.048) * mils2**0.725)


def trace_rise_k(current_a: float, width_mm: float, copper_um: float = 35.0, *, inner: bool = False) -> float:
    """Warming of a board's trace, as ``trace_rises_k`` of one current.

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

    Examples
    --------
    >>> round(trace_rise_k(1.0, 0.3), 1)
    10.0
    """
    return float(trace_rises_k(current_a, width_mm, copper_um, inner=inner))


def trace_carries_a(rise_k: float, width_mm: float, copper_um: float = 35.0) -> float:
    """Current that warms an outer trace by so much: ``trace_rise_k`` solved for it. [A]

    Parameters
    ----------
    rise_k : float
        Warming that is allowed. [K]
    width_mm, copper_um : float
        The trace. [mm, µm]

    Returns
    -------
    float
        Amperes.

    Examples
    --------
    >>> round(trace_carries_a(10.0, 0.3), 2)
    1.0
    """
    return float(_trace(width_mm, copper_um) * rise_k**0.44)


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


def short_temperatures_c(current_a: ArrayLike, section_mm2: float, seconds: ArrayLike, ambient_c: float = 40.0) -> Array:
    """Temperature that a copper wire reaches in a short circuit: Onderdonk's equation [1]_ solved for it, for many currents.

    Parameters
    ----------
    current_a, seconds : array_like
        Fault currents, and how long they flow. [A, s]
    section_mm2 : float
        Copper section. [mm²]
    ambient_c : float
        Before the fault. [°C]

    Returns
    -------
    ndarray
        Degrees Celsius; no heat is given off meanwhile. Copper melts at 1083 °C, where it ends.

    References
    ----------
    .. [1] E. R. Stauffacher, Short-time current carrying capacity of copper wire, General Electric Review 31(6), 1928.
    """
    circular_mils = section_mm2 / 5.067075e-4
    power = np.minimum(33.0 * np.asarray(seconds) * (np.asarray(current_a) / circular_mils) ** 2, 3.0)
    return np.minimum((234.0 + ambient_c) * (10.0**power - 1.0) + ambient_c, COPPER_MELTS_C)


def short_temperature_c(current_a: float, section_mm2: float, seconds: float, ambient_c: float = 40.0) -> float:
    """Temperature that a copper wire reaches in a short circuit, as ``short_temperatures_c`` of one current.

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
        Degrees Celsius.

    Examples
    --------
    >>> from briskcell.model.units import awg_section_mm2
    >>> round(short_temperature_c(50.0, awg_section_mm2(24), 1.349))
    1083
    """
    return float(short_temperatures_c(current_a, section_mm2, seconds, ambient_c))
