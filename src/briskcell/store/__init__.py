"""Keeps builds and their immutable revisions. Gives out documents, does no arithmetic."""

from __future__ import annotations

from .builds import BuildRow, HistoryRow, Stale, Store, StoredRevision, UnknownBuildError
from .engines import DatabaseFault, StoreError, why
from .jobs import JobRow, Jobs
from .packed import UnreadableError

__all__ = [
    "BuildRow",
    "DatabaseFault",
    "HistoryRow",
    "JobRow",
    "Jobs",
    "Stale",
    "Store",
    "StoreError",
    "StoredRevision",
    "UnknownBuildError",
    "UnreadableError",
    "why",
]
