"""A step of the bring-up ladder: one reading, with its probes, its window and what it depends on; and how windows are made."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.model.parts import Converter, Load, Window

STAGES = {
    "pads": "Pads, with nothing joined",
    "joints": "Joints and shorts, with nothing live",
    "pack": "The pack alone",
    "charger": "The charge board alone",
    "boards": "Each regulator, unloaded",
    "dummy": "Each regulator, with a resistor",
    "loads": "One part after another",
    "charge": "Charging",
}
DUMMY_OHM = (1.0, 2.2, 3.3, 4.7, 6.8, 10.0, 15.0, 22.0, 33.0, 47.0, 68.0, 100.0, 220.0, 470.0, 1000.0)  # of a drawer
LEADS_OHM, SHORT_OHM = 0.3, 10.0  # of a meter's own leads, left in; below which two rails count as joined
METER_SHARE, METER_V, METER_A = 0.01, 0.02, 0.01  # what a meter of the bench may be off: of its reading, and beside
SPREAD_V = 0.05  # that cells in series may stand apart
DUMMY_SHARE = 0.7  # of what a board can give, that a resistor asks at the most


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One reading: where the probes go, how the instrument is set, the window with why, and what has to be proven before.

    ``unit`` is empty where it is looked at and not measured; an end of the window is None where it is open. ``live`` says that
    a cell is joined for it. ``loads`` are joined, and ``dummy`` stands for a resistor of so many ohms on ``element``.
    """

    key: str
    stage: str
    title: str
    element: str
    red: str
    black: str
    setting: str
    unit: str
    low: float | None
    likely: float | None
    high: float | None
    why: str
    after: tuple[str, ...]
    caution: str = ""
    live: bool = False
    loads: tuple[str, ...] = ()
    dummy_ohm: float | None = None

    def holds(self, reading: float) -> bool:
        """Whether a reading lies in the window."""
        return (self.low is None or reading >= self.low) and (self.high is None or reading <= self.high)


def volts_setting(volts: float) -> str:
    """How a meter is set for volts: the range above them.

    Parameters
    ----------
    volts : float
        That are expected. [V]

    Returns
    -------
    str
        In words.
    """
    most = next((r for r in (2, 20, 200) if abs(volts) < r), 200)
    return f"volts DC, {most} V range"


def amps_setting(amps: float) -> str:
    """How a meter is set for amps, and where it goes.

    Parameters
    ----------
    amps : float
        That are expected. [A]

    Returns
    -------
    str
        In words.
    """
    return f"amps DC, {'10 A' if amps > 0.19 else '200 mA'} range, in the plus lead"


def window(window: Window) -> str:
    """A window of volts in words.

    Parameters
    ----------
    window : Window
        Of a load.

    Returns
    -------
    str
        From and to.
    """
    return f"{window.low_v:.2f} to {window.high_v:.2f} V"


def ends(volts: NDArray[np.float64], board: Converter | None = None) -> tuple[float, float, float]:
    """A window of volts: over all charges and draws, as far as the board's own tolerance, and what a meter may be off.

    Parameters
    ----------
    volts : ndarray
        Over draws and charges; nan where it cannot be. [V]
    board : Converter, optional
        That makes them.

    Returns
    -------
    tuple of float
        Least, usual, most. [V]
    """
    least, most, usual = float(np.nanmin(volts)), float(np.nanmax(volts)), float(np.nanmedian(volts))
    if board is not None:
        least *= board.output_v.low / board.output_v.likely
        most *= board.output_v.high / board.output_v.likely
    return least * (1 - METER_SHARE) - METER_V, usual, most * (1 + METER_SHARE) + METER_V


def ends_a(amps: NDArray[np.float64]) -> tuple[float, float, float]:
    """A window of amps: over all charges and draws, and what a meter may be off.

    Parameters
    ----------
    amps : ndarray
        Over draws and charges; nan where it cannot be. [A]

    Returns
    -------
    tuple of float
        Least, usual, most. [A]
    """
    few, usual, most = float(np.nanmin(amps)), float(np.nanmedian(amps)), float(np.nanmax(amps))
    return max(few * (1 - METER_SHARE) - METER_A, 0.0), usual, most * (1 + METER_SHARE) + METER_A


def dummy_load(behind: str, ohm: float) -> Load:
    """A resistor on a regulator's output.

    Parameters
    ----------
    behind : str
        The regulator.
    ohm : float
        Its resistance. [Ω]

    Returns
    -------
    Load
        That takes any volts.
    """
    figure = {"low": ohm, "likely": ohm, "high": ohm, "source": "the drawer"}
    return Load.model_validate(
        {
            "id": "bench-dummy",
            "name": "Resistor",
            "fed_by": behind,
            "window": {"low_v": 0.1, "high_v": 60.0},
            "resistance_ohm": dict.fromkeys(("rest", "play", "peak"), figure),
        }
    )
