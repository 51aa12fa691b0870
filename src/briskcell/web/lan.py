"""The door to the local network: whoever is not on this computer shows a paired device's cookie, on every route."""

from __future__ import annotations

import ipaddress

import segno
import structlog
from flask import Blueprint, Flask, Response, abort, current_app, make_response, redirect, render_template, request, url_for
from itsdangerous import BadSignature, URLSafeSerializer
from werkzeug.wrappers import Response as BaseResponse

from briskcell.model.errors import FigureError

from .shop import workshop

bp = Blueprint("lan", __name__)
# The last are for whom sits at it: who lets others in, puts another shelf here, or says with his own hands that a lead is off.
LONG_S = 400 * 86_400  # of the cookie; browsers keep none for longer
OPEN = ("lan.pair", "lan.let_in")  # what an unpaired device may ask for
THIS_COMPUTER = ("lan.devices", "lan.new_code", "lan.revoke", "lan.allow", "backups.restore", "told.pulled", "told.seen")
READING = ("GET", "HEAD", "OPTIONS")
log = structlog.get_logger("brisk-cell")


def install(app: Flask) -> None:
    """Add the hook; it comes before every other."""

    @app.before_request
    def at_the_door() -> BaseResponse | None:
        if is_here():
            return None
        if not current_app.config.get("LAN"):
            return make_response("Brisk Cell answers on the loopback address alone.\n", 403, {"Content-Type": "text/plain"})
        if request.endpoint in OPEN:
            return None
        device = workshop().devices.get(_key())
        if device is None or device.revoked:
            log.info("unpaired", address=request.remote_addr, path=request.path[:100])
            if _wants_a_page():
                return redirect(url_for("lan.pair"), 303)
            return make_response("This device is not paired with Brisk Cell.\n", 403, {"Content-Type": "text/plain"})
        if device.reads_only and request.method not in READING:
            return make_response("This device may look, and change nothing.\n", 403, {"Content-Type": "text/plain"})
        if request.endpoint in THIS_COMPUTER:
            abort(403)
        return None


def _wants_a_page() -> bool:
    """Whether someone looks at what is answered, rather than a page's script or its pictures."""
    page = request.method == "GET" and request.accept_mimetypes.accept_html and request.endpoint != "static"
    return page and "HX-Request" not in request.headers


def is_here() -> bool:
    """Whether a request comes from this very computer."""
    try:
        return ipaddress.ip_address(request.remote_addr or "").is_loopback
    except ValueError:
        return False


def _serializer() -> URLSafeSerializer:
    return URLSafeSerializer(current_app.config["SECRET_KEY"], salt="device")


def _cookie() -> str:
    return f"{current_app.config['SESSION_COOKIE_NAME']}_device"


def _key() -> str:
    """The key that a device's cookie holds; empty where it holds none."""
    try:
        return str(_serializer().loads(request.cookies.get(_cookie(), "")))
    except BadSignature:
        return ""


def who_asks() -> str | None:
    """The key of the device that asks; None for this very computer."""
    return None if is_here() else _key()


def begun_from() -> str:
    """Words for who begins something: nothing for whom sits at this computer."""
    device = who_asks()
    found = None if device is None else workshop().devices.get(device)
    return f", begun from {found.name}" if found else ""


def at_the_computer(slot: str) -> None:
    """Go on for whom sits at this computer, and for a device that may do what they may at the bench.

    Raises
    ------
    FigureError
        For any other.
    """
    device = who_asks()
    found = None if device is None else workshop().devices.get(device)
    if device is not None and (found is None or not found.may_load):
        raise FigureError(
            slot,
            "This device may not add instruments, or let a load draw.",
            fix="Do it at the computer, or allow it there under Devices.",
        )


@bp.get("/pair")
def pair() -> Response:
    """Where a device gives the code."""
    return make_response(render_template("pair.html", wrong=False, open=workshop().devices.tries_left > 0))


@bp.post("/pair")
def let_in() -> BaseResponse:
    """The code, tried."""
    pairing = workshop().devices
    key = pairing.pair(request.form.get("code", "")[:20], request.form.get("name", ""), request.remote_addr or "")
    if key is None:
        log.warning("pairing refused", address=request.remote_addr)
        return make_response(render_template("pair.html", wrong=True, open=pairing.tries_left > 0), 403)
    response = redirect(url_for("shelf.shelf"), 303)
    response.set_cookie(_cookie(), _serializer().dumps(key), max_age=LONG_S, httponly=True, samesite="Strict")
    return response


@bp.get("/devices")
def devices() -> Response:
    """Which devices are let in, and a code for the next; on this computer alone."""
    known = workshop().devices
    address = current_app.config.get("LAN", "")
    picture = segno.make(f"{address}pair", error="m") if address else None
    drawn = picture.svg_data_uri(scale=6, border=2) if picture else ""
    context = {
        "devices": known.all(),
        "code": known.shown,
        "address": address,
        "picture": drawn,
        "reads_only": known.reads_only,
        "tries": known.tries_left,
    }
    return make_response(render_template("devices.html", **context))


@bp.post("/devices/code")
def new_code() -> BaseResponse:
    """A new code."""
    workshop().devices.code(reads_only=request.form.get("reads_only") == "yes")
    return redirect(url_for("lan.devices"), 303)


@bp.post("/devices/revoke")
def revoke() -> BaseResponse:
    """Shut a device out at once."""
    workshop().devices.revoke(request.form.get("device", "")[:16])
    return redirect(url_for("lan.devices"), 303)


@bp.post("/devices/allow")
def allow() -> BaseResponse:
    """Say whether a device may add instruments and let loads draw."""
    workshop().devices.allow(request.form.get("device", "")[:16], may_load=request.form.get("may_load") == "yes")
    return redirect(url_for("lan.devices"), 303)
