"""A curve as small as a word: a line, where the answer lies on it, and what was wished."""

from __future__ import annotations

from .shapes import Drawing, circle, path

WIDTH, HEIGHT, EDGE = 170.0, 52.0, 5.0


def small_curve(points: tuple[tuple[float, float], ...], at: float | None, wanted: float, says: str) -> Drawing | None:
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
    shapes = [path("wish", f"M5,{place(rising[0][0], wanted)[1]:.1f} H165"), path("line", drawn)]
    shapes += [circle("", *place(*found), 4.0)] if found else []
    return Drawing("small-curve", WIDTH, HEIGHT, says, tuple(shapes), sized=True)
