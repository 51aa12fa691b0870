"""What a browser keeps for its tokens: signed, without a time. A clock that leaps would else end every page's right to send."""

from __future__ import annotations

from typing import Any

from flask import Flask
from flask.sessions import SecureCookieSession, SecureCookieSessionInterface
from itsdangerous import BadSignature, URLSafeSerializer


class Timeless(SecureCookieSessionInterface):
    """Sessions of the loopback page: they end with the browser, not by the clock."""

    def _signer(self, app: Flask) -> URLSafeSerializer:
        return URLSafeSerializer(str(app.secret_key), salt="session", signer_kwargs={"key_derivation": "hmac"})

    def open_session(self, app: Flask, request: Any) -> SecureCookieSession:
        """What the cookie holds; nothing where it is not ours."""
        try:
            return self.session_class(self._signer(app).loads(request.cookies.get(self.get_cookie_name(app), "")))
        except (BadSignature, TypeError, ValueError):
            return self.session_class()

    def save_session(self, app: Flask, session: Any, response: Any) -> None:
        """Keep it, where it changed."""
        if session.accessed:
            response.vary.add("Cookie")
        if session.modified:
            response.set_cookie(
                self.get_cookie_name(app),
                self._signer(app).dumps(dict(session)),
                httponly=True,
                path="/",
                samesite=self.get_cookie_samesite(app),
            )
