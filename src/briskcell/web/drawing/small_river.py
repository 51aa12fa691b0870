"""A build as a small river: socket, pack, board and its largest parts, as wide as their watts."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

MIDDLE, WIDEST, LEAST = 34.0, 18.0, 1.2


@dataclass(frozen=True, slots=True)
class SmallRiver:
    """The drawing, 290 by 68: the trunk's width, and the path and width of each branch."""

    charger: bool
    boards: bool
    trunk: float
    branches: tuple[tuple[str, float], ...]


def river(known: dict[str, Any] | None) -> SmallRiver | None:
    """The drawing of what the shelf knows of a build; None where it knows nothing."""
    if known is None or "river" not in known:
        return None
    bands = [max(float(w), 0.0) for w in known["river"]["bands"]]
    whole = sum(bands) or 1.0
    widths = [max(w / whole * WIDEST, LEAST) for w in bands]
    at, out = MIDDLE - sum(widths) / 2, []
    for k, width in enumerate(widths):
        y0, y1 = at + width / 2, MIDDLE + (k - (len(widths) - 1) / 2) * 22.0
        out.append((f"M200,{y0:.1f} C245,{y0:.1f} 245,{y1:.1f} 290,{y1:.1f}", round(width, 1)))
        at += width
    return SmallRiver(bool(known["river"]["charger"]), bool(known["river"]["boards"]), round(sum(widths), 1), tuple(out))
