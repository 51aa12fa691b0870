"""A curve as small as a word: a line, where the answer lies on it, and what was wished."""

from __future__ import annotations

from dataclasses import dataclass

WIDTH, HEIGHT, EDGE = 170.0, 52.0, 5.0


@dataclass(frozen=True, slots=True)
class SmallCurve:
    """The drawing, 170 by 52: the line, the height of the wish, and the place of the answer."""

    path: str
    wish_y: float | None
    at: tuple[float, float] | None


def small_curve(points: tuple[tuple[float, float], ...], at: float | None, wanted: float) -> SmallCurve | None:
    """The drawing of some points; None where they make no line."""
    rising = sorted(points)
    if len(rising) < 2 or rising[0][0] == rising[-1][0]:
        return None
    low, high = min(y for _, y in rising), max(y for _, y in rising)
    low, high = min(low, wanted), max(high, wanted)

    def place(x: float, y: float) -> tuple[float, float]:
        share = (x - rising[0][0]) / (rising[-1][0] - rising[0][0])
        up = (y - low) / (high - low) if high > low else 0.5
        return EDGE + share * (WIDTH - 2 * EDGE), HEIGHT - EDGE - up * (HEIGHT - 2 * EDGE)

    drawn = " ".join(f"{'M' if k == 0 else 'L'}{place(x, y)[0]:.1f},{place(x, y)[1]:.1f}" for k, (x, y) in enumerate(rising))
    found = next(((x, y) for x, y in rising if at is not None and abs(x - at) < 1e-9), None)
    return SmallCurve(drawn, place(rising[0][0], wanted)[1], place(*found) if found else None)
