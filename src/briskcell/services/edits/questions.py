"""Figures that are kept as they were typed, and questioned beside their field: they may be right, and seldom are."""

from __future__ import annotations

from briskcell.model.parts import Load
from briskcell.model.plan import Plan
from briskcell.model.units import show

FAR_OFF = 0.2  # of its label, that a measured capacity may differ before it is questioned
LEAST_AH = 0.03  # of the smallest cell anybody puts into a handheld


def questions(plan: Plan) -> dict[str, str]:
    """Paths of figures that are worth a question, with it."""
    out: dict[str, str] = {}
    for pack in plan.packs:
        label, measured = pack.cell.label_ah.likely, pack.cell.measured_ah
        if measured is not None and abs(measured.likely - label) > FAR_OFF * label:
            share = measured.likely / label
            out[f"packs/{pack.id}/cell/measured_ah"] = f"{share:.0%} of its label: is it amp-hours of one cell, from full to empty?"
        if label < LEAST_AH:
            out[f"packs/{pack.id}/cell/label_ah"] = f"{show(label * 1000, 'mAh')} is less than any cell holds: are it amp-hours?"
    for load in plan.loads:
        out |= _draws(load)
    return out


def _draws(load: Load) -> dict[str, str]:
    turned = load.kind == "resistance_ohm"  # more ohms draw less
    rest, play, peak = ((-1 if turned else 1) * getattr(load.draw, s).likely for s in ("rest", "play", "peak"))
    base = f"loads/{load.id}/{load.kind}"
    out = {}
    if play > peak * 1.0001:
        out[f"{base}/play"] = "More in play than at its peak: are the two swapped?"
    if rest > play * 1.0001:
        out[f"{base}/rest"] = "More at rest than in play: are the two swapped?"
    return out
