"""An instrument, spoken to as its description says over a port that is handed in."""

from __future__ import annotations

import math
from typing import Protocol

from briskcell.core.bench.at_rest import AT_REST_A

from .description import PLACE, Description, Quantity


class Port(Protocol):
    """A line to an instrument, without line ends."""

    def query(self, line: str) -> str:
        """Send a line and return the answer.

        Raises
        ------
        LineCutError
            If no answer comes, or not in time.
        InstrumentError
            If more comes than was asked for.
        """
        ...

    def write(self, line: str) -> None:
        """Send a line that is not answered."""
        ...

    def close(self) -> None:
        """Let the line go."""
        ...


class InstrumentError(RuntimeError):
    """The instrument gave no reading; the words say what it said and what to do."""


class OverRangeError(InstrumentError):
    """The reading is above the range that is set; of ohms, that nothing is joined."""


class LineCutError(InstrumentError):
    """Nothing comes over the line any more."""


class Instrument:
    """One instrument.

    Parameters
    ----------
    port : Port
        The line to it.
    description : Description
        What it is asked, and how it answers.

    References
    ----------
    SCPI Consortium, Standard Commands for Programmable Instruments, vol. 2, 1999: MEASure, SOURce, INPut, OUTPut. IEEE 488.2.
    """

    def __init__(self, port: Port, description: Description) -> None:
        self._port, self.description = port, description
        self._before, _, self._after = description.answer.partition(PLACE)

    def who(self) -> str:
        """What it says it is."""
        return self._port.query(self.description.ask.who).strip()[:200]

    def reads(self, what: Quantity) -> bool:
        """Whether it can read that."""
        return getattr(self.description.ask, what) is not None

    def read(self, what: Quantity) -> float:
        """A reading. [V, A, Ω or °C]

        Raises
        ------
        InstrumentError
            If it cannot read that, is over its range, or answers nonsense.
        """
        line: str | None = getattr(self.description.ask, what)
        if line is None:
            raise InstrumentError(f"{self.description.name} reads no {what}. Choose another instrument.")
        value = self._figure(line)
        if abs(value) >= self.description.over_range:
            raise OverRangeError(f"{self.description.name} is over its range. Choose a higher one.")
        return value

    def clock(self) -> float | None:
        """The bench's own seconds; None where time is simply time."""
        line = self.description.ask.clock
        return None if line is None else self._figure(line)

    def put(self, what: str, value: float | str | None = None) -> None:
        """Set something, or switch it on or off."""
        line: str | None = getattr(self.description.set, what)
        if line is None:
            raise InstrumentError(f"{self.description.name} cannot set {what}.")
        self._port.write(line if value is None else line.replace(PLACE, value if isinstance(value, str) else f"{value:.4f}"))

    def sets(self, what: str) -> bool:
        """Whether it can set that."""
        return getattr(self.description.set, what) is not None

    def let_go(self) -> None:
        """Tell a load to draw nothing: off, and then into its own safe state. Nothing is asked, so nothing is waited for."""
        self.put("off")
        if self.sets("safe"):
            self.put("safe")

    def still_draws(self) -> float | None:
        """What a load draws after it was told to let go; None where that is nothing. [A]"""
        amps = self.read("amps")
        share, beside = self.description.error.amps
        return None if abs(amps) * (1.0 - share) <= max(AT_REST_A, 2.0 * beside) else amps

    def place(self, step: str) -> None:
        """Put the probes where a step asks, on a bench that can."""
        if self.description.set.place is not None:
            self.put("place", step)

    def close(self) -> None:
        """Let the line go."""
        self._port.close()

    def _figure(self, line: str) -> float:
        answer = self._port.query(line)
        try:
            text = answer.strip()
            if self._before or self._after:
                text = text.removeprefix(self._before.strip()).removesuffix(self._after.strip())
            value = float(text)
            if math.isnan(value):
                raise ValueError(text)
            return value
        except ValueError:
            raise InstrumentError(
                f"{self.description.name} answered “{answer.strip()[:60]}”, which is no reading. Check its mode and its leads."
            ) from None
