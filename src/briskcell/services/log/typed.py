"""A run of typed rows: minutes or clock time, volts and amps, one reading a line."""

from __future__ import annotations

import re
from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from briskcell.model.errors import FigureError
from briskcell.store.runs import Appender, RunStore

LEAST, MOST = 3, 500  # rows
CLOCK = re.compile(r"(\d{1,3}):(\d{2})(?::(\d{2}))?")
MOST_MIN = 2000.0 * 60.0


def typed_rows(text: str) -> NDArray[np.float64]:
    """Rows as they are typed: time as minutes or h:mm, volts, and amps where they were read.

    Returns
    -------
    ndarray, shape (n, 4)
        Seconds from the first row, volts, amps, and degrees, which nobody types; nan where nothing was read.

    Raises
    ------
    FigureError
        That names the first line which makes no sense.
    """
    rows = []
    for number, line in enumerate(text.splitlines(), start=1):
        fields = [f for f in re.split(r"[\s;|]+|,(?=\s)", line.strip()) if f]
        if not fields or not any(c.isdigit() for c in line):
            continue
        if not 2 <= len(fields) <= 3:
            raise _wrong(number, line, "is no time, volts and amps")
        volts, amps = _figure(fields[1], number, line), _figure(fields[2], number, line) if len(fields) > 2 else float("nan")
        if not 0 < volts <= 60 or not (np.isnan(amps) or 0 <= abs(amps) <= 200):
            raise _wrong(number, line, "has volts or amps that cannot be")
        rows.append((_seconds(fields[0], number, line), volts, abs(amps), float("nan")))
    if not LEAST <= len(rows) <= MOST:
        raise FigureError("rows", f"That is {len(rows)} readings.", fix=f"Type {LEAST} to {MOST}, one a line: 0:30 7.91 0.84")
    out = np.array(rows)
    if (np.diff(out[:, 0]) <= 0).any():
        at = int(np.argmax(np.diff(out[:, 0]) <= 0)) + 2
        raise FigureError("rows", f"Reading {at} is not later than the one before.", fix="Put them in the order of time.")
    out[:, 0] -= out[0, 0]
    return out


def add_typed(runs: RunStore, unit_id: int, text: str, title: str, made_with: Mapping[str, str], *, full: bool) -> int:
    """A run of typed rows; its number. ``full`` says that it began full and was played to its stop, ``made_with`` which pack."""
    rows = typed_rows(text)
    kind = "play" if full else "watch"
    about = {"kind": kind, "quantity": "volts", "from": "typed", "full": full} | dict(made_with)
    run_id = runs.add(unit_id, kind, title.strip()[:100] or "Typed run", about, state="importing")
    appender = Appender(runs.path(run_id))
    try:
        appender.add_many(rows)
    finally:
        appender.close()
    runs.set(run_id, state="done", words=f"{len(rows)} typed readings.")
    return run_id


def _seconds(text: str, number: int, line: str) -> float:
    if (found := CLOCK.fullmatch(text)) is not None:
        return int(found[1]) * 3600.0 + int(found[2]) * 60.0 + int(found[3] or 0)
    minutes = _figure(text, number, line)
    if not 0 <= minutes <= MOST_MIN:
        raise _wrong(number, line, "has a time that cannot be")
    return minutes * 60.0


def _figure(text: str, number: int, line: str) -> float:
    try:
        value = float(re.sub(r"(?:min|V|A)$", "", text).replace(",", "."))
    except ValueError:
        value = float("nan")
    if not np.isfinite(value):
        raise _wrong(number, line, "has something that is no figure")
    return value


def _wrong(number: int, line: str, why: str) -> FigureError:
    return FigureError(
        "rows", f"Line {number}, “{line.strip()[:40]}”, {why}.", fix="Type minutes or h:mm, volts, amps: 0:30 7.91 0.84"
    )
