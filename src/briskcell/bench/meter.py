"""A digital multimeter spoken to in SCPI over a port that is handed in."""

from __future__ import annotations

import math
from typing import Protocol


class Port(Protocol):
    """A line to an instrument: send a line, get one back."""

    def query(self, line: str) -> str:
        """Send a line and return the answer without its end."""
        ...


class MeterError(RuntimeError):
    """The meter gave no reading; the words say what it said and what to do."""


class Meter:
    """Reads volts and amperes.

    Parameters
    ----------
    port : Port
        The line to the meter.

    References
    ----------
    SCPI Consortium, Standard Commands for Programmable Instruments, vol. 2, 1999, MEASure subsystem.
    """

    def __init__(self, port: Port) -> None:
        self._port = port

    def volts(self) -> float:
        """Direct voltage at the probes. [V]"""
        return self._reading("MEAS:VOLT:DC?")

    def amps(self) -> float:
        """Direct current through the meter. [A]"""
        return self._reading("MEAS:CURR:DC?")

    def _reading(self, line: str) -> float:
        answer = self._port.query(line).strip()
        try:
            value = float(answer)
        except ValueError:
            raise MeterError(f"The meter answered “{answer}”, which is no reading. Check its mode and its leads.") from None
        # 9.9E37 is how an instrument of this language says "over range".
        if not math.isfinite(value) or abs(value) >= 9.9e37:
            raise MeterError("The meter is over its range. Choose a higher one.")
        return value
