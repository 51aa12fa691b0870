"""Changes of the Heat station: what makes the case cooler."""

from __future__ import annotations

from flask import Response, render_template

from briskcell.services.heat import cooling
from briskcell.web.build import bp, change, form
from briskcell.web.which_unit import shown_at


@bp.get("/cooler/<revision:revision>")
def cooler(build_id: int, revision: int) -> str:
    """What makes the case cooler, ranked: asked for once the page stands."""
    found = cooling.coolings(shown_at(build_id, revision).assessed)
    return render_template("heat/_cooler.html", found=found, id=build_id)


@bp.post("/cooler")
def take_cooler(build_id: int) -> Response:
    """Make one of those changes."""
    return change(build_id, lambda a: cooling.take(a, form("cooling")))
