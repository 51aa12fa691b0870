"""Paper and pictures take a processor for seconds: few at a time may hold the server's threads, the pages need the others."""

from __future__ import annotations

from collections.abc import Callable
from threading import BoundedSemaphore

from flask import make_response, render_template, request
from werkzeug.wrappers import Response

AT_ONCE = 3  # of the server's threads; one of them lays out, the others wait for it
AGAIN_S = 2  # after which a browser asks by itself again
TURNS = BoundedSemaphore(AT_ONCE)


def in_turn(make: Callable[[], Response]) -> Response:
    """What is made, as soon as it is its turn; until then a page that asks again by itself."""
    if not TURNS.acquire(blocking=False):
        words = "Other pages and pictures are being laid out. This one follows by itself in a moment; the page may stay open."
        waiting = make_response(render_template("error.html", title="In the queue", advice=words), 503)
        waiting.headers["Refresh"] = f"{AGAIN_S}; url={request.full_path.rstrip('?')}"
        waiting.headers["Retry-After"] = str(AGAIN_S)
        return waiting
    try:
        return make()
    finally:
        TURNS.release()
