"""A cell's own curve typed or pasted as points: charge or time, volts and amps of one cell, from full to empty."""

from __future__ import annotations

import math
import re

import numpy as np
from numpy.typing import NDArray
from scipy.integrate import cumulative_trapezoid

from briskcell.core.pack.own_curve import own_curve, with_pulses
from briskcell.model.changes import altered, replaced
from briskcell.model.errors import FigureError
from briskcell.model.plan import Plan
from briskcell.model.stores import Cell, Pack
from briskcell.model.units import show
from briskcell.services.edits.values import Edit

MOST_LINES = 5000
TYPED = "points of a slow discharge, typed by the builder"
# What a column is called, and its scale to hours, amp-hours, volts or amperes.
COLUMNS: tuple[tuple[str, str, float], ...] = (
    ("ah", r"\bmah\b|milliamp.?hour", 1e-3),
    ("ah", r"\bah\b|amp.?hour|charge|capacity", 1.0),
    ("h", r"\bmin(ute)?s?\b", 1 / 60),
    ("h", r"\bs(ec(ond)?s?)?\b", 1 / 3600),
    ("h", r"\bh(our)?s?\b|time", 1.0),
    ("a", r"\bma\b|milliamp", 1e-3),
    ("a", r"\ba(mp(ere)?s?)?\b|curr", 1.0),
    ("v", r"\bmv\b|millivolt", 1e-3),
    ("v", r"\bv(olts?)?\b|volt", 1.0),
)


def give_curve(plan: Plan, pack_id: str, points: str, amps: float | None, pulses: str) -> Edit:
    """A pack's cells with the curve that was typed, and the resistances of pulses where those were typed as well.

    Raises
    ------
    FigureError
        If a line makes no sense, the points are no slow discharge from full, or the pack is made of unlike strings.
    """
    pack = plan.by_id.get(pack_id)
    if not isinstance(pack, Pack) or pack.strings:
        raise FigureError("curve", "One curve cannot stand for unlike strings.", fix="Give the pack cells of one kind first.")
    cell: Cell = pack.cell
    words = []
    if pulses.strip():
        rows = _rows(pulses, "pulses", ("share", "fast", "minute"))[1]
        soc = rows[:, 0] / (100.0 if rows[:, 0].max() > 1.0 else 1.0)
        order = np.argsort(soc)
        fast, minute = (rows[order, k] / 1000.0 for k in (1, 2))
        cell = with_pulses(cell, soc[order].tolist(), fast.tolist(), minute.tolist(), "pulses, read by the builder")
        words.append(f"{show(cell.resistance_ohm.likely, 'Ω')} at half full")
    if points.strip():
        ah, volts, drawn = _points(points, amps)
        found = own_curve(cell, ah, volts, drawn, TYPED)
        cell = found.cell
        words.append(f"a curve of {len(cell.ocv.soc)} points, {show(found.ah, 'Ah')} from full to empty")
    if not words:
        raise FigureError("curve", "Nothing was typed.", fix="Paste lines such as 0.5 3.98: amp-hours and volts.")
    return Edit(replaced(plan, altered(pack, cell=cell)), f"{pack.name}: its cells have {' and '.join(words)}, as measured")


def _points(text: str, amps: float | None) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64] | float]:
    names, rows = _rows(text, "curve", ("ah", "v", "a"))
    column = {n: rows[:, k] for k, n in enumerate(names)}
    if "v" not in column or not ({"ah", "h"} & column.keys()):
        raise FigureError(
            "curve", "A curve needs volts, and amp-hours or time.", fix="Name the columns in the first line, such as: h, V, A."
        )
    drawn: NDArray[np.float64] | float | None = np.abs(column["a"]) if "a" in column else amps
    if drawn is None:
        raise FigureError("curve-amps", "The current is missing.", fix="Type the amps that flowed, or give a third column.")
    if "ah" in column:
        return np.abs(column["ah"]), column["v"], drawn
    i = np.broadcast_to(np.asarray(drawn, dtype=float), column["h"].shape)
    return cumulative_trapezoid(i, column["h"], initial=0.0), column["v"], drawn


def _rows(text: str, slot: str, usual: tuple[str, ...]) -> tuple[tuple[str, ...], NDArray[np.float64]]:
    """The figures of pasted lines, and what each column is: by the first line where that has words, else as usual."""
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    if len(lines) > MOST_LINES:
        raise FigureError(slot, f"{len(lines)} lines are too many.", fix=f"Keep at most {MOST_LINES}: one a minute is plenty.")
    names, scales = usual, (1.0,) * len(usual)
    if lines and re.search(r"[A-Za-z]", lines[0]) and not re.search(r"(^|[\s;,])-?\d", lines[0]):
        heads = [h for h in re.split(r"[;,\t]\s*|\s{2,}", lines.pop(0)) if h]
        if slot == "curve":
            found = [next(((n, s) for n, words, s in COLUMNS if re.search(words, h.lower())), ("", 1.0)) for h in heads]
            names, scales = tuple(n for n, _ in found), tuple(s for _, s in found)
    rows = []
    for number, line in enumerate(lines, start=1):
        figures = _figures(line)
        if figures is None or len(figures) < 2:
            raise FigureError(slot, f"Line {number}, “{line[:40]}”, is not figures.", fix="Write each line like 0.5 3.98.")
        rows.append(figures)
    if not rows or len({len(r) for r in rows}) > 1:
        raise FigureError(slot, "The lines do not have the same number of figures.", fix="Give each line as many as the first.")
    width = len(rows[0])
    if width > len(names) or (slot == "pulses" and width != len(usual)):
        raise FigureError(slot, f"A line has {width} figures.", fix=f"Give {len(usual)} at most, or name the columns.")
    return names[:width], np.array(rows) * np.array(scales[:width])


def _figures(line: str) -> list[float] | None:
    """The figures of a line; None where one of them is none. A comma is a decimal sign where a semicolon or a tab parts them."""
    line = line.replace("%", " ")
    parts = re.split(r"[;\t]\s*" if ";" in line or "\t" in line else r"[,\s]+", line)
    parts = [p.strip().replace(",", ".") for p in parts if p.strip()]
    try:
        out = [float(p) for p in parts]
    except ValueError:
        return None
    return out if out and all(math.isfinite(x) for x in out) else None
