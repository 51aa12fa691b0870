"""What a store holds: volts and resistance over state of charge, charge and energy."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import ArrayLike, NDArray

from briskcell.core.engine.smooth import smooth
from briskcell.model.plan import Store
from briskcell.model.stores import Bank, Capacitor, Cell, CellString, Pack

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


def age_factor(health: float, ageing: float) -> float:
    """How much a cell's resistance has risen by the time it holds a share of its first capacity.

    Parameters
    ----------
    health : float
        Capacity left over capacity when new.
    ageing : float
        Rise per share of capacity lost.

    Returns
    -------
    float
        1 when new; half as much again at 80 % with a lithium cell's 2.5 [1]_, a typical figure, as cells differ widely.

    References
    ----------
    .. [1] J. Schmalstieg et al., A holistic aging model for Li(NiMnCo)O2 based 18650 lithium-ion batteries, J. Power
       Sources 257, 2014. doi:10.1016/j.jpowsour.2014.02.012
    """
    return 1.0 + ageing * (1.0 - health)


LEAST_AH = 1e-12  # what a pack holds at least, to divide by
LEAST_SHARE = 0.01  # of its capacity, below which a cold cell is not worked out: nothing would be left to divide by


def cold_share(cell: Cell, temperature_c: float) -> float:
    """Share of its capacity that a cell gives in the cold, beside what its rising resistance takes [1]_.

    Parameters
    ----------
    cell : Cell
        States the share at temperatures.
    temperature_c : float
        Of the cell. [°C]

    Returns
    -------
    float
        Read by straight lines, held beyond the ends; 1 where the cell states none.

    References
    ----------
    .. [1] T. B. Reddy (ed.), Linden's Handbook of Batteries, 4th ed., 2011, ch. 26.
    """
    at = sorted(cell.cold_shares)
    found = float(np.interp(temperature_c, [t for t, _ in at], [s for _, s in at])) if at else 1.0
    return max(found, LEAST_SHARE)


# Charging: all of it between these, a third below, half above; JIS C 8714, JEITA's guide; from memory, to be checked.
FULL_FROM_C, FULL_TO_C, COLD_THIRD, WARM_HALF = 10.0, 45.0, 1.0 / 3.0, 0.5


def charge_share(cell: Cell, temperature_c: float) -> float:
    """Share of its charge current that a cell takes at a temperature.

    Parameters
    ----------
    cell : Cell
        States between what it may be charged at all.
    temperature_c : float
        Of the cell. [°C]

    Returns
    -------
    float
        1 from 10 to 45 °C; of a lithium cell a third below that, and half above it where its sheet allows that at all; nothing
        outside what it states. Practice after JIS C 8714 and JEITA's guide of 2007; from memory, to be checked.
    """
    if not cell.charge_low_c <= temperature_c <= cell.charge_high_c:
        return 0.0
    if not cell.is_lithium or FULL_FROM_C <= temperature_c <= FULL_TO_C:
        return 1.0
    return COLD_THIRD if temperature_c < FULL_FROM_C else WARM_HALF


@dataclass(frozen=True, slots=True, kw_only=True)
class StoreCurves:
    """A store over a grid of states of charge: arrays of the grid's shape, volts and ohms at its terminals.

    ``string_v`` and ``string_ohm`` have a row for each string of a pack, before what all strings share.
    """

    soc: Array
    ocv_v: Array
    fast_ohm: Array
    slow_ohm: Array
    capacity_ah: float
    cutoff_v: float
    cutoff_is_protection: bool
    string_v: Array = field(default_factory=lambda: np.zeros((0, 0)))
    string_ohm: Array = field(default_factory=lambda: np.zeros((0, 0)))

    @property
    def steady_ohm(self) -> Array:
        """Resistance a steady draw meets. [Ω]"""
        return self.fast_ohm + self.slow_ohm

    @property
    def energy_wh(self) -> float:
        """Energy from full to empty: the integral of open-circuit voltage over charge. [Wh]"""
        return abs(float(np.trapezoid(self.ocv_v, self.soc))) * self.capacity_ah


def store_curves(store: Store, soc: ArrayLike, temperature_c: float = 25.0) -> StoreCurves:
    """Volts and ohms of a store over states of charge.

    Parameters
    ----------
    store : Pack, Capacitor or Bank
        The store.
    soc : array_like, shape (n,)
        States of charge, 0 to 1.
    temperature_c : float
        Temperature of its cells. [°C]

    Returns
    -------
    StoreCurves
        Arrays of shape (n,).
    """
    grid = np.asarray(soc, dtype=float)
    if isinstance(store, Pack):
        return pack_curves(store, grid, temperature_c)
    if isinstance(store, Capacitor):
        return capacitor_curves(store, grid)
    return bank_curves(store, grid)


def capacitor_curves(cap: Capacitor, grid: Array) -> StoreCurves:
    """A supercapacitor: its voltage falls in proportion to its charge, so ``E = ½·C·V²`` [1]_.

    Parameters
    ----------
    cap : Capacitor
        Capacitance, series resistance, voltage when full.
    grid : ndarray, shape (n,)
        Charge over full charge.

    Returns
    -------
    StoreCurves
        Without a cut-off of its own.

    References
    ----------
    .. [1] B. E. Conway, Electrochemical Supercapacitors, Springer, 1999, ch. 2.
    """
    return StoreCurves(
        soc=grid,
        ocv_v=grid * cap.full_v,
        fast_ohm=np.full(grid.shape, cap.esr_ohm.likely),
        slow_ohm=np.zeros(grid.shape),
        capacity_ah=cap.capacitance_f.likely * cap.full_v / 3600.0,
        cutoff_v=0.0,
        cutoff_is_protection=False,
    )


def bank_curves(bank: Bank, grid: Array) -> StoreCurves:
    """A power bank: a stiff output, and the energy of its cells less its converter's loss.

    Parameters
    ----------
    bank : Bank
        Rated energy, efficiency, output.
    grid : ndarray, shape (n,)
        Energy left over full.

    Returns
    -------
    StoreCurves
        Flat volts; the capacity is what its output gives.
    """
    volts = bank.output_v.likely
    return StoreCurves(
        soc=grid,
        ocv_v=np.full(grid.shape, volts),
        fast_ohm=np.full(grid.shape, bank.output_resistance_ohm.likely),
        slow_ohm=np.zeros(grid.shape),
        capacity_ah=bank.cells_wh.likely * bank.efficiency.likely / volts,
        cutoff_v=0.0,
        cutoff_is_protection=True,
    )


def pack_curves(pack: Pack, soc: ArrayLike, temperature_c: float = 25.0) -> StoreCurves:
    """Volts and ohms of a pack over states of charge.

    ``V·S``, ``Q·P``, ``r·S/P`` [1]_, where Q is that of the weakest cell in series: it is empty first, and the volts that the
    others still hold then are not counted, a little on the safe side. The tables are read by monotone cubics, and held beyond
    their ends, except the resistance, which goes on rising towards empty with its last slope. Unequal strings in parallel rest
    at one voltage, so each stands at the state of charge that its own table gives that voltage; together they are the source
    ``Σ(V/r)/Σ(1/r)`` behind ``1/Σ(1/r)``.

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
    StoreCurves
        Arrays of shape (n,). The lower cut-off is the higher of the cell's own and the protection board's.

    References
    ----------
    .. [1] G. L. Plett, Battery Management Systems, vol. I, Artech House, 2015, ch. 2.
    """
    grid = np.asarray(soc, dtype=float)
    strings = pack.strings or (CellString(cell=pack.cell),)
    copies = 1 if pack.strings else pack.parallel
    extra = pack.link_resistance_ohm.likely + (pack.protection.resistance_ohm.likely if pack.protection else 0.0)
    guard_v = pack.protection.cutoff_cell_v if pack.protection else 0.0
    empty_v = max(s.cell.empty_v for s in strings)
    at = string_charges(tuple(s.cell for s in strings), grid)
    solved = [_string(s, pack.series, w, temperature_c) for s, w in zip(strings, at, strict=True)]
    volts, fast, slow = (np.stack([one[k] for one in solved]) for k in range(3))
    conductance = 1.0 / np.maximum(fast + slow, 1e-9)
    together_fast = 1.0 / (copies / np.maximum(fast, 1e-9)).sum(axis=0)
    share = conductance / conductance.sum(axis=0)
    ocv = (volts * share).sum(axis=0) if pack.ocv_v is None else np.full(grid.shape, pack.ocv_v)
    return StoreCurves(
        soc=grid,
        ocv_v=ocv,
        fast_ohm=together_fast + extra,
        slow_ohm=1.0 / (copies * conductance).sum(axis=0) - together_fast,
        capacity_ah=LEAST_AH
        + copies
        * sum(s.cell.in_series_ah(pack.series).likely * s.cell.health * cold_share(s.cell, temperature_c) for s in strings),
        cutoff_v=pack.series * max(empty_v, guard_v),
        cutoff_is_protection=guard_v > empty_v,
        string_v=volts,
        string_ohm=fast + slow,
    )


def string_currents(curves: StoreCurves, total_a: ArrayLike) -> Array:
    """How a pack's current divides among unequal strings in parallel: ``I_k = (V_k − V)/r_k`` with one V for all.

    Parameters
    ----------
    curves : StoreCurves
        Of the pack, with n_strings strings over n states of charge.
    total_a : array_like, shape (..., n)
        Current out of the pack. [A]

    Returns
    -------
    ndarray, shape (n_strings, ..., n)
        Current out of each string; negative where a fuller one charges it. [A]
    """
    ohm = np.maximum(curves.string_ohm, 1e-9)
    total = np.asarray(total_a, dtype=float)
    shared_v = ((curves.string_v / ohm).sum(axis=0) - total) / (1.0 / ohm).sum(axis=0)
    shape = (len(ohm), *(1,) * (total.ndim - 1), ohm.shape[1])
    return np.asarray((curves.string_v.reshape(shape) - shared_v) / ohm.reshape(shape))


def current_limit_a(pack: Pack, curves: StoreCurves, limit: str) -> Array:
    """Current at which the first string of a pack reaches a limit of its cells.

    Parameters
    ----------
    pack : Pack
        With equal strings, or strings of their own.
    curves : StoreCurves
        Of the pack.
    limit : str
        ``max_discharge_a`` or ``max_charge_a``.

    Returns
    -------
    ndarray, shape (n,)
        Amperes of the whole pack.
    """
    if not pack.strings:
        return np.full(curves.soc.shape, getattr(pack.cell, limit).likely * pack.parallel)
    conductance = 1.0 / np.maximum(curves.string_ohm, 1e-9)
    share = conductance / conductance.sum(axis=0)
    most = np.array([getattr(s.cell, limit).likely for s in pack.strings])[:, None]
    return np.asarray((most / share).min(axis=0))


def _string(string: CellString, series: int, soc: Array, temperature_c: float) -> tuple[Array, Array, Array]:
    """Volts, fast and slow ohms of one string at its own states of charge."""
    cell = string.cell
    scale = cell.resistance_ohm.likely * cold_factor(temperature_c, cell.cold_b_k) * age_factor(cell.health, cell.ageing) * series
    volts = np.full(soc.shape, string.ocv_v) if string.ocv_v is not None else series * smooth(soc, cell.ocv.soc, cell.ocv.value)
    slow = scale * rising(soc, cell.slow.soc, cell.slow.value)
    if cell.ocv_corrected:
        slow = slow + series * pulse_fall_ohm(cell, soc)
    return volts, scale * rising(soc, cell.fast.soc, cell.fast.value), slow


SLOW_TIMES, LEAST_S, MOST_S = 2.7, 30.0, 3600.0  # fitted to three published cells: charge phases within a tenth
FULLER = (0.5, 0.6, 0.7, 0.8, 0.9)  # states of charge at which the constant-voltage phase lies


def diffusion_s(cell: Cell) -> float:
    """Time of diffusion of a cell: as given, else from what its resistance gains within the first minute of a step.

    The surface of the particles leads their inside by ``I·τ/Q``, which the slope of the open-circuit voltage turns into ohms:
    ``τ ∝ r_slow·Q/OCV'`` [1]_. The factor is fitted to three cells whose full physics models are published [2]_, [3]_, [4]_.

    Parameters
    ----------
    cell : Cell
        The cell.

    Returns
    -------
    float
        Seconds.

    References
    ----------
    .. [1] G. L. Plett, Battery Management Systems, vol. I, Artech House, 2015, ch. 3.
    .. [2] C.-H. Chen et al., J. Electrochem. Soc. 167, 080534, 2020.
    .. [3] P. Mohtat et al., J. Electrochem. Soc. 167, 110561, 2020.
    .. [4] S. G. Marquis et al., J. Electrochem. Soc. 166, A3693, 2019.
    """
    if cell.diffusion_s is not None:
        return cell.diffusion_s
    at = np.array(FULLER)
    near = 0.05
    slope = (smooth(at + near, cell.ocv.soc, cell.ocv.value) - smooth(at - near, cell.ocv.soc, cell.ocv.value)) / (2 * near)
    slow = cell.resistance_ohm.likely * smooth(at, cell.slow.soc, cell.slow.value)
    lag_s = slow * 3600.0 * cell.capacity_ah.likely * cell.health / np.maximum(slope, 0.05)
    fell_s = 0.0 if cell.ocv_corrected else PULSE_S - FAST_S  # the pulse's own charge, which plain tables contain
    return float(np.clip(SLOW_TIMES * (np.median(lag_s) - fell_s), LEAST_S, MOST_S))


PULSE_S, FAST_S = 60.0, 10.0  # after which a steady and a fast resistance are read
PULSE_H = 1.0 / 60.0  # the minute that a steady resistance is read after


def pulse_fall_ohm(cell: Cell, soc: Array) -> Array:
    """What the fall of the open-circuit voltage during a minute's pulse adds to a cell's resistance: ``V'(soc)·t/Q``.

    Parameters
    ----------
    cell : Cell
        The cell.
    soc : ndarray
        States of charge.

    Returns
    -------
    ndarray
        Of one cell. [Ω]
    """
    near = 0.01
    rise = smooth(soc + near, cell.ocv.soc, cell.ocv.value) - smooth(soc - near, cell.ocv.soc, cell.ocv.value)
    inside = np.maximum(np.minimum(soc + near, 1.0) - np.maximum(soc - near, 0.0), near)
    return np.asarray(rise / inside * PULSE_H / max(cell.capacity_ah.likely * cell.health, LEAST_AH))


def string_charges(cells: tuple[Cell, ...], grid: Array) -> list[Array]:
    """State of charge of each of several cells that rest at one voltage, over the state of charge of them all.

    Parameters
    ----------
    cells : tuple of Cell
        One of each string.
    grid : ndarray, shape (n,)
        Charge left in all strings over their charge when full.

    Returns
    -------
    list of ndarray, shape (n,)
        One for each cell; the grid itself where all cells are the same, or a table is flat.
    """
    if all(c is cells[0] or c == cells[0] for c in cells) or any(min(np.diff(c.ocv.value)) <= 0 for c in cells):
        return [grid for _ in cells]
    volts = np.linspace(min(c.ocv.value[0] for c in cells), max(c.ocv.value[-1] for c in cells), 801)
    own = [np.interp(volts, c.ocv.value, c.ocv.soc) for c in cells]
    held = np.array([c.capacity_ah.likely * c.health for c in cells])
    together = (np.stack(own) * held[:, None]).sum(axis=0) / held.sum()
    return [np.interp(grid, together, s) for s in own]


def rising(grid: Array, soc: tuple[float, ...], value: tuple[float, ...]) -> Array:
    """A table read smoothly; below its first point it goes on with its first slope, if that rises to empty.

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
    out = smooth(grid, soc, value)
    slope = (value[1] - value[0]) / (soc[1] - soc[0])
    if slope < 0:
        out = out + np.where(grid < soc[0], slope * (grid - soc[0]), 0.0)
    return np.maximum(out, 0.0)
