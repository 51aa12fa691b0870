"""Looks through a folder of builds, and gets out of a damaged one what can still be read."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from briskcell.formats.plan_json import write_plan
from briskcell.model.errors import FigureError, PlanError
from briskcell.model.plan import plan_of
from briskcell.store import StoreError, UnreadableError, why
from briskcell.store.from_outside import row_fault, schema_fault
from briskcell.store.log import FOLDER as PHOTOS
from briskcell.store.packed import unpacked

from .folder import DATABASE, SECRET
from .judge import judged

MEND = (
    "Save what can be read with “brisk-cell export-all FOLDER”, start with another folder, named with --data, and take the "
    "plans in there."
)
NAMED = 20  # revisions in trouble that are named one by one


@dataclass(frozen=True, slots=True)
class Examined:
    """What was found, a line each, and whether all of it is sound."""

    lines: tuple[str, ...]
    sound: bool


def judged_before_taken(folder: Path, *, newest: bool = False) -> str:
    """What is wrong with a shelf that comes from outside; empty where it may be taken in.

    Parameters
    ----------
    folder : Path
        Where it lies.
    newest : bool
        Whether its database was brought to this version already: then each of its rows is read too.
    """
    if found := schema_fault(folder / DATABASE, newest=newest):
        return found
    return row_fault(folder / DATABASE, folder / PHOTOS) if newest else ""


def _open(data: Path) -> sqlite3.Connection:
    path = data / DATABASE
    if not path.exists():
        raise StoreError(f"There is no file of builds in {data}. Name the folder with --data.")
    return sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)


def examine(data: Path) -> Examined:
    """Check the file's integrity, every revision, and what lies beside it.

    Raises
    ------
    StoreError
        If there is no file of builds, or it cannot be opened at all.
    """
    lines, trouble = [], 0
    connection = _open(data)
    try:
        faults = [str(row[0]) for row in connection.execute("PRAGMA integrity_check(20)") if row[0] != "ok"]
        lines.append("The file is whole." if not faults else f"The file is damaged: {'; '.join(faults[:3])}.")
        trouble += len(faults)
        lines += [f"A load may still draw: {name}. Start Brisk Cell, which lets it go." for name in _loads(connection)]
        builds = connection.execute("SELECT count(*) FROM build").fetchone()[0]
        count = bad = 0
        for build_id, revision_id, document in _revisions(connection):
            count += 1
            if words := _wrong(document):
                bad += 1
                if bad <= NAMED:
                    lines.append(f"Build {build_id}, revision {revision_id}: {words}")
        lines.append(f"{builds} builds with {count} revisions; {count - bad} can be read and judged, {bad} cannot.")
        trouble += bad
    except sqlite3.Error as error:
        raise StoreError(why(error, data / DATABASE)) from error
    finally:
        connection.close()
    sizes = {p.name: p.stat().st_size for p in sorted(data.glob("*")) if p.is_file()}
    lines += [f"{name}: {size / 1e6:.1f} MB" for name, size in sizes.items()]
    if not sizes.get(SECRET):
        lines.append("The secret is missing or empty; it is made anew at the next start, and open pages have to be reloaded.")
    lines.append(MEND if trouble else "Nothing to do.")
    return Examined(tuple(lines), trouble == 0)


def _loads(connection: sqlite3.Connection) -> list[str]:
    """Loads that are leased, by their name and whose pack they are on; none in a file of an earlier version."""
    try:
        rows = connection.execute("SELECT about FROM lease WHERE kind = 'load'").fetchall()
        told = [json.loads(about) for (about,) in rows]
    except (sqlite3.Error, ValueError):
        return []
    return [f"{t.get('name', 'a load')} on {t.get('where') or 'a pack'}" for t in told if not t.get("here")]


def _revisions(connection: sqlite3.Connection) -> Iterator[tuple[int, int, Any]]:
    yield from connection.execute("SELECT build_id, id, document FROM revision ORDER BY id")


def _wrong(document: Any) -> str:
    """Why a stored document is no plan that can be judged; empty for one that is."""
    try:
        judged(plan_of(unpacked(document)), "doctor")
    except (UnreadableError, PlanError, FigureError) as error:
        return str(error)[:200]
    return ""


def rescue(data: Path, target: Path) -> Iterator[str]:
    """Write the newest readable plan of every build to a folder, each in a file of its own; a line for each.

    Raises
    ------
    StoreError
        If there is nothing to read from, or nowhere to write to.
    """
    connection = _open(data)
    try:
        target.mkdir(parents=True, exist_ok=True)
        connection.text_factory = lambda raw: raw.decode("utf-8", "replace")
        ids = _read(connection, "SELECT id FROM build ORDER BY id") or _read(connection, "SELECT DISTINCT build_id FROM revision")
        if not ids:
            raise StoreError(f"Nothing can be read from {data / DATABASE}.")
        for (build_id,) in ids:
            yield _rescued(connection, int(build_id), target)
    except OSError as error:
        raise StoreError(f"{target} cannot be written: {error.strerror}.") from error
    finally:
        connection.close()


def _rescued(connection: sqlite3.Connection, build_id: int, target: Path) -> str:
    heads = _read(connection, f"SELECT head_id FROM build WHERE id = {build_id}")
    others = _read(connection, f"SELECT id FROM revision WHERE build_id = {build_id} ORDER BY id DESC")
    for (revision_id,) in (*heads, *others):
        found = _read(connection, f"SELECT document FROM revision WHERE id = {int(revision_id or 0)}")
        try:
            plan = plan_of(unpacked(found[0][0])) if found else None
        except (UnreadableError, PlanError):
            continue
        if plan is not None:
            path = target / f"build-{build_id}.json"
            path.write_bytes(write_plan(plan))
            return f"{path}: {plan.name}, revision {revision_id}"
    return f"Build {build_id}: no revision of it can be read."


def _read(connection: sqlite3.Connection, query: str) -> list[Any]:
    """Rows up to the first that cannot be read."""
    out: list[Any] = []
    try:
        cursor = connection.execute(query)
        while (row := cursor.fetchone()) is not None:
            out.append(row)
    except sqlite3.Error:
        return out
    return out


__all__ = ["Examined", "examine", "rescue"]
