"""Builds side by side: two to four of the shelf, or two revisions, with curves overlaid."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import Any

import numpy as np
from flask import redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from briskcell.drawing.curves import numbers, plot
from briskcell.model.parts import State
from briskcell.services import compare
from briskcell.services.builds import Opened
from briskcell.services.compare import MOST, Side
from briskcell.services.faults import UnknownBuildError
from briskcell.services.judge import sheltered

from . import shop
from .safe import is_name, named
from .shelf import bp

ROLES = ("limit", "demand", "quiet", "other")
POINTS = 61


@bp.get("/compare")
def builds() -> str | Response:
    """Two to four builds, each as it stands."""
    wanted = list(dict.fromkeys(v for v in request.args.getlist("build") if is_name(v)))[:MOST]
    opened = [(n, _opened(n)) for n in (named("build", v) or 0 for v in wanted)]
    sides = [Side(n, o.assessed.plan.name, o.assessed) for n, o in opened if o]
    if len(sides) < 2:
        return redirect(url_for("shelf.shelf", few=1), 303)
    lines = compare.lines(sides)
    return render_template(
        "compare.html",
        sides=sides,
        lines=lines,
        verdicts=compare.verdicts(sides, lines),
        parts=compare.parts(sides),
        findings=compare.findings(sides),
        plots=overlaid(sides),
        lost=len(wanted) - len(sides),
    )


def _opened(build_id: int) -> Opened | None:
    """A build as it stands; None where there is none, or it cannot be read."""
    try:
        return sheltered("what is compared", partial(shop.builds().open, build_id), None)
    except UnknownBuildError:
        return None


def overlaid(sides: Sequence[Side]) -> list[dict[str, Any]]:
    """Charge left and volts over the hours of play, one line a build; none where nothing plays."""
    played = [(s, k) for s in sides if (k := s.assessed.pack_index) is not None and s.assessed.runtimes[k].hours]
    if not played:
        return []
    hours = np.linspace(0.0, max(s.assessed.runtimes[k].hours or 0.0 for s, k in played), POINTS)
    left, volts = [], []
    for n, (side, k) in enumerate(played):
        found, op = side.assessed.runtimes[k], side.assessed.op
        soc = np.interp(hours, found.elapsed_h, op.soc, right=np.nan)
        soc = np.where(hours > (found.hours or 0.0) + 1e-9, np.nan, soc)
        own = {"label": side.name, "role": ROLES[n]}
        left.append(own | {"unit": "%", "values": numbers(soc * 100, 2)})
        amps = op.flow.store_v(k)[State.PLAY]
        volts.append(own | {"unit": "V", "values": numbers(np.interp(-soc, -op.soc, amps), 4)})
    axis = {"label": "hours of play", "unit": "h", "values": numbers(hours, 4)}
    return [plot("Charge left over the hours of play", axis, left), plot("Volts of the pack over the hours of play", axis, volts)]
