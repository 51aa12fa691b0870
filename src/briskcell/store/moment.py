"""Moments as the store keeps them: of the world's one time, without a zone beside them."""

from __future__ import annotations

from datetime import UTC, datetime


def now() -> datetime:
    """This moment, as it is kept: UTC."""
    return datetime.now(UTC).replace(tzinfo=None)
