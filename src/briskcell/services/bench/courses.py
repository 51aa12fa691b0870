"""Runs as pages show them: how far one is, its course drawn small, what it comes to, and its news as it goes on."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from briskcell.core.bench.course import Totals, step_ohm, thinned, totals
from briskcell.store.runs import RunRow, RunStore

from .recording import Recorder

Run = RunRow  # what pages show of one


def share(test: dict[str, Any], rows: NDArray[np.float64]) -> float | None:
    """How far a run is, as far as its limits tell: of its time, or of the way of its volts to their end."""
    if not len(rows):
        return 0.0 if test.get("seconds") or test.get("below") else None
    done = [float(rows[-1, 0]) / test["seconds"]] if test.get("seconds") else []
    first, last, end = float(rows[0, 1]), float(rows[-1, 1]), test.get("below")
    if end is not None and np.isfinite(last) and first > end:
        done.append((first - last) / (first - end))
    return min(max(done), 1.0) if done else None


@dataclass(frozen=True, slots=True)
class Course:
    """A run as a page draws it: its readings, thinned series of plain figures, and what it comes to."""

    rows: NDArray[np.float64]
    series: list[dict[str, Any]]
    totals: Totals

    @property
    def step_ohm(self) -> float | None:
        """Resistance that the pack shows where its amps jump; None where nothing jumps. [Ω]"""
        return step_ohm(self.rows[:, 0], self.rows[:, 1], self.rows[:, 2])


def course_of(run: RunRow, store: RunStore, most: int = 600) -> Course:
    """A run, read once."""
    rows, series = store.rows(run.id), []
    for column, unit in ((1, "Ω" if run.about.get("quantity") == "ohms" else "V"), (2, "A")):
        t, v = thinned(rows[:, 0], rows[:, column], most)
        if len(t):
            series.append({"unit": unit, "t": t.tolist(), "v": v.tolist()})
    return Course(rows, series, totals(rows[:, 0], rows[:, 1], rows[:, 2]))


def stream(recorder: Recorder, store: RunStore, run_id: int, seen: int, until: float) -> Iterator[dict[str, Any]]:
    """News of a run until a moment: readings not seen yet, at most some hundred at a time, how far it is, whether the line is cut.

    Ends with the run.
    """
    while time.monotonic() < until:
        goes_on = recorder.runs(run_id)
        count = recorder.wait(run_id, seen, 1.0) if goes_on else store.count(run_id)
        rows = store.rows(run_id, seen)
        fresh = rows if len(rows) <= 400 else rows[_kept(rows)]
        run = store.get(run_id)
        if run is None:
            return
        seen = count
        cut = recorder.cut_for(run_id)
        yield {
            "seen": seen,
            "rows": [[None if not np.isfinite(v) else round(float(v), 6) for v in row[:3]] for row in fresh],
            "share": share(run.about, np.vstack([store.rows(run_id, 0, 1), rows[-1:]])) if len(rows) else None,
            "cut": None if cut is None else round(cut, 1),
            "state": "running" if goes_on else run.state,
            "words": "" if goes_on else run.words,
        }
        if not goes_on:
            return


def _kept(rows: NDArray[np.float64]) -> NDArray[np.intp]:
    """Some hundred rows with the extremes of their volts or amps."""
    column = 1 if np.isfinite(rows[:, 1]).any() else 2
    t, _ = thinned(rows[:, 0], rows[:, column], 300)
    return np.flatnonzero(np.isin(rows[:, 0], t))


def totals_of(store: RunStore, run_id: int) -> Totals:
    """What a run comes to."""
    rows = store.rows(run_id)
    return totals(rows[:, 0], rows[:, 1], rows[:, 2])
