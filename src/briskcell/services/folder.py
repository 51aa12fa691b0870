"""The folder that keeps a shelf: its secret, its lock, and who may read it."""

from __future__ import annotations

import fcntl
import os
import secrets
import tempfile
from pathlib import Path
from typing import IO

from briskcell.store import StoreError

DATABASE, SECRET, LOCK, LOG = "builds.sqlite3", "secret", "lock", "brisk-cell.log"
LEAST_SECRET = 32  # characters; less is a half-written file


def prepare(folder: Path) -> None:
    """Make the folder, readable by its owner alone, and mend the permissions of what an earlier version wrote.

    Raises
    ------
    StoreError
        If it cannot be made or written to.
    """
    os.umask(0o077)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise StoreError(f"The folder {folder} cannot be made: {error.strerror}. Name another with --data.") from error
    if not os.access(folder, os.W_OK | os.X_OK):
        raise StoreError(f"{folder} may not be written. Change its permissions, or name another folder with --data.")
    for path in folder.glob("*"):
        if path.is_file() and path.stat().st_mode & 0o077 and path.stat().st_uid == os.getuid():
            path.chmod(0o600)


def secret(folder: Path) -> str:
    """The key that signs sessions: made once, written whole or not at all; an empty or broken one is made anew.

    Raises
    ------
    StoreError
        If it cannot be written.
    """
    path = folder / SECRET
    try:
        found = path.read_bytes().strip() if path.exists() else b""
        if len(found) >= LEAST_SECRET and found.isascii() and found.isalnum():
            return found.decode("ascii", "strict")
        made = secrets.token_hex(32)
        with tempfile.NamedTemporaryFile("w", dir=folder, prefix="secret-", delete=False) as file:  # made for its owner alone
            file.write(made)
            file.flush()
            os.fsync(file.fileno())
        os.replace(file.name, path)
        return made
    except OSError as error:
        raise StoreError(f"The file {path} cannot be used: {error.strerror}. Make room or remove it, and start again.") from error


def lock(folder: Path) -> IO[str]:
    """Hold the folder for this process; it is let go of when the file is closed, and by any end of the process.

    Raises
    ------
    StoreError
        If another process holds it.
    """
    file = (folder / LOCK).open("a+", encoding="utf-8")
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as error:
        file.seek(0)
        where = file.read(200).strip()
        file.close()
        at = f" It is at {where}" if where else ""
        raise StoreError(
            f"Another Brisk Cell uses the folder {folder}.{at} Use that one, or name another folder with --data."
        ) from error
    return file


def note_address(file: IO[str], address: str) -> None:
    """Write down where the process that holds the folder answers."""
    file.truncate(0)
    file.write(address)
    file.flush()
