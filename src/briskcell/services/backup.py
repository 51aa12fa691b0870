"""The whole shelf as one file, taken while it is used; and back again, shown first, whole or not at all."""

from __future__ import annotations

import hashlib
import json
import shutil
import sqlite3
import tempfile
import time
import zipfile
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from briskcell.model.errors import FigureError
from briskcell.store import Store, StoreError
from briskcell.store.log import FOLDER as PHOTOS
from briskcell.store.runs import FOLDER as RUNS

from .folder import DATABASE

MANIFEST, MARK = "brisk-cell.json", "READY"
FOLDERS = (RUNS, PHOTOS)
STAGED, SAFE = "restoring", "before-restore.zip"
LAST = "last-backup"
OLD_DAYS = 14.0
MOST_FILES, MOST_BYTES = 200_000, 20_000_000_000  # of what is unpacked
VERSION = 1
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


def contents_of(folder: Path) -> Contents:
    """What a shelf holds now."""
    return Contents(_counts(folder / DATABASE), _files(folder / PHOTOS), datetime.now(UTC).isoformat(timespec="seconds"))


def back_up(folder: Path, to: Path) -> Contents:
    """Write the whole of a folder into one file: database, readings of runs, photographs. It may be used meanwhile.

    The database comes first, as it stands at one moment; every file that it names is there by then, and none of them changes but
    by growing.

    Raises
    ------
    StoreError
        If there is nothing to back up, or the file cannot be written.
    """
    if not (folder / DATABASE).exists():
        raise StoreError(f"There is no shelf in {folder}. Name the folder with --data.")
    part = to.with_name(f".{to.name}.part")
    try:
        with (
            tempfile.TemporaryDirectory(dir=to.parent) as work,
            zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as archive,
        ):
            snapshot = Path(work) / DATABASE
            _copy_database(folder / DATABASE, snapshot)
            counts = _counts(snapshot)
            sums = {DATABASE: _put(archive, snapshot, DATABASE)}
            for name in FOLDERS:
                for path in sorted((folder / name).glob("*")) if (folder / name).is_dir() else []:
                    if path.is_file() and not path.name.startswith("."):
                        sums[f"{name}/{path.name}"] = _put(archive, path, f"{name}/{path.name}")
            made_at = datetime.now(UTC).isoformat(timespec="seconds")
            found = Contents(counts, sum(k.startswith(PHOTOS) for k in sums), made_at)
            document = {"version": VERSION, "made_at": made_at, "counts": counts, "photos": found.photos, "sha256": sums}
            archive.writestr(MANIFEST, json.dumps(document, indent=1))
        part.replace(to)
    except OSError as error:
        part.unlink(missing_ok=True)
        raise StoreError(f"The backup {to} cannot be written: {error.strerror}. Make room, or name another place.") from error
    (folder / LAST).write_text(made_at, "utf-8")
    return found


def examined(file: Path) -> Contents:
    """What a backup holds, once it is known to be one.

    Raises
    ------
    FigureError
        If it is none, or was made by a newer program.
    """
    try:
        with zipfile.ZipFile(file) as archive:
            document = json.loads(archive.read(MANIFEST))
            infos = archive.infolist()
    except (zipfile.BadZipFile, KeyError, ValueError, OSError) as error:
        raise FigureError("backup", "That is no backup of Brisk Cell, or it is damaged.", fix="Choose another.") from error
    if not isinstance(document, dict) or document.get("version", 0) > VERSION:
        raise FigureError("backup", "That backup was made by a newer Brisk Cell.", fix="Install that version.")
    if len(infos) > MOST_FILES or sum(i.file_size for i in infos) > MOST_BYTES:
        raise FigureError("backup", "That backup is larger than any shelf.", fix="Choose another.")
    counts = {k: int(v) for k, v in dict(document.get("counts", {})).items() if k in COUNTED}
    return Contents(counts, int(document.get("photos", 0)), str(document.get("made_at", ""))[:40])


