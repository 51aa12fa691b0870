"""Backups of one shelf: what there is, taken, looked at, put back."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

from briskcell.model.errors import FigureError
from briskcell.services.copies import Copies
from briskcell.services.uploads import Uploads

from .archive import Contents, examined
from .restoring import restore
from .taking import OLD_DAYS, back_up, contents_of, days_since

PIECE = 1 << 18  # bytes


class Backups:
    """The ways out and in of a whole folder."""

    def __init__(
        self, folder: Path, uploads: Uploads, copies: Copies, busy: Callable[[], bool], replaced: Callable[[], None]
    ) -> None:
        self._folder, self._uploads, self._copies, self._busy, self._replaced = folder, uploads, copies, busy, replaced

    def contents(self) -> Contents:
        """What the shelf holds now."""
        return contents_of(self._folder)

    def days(self) -> float | None:
        """Days since the last backup; None where there never was one."""
        return days_since(self._folder)

    def due(self) -> int:
        """Days since the last backup where that is too long ago, below nought where there never was one; 0 where none is due."""
        days = self.days()
        return -1 if days is None else int(days) if days > OLD_DAYS else 0

    def taken(self) -> Iterator[bytes]:
        """A fresh backup: its size, as digits, and then its bytes. However reading them ends, the copy on the disk ends with it."""
        with self._copies.place() as own:
            file = own / "backup.zip"
            back_up(self._folder, file)
            yield str(file.stat().st_size).encode()
            with file.open("rb") as copy:
                while piece := copy.read(PIECE):
                    yield piece

    def looked_at(self, upload: str) -> Contents:
        """What a backup that came in pieces would replace; what is none is let go.

        Raises
        ------
        FigureError
            If it is no backup.
        """
        try:
            return examined(self._uploads.path(upload))
        except Exception:
            self._uploads.done(upload)
            raise

    def put_back(self, upload: str) -> None:
        """Put a backup that came in pieces in the place of everything; what was there is kept in a file beside it.

        Raises
        ------
        FigureError
            If it is no backup, or a run goes on.
        """
        try:
            if self._busy():
                raise FigureError("backup", "A run goes on, or a load is not known to be off.", fix="Stop it first.")
            restore(self._uploads.path(upload), self._folder)
            self._replaced()
        finally:
            self._uploads.done(upload)
