"""Changes of parts of every kind: added, put in between, fed from elsewhere, removed."""

from __future__ import annotations

from flask import Response

from briskcell.services.parts import adding, feeding, fitting, removing

from .build import bp, change, form


@bp.post("/add")
def add(build_id: int) -> Response:
    """Add a part of a library class, where it fits or where the form says."""
    return change(build_id, lambda a: adding.add(a.plan, form("part_class"), form("at"), form("behind")))


@bp.post("/remove-part")
def remove_part(build_id: int) -> Response:
    """Remove a part."""
    return change(build_id, lambda a: removing.remove(a.plan, form("part")))


@bp.post("/connect")
def connect(build_id: int) -> Response:
    """Feed a part from elsewhere, or name another store that it fills, or another supply."""
    return change(build_id, lambda a: feeding.connect(a.plan, form("part"), form("field"), form("to")))


@bp.post("/protect")
def protect(build_id: int) -> Response:
    """Give a pack a protection board, or take it away."""
    return change(build_id, lambda a: fitting.protect(a.plan, form("part")))


@bp.post("/string")
def string(build_id: int) -> Response:
    """Put a string of another cell beside a pack's own, or take one out."""
    number = form("number")
    if number:
        return change(build_id, lambda a: fitting.remove_string(a.plan, form("part"), number))
    return change(build_id, lambda a: fitting.add_string(a.plan, form("part"), form("part_class")))


@bp.post("/inrush")
def inrush(build_id: int) -> Response:
    """Give a load an inrush, or take it away."""
    return change(build_id, lambda a: fitting.first_moment(a.plan, form("part")))


@bp.post("/rise")
def rise(build_id: int) -> Response:
    """Have a link change places with the one before it."""
    return change(build_id, lambda a: feeding.rise(a.plan, form("part")))


@bp.post("/jack")
def jack(build_id: int) -> Response:
    """Say that a load has a jack, or none."""
    return change(build_id, lambda a: fitting.socketed(a.plan, form("part")))


@bp.post("/pressed")
def pressed(build_id: int) -> Response:
    """Have a switch pressed, with its soft shutdown, or thrown by hand."""
    return change(build_id, lambda a: fitting.pressed(a.plan, form("part")))
