"""Boost, buck, buck-boost and linear regulators: what they take, give, and can deliver."""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from briskcell.core.engine.kernel import BOOST, BUCK, BUCK_BOOST, LINEAR, buck_current, input_current, stiff_v, table_value
from briskcell.model.parts import Converter, EfficiencyPoint, EfficiencyPoints, EfficiencyTable, FixedEfficiency, LossModel

Array = NDArray[np.float64]
SAME_OUTPUT_V = 0.4
SWITCH_S = 15e-9  # that a switch of such boards takes to turn on, and off again; typical, TI SLVA372 and SLVA477
KIND = {"boost": BOOST, "buck_boost": BUCK_BOOST, "buck": BUCK, "linear": LINEAR}


@dataclass(frozen=True, slots=True)
class Losses:
    """Likely loss coefficients of a board: an efficiency, a table of them, or standing, junction and resistive loss.

    Those of a buck are ``by_output``: they follow the current out, with a share ``switching`` of input volts times that current.
    """

    quiescent_a: float = 0.0
    drop_v: float = 0.0
    resistance_ohm: float = 0.0
    efficiency: float = 1.0
    table: EfficiencyTable | None = None
    by_output: bool = False
    switching: float = 0.0


def losses_of(converter: Converter) -> Losses:
    """The board's loss coefficients; efficiency points are fitted to the loss model.

    Parameters
    ----------
    converter : Converter
        A boost, buck, buck-boost or linear regulator.

    Returns
    -------
    Losses
        Of a linear regulator only ``quiescent_a`` is used.
    """
    loss = converter.loss
    if isinstance(loss, LossModel):
        buck = converter.kind == "buck"
        hertz = converter.frequency_hz.likely if buck and converter.frequency_hz else 0.0
        return Losses(
            loss.quiescent_a.likely,
            loss.drop_v.likely,
            loss.resistance_ohm.likely,
            by_output=buck,
            switching=0.5 * SWITCH_S * hertz,
        )
    if isinstance(loss, FixedEfficiency):
        return Losses(quiescent_a=converter.quiescent_a.likely, efficiency=loss.efficiency.likely)
    if isinstance(loss, EfficiencyPoints):
        return fit_losses(loss.points, converter.output_v.likely, by_output=converter.kind == "buck")
    if isinstance(loss, EfficiencyTable):
        return Losses(quiescent_a=converter.quiescent_a.likely, table=loss)
    return Losses(quiescent_a=converter.quiescent_a.likely)


@cache
def fit_losses(points: tuple[EfficiencyPoint, ...], output_v: float, *, by_output: bool = False) -> Losses:
    """Fit ``P_loss = V·quiescent + drop·I + resistance·I²`` to efficiency points by non-negative least squares [1]_.

    Parameters
    ----------
    points : tuple of EfficiencyPoint
        Input volts, output amperes and efficiency, one or more.
    output_v : float
        Output voltage. [V]
    by_output : bool
        Whether the current is that at the output, as of a buck.

    Returns
    -------
    Losses
        Coefficients, none below zero. Each point counts by its share of loss, so light loads are met as well as heavy.

    References
    ----------
    .. [1] C. L. Lawson, R. J. Hanson, Solving Least Squares Problems, SIAM, 1995, ch. 23.

    Examples
    --------
    >>> from briskcell.model.parts import EfficiencyPoint
    >>> one = EfficiencyPoint(input_v=3.7, output_a=1.0, efficiency=0.9)
    >>> fitted = fit_losses((one,), 5.0)
    >>> current = switching_input_current(5.0, 3.7, fitted)
    >>> round(5.0 / (3.7 * float(current)), 6)
    0.9
    """
    volts = np.array([p.input_v for p in points])
    watts_out = np.array([p.output_a for p in points]) * output_v
    watts_in = watts_out / np.array([p.efficiency for p in points])
    amps = watts_out / output_v if by_output else watts_in / volts
    weight = 1.0 / watts_in
    columns = np.stack([volts, amps, amps**2], axis=1) * weight[:, None]
    quiescent, drop, resistance = _non_negative_least_squares(columns, (watts_in - watts_out) * weight)
    return Losses(quiescent, drop, resistance, by_output=by_output)


