"""Changes of the Rails station: parts fed from another rail, rails added and removed, the other way to power the build."""

from __future__ import annotations

from flask import Response, render_template

from briskcell.services.rails import alternatives, rewiring
from briskcell.web.build import bp, change, form
from briskcell.web.which_unit import shown_at


@bp.post("/feed")
def feed(build_id: int) -> Response:
    """Feed parts from another rail, or from the pack."""
    wanted = [p for p in form("part").split(" ") if p]
    return change(build_id, lambda a: rewiring.feed_all_from(a.plan, wanted, form("fed_by")))


@bp.post("/rail")
def rail(build_id: int) -> Response:
    """One more rail with its board, or one less."""
    if gone := form("remove"):
        return change(build_id, lambda a: rewiring.remove_rail(a.plan, gone))
    return change(build_id, lambda a: rewiring.add_rail(a.plan, form("part_class"), form("fed_by"), form("name")))


@bp.get("/alternatives/<revision:revision>")
def both_ways(build_id: int, revision: int) -> str:
    """One board or two, side by side: asked for once the page stands."""
    found = alternatives.alternatives(shown_at(build_id, revision).assessed)
    return render_template("rails/_alternatives.html", alternatives=found, id=build_id)


@bp.post("/alternative")
def take_other_way(build_id: int) -> Response:
    """Go the other way."""
    return change(build_id, lambda a: alternatives.take_alternative(a, form("alternative")))
