"""How sure the hours are: their range over all that is uncertain, as a density, and which figures carry the doubt."""

from __future__ import annotations

from typing import Any

import numpy as np
from flask import render_template

from briskcell.core.assess import Assessment
from briskcell.core.pack.resets import counted
from briskcell.core.spread.spread import Carrier, Spread
from briskcell.services.judge import sheltered
from briskcell.web.build import bp
from briskcell.web.shelf import workshop
from briskcell.web.units import show

WIDTH, HEIGHT, BINS = 520.0, 96.0, 60


@bp.get("/sure/<revision:revision>")
def sure(build_id: int, revision: int) -> str:
    """Asked for once the page stands."""
    opened = workshop().at(build_id, revision)
    found = sheltered("spread", lambda: opened.assessed.spread, None)
    return render_template("pack/_sure.html", id=build_id, **(_shown(opened.assessed, found) if found else {"found": None}))


def _shown(a: Assessment, found: Spread) -> dict[str, Any]:
    wish, filling = a.plan.brief.hours, a.charge_spread
    ends = (a.runtime_range.low, found.range_h[1], a.runtime_range.high) if a.runtime_range else found.range_h
    volts = found.at(found.found.volts, 0.1, 0.5, 0.9)
    return {
        "found": found,
        "wish": wish,
        "chance": found.chance(wish),
        "drawn": _density(found, wish, ends),
        "carriers": [(c, _sentence(ends, c), _step(c)) for c in found.carriers(4)],
        "filling": filling,
        "charge_wish": a.plan.brief.charge_hours,
        "spare": a.spare_range,
        "volts": volts if np.isfinite(volts[0]) else None,
        "resets": a.reset_spread,
        "often": [counted(v) for v in a.reset_spread.range] if a.reset_spread else [],
        "accepted": a.plan.brief.resets_per_charge,
    }


def _density(found: Spread, wish: float, ends: tuple[float, float, float]) -> dict[str, Any]:
    """Samples by hours, as an outline; where the wish, the 10, 50 and 90 % points stand."""
    known = found.hours[np.isfinite(found.hours)]
    low, high = min(float(known.min()), wish), max(float(known.max()), wish)
    counts, _ = np.histogram(known, bins=BINS, range=(low, max(high, low + 1e-6)))
    smooth = np.convolve(counts, np.array([1, 2, 3, 2, 1]) / 9.0, mode="same")
    top = max(float(smooth.max()), 1e-9)

    def x(hours: float) -> float:
        return round((hours - low) / max(high - low, 1e-6) * WIDTH, 1)

    points = [f"{(k + 0.5) / BINS * WIDTH:.1f},{HEIGHT - v / top * (HEIGHT - 24):.1f}" for k, v in enumerate(smooth)]
    return {
        "path": f"M0,{HEIGHT} L" + " ".join(points) + f" L{WIDTH},{HEIGHT} Z",
        "marks": [(x(h), show(h, "h"), words) for h, words in zip(ends, ("10 %", "half", "90 %"), strict=True)],
        "wish": x(wish),
        "width": WIDTH,
        "height": HEIGHT,
    }


def _sentence(ends: tuple[float, float, float], c: Carrier) -> str:
    low, _, high = ends
    now, then = f"{show(low, 'h')} to {show(high, 'h')}", f"{show(c.known_low_h, 'h')} to {show(c.known_high_h, 'h')}"
    return f"The {c.doubt.name} carries {c.share:.0%} of the doubt; known, it would narrow {now} to {then}."


def _step(c: Carrier) -> str:
    """Where it is measured: a step of the ladder, or a run."""
    return {"draw": "its step on the bench", "volts": "its step on the bench", "loss": "its step on the bench with a resistor",
            "capacity": "a discharge on the bench", "cell": "a discharge on the bench"}[c.doubt.kind]  # fmt: skip