def _non_negative_least_squares(columns: Array, target: Array) -> list[float]:
    """Coefficients, none below zero, that bring ``columns @ x`` nearest to the target.

    The solution leaves some columns out and solves the rest freely, so of the few ways to leave columns out the best
    feasible one is it; with three columns there are eight. See docs/decisions/0014.
    """
    best, best_error = np.zeros(columns.shape[1]), float(target @ target)
    for kept in itertools.product((False, True), repeat=columns.shape[1]):
        if not any(kept):
            continue
        free = np.linalg.lstsq(columns[:, kept], target, rcond=None)[0]
        error = float(((columns[:, kept] @ free - target) ** 2).sum())
        if (free >= 0.0).all() and error < best_error:
            best, best_error = np.zeros(columns.shape[1]), error
            best[list(kept)] = free
    return [float(c) for c in best]


def table_efficiency(table: EfficiencyTable, input_v: ArrayLike, output_a: ArrayLike) -> Array:
    """Efficiency read from a table by straight lines in both directions, held at its edges.

    Parameters
    ----------
    table : EfficiencyTable
        Rows by input volts, columns by output amperes.
    input_v, output_a : array_like
        Operating points, broadcast together.

    Returns
    -------
    ndarray
        0 to 1.
    """
    values, at_v, at_a = (np.asarray(v, dtype=float) for v in (table.efficiency, table.input_v, table.output_a))
    rows, columns = values.shape
    return np.asarray(np.vectorize(lambda v, a: table_value(at_v, at_a, values, rows, columns, v, a))(input_v, output_a))


def switching_input_current(output_w: ArrayLike, input_v: ArrayLike, loss: Losses, output_a: ArrayLike = 0.0) -> Array:
    """Current a switching board takes to feed a power at its output.

    Power in is power out over efficiency, or power out plus standing, junction and resistive loss [1]_; the smaller
    root is the working point: ``V·I = P + V·quiescent + drop·I + resistance·I²``. The losses of a buck follow the current out
    instead, with a share of input volts times that current as its switch turns [2]_, so its efficiency falls as the input rises.

    Parameters
    ----------
    output_w : array_like, shape (...)
        Power behind the board's stiff output, 0 or more. [W]
    input_v : array_like, broadcasts with output_w
        Voltage at the input terminals, above 0. [V]
    loss : Losses
        Loss coefficients.
    output_a : array_like, broadcasts with output_w
        Current out, read where the efficiency is a table, and of a buck. [A]

    Returns
    -------
    ndarray, shape (...)
        Input current. [A] Where no current carries the load it is inf, so it fails every limit it is held against.

    References
    ----------
    .. [1] R. W. Erickson and D. Maksimovic, Fundamentals of Power Electronics, 3rd ed., Springer, 2020, ch. 3.
       doi:10.1007/978-3-030-43881-4
    .. [2] Texas Instruments, SLVA477, Basic Calculation of a Buck Converter's Power Stage.

    Examples
    --------
    >>> float(switching_input_current(4.0, 3.3, Losses(0.001, 0.10, 0.08)).round(3))
    1.293
    """
    efficiency = loss.efficiency if loss.table is None else table_efficiency(loss.table, input_v, output_a)
    if loss.by_output and (loss.drop_v > 0 or loss.resistance_ohm > 0):
        terms = (loss.quiescent_a, loss.drop_v, loss.resistance_ohm, loss.switching)
        return np.asarray(np.vectorize(buck_current, otypes=[float])(output_w, output_a, input_v, *terms))
    own = (loss.quiescent_a, loss.drop_v, loss.resistance_ohm)
    return np.asarray(np.vectorize(input_current, otypes=[float])(output_w, input_v, *own, efficiency))


def stiff_output_v(converter: Converter, input_v: ArrayLike, output_a: ArrayLike) -> Array:
    """Voltage behind a board's output resistance, for what it gets at its input.

    A boost fed above its output passes its input through; a buck or linear regulator fed too low follows its input,
    less its drop-out: ``min(V_set, V_in − V_dropout − I·R_path)`` [1]_. A buck-boost holds its output.

    Parameters
    ----------
    converter : Converter
        The board.
    input_v, output_a : array_like, shape (...)
        Volts at the input and amperes out.

    Returns
    -------
    ndarray, shape (...)
        Volts.

    References
    ----------
    .. [1] B. Hauke, Basic Calculation of a Buck Converter's Power Stage, TI SLVA477B, 2015.
    """
    own = (KIND[converter.kind], converter.output_v.likely, converter.dropout_v.likely, converter.dropout_ohm.likely)
    return np.asarray(np.vectorize(stiff_v, otypes=[float])(*own, input_v, output_a))


