"""What the shelf shows of a build, worked out once and kept beside its revision."""

from __future__ import annotations

from typing import Any

from briskcell.core.assess import Assessment
from briskcell.core.draw.bill import bill

VERSION = 3  # of what is kept, and of how it is worked out: an older one is worked out anew


def summary_of(assessed: Assessment) -> dict[str, Any]:
    """Plain values: numbers, how many findings, and the state of the worst."""
    runtime, least = assessed.runtime, assessed.least_spare()
    worst = assessed.findings[0] if assessed.findings else None
    return {
        "version": VERSION,
        "note": assessed.plan.note,
        "draw_w": assessed.draw.mean_w,
        "plays_h": runtime.hours if runtime else None,
        "energy_wh": sum(r.energy_wh for r in assessed.runtimes),
        "charges": bool(assessed.charges),
        "charge_h": assessed.charges[0].off.hours if assessed.charges else None,
        "spare": least.spare if least else None,
        "findings": len(assessed.findings),
        "worst": {"state": worst.state, "cause": worst.cause} if worst else None,
        "least": f"{least.name}, {least.at_state}" if least else "",
        "thick_mm": assessed.plan.brief.thickness_mm,
        "cost": bill(assessed.plan).cost,
        "river": _river(assessed),
    }


def _river(assessed: Assessment) -> dict[str, Any]:
    """What a small drawing of the build shows: whether it has a charger and boards, and the watts of its two largest parts and
    of the rest."""
    watts = sorted((d.mean_w for d in assessed.draw.loads), reverse=True)
    bands = [*watts[:2], sum(watts[2:])] if len(watts) > 2 else watts
    return {"charger": bool(assessed.charges), "boards": bool(assessed.plan.converters), "bands": bands}
