"""A build as a small river: socket, pack, board and its largest parts, as wide as their watts."""

from __future__ import annotations

from typing import Any

from .shapes import Drawing, path, rect

MIDDLE, WIDEST, LEAST = 34.0, 18.0, 1.2


def small_river(known: dict[str, Any] | None) -> Drawing | None:
    """The drawing of what the shelf knows of a build; None where it knows nothing."""
    if known is None or "river" not in known:
        return None
    bands = [max(float(w), 0.0) for w in known["river"]["bands"]]
    charger, boards = bool(known["river"]["charger"]), bool(known["river"]["boards"])
    whole = sum(bands) or 1.0
    widths = [max(w / whole * WIDEST, LEAST) for w in bands]
    shapes = [path("idle", "M2,34 H40")] if charger else []
    shapes += [rect("tank", 44.0, 12.0, 26.0, 44.0, round=2), rect("tank-fill", 45.0, 24.0, 24.0, 31.0)]
    shapes += [path("band own", f"M70,34 H{170 if boards else 200}", sum(widths))] if widths else []
    shapes += [rect("board", 170.0, 18.0, 30.0, 32.0, round=2)] if boards else []
    at = MIDDLE - sum(widths) / 2
    for k, width in enumerate(widths):
        y0, y1 = at + width / 2, MIDDLE + (k - (len(widths) - 1) / 2) * 22.0
        shapes.append(path("band own", f"M200,{y0:.1f} C245,{y0:.1f} 245,{y1:.1f} 290,{y1:.1f}", width))
        at += width
    return Drawing("small", 290.0, 68.0, "", tuple(shapes))
