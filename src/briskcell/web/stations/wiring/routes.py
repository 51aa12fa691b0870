"""Changes of the Wiring station: joints made and taken apart, gauges found and taken; labels to print."""

from __future__ import annotations

from flask import Response, render_template, request

from briskcell.drawing.wiring.soldered import soldered
from briskcell.model.units import read
from briskcell.services.wiring import gauges, grounds, joints, pads
from briskcell.web.build import bp, change, form
from briskcell.web.units import show
from briskcell.web.which_unit import shown_at

MOST_DROP_V = 5.0


@bp.post("/joint")
def joint(build_id: int) -> Response:
    """Mark a joint as made, or take it apart."""
    return change(build_id, lambda a: joints.toggle(a.plan, form("joint")))


@bp.get("/gauges/<revision:revision>")
def found_gauges(build_id: int, revision: int) -> str:
    """The thinnest gauge for each wire, within the drop allowed: asked for as it is typed."""
    drop, owned_text = request.args.get("drop", "") or "50 mV", request.args.get("owned", "")[:120]
    drop_v, owned = min(max(read(drop, "V", "drop"), 0.0), MOST_DROP_V), gauges.owned_gauges(owned_text)
    found = gauges.proposals(shown_at(build_id, revision).assessed, drop_v, owned, gains=True)
    return render_template("wiring/_gauges_found.html", found=found, drop=drop, owned_text=owned_text, id=build_id)


@bp.post("/gauges")
def take_gauges(build_id: int) -> Response:
    """Give the wires named, or all, the gauge that was found for them."""
    return change(
        build_id,
        lambda a: gauges.take(
            a,
            read(form("drop") or "50 mV", "V", "drop"),
            gauges.owned_gauges(form("owned")),
            tuple(w for w in form("wire").split(" ") if w),
        ),
    )


@bp.post("/ground")
def ground(build_id: int) -> Response:
    """Join the grounds behind a board as a star or as a chain."""
    return change(build_id, lambda a: grounds.join_grounds(a.plan, form("board"), form("how")))


@bp.get("/circuit")
def circuit(build_id: int) -> str:
    """The circuit on a page of its own, to print: the drawing, and every conductor from pad to pad."""
    found = shown_at(build_id).assessed
    drawn, lines = soldered(found, show=show), pads.pad_lines(found, show)
    return render_template("wiring/circuit.html", plan=found.plan, drawn=drawn, lines=lines, id=build_id)


@bp.get("/labels")
def labels(build_id: int) -> str:
    """Labels for both ends of every piece, and the cut list, to print."""
    found = shown_at(build_id).assessed
    return render_template("wiring/labels.html", plan=found.plan, pieces=found.pieces, to_buy=found.to_buy, id=build_id)
