"""Resistance of what lies between a source and a part."""

from __future__ import annotations

from functools import cache

from briskcell.core.data.tables import table
from briskcell.model.parts import Link
from briskcell.model.units import awg_section_mm2

# Flat flexible cables of 0.5 and 1 mm pitch are rated 0.4 to 0.5 A a contact; class value.
FLAT_CONTACT_A = 0.5


def wire_resistance_ohm(length_m: float, section_mm2: float, conductors: int = 2, temperature_c: float = 20.0) -> float:
    """Resistance of annealed copper wire.

    Parameters
    ----------
    length_m : float
        Length of the run, one way. [m]
    section_mm2 : float
        Section of one conductor. [mm²]
    conductors : int
        Conductors in the path; 2 is out and return.
    temperature_c : float
        Temperature of the copper. [°C]

    Returns
    -------
    float
        Resistance of the whole path [1]_. [Ω]

    References
    ----------
    .. [1] IEC 60028:1925, International standard of resistance for copper.

    Examples
    --------
    >>> round(wire_resistance_ohm(0.15, awg_section_mm2(24)), 6)
    0.025264
    """
    resistivity, _ = _copper()
    return resistivity * (1.0 + warmer_share(temperature_c)) * length_m * conductors / (section_mm2 * 1e-6)


def warmer_share(temperature_c: float) -> float:
    """Share by which copper resists more than at 20 °C: ``α·(T − 20 °C)``.

    Parameters
    ----------
    temperature_c : float
        Of the copper. [°C]

    Returns
    -------
    float
        Below nought in the cold.

    References
    ----------
    IEC 60028:1925: 0.00393 a kelvin at 20 °C.

    Examples
    --------
    >>> round(warmer_share(45.0), 5)
    0.09825
    """
    return _copper()[1] * (temperature_c - 20.0)


@cache
def _copper() -> tuple[float, float]:
    """Resistivity at 20 °C and its temperature coefficient, from the table."""
    row = table("conductors")[0]
    return float(row["resistivity_20c_ohm_m"]), float(row["temp_coefficient_per_k"])


def link_resistance_ohm(link: Link) -> float:
    """Likely resistance of a link: as given, else from its length and section.

    Parameters
    ----------
    link : Link
        A wire, switch, fuse, plug or power-path switch.

    Returns
    -------
    float
        Resistance of the whole path through it. [Ω]
    """
    if link.resistance_ohm is not None:
        return link.resistance_ohm.likely
    conductors = 1 if link.kind == "return" else link.conductors
    return wire_resistance_ohm(link.length_m or 0.0, link_section_mm2(link), conductors, link.temperature_c)


def link_section_mm2(link: Link) -> float:
    """Copper section of one conductor of a link: as given, of its gauge, or of its trace.

    Parameters
    ----------
    link : Link
        A wire, return or trace.

    Returns
    -------
    float
        Section. [mm²]
    """
    if link.kind == "trace":
        return (link.trace_width_mm or 0.0) * link.copper_um * 1e-3
    return link.section_mm2 if link.section_mm2 is not None else awg_section_mm2(link.awg or 0.0)


def link_rating_a(link: Link) -> float | None:
    """Current that a link is rated for: as stated, else of a flat cable by its contacts.

    Parameters
    ----------
    link : Link
        A switch, fuse, plug, flat cable or the like.

    Returns
    -------
    float or None
        None where neither is known. [A]
    """
    if link.rating_a is not None:
        return link.rating_a.likely
    return FLAT_CONTACT_A * link.contacts if link.kind == "flat" else None
