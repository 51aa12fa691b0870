"""What can be wrong with what is kept, as pages are told of it."""

from __future__ import annotations

from briskcell.store import DatabaseFault, StoreError, UnknownBuildError, UnreadableError, why

__all__ = ["DatabaseFault", "StoreError", "UnknownBuildError", "UnreadableError", "why"]