def stage(file: Path, folder: Path) -> None:
    """Unpack a backup beside the shelf, check every file, bring its database to this version; nothing of the shelf changes yet.

    Raises
    ------
    FigureError
        If a file is missing or is not what was backed up.
    """
    examined(file)
    staged = folder / STAGED
    shutil.rmtree(staged, ignore_errors=True)
    staged.mkdir()
    try:
        with zipfile.ZipFile(file) as archive:
            sums: dict[str, str] = json.loads(archive.read(MANIFEST))["sha256"]
            for name, expected in sums.items():
                parts = Path(name).parts
                if not (name == DATABASE or (len(parts) == 2 and parts[0] in FOLDERS and not parts[1].startswith("."))):
                    raise FigureError(
                        "backup", f"That backup holds “{name[:60]}”, which belongs to no shelf.", fix="Choose another."
                    )
                target = staged / name
                target.parent.mkdir(exist_ok=True)
                with archive.open(name) as source, target.open("wb") as out:
                    shutil.copyfileobj(source, out)
                if _sum(target) != expected:
                    raise FigureError("backup", f"In that backup {name} is damaged.", fix="Choose an older one.")
        Store(staged / DATABASE).close()  # brings an older one to this version
        with sqlite3.connect(staged / DATABASE) as raw:
            raw.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    except (zipfile.BadZipFile, KeyError, ValueError, OSError, StoreError, sqlite3.Error) as error:
        shutil.rmtree(staged, ignore_errors=True)
        raise FigureError("backup", f"That backup is damaged: {error}."[:300], fix="Choose another.") from error
    except FigureError:
        shutil.rmtree(staged, ignore_errors=True)
        raise
    (staged / MARK).write_text("", "utf-8")


def put_back(folder: Path) -> None:
    """Put what is staged in the place of the shelf. Interrupted, it is done again at the next start: each step can be repeated."""
    staged = folder / STAGED
    if not (staged / MARK).exists():
        shutil.rmtree(staged, ignore_errors=True)
        return
    if (staged / DATABASE).exists():
        _copy_database(staged / DATABASE, folder / DATABASE)
    for name in FOLDERS:
        fresh, old = staged / name, folder / f".{name}-old"
        if (staged / f".{name}-done").exists():
            continue
        shutil.rmtree(old, ignore_errors=True)
        if (folder / name).exists():
            (folder / name).rename(old)
        if fresh.exists():
            shutil.copytree(fresh, folder / name, dirs_exist_ok=True)
        (staged / f".{name}-done").write_text("", "utf-8")
        shutil.rmtree(old, ignore_errors=True)
    (staged / MARK).unlink()
    shutil.rmtree(staged, ignore_errors=True)


def restore(file: Path, folder: Path) -> Path | None:
    """A backup in the place of a shelf that nobody uses; what was there is backed up first.

    Returns
    -------
    Path or None
        Where what was there is kept; None where nothing was.
    """
    folder.mkdir(parents=True, exist_ok=True)
    stage(file, folder)
    safe = keep_safe(folder)
    put_back(folder)
    return safe


def keep_safe(folder: Path) -> Path | None:
    """Back up what a restore is about to replace."""
    if not (folder / DATABASE).exists():
        return None
    last = (folder / LAST).read_text("utf-8") if (folder / LAST).exists() else None
    back_up(folder, folder / SAFE)
    if last is None:
        (folder / LAST).unlink(missing_ok=True)  # that one lies on the same disk: it is no backup
    else:
        (folder / LAST).write_text(last, "utf-8")
    return folder / SAFE


def days_since(folder: Path) -> float | None:
    """Days since the last backup; None where there was none. [d]"""
    path = folder / LAST
    return (time.time() - path.stat().st_mtime) / 86_400.0 if path.exists() else None


def _copy_database(source: Path, to: Path) -> None:
    with sqlite3.connect(f"{source.resolve().as_uri()}?mode=ro", uri=True) as one, sqlite3.connect(to) as other:
        one.backup(other)
    one.close()
    other.close()


def _put(archive: zipfile.ZipFile, path: Path, name: str) -> str:
    """Put a file into an archive as long as it is at this moment; its digest."""
    size, digest = path.stat().st_size, hashlib.sha256()
    with path.open("rb") as source, archive.open(zipfile.ZipInfo(name, time.localtime()[:6]), "w", force_zip64=True) as out:
        left = size
        while left > 0 and (block := source.read(min(left, 1 << 20))):
            digest.update(block)
            out.write(block)
            left -= len(block)
    return digest.hexdigest()


def _sum(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _files(folder: Path) -> int:
    return sum(1 for p in folder.glob("*") if not p.name.startswith(".")) if folder.is_dir() else 0


def _counts(database: Path) -> dict[str, int]:
    if not database.exists():
        return {}
    out = {}
    with sqlite3.connect(f"{database.resolve().as_uri()}?mode=ro", uri=True) as raw:
        tables = {name for (name,) in raw.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
        for words, table in COUNTED.items():
            if table in tables:
                where = " WHERE removed_at IS NULL" if table == "build" else ""
                out[words] = int(raw.execute(f"SELECT count(*) FROM {table}{where}").fetchone()[0])
    raw.close()
    return out
