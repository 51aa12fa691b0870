"""Linear scales with round ticks, for drawings made on the server."""

from __future__ import annotations

import math
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Scale:
    """Values low to high onto start to end."""

    low: float
    high: float
    start: float
    end: float

    def __call__(self, value: float) -> float:
        share = (value - self.low) / (self.high - self.low)
        return round(self.start + min(max(share, -0.02), 1.02) * (self.end - self.start), 1)

    def ticks(self, about: int = 6) -> list[float]:
        """About so many round values within."""
        raw = (self.high - self.low) / about
        size = 10 ** math.floor(math.log10(raw))
        step = next(size * m for m in (1, 2, 5, 10) if size * m >= raw * 0.999)
        first = math.ceil(self.low / step - 1e-9)
        return [round(first * step + k * step, 9) for k in range(int((self.high - first * step) / step + 1e-9) + 1)]
