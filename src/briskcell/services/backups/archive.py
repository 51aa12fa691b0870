"""A backup as a file: what it may hold, its manifest, and how much of it is read before it is trusted."""

from __future__ import annotations

import json
import re
import struct
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from briskcell.bounded import Bounded, BoundsError
from briskcell.model.errors import FigureError
from briskcell.store.log import FOLDER as PHOTOS
from briskcell.store.log import PHOTO
from briskcell.store.runs import FOLDER as RUNS

from ..folder import DATABASE

MANIFEST = "brisk-cell.json"
FOLDERS = (RUNS, PHOTOS)
NAMES = re.compile(rf"{re.escape(DATABASE)}|{RUNS}/\d{{1,15}}\.course|{PHOTOS}/{PHOTO.pattern}")
VERSION = 1
MOST_FILES, MOST_BYTES = 20_000, 20_000_000_000  # of what is unpacked
MOST_MANIFEST = 4_000_000  # bytes: some hundred for each file
MOST_LIST = 8_000_000  # bytes of an archive's own list of what it holds
COUNTED = {
    "builds": "build",
    "revisions": "revision",
    "units": "unit",
    "readings": "reading",
    "runs": "run",
    "lines of logs": "entry",
}


@dataclass(frozen=True, slots=True)
class Contents:
    """What a backup or a shelf holds: how many of each, and when it was made."""

    counts: dict[str, int]
    photos: int
    made_at: str


@dataclass(frozen=True, slots=True)
class Manifest:
    """What a backup says of itself: its contents, and a digest for each file."""

    contents: Contents
    sha256: dict[str, str]


def refused(words: str, fix: str = "Choose another.") -> FigureError:
    """What is said where a file is no backup that can be put back."""
    return FigureError("backup", words, fix=fix)


@contextmanager
def opened(file: Path) -> Iterator[zipfile.ZipFile]:
    """An archive, once its list is known to be no larger than that of any shelf.

    Raises
    ------
    FigureError
        If it is none, or too large; also where reading it fails later.
    """
    try:
        if _size_of_list(file) > MOST_LIST:
            raise refused("That backup is larger than any shelf.")
        with zipfile.ZipFile(file) as archive:
            yield archive
    except (zipfile.BadZipFile, NotImplementedError, KeyError, RuntimeError, EOFError, OSError, struct.error) as error:
        raise refused("That is no backup of Brisk Cell, or it is damaged.") from error


def _size_of_list(file: Path) -> int:
    """Bytes of an archive's list: what stands in its last record, of the usual kind or of the one for large archives."""
    with file.open("rb") as raw:
        raw.seek(0, 2)
        raw.seek(max(raw.tell() - 66_000, 0))
        tail = raw.read()
    end = tail.rfind(b"PK\x05\x06")
    large = tail.rfind(b"PK\x06\x06")
    if end < 0 or len(tail) < end + 20:
        return 0  # no archive: its reader says so
    usual = int(struct.unpack_from("<L", tail, end + 12)[0])
    if large < 0 or len(tail) < large + 56:
        return usual
    return max(usual if usual != 0xFFFFFFFF else 0, int(struct.unpack_from("<Q", tail, large + 40)[0]))


def manifest_of(archive: zipfile.ZipFile) -> Manifest:
    """What a backup says of itself.

    Raises
    ------
    FigureError
        If it says nothing that makes sense, was made by a newer program, or names what belongs to no shelf.
    """
    try:
        with archive.open(MANIFEST) as raw:
            document: Any = json.loads(Bounded(raw.read, most=MOST_MANIFEST).whole())
    except BoundsError as error:
        raise refused(f"The list of that backup {error}.") from error
    except (ValueError, RecursionError) as error:
        raise refused("That is no backup of Brisk Cell, or it is damaged.") from error
    version, sums = (document.get("version"), document.get("sha256")) if isinstance(document, dict) else (None, None)
    if isinstance(version, int) and version > VERSION:
        raise refused("That backup was made by a newer Brisk Cell.", "Install that version.")
    infos = archive.infolist()
    if len(infos) > MOST_FILES or sum(i.file_size for i in infos) > MOST_BYTES:
        raise refused("That backup is larger than any shelf.")
    if version != VERSION or not isinstance(sums, dict):
        raise refused("That is no backup of Brisk Cell, or it is damaged.")
    for name, digest in sums.items():
        if not NAMES.fullmatch(name):
            raise refused(f"That backup holds “{name[:60]}”, which belongs to no shelf.")
        if not isinstance(digest, str) or not re.fullmatch(r"[0-9a-f]{64}", digest):
            raise refused("That is no backup of Brisk Cell, or it is damaged.")
    if DATABASE not in sums or {i.filename for i in infos} != {*sums, MANIFEST}:
        raise refused("In that backup a file is missing, or one is too many: it is damaged.", "Choose an older one.")
    counts = document.get("counts")
    counted = {k: v for k, v in counts.items() if k in COUNTED} if isinstance(counts, dict) else {}
    if not all(isinstance(v, int) and 0 <= v < 10**9 for v in counted.values()):
        raise refused("That is no backup of Brisk Cell, or it is damaged.")
    photos = sum(name.startswith(f"{PHOTOS}/") for name in sums)
    return Manifest(Contents(counted, photos, str(document.get("made_at", ""))[:40]), sums)


def examined(file: Path) -> Contents:
    """What a backup says that it holds, once it is known to be one.

    Raises
    ------
    FigureError
        If it is none, or was made by a newer program.
    """
    with opened(file) as archive:
        return manifest_of(archive).contents
