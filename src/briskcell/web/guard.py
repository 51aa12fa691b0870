"""Headers that keep a page to itself, and one log line a request."""

from __future__ import annotations

import secrets
import time

import structlog
from flask import Flask, Response, g, request

POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; "
    "form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
)
QUIET = ("static", "build.newer", "build.bench_news", "told.told")  # asked for all the time, and of no interest
log = structlog.get_logger("brisk-cell")


def install(app: Flask) -> None:
    """Add the hooks."""

    @app.before_request
    def start() -> None:
        g.started, g.request_id = time.perf_counter(), secrets.token_hex(4)
        structlog.contextvars.bind_contextvars(request=g.request_id)

    @app.after_request
    def finish(response: Response) -> Response:
        response.headers["Content-Security-Policy"] = POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "same-origin"
        response.headers["Cross-Origin-Opener-Policy"] = "same-origin"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        response.vary.add("HX-Request")
        if request.endpoint != "static":
            response.headers["Cache-Control"] = "no-store"
        if request.endpoint not in QUIET or response.status_code >= 400:
            taken = (time.perf_counter() - g.get("started", time.perf_counter())) * 1000
            log.info("request", method=request.method, path=request.path[:200], status=response.status_code, ms=round(taken, 1))
        return response
