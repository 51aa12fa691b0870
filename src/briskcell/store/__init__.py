"""Keeps builds and their immutable revisions. Gives out documents, does no arithmetic."""

from __future__ import annotations

from .builds import BuildRow, HistoryRow, Stale, Store, StoredRevision, UnknownBuildError

__all__ = ["BuildRow", "HistoryRow", "Stale", "Store", "StoredRevision", "UnknownBuildError"]
