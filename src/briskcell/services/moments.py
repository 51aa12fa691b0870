"""Moments in words: kept as the world's one time, shown in this computer's zone, and read in it."""

from __future__ import annotations

from datetime import UTC, datetime

FORMS = {
    "day": "%-d %b %Y",
    "hour": "%-d %b %Y %H:%M %Z",
    "short": "%-d %b %H:%M %Z",
    "clock": "%H:%M %Z",
    "second": "%-d %b %Y %H:%M:%S %Z",
}


def told(at: datetime, form: str = "day") -> str:
    """A kept moment in words of this computer's zone.

    Parameters
    ----------
    at : datetime
        As the store keeps it: UTC, without a zone.
    form : str
        One of ``FORMS``.
    """
    return local(at).strftime(FORMS[form]).strip()


def local(at: datetime) -> datetime:
    """A kept moment in this computer's zone; one at the very ends of the calendar stays in the world's."""
    whole = at.replace(tzinfo=UTC)
    try:
        return whole.astimezone()
    except (OverflowError, OSError, ValueError):
        return whole


def kept(at: datetime) -> datetime:
    """A moment as the store keeps it; one without a zone is of this computer's.

    Raises
    ------
    ValueError
        If the calendar has no such moment in the world's time.
    """
    try:
        return at.astimezone(UTC).replace(tzinfo=None)
    except (OverflowError, OSError) as error:
        raise ValueError("beyond the calendar") from error
