"""The pages: read a request, call one service, render."""

from __future__ import annotations

from .app import create_app

__all__ = ["create_app"]
