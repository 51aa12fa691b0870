"""Boost, buck and linear regulators: what they take, what they can deliver."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from briskcell.model.errors import FigureError
from briskcell.model.parts import Converter, FixedEfficiency, LossModel

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Losses:
    """Likely loss coefficients of a board: an efficiency, or standing, junction and resistive loss."""

    quiescent_a: float = 0.0
    drop_v: float = 0.0
    resistance_ohm: float = 0.0
    efficiency: float = 1.0


def losses_of(converter: Converter) -> Losses:
    """The board's loss coefficients.

    Parameters
    ----------
    converter : Converter
        A boost, buck or linear regulator.

    Returns
    -------
    Losses
        Of a linear regulator only ``quiescent_a`` is used.
    """
    loss = converter.loss
    if isinstance(loss, LossModel):
        return Losses(loss.quiescent_a.likely, loss.drop_v.likely, loss.resistance_ohm.likely)
    if isinstance(loss, FixedEfficiency):
        return Losses(quiescent_a=converter.quiescent_a.likely, efficiency=loss.efficiency.likely)
    return Losses(quiescent_a=converter.quiescent_a.likely)


def switching_input_current(output_w: ArrayLike, input_v: ArrayLike, loss: Losses) -> Array:
    """Current a switching board takes to feed a power at its output.

    Power in is power out over efficiency, or power out plus standing, junction and resistive loss [1]_; the smaller
    root is the working point: ``V·I = P + V·quiescent + drop·I + resistance·I²``.

    Parameters
    ----------
    output_w : array_like, shape (...)
        Power behind the board's stiff output, 0 or more. [W]
    input_v : array_like, broadcasts with output_w
        Voltage at the input terminals, above 0. [V]
    loss : Losses
        Loss coefficients.

    Returns
    -------
    ndarray, shape (...)
        Input current. [A] Where no current carries the load it is inf, so it fails every limit it is held against.

    Raises
    ------
    FigureError
        If a power is negative.

    References
    ----------
    .. [1] R. W. Erickson and D. Maksimovic, Fundamentals of Power Electronics, 3rd ed., Springer, 2020, ch. 3.
       doi:10.1007/978-3-030-43881-4

    Examples
    --------
    >>> float(switching_input_current(4.0, 3.3, Losses(0.001, 0.10, 0.08)).round(3))
    1.293
    """
    power, volts = np.asarray(output_w, dtype=float), np.asarray(input_v, dtype=float)
    if (power < 0).any():
        raise FigureError("output_w", "A load gives no power back.", fix="Give 0 W or more.")
    demand = power / loss.efficiency + volts * loss.quiescent_a
    if loss.drop_v == 0.0 and loss.resistance_ohm == 0.0:
        return np.asarray(demand / volts)
    push = volts - loss.drop_v
    under_root = push**2 - 4.0 * loss.resistance_ohm * demand
    lost = (under_root < 0.0) | (push <= 0.0)
    # Not (-b + root) / 2a: this form keeps its digits, and stays finite, at zero resistance.
    with np.errstate(divide="ignore"):
        current = 2.0 * demand / (push + np.sqrt(np.where(lost, 0.0, under_root)))
    return np.asarray(np.where(lost, np.inf, current))


def deliverable_a(converter: Converter, input_v: ArrayLike) -> Array:
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
    out_v = converter.output_v.likely
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
    up = np.clip(typical_efficiency(converter) * volts / out_v, 0.0, 1.0)
    ripple = volts * (1.0 - up) * ripple_per_v
    return np.asarray(np.minimum(limit, np.maximum(switch - ripple / 2.0, 0.0) * up))


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
    if loss.efficiency < 1.0 or converter.switch_current_a is None:
        return loss.efficiency
    amps, volts = converter.switch_current_a.likely / 2.0, 3.7
    wasted = volts * loss.quiescent_a + loss.drop_v * amps + loss.resistance_ohm * amps**2
    return float(np.clip(1.0 - wasted / (volts * amps), 0.5, 1.0))
