"""Large files come in pieces, each bounded where the server reads it, and lie in a folder of their own until they are whole."""

from __future__ import annotations

import re
import secrets
import shutil
import time
from pathlib import Path

from briskcell.model.errors import FigureError

FOLDER = "incoming"
MOST_PIECE = 1_500_000  # bytes of a piece
MOST_FILE = 400_000_000  # bytes of a file
MOST_AT_ONCE = 4
STALE_S = 3600.0


class Uploads:
    """Files on their way in. Each goes by a name that nobody guesses."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder / FOLDER
        shutil.rmtree(self._folder, ignore_errors=True)  # what was on its way when the program ended begins anew

    def begin(self) -> str:
        """A new file; what it goes by.

        Raises
        ------
        FigureError
            If others are on their way already.
        """
        self._folder.mkdir(exist_ok=True)
        for path in self._folder.iterdir():
            if time.time() - path.stat().st_mtime > STALE_S:
                path.unlink(missing_ok=True)
        if sum(1 for _ in self._folder.iterdir()) >= MOST_AT_ONCE:
            raise FigureError("file", f"{MOST_AT_ONCE} files are on their way already.", fix="Wait until one is in.")
        name = secrets.token_hex(16)
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
            path.unlink(missing_ok=True)
            raise FigureError("file", f"The file is larger than {MOST_FILE // 1_000_000} MB.", fix="Cut it, or leave columns out.")
        if at > size:
            raise FigureError("file", "A piece of the file is missing.", fix="Send it again.")
        with path.open("r+b") as file:
            file.seek(at)
            file.write(piece)
        return max(size, at + len(piece))

    def path(self, name: str) -> Path:
        """Where a file lies.

        Raises
        ------
        FigureError
            If there is none of that name.
        """
        path = self._folder / name
        if not re.fullmatch(r"[0-9a-f]{32}", name) or not path.is_file():
            raise FigureError("file", "That file is not there any more.", fix="Choose it again.")
        return path

    def done(self, name: str) -> None:
        """Take a file away."""
        if re.fullmatch(r"[0-9a-f]{32}", name):
            (self._folder / name).unlink(missing_ok=True)
