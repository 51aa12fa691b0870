"""A simulated meter: it reads what the probes touch, with the small errors of a real one."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass
class SimulatedMeter:
    """A port that answers as a handheld meter of the 0.5 % class does.

    ``volts_at_probes`` and ``amps_through`` are what a perfect meter would read.
    """

    volts_at_probes: float
    amps_through: float
    gain: float = 1.003
    offset: float = 0.001

    def query(self, line: str) -> str:
        """Answer one line of SCPI; what it does not know it says so, as instruments do."""
        command = line.strip().upper()
        if command == "*IDN?":
            return "simulated meter"
        if command not in ("MEAS:VOLT:DC?", "MEAS:CURR:DC?"):
            return '-113,"Undefined header"'
        true = self.volts_at_probes if "VOLT" in command else self.amps_through
        return f"{true * self.gain + self.offset:+.6E}"
