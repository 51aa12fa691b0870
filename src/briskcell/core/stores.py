"""What a pack holds: volts and resistance over state of charge, charge and energy."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from briskcell.model.parts import Pack

Array = NDArray[np.float64]
ROOM_K = 298.15


def cold_factor(temperature_c: float, b_k: float) -> float:
    """How much a cell's resistance rises away from 25 °C: ``exp(B·(1/T − 1/298.15 K))``.

    Parameters
    ----------
    temperature_c : float
        Temperature of the cell. [°C]
    b_k : float
        Activation constant, about 2000 to 4000. [K]

    Returns
    -------
    float
        Factor on the resistance at 25 °C [1]_.

    References
    ----------
    .. [1] J. P. Schmidt et al., Measurement of the internal impedance and its temperature dependence, J. Power
       Sources 243, 2013. Arrhenius form.
    """
    return math.exp(b_k * (1.0 / (temperature_c + 273.15) - 1.0 / ROOM_K))


@dataclass(frozen=True, slots=True, kw_only=True)
class PackCurves:
    """A pack over a grid of states of charge: arrays of the grid's shape, pack volts and pack ohms."""

    soc: Array
    ocv_v: Array
    fast_ohm: Array
    slow_ohm: Array
    capacity_ah: float
    cutoff_v: float
    cutoff_is_protection: bool

    @property
    def steady_ohm(self) -> Array:
        """Resistance a steady draw meets. [Ω]"""
        return self.fast_ohm + self.slow_ohm

    @property
    def energy_wh(self) -> float:
        """Energy from full to empty: the integral of open-circuit voltage over charge. [Wh]"""
        return abs(float(np.trapezoid(self.ocv_v, self.soc))) * self.capacity_ah


def pack_curves(pack: Pack, soc: ArrayLike, temperature_c: float = 25.0) -> PackCurves:
    """Volts and ohms of a pack of equal cells over states of charge.

    ``V·S``, ``Q·P``, ``r·S/P`` [1]_; the tables are read by straight lines, and held beyond their ends, except the
    resistance, which goes on rising towards empty with its last slope.

    Parameters
    ----------
    pack : Pack
        Cells in series and parallel.
    soc : array_like, shape (n,)
        States of charge, 0 to 1.
    temperature_c : float
        Temperature of the cells. [°C]

    Returns
    -------
    PackCurves
        Arrays of shape (n,). The lower cut-off is the higher of the cell's own and the protection board's.

    References
    ----------
    .. [1] G. L. Plett, Battery Management Systems, vol. I, Artech House, 2015, ch. 2.
    """
    grid = np.asarray(soc, dtype=float)
    cell, series, parallel = pack.cell, pack.series, pack.parallel
    per_pack = series / parallel
    warm = cold_factor(temperature_c, cell.cold_b_k)
    scale = cell.resistance_ohm.likely * warm * per_pack
    extra = pack.link_resistance_ohm.likely + (pack.protection.resistance_ohm.likely if pack.protection else 0.0)
    guard_v = pack.protection.cutoff_cell_v if pack.protection else 0.0
    return PackCurves(
        soc=grid,
        ocv_v=series * np.interp(grid, cell.ocv.soc, cell.ocv.value),
        fast_ohm=scale * rising(grid, cell.fast.soc, cell.fast.value) + extra,
        slow_ohm=scale * rising(grid, cell.slow.soc, cell.slow.value),
        capacity_ah=cell.capacity_ah.likely * cell.health * parallel,
        cutoff_v=series * max(cell.empty_v, guard_v),
        cutoff_is_protection=guard_v > cell.empty_v,
    )


def rising(grid: Array, soc: tuple[float, ...], value: tuple[float, ...]) -> Array:
    """A table read by straight lines; below its first point it goes on with its first slope, if that rises to empty.

    Parameters
    ----------
    grid : ndarray, shape (n,)
        States of charge.
    soc, value : tuple of float
        The table.

    Returns
    -------
    ndarray, shape (n,)
        Values, never below zero.
    """
    out = np.interp(grid, soc, value)
    slope = (value[1] - value[0]) / (soc[1] - soc[0])
    if slope < 0:
        out = out + np.where(grid < soc[0], slope * (grid - soc[0]), 0.0)
    return np.maximum(out, 0.0)
