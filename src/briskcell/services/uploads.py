"""Large files come in pieces, each bounded where the server reads it, and lie in a folder of their own until they are whole.

Each is leased: it is let go once it was taken in, refused, left, or left lying while others want its place; what an earlier program
left is swept at the start.
"""

from __future__ import annotations

import re
import secrets
import shutil
import time
from pathlib import Path
from threading import Lock

from briskcell.model.errors import FigureError
from briskcell.store.leases import LeaseStore

FOLDER, KIND = "incoming", "upload"
MOST_PIECE = 1_500_000  # bytes of a piece
MOST_FILE = 400_000_000  # bytes of a file
MOST_AT_ONCE = 4
STALE_S = 90.0  # after which one that nobody touched gives its place to another


class Uploads:
    """Files on their way in. Each goes by a name that nobody guesses."""

    def __init__(self, folder: Path, leases: LeaseStore) -> None:
        self._folder, self._leases, self._lock = folder / FOLDER, leases, Lock()
        self._touched: dict[str, tuple[int, float]] = {}  # by name: the lease, and when a piece of it came last
        shutil.rmtree(self._folder, ignore_errors=True)  # what was on its way when the program ended begins anew
        for lease in leases.all(KIND):
            leases.let_go(lease.id)

    def begin(self) -> str:
        """A new file; what it goes by. Where all places are taken, it gets that of the one that nobody touched for longest.

        Raises
        ------
        FigureError
            If all others are on their way just now.
        """
        with self._lock:
            self._folder.mkdir(exist_ok=True)
            if len(self._touched) >= MOST_AT_ONCE:
                oldest = min(self._touched, key=lambda n: self._touched[n][1])
                if time.monotonic() - self._touched[oldest][1] < STALE_S:
                    raise FigureError("file", f"{MOST_AT_ONCE} files are on their way already.", fix="Wait until one is in.")
                self._let_go(oldest)
            name = secrets.token_hex(16)
            self._touched[name] = self._leases.take(KIND, {"name": name}).id, time.monotonic()
            (self._folder / name).write_bytes(b"")
            return name

    def add(self, name: str, at: int, piece: bytes) -> int:
        """Put a piece where it belongs; how much is there now. A piece sent again changes nothing.

        Raises
        ------
        FigureError
            If there is no such file, it is too large, or a piece is missing before this one.
        """
        path = self.path(name)
        size = path.stat().st_size
        if at + len(piece) > MOST_FILE or len(piece) > MOST_PIECE:
            self.done(name)
            raise FigureError("file", f"The file is larger than {MOST_FILE // 1_000_000} MB.", fix="Cut it, or leave columns out.")
        if at > size:
            raise FigureError("file", "A piece of the file is missing.", fix="Send it again.")
        with path.open("r+b") as file:
            file.seek(at)
            file.write(piece)
        return max(size, at + len(piece))

    def path(self, name: str) -> Path:
        """Where a file lies; it counts as touched.

        Raises
        ------
        FigureError
            If there is none of that name.
        """
        path = self._folder / name
        with self._lock:
            if not re.fullmatch(r"[0-9a-f]{32}", name) or name not in self._touched or not path.is_file():
                raise FigureError("file", "That file is not there any more.", fix="Choose it again.")
            self._touched[name] = self._touched[name][0], time.monotonic()
        return path

    def done(self, name: str) -> None:
        """Take a file away."""
        with self._lock:
            self._let_go(name)

    def _let_go(self, name: str) -> None:
        lease, _ = self._touched.pop(name, (None, 0.0))
        if lease is not None:
            (self._folder / name).unlink(missing_ok=True)
            self._leases.let_go(lease)
