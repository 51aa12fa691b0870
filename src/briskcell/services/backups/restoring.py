"""Putting a backup in the place of a shelf: unpacked beside it, judged, and then in one go that can be repeated."""

from __future__ import annotations

import hashlib
import shutil
import sqlite3
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

from briskcell.model.errors import FigureError
from briskcell.store import Store
from briskcell.store.here import take_along

from ..doctor import judged_before_taken
from ..folder import DATABASE
from .archive import FOLDERS, examined, manifest_of, opened, refused
from .taking import LAST, back_up, copy_database, counts_of

MARK, STAGED = "READY", "restoring"
SAFE = "before-restore"  # and the time: copies of what a restore replaced
MOST_SAFE = 5
ROOM = 200_000_000  # bytes that stay free on the disk


def stage(file: Path, folder: Path) -> None:
    """Unpack a backup beside the shelf, judge all of it, bring its database to this version; nothing of the shelf changes yet.

    Raises
    ------
    FigureError
        If it is not what was backed up, or holds what no shelf would hold; the words say what.
    """
    staged = folder / STAGED
    shutil.rmtree(staged, ignore_errors=True)
    staged.mkdir()
    try:
        _unpack(file, staged)
        found = judged_before_taken(staged)
        if found:
            raise refused(f"That backup is damaged: {found}", "Choose an older one.")
        with closing(Store(staged / DATABASE)):
            pass  # brings an older one to this version
        with closing(sqlite3.connect(staged / DATABASE)) as raw:
            raw.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        if found := judged_before_taken(staged, newest=True):
            raise refused(f"That backup is damaged: {found}", "Choose an older one.")
    except BaseException as error:
        shutil.rmtree(staged, ignore_errors=True)
        if isinstance(error, FigureError) or not isinstance(error, Exception):
            raise
        raise refused(f"That backup is damaged: {error}"[:300]) from error
    (staged / MARK).write_text("", "utf-8")


def _unpack(file: Path, staged: Path) -> None:
    with opened(file) as archive:
        manifest = manifest_of(archive)
        needed = sum(i.file_size for i in archive.infolist())
        if 2 * needed + ROOM > shutil.disk_usage(staged).free:
            raise refused(f"That backup unpacks to {needed / 1e6:.0f} MB, for which there is no room.", "Make room on this disk.")
        for name, expected in manifest.sha256.items():
            target = staged / name
            target.parent.mkdir(exist_ok=True)
            digest = hashlib.sha256()
            with archive.open(name) as source, target.open("wb") as out:
                while block := source.read(1 << 20):
                    digest.update(block)
                    out.write(block)
            if digest.hexdigest() != expected:
                raise refused(f"In that backup {name} is damaged.", "Choose an older one.")
        counts = manifest.contents.counts
    if counts and counts != counts_of(staged / DATABASE):
        raise refused("That backup holds other than it says: it is damaged.", "Choose an older one.")


def put_back(folder: Path) -> None:
    """Put what is staged in the place of the shelf. Interrupted, it is done again at the next start: each step can be repeated."""
    staged = folder / STAGED
    if not (staged / MARK).exists():
        shutil.rmtree(staged, ignore_errors=True)
        return
    if (staged / DATABASE).exists():
        take_along(folder / DATABASE, staged / DATABASE)
        copy_database(staged / DATABASE, folder / DATABASE)
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
    """A backup in the place of a shelf; what was there is backed up first.

    Returns
    -------
    Path or None
        Where what was there is kept; None where nothing was.
    """
    folder.mkdir(parents=True, exist_ok=True)
    stage(file, folder)
    try:
        safe = keep_safe(folder)
    except BaseException:
        shutil.rmtree(folder / STAGED, ignore_errors=True)
        raise
    put_back(folder)
    return safe


def keep_safe(folder: Path) -> Path | None:
    """Back up what a restore is about to replace, under the time of now; of several the fullest and the newest stay."""
    if not (folder / DATABASE).exists():
        return None
    last = (folder / LAST).read_text("utf-8") if (folder / LAST).exists() else None
    stamp = f"{datetime.now(UTC):%Y-%m-%dT%H-%M-%SZ}"
    names = (f"{SAFE}-{stamp}{f'-{k}' if k else ''}.zip" for k in range(1000))
    safe = next(path for name in names if not (path := folder / name).exists())
    back_up(folder, safe)
    if last is None:
        (folder / LAST).unlink(missing_ok=True)  # that one lies on the same disk: it is no backup
    else:
        (folder / LAST).write_text(last, "utf-8")
    _thin(folder, safe)
    return safe


def _thin(folder: Path, newest: Path) -> None:
    kept = sorted(folder.glob(f"{SAFE}*.zip"), key=lambda p: (p == newest, p.stat().st_mtime_ns, p.name))
    fullest = max(kept, key=_fullness)
    for path in [p for p in kept if p != fullest][: max(len(kept) - MOST_SAFE, 0)]:
        path.unlink(missing_ok=True)


def _fullness(path: Path) -> tuple[int, int]:
    """How much a safe copy holds: its builds, then everything that is counted."""
    try:
        counts = examined(path).counts
    except FigureError:
        return (-1, 0)
    return (counts.get("builds", 0), sum(counts.values()))