def deliverable_a(converter: Converter, input_v: ArrayLike, output_v: ArrayLike | None = None) -> Array:
    """Most current a board can put out at an input voltage.

    Boost: ``(I_switch − ΔI/2)·(1 − D)``, ``1 − D = η·V_in/V_out``, ripple ``ΔI = V_in·D/(L·f)`` [1]_.
    Buck: ``I_switch − ΔI/2``, ``ΔI = (V_in − V_out)·D/(L·f)`` [2]_. Linear: its stated output. A stated output limit
    holds as well.

    Parameters
    ----------
    converter : Converter
        The board.
    input_v : array_like, shape (...)
        Voltage at its input. [V]
    output_v : array_like, broadcasts with ``input_v``, optional
        Volts that it makes; its likely ones where not given. [V]

    Returns
    -------
    ndarray, shape (...)
        Output current. [A] inf where the plan states no limit.

    References
    ----------
    .. [1] B. Hauke, Basic Calculation of a Boost Converter's Power Stage, TI SLVA372D, 2022.
    .. [2] B. Hauke, Basic Calculation of a Buck Converter's Power Stage, TI SLVA477B, 2015.
    """
    volts = np.maximum(np.asarray(input_v, dtype=float), 0.0)
    out_v = np.asarray(converter.output_v.likely if output_v is None else output_v, dtype=float)
    limit = np.full(volts.shape, np.inf)
    if converter.output_limit_a is not None:
        limit = np.minimum(limit, converter.output_limit_a.likely)
    if converter.switch_current_a is None or converter.kind == "linear":
        return limit
    ripple_per_v = 0.0
    if converter.inductance_h is not None and converter.frequency_hz is not None:
        ripple_per_v = 1.0 / (converter.inductance_h.likely * converter.frequency_hz.likely)
    switch = converter.switch_current_a.likely
    if converter.kind == "buck":
        duty = np.clip(out_v / np.maximum(volts, 1e-9), 0.0, 1.0)
        return np.asarray(np.minimum(limit, switch - np.maximum(volts - out_v, 0.0) * duty * ripple_per_v / 2.0))
    # A buck-boost steps up below its output and down above it; its switch carries the higher of the two currents.
    up = np.clip(typical_efficiency(converter) * volts / np.maximum(out_v, 1e-9), 0.0, 1.0)
    ripple = volts * (1.0 - up) * ripple_per_v
    return np.asarray(np.minimum(limit, np.maximum(switch - ripple / 2.0, 0.0) * up))


def same_output(one: Converter, other: Converter) -> bool:
    """Whether two boards make what their loads take for the same rail.

    Parameters
    ----------
    one, other : Converter
        Boards.

    Returns
    -------
    bool
        True where their outputs lie within 0.4 V: the tolerance of 5 V logic is a quarter of a volt to each side, and
        boards are sold for 4.8 to 5.2 V.
    """
    return abs(one.output_v.likely - other.output_v.likely) < SAME_OUTPUT_V


def typical_efficiency(converter: Converter) -> float:
    """Efficiency near the board's half load, for its duty cycle.

    Parameters
    ----------
    converter : Converter
        A boost or buck board.

    Returns
    -------
    float
        0 to 1; from the loss model at half its switch current, or as stated.
    """
    loss = losses_of(converter)
    if loss.table is not None:
        return float(np.mean(loss.table.efficiency))
    if loss.efficiency < 1.0 or converter.switch_current_a is None:
        return loss.efficiency
    amps, volts = converter.switch_current_a.likely / 2.0, converter.output_v.likely if loss.by_output else 3.7
    wasted = volts * loss.quiescent_a + loss.drop_v * amps + loss.resistance_ohm * amps**2
    return float(np.clip(1.0 - wasted / (volts * amps), 0.5, 1.0))
