"""How sure the hours are, as a density: samples by hours, where the wish lies, and the points of eight in ten."""

from __future__ import annotations

import numpy as np

from briskcell.core.spread.spread import Spread
from briskcell.model.units import Show, show

from ..shapes import Drawing, path, text

WIDTH, HEIGHT, BINS, MARGIN = 520.0, 96.0, 60, 4.0


def density(found: Spread, wish_h: float, ends_h: tuple[float, float, float], show: Show = show) -> Drawing:
    """The hours of all samples.

    Parameters
    ----------
    found : Spread
        The samples.
    wish_h : float
        Of the brief. [h]
    ends_h : tuple of float
        The 10, 50 and 90 % points. [h]
    show : callable
        How figures are shown.

    Returns
    -------
    Drawing
        An outline with its marks.
    """
    known = found.hours[np.isfinite(found.hours)]
    low, high = min(float(known.min()), wish_h), max(float(known.max()), wish_h)
    counts, _ = np.histogram(known, bins=BINS, range=(low, max(high, low + 1e-6)))
    smooth = np.convolve(counts, np.array([1, 2, 3, 2, 1]) / 9.0, mode="same")
    top = max(float(smooth.max()), 1e-9)

    def x(hours: float) -> float:
        return round((hours - low) / max(high - low, 1e-6) * WIDTH, 1)

    outline = " ".join(f"{(k + 0.5) / BINS * WIDTH:.1f},{HEIGHT - v / top * (HEIGHT - 24):.1f}" for k, v in enumerate(smooth))
    shapes = [path("heap", f"M0,{HEIGHT} L{outline} L{WIDTH},{HEIGHT} Z")]
    for hours, words in zip(ends_h, ("10 %", "half", "90 %"), strict=True):
        shapes += [
            path("mark", f"M{x(hours)},{HEIGHT} V6"),
            text("", x(hours), HEIGHT + 16, show(hours, "h"), "middle"),
            text("sub", x(hours) + 3, 14.0, words),
        ]
    shapes.append(path("wish", f"M{x(wish_h)},{HEIGHT} V-2"))
    says = f"How often which hours come out, of {len(found.hours)} samples"
    return Drawing("density", WIDTH + 2 * MARGIN, HEIGHT + 26, says, tuple(shapes), sized=True, left=-MARGIN, top=-MARGIN)
