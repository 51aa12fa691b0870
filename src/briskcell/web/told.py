"""What every page says beside its own matter: loads that draw, loads that are not known to be off, wrong codes at the door."""

from __future__ import annotations

from functools import partial
from typing import Any

from flask import Blueprint, Flask, Response, make_response, render_template, request

from briskcell.services.judge import sheltered

from .lan import is_here
from .safe import named, row_number
from .shop import workshop

OFF_S = 1.0  # that an answer waits for a load to be off
bp = Blueprint("told", __name__, url_prefix="/told")


def install(app: Flask) -> None:
    """Let every page say it."""

    @app.context_processor
    def told() -> dict[str, Any]:
        return {"told_now": told_now}


def told_now() -> dict[str, Any]:
    """What there is to say at this moment: kept at hand, so that no page waits for it."""
    shop = workshop()
    return {
        "standing": shop.letting_go.standing(),
        # Said even where the file of builds cannot be read: then without a button that names its run.
        "drawing": [(sheltered("run", partial(shop.builds.key_of, "run", n), None), draws) for n, draws in shop.benches.drawing()],
        "alarms": [*shop.alarms, *filter(None, [shop.devices.alarm])] if is_here() else [],
        "here": is_here(),
    }


def _said() -> Response:
    return make_response(render_template("_told.html"))


@bp.get("")
def told() -> Response:
    """The same again, for a page that stands."""
    return _said()


@bp.post("/stop")
def stop() -> Response:
    """Stop a run whose load draws, from any page."""
    number = named("run", request.form.get("run")) or 0
    workshop().benches.stop(number, settle_s=OFF_S)
    return _said()


@bp.post("/pulled")
def pulled() -> Response:
    """Somebody at the bench has pulled a load's leads: nothing is left to try."""
    workshop().letting_go.by_hand(row_number(request.form.get("lease")) or 0)
    return _said()


@bp.post("/seen")
def seen() -> Response:
    """What was said was read."""
    workshop().alarms.clear()
    workshop().devices.alarm = ""
    return _said()
