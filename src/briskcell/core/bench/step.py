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
    "under-load": "Each joint, while the resistor draws",
    "loads": "One part after another",
    "charge": "Charging",
}
DUMMY_OHM = (1.0, 2.2, 3.3, 4.7, 6.8, 10.0, 15.0, 22.0, 33.0, 47.0, 68.0, 100.0, 220.0, 470.0, 1000.0)  # of a drawer
LEADS_OHM, MOST_LEADS_OHM = 0.1, 1.0  # of a meter's own leads, as usual; from which they are broken
OHMS_OFF, SHORT_OHM = 0.15, 10.0  # what a meter's lowest range may be off with its leads taken off; below which rails are joined
CONTACT_OHM, MILLIVOLT = 0.03, 0.0005  # that a sound contact may have beside its own; what a meter's lowest range of volts is off
BURDEN_OHM = {"10 A": 0.05, "200 mA": 2.0}  # of a meter in its amps ranges, with its leads
METER_SHARE, METER_V, METER_A = 0.01, 0.02, 0.01  # what a meter of the bench may be off: of its reading, and beside
SPREAD_V = 0.05  # that cells in series may stand apart
DUMMY_SHARE = 0.7  # of what a board can give, that a resistor asks at the most


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One reading: where the probes go, how the instrument is set, the window with why, and what has to be proven before.

    ``unit`` is empty where it is looked at and not measured; an end of the window is None where it is open. ``live`` says that
    a cell is joined for it. ``loads`` are joined, and ``dummy_ohm`` is a resistor on ``element``, or behind ``dummy_at``.
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
    dummy_at: str = ""

    @property
    def resistor(self) -> Load | None:
        """The resistor that is joined for it; None without one."""
        return dummy_load(self.dummy_at or self.element, self.dummy_ohm) if self.dummy_ohm else None

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


def amps_range(amps: float) -> str:
    """The range of a meter that carries so many amps.

    Parameters
    ----------
    amps : float
        The most that may flow, a start and peaks counted. [A]

    Returns
    -------
    str
        A key of ``BURDEN_OHM``.
    """
    return "10 A" if amps > 0.19 else "200 mA"


def amps_setting(most: float) -> str:
    """How a meter is set for amps, where it goes, and what its fuse has to bear.

    Parameters
    ----------
    most : float
        The most that may flow, a start and peaks counted. [A]

    Returns
    -------
    str
        In words.
    """
    fits = f"a start or a peak may take {most:.2g} A: its fuse bears that" if most < 9.5 else f"{most:.2g} A may flow: use a shunt"
    return f"amps DC, {amps_range(most)} range, in the plus lead; {fits}"


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
