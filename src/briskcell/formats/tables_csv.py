"""Wires and curves as tables; cells that a spreadsheet would run are written as words."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence

from briskcell.core.assess import Assessment
from briskcell.core.day.course import DayCourse
from briskcell.formats.parts_csv import as_words
from briskcell.model.parts import STATES


def _table(head: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(head)
    for row in rows:
        writer.writerow([as_words(c) if isinstance(c, str) else "" if c is None else c for c in row])
    return out.getvalue()


def write_wires(assessed: Assessment) -> str:
    """Every piece of wire to cut, with what flows in it at the peak and what that drops and warms."""
    checks = {c.link.id: c for c in assessed.links}
    rows = []
    for piece in assessed.pieces:
        c, link = checks.get(piece.link.id), piece.link
        known: tuple[float | None, ...] = (c.amps, c.drop_v, c.rise_k) if c else (None, None, None)
        figures = [None if v is None else round(v, 5) for v in known]
        size = (link.awg, link.section_mm2, round(piece.length_m, 4))
        rows.append((link.name, piece.near, piece.far, piece.colour, *size, *figures))
    head = ("wire", "from", "to", "colour", "awg", "section_mm2", "length_m", "peak_a", "drop_v", "rise_k")
    return _table(head, rows)


def write_curves(assessed: Assessment) -> str:
    """Every store from full to empty: volts and amperes at rest, in play and at the peak, and the hours of play until there.

    Nothing is written where a draw cannot be carried.
    """
    op, rows = assessed.op, []
    for k, store in enumerate(assessed.plan.stores):
        volts, amps, lost = op.flow.store_v(k), op.flow.store_a(k), op.flow.lost[..., k]
        hours = assessed.runtimes[k].elapsed_h if assessed.runtimes[k].hours is not None else None
        for n, soc in enumerate(op.soc):
            figures = [None if lost[s, n] else round(float(t[s, n]), 5) for t in (volts, amps) for s in range(len(STATES))]
            rows.append((store.name, round(float(soc), 4), *figures, round(float(hours[n]), 4) if hours is not None else None))
    columns = (f"{what}_{state}" for what in ("volts", "amps") for state in STATES)
    return _table(("store", "charge", *columns, "hours"), rows)


def write_day(found: DayCourse) -> str:
    """A day lived through: the store's charge and volts, the case, and whether the console is on, at every step."""
    columns = zip(found.time_s, found.soc, found.store_v, found.case_c, found.on, strict=True)
    rows = ([round(float(t), 1), *(round(float(v), 5) for v in rest), int(on)] for t, *rest, on in columns)
    return _table(("seconds", "charge", "store_v", "case_c", "on"), rows)
