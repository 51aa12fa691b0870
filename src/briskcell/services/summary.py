"""What the shelf shows of a build, worked out once and kept beside its revision."""

from __future__ import annotations

from typing import Any

from briskcell.core.assess import Assessment

VERSION = 2  # of what is kept, and of how it is worked out: an older one is worked out anew


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
        "worst": {"state": worst.state} if worst else None,
    }
