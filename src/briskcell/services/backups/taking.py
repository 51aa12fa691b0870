"""Taking a backup, while the shelf is used."""

from __future__ import annotations

import hashlib
import json
import sqlite3
import time
import zipfile
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

from briskcell.store import StoreError
from briskcell.store.here import leave_here
from briskcell.store.log import FOLDER as PHOTOS

from ..folder import DATABASE
from .archive import COUNTED, FOLDERS, MANIFEST, NAMES, VERSION, Contents

LAST = "last-backup"
OLD_DAYS = 14.0
EARLIEST, LATEST = (1980, 1, 1, 0, 0, 0), (2107, 12, 31, 23, 59, 58)  # that an archive can write down


def contents_of(folder: Path) -> Contents:
    """What a shelf holds now."""
    return Contents(counts_of(folder / DATABASE), _files(folder / PHOTOS), _now())


def back_up(folder: Path, to: Path) -> Contents:
    """Write the whole of a folder into one file: database, readings of runs, photographs. It may be used meanwhile.

    The database comes first, as it stands at one moment; every file that it names is there by then, and none of them changes but
    by growing. Devices and what was begun outside the store belong to this computer, and stay on it.

    Raises
    ------
    StoreError
        If there is nothing to back up, or the file cannot be written.
    """
    if not (folder / DATABASE).exists():
        raise StoreError(f"There is no shelf in {folder}. Name the folder with --data.")
    part, snapshot = (to.with_name(f".{to.name}.{kind}") for kind in ("part", "database"))
    try:
        snapshot.unlink(missing_ok=True)
        with zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as archive:
            copy_database(folder / DATABASE, snapshot)
            leave_here(snapshot)
            counts = counts_of(snapshot)
            sums = {DATABASE: _put(archive, snapshot, DATABASE)}
            for name in FOLDERS:
                for path in sorted((folder / name).glob("*")) if (folder / name).is_dir() else []:
                    if path.is_file() and NAMES.fullmatch(f"{name}/{path.name}"):
                        sums[f"{name}/{path.name}"] = _put(archive, path, f"{name}/{path.name}")
            made_at = _now()
            found = Contents(counts, sum(k.startswith(PHOTOS) for k in sums), made_at)
            document = {"version": VERSION, "made_at": made_at, "counts": counts, "photos": found.photos, "sha256": sums}
            archive.writestr(zipfile.ZipInfo(MANIFEST, _stamp()), json.dumps(document, indent=1))
        part.replace(to)
    except OSError as error:
        raise StoreError(f"The backup {to} cannot be written: {error.strerror}. Make room, or name another place.") from error
    except sqlite3.Error as error:
        raise StoreError(f"The backup cannot be taken: {error}. “brisk-cell doctor” says what is wrong.") from error
    finally:
        for path in (part, snapshot, *(snapshot.with_name(f"{snapshot.name}-{more}") for more in ("wal", "shm", "journal"))):
            path.unlink(missing_ok=True)
    (folder / LAST).write_text(found.made_at, "utf-8")
    return found


def days_since(folder: Path) -> float | None:
    """Days since the last backup, none below nought; None where there was none. [d]"""
    path = folder / LAST
    return max(time.time() - path.stat().st_mtime, 0.0) / 86_400.0 if path.exists() else None


def copy_database(source: Path, to: Path) -> None:
    """A database as it stands at one moment, put into the place of another, whole or not at all."""
    with closing(sqlite3.connect(f"{source.resolve().as_uri()}?mode=ro", uri=True)) as one, closing(sqlite3.connect(to)) as other:
        one.backup(other)


def counts_of(database: Path) -> dict[str, int]:
    """How many rows a database holds of what is counted; of builds, those that stand on the shelf."""
    if not database.exists():
        return {}
    with closing(sqlite3.connect(f"{database.resolve().as_uri()}?mode=ro", uri=True)) as raw:
        tables = {name for (name,) in raw.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
        where = {table: " WHERE removed_at IS NULL" if table == "build" else "" for table in COUNTED.values()}
        return {
            words: int(raw.execute(f"SELECT count(*) FROM {table}{where[table]}").fetchone()[0])
            for words, table in COUNTED.items()
            if table in tables
        }


def _put(archive: zipfile.ZipFile, path: Path, name: str) -> str:
    """Put a file into an archive as long as it is at this moment; its digest."""
    size, digest = path.stat().st_size, hashlib.sha256()
    info = zipfile.ZipInfo(name, _stamp())
    info.compress_type = zipfile.ZIP_DEFLATED
    with path.open("rb") as source, archive.open(info, "w", force_zip64=True) as out:
        left = size
        while left > 0 and (block := source.read(min(left, 1 << 20))):
            digest.update(block)
            out.write(block)
            left -= len(block)
    return digest.hexdigest()


def _stamp() -> tuple[int, int, int, int, int, int]:
    """This moment as an archive writes it down; where the clock is beyond what it can, the nearest that it can."""
    year, month, day, hour, minute, second, *_ = time.gmtime()
    return min(max((year, month, day, hour, minute, second), EARLIEST), LATEST)


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds")


def _files(folder: Path) -> int:
    return sum(1 for p in folder.glob("*") if not p.name.startswith(".")) if folder.is_dir() else 0
