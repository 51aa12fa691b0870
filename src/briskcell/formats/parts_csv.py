"""Parts that draw current as CSV, in and out: one row a part, a bench's own table of what it measured."""

from __future__ import annotations

import csv
import io
import re
import unicodedata
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from pydantic import ValidationError

from briskcell.model.errors import FigureError, PlanError
from briskcell.model.figure import GRADES, Figure, Grade, read_figure
from briskcell.model.parts import STATES, CurrentStates, Load, PowerStates, Window
from briskcell.model.plan import Plan
from briskcell.model.tree import named_feeder
from briskcell.model.units import read, typed

COLUMNS = ("name", *STATES, "least_v", "most_v", "hangs_on", "grade", "source")
MARKS = {",": "commas", ";": "semicolons", "\t": "tabs"}
MOST_ROWS, MOST_BYTES = 100, 200_000
# What people head their columns with, besides the names above.
ALSO = {
    "part": "name",
    "idle": "rest",
    "typical": "play",
    "max": "peak",
    "min_v": "least_v",
    "max_v": "most_v",
    "rail": "hangs_on",
    "vmin": "least_v",
    "vmax": "most_v",
    "how": "grade",
    "at_rest": "rest",
    "in_play": "play",
    "at_the_peak": "peak",
    "power_at_rest": "rest",
    "power_in_play": "play",
    "power_at_the_peak": "peak",
    "current_in_play": "play",
    "least_volts": "least_v",
    "most_volts": "most_v",
    "how_it_is_known": "grade",
    "known": "grade",
}


@dataclass(frozen=True, slots=True)
class CsvRow:
    """One line as read: the part it makes and what feeds it, or why it makes none, with its words to be mended."""

    line: int
    name: str
    load: Load | None
    hangs_on: str
    problem: str = ""
    text: str = ""


def read_parts(text: str) -> list[CsvRow]:
    """Read a table of parts; commas, semicolons or tabs, with or without a byte-order mark.

    Figures are as people type them: ``1.2 W``, ``240 mA``, ``1.0..1.6 W``; a bare number is in watts. A missing rest is a
    tenth of play, a missing peak 1.5 times it, and both are guesses.

    Raises
    ------
    FigureError
        If it is no table of parts at all.
    """
    if len(text.encode()) > MOST_BYTES:
        raise FigureError("csv", "The table is larger than 200 kB.", fix="Send the parts alone.")
    text = text.lstrip("\ufeff").strip()
    if not text:
        raise FigureError("csv", "Nothing was pasted or chosen.", fix="Paste a table whose first line names its columns.")
    delimiter = parted_by(text)
    rows = _rows(text, delimiter)
    names = [re.sub(r"\W+", "_", c.strip().lower()).strip("_") for c in rows[0]]
    names = [ALSO.get(n, n) for n in names]
    if "name" not in names or "play" not in names:
        raise FigureError("csv", "The first line names no columns “name” and “play”.", fix=f"Head it with {', '.join(COLUMNS)}.")
    filled = [(k, r) for k, r in enumerate(rows[1:], 2) if any(c.strip() for c in r)]
    if len(filled) > MOST_ROWS:
        raise FigureError("csv", f"The table has {len(filled)} parts.", fix=f"Send up to {MOST_ROWS} at once.")
    return [replace(_row(k, names, [c.strip() for c in r], delimiter), text=_joined([r], delimiter)) for k, r in filled]


def mended(text: str, lines: Mapping[int, str]) -> str:
    """A table with some of its lines typed anew.

    Parameters
    ----------
    text : str
        The table.
    lines : mapping of int to str
        New words of lines, counted as ``CsvRow.line`` is.

    Returns
    -------
    str
        The table, parted by the same mark; as it was where no line is given.
    """
    if not lines or not text.strip():
        return text
    text = text.lstrip("\ufeff").strip()
    delimiter = parted_by(text)
    rows = _rows(text, delimiter)
    for line, words in lines.items():
        if 1 < line <= len(rows):
            rows[line - 1] = next(iter(_rows(words, delimiter)), [])
    return _joined(rows, delimiter)


def _rows(text: str, delimiter: str) -> list[list[str]]:
    try:
        return list(csv.reader(io.StringIO(text), delimiter=delimiter))
    except csv.Error as error:
        raise FigureError("csv", f"This is no table: {error}.", fix="Save it as CSV again.") from error


def _joined(rows: Iterable[list[str]], delimiter: str) -> str:
    out = io.StringIO()
    csv.writer(out, delimiter=delimiter, lineterminator="\n").writerows(rows)
    return out.getvalue().rstrip("\n")


def parted_by(text: str) -> str:
    """The mark that parts a table's cells, by its first line."""
    return max(",;\t", key=text.lstrip("\ufeff").strip().splitlines()[0].count)


def _row(line: int, names: list[str], found: list[str], delimiter: str) -> CsvRow:
    cells = dict(zip(names, found, strict=False))
    name = cells.get("name", "")
    if any(found[len(names) :]):
        quotes = "; a figure with a decimal comma has to stand in quotes" if delimiter == "," else ""
        words = f"This line has {len(found)} cells, the first line {len(names)}. The table is parted by {MARKS[delimiter]}{quotes}."
        return CsvRow(line, name, None, "", words)
    try:
        return CsvRow(line, name, _load(line, name, cells), cells.get("hangs_on", ""))
    except FigureError as error:
        return CsvRow(line, name, None, "", f"{error.field}: {error.message} {error.fix}".strip(": "))
    except ValidationError as error:
        return CsvRow(line, name, None, "", str(PlanError.from_validation(error).problems[0]))


def _load(line: int, name: str, cells: dict[str, str]) -> Load:
    known: dict[str, Grade] = {"measured": "measured", "sheet": "sheet", "typical": "typical", "guessed": "guessed", "": "guessed"}
    grade = known.get(cells.get("grade", "").lower())
    if grade is None:
        raise FigureError("grade", f"“{cells['grade']}” is no way of knowing.", fix=f"Use one of {', '.join(GRADES)}.")
    source = cells.get("source", "")
    if grade != "guessed" and not source:
        raise FigureError("source", f"A figure that is {GRADES[grade]} needs its source.", fix="Fill the column source.")
    unit = "A" if re.search(r"\d\s*(m|u|µ)?a\s*$", cells.get("play", ""), re.IGNORECASE) else "W"
    play = _figure(cells.get("play", ""), unit, "play", grade, source)
    rest, peak = cells.get("rest", ""), cells.get("peak", "")
    states = {
        "rest": _figure(rest, unit, "rest", grade, source) if rest else play.at(0.1 * play.likely, source="a tenth of play"),
        "play": play,
        "peak": _figure(peak, unit, "peak", grade, source) if peak else play.at(1.5 * play.likely, source="1.5 times play"),
    }
    low, high = (read(cells.get(c) or d, "V", c) for c, d in (("least_v", "4.75"), ("most_v", "5.25")))
    drawn = {"power_w": PowerStates.model_validate(states)} if unit == "W" else {"current_a": CurrentStates.model_validate(states)}
    return Load.model_validate(
        {
            "id": f"csv-{line}",
            "name": name,
            "fed_by": "nowhere",
            **drawn,
            "window": Window(low_v=low, high_v=high, source=source or "table of parts"),
        }
    )


def _figure(text: str, unit: str, field: str, grade: Grade, source: str) -> Figure:
    found = read_figure(text, unit, field, grade=grade, source=source or "table of parts")
    if found.low < 0:
        raise FigureError(field, "A part draws nothing, or something.", fix="Type it like 1.2 W.")
    return found


def write_parts(plan: Plan) -> bytes:
    """The parts of a plan that draw current as such a table; those that show a resistance are left out."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    for load in plan.loads:
        unit = {"power_w": "W", "current_a": "A"}.get(load.kind)
        if unit is None:
            continue
        figures = [getattr(load.draw, s) for s in STATES]
        shown = ["..".join(typed(v, unit) for v in (f.low, f.likely, f.high)) for f in figures]
        play = load.draw.play
        cells = [
            load.name,
            *shown,
            f"{load.window.low_v} V",
            f"{load.window.high_v} V",
            named_feeder(plan, load).name,
            play.grade,
            play.source,
        ]
        writer.writerow([as_words(c) for c in cells])
    return out.getvalue().encode("utf-8-sig")


def as_words(cell: str) -> str:
    """A cell that no spreadsheet takes for a formula: one that begins with a sign gets a quote before it.

    Signs of full width count, and so do those behind letters that are not seen.
    """
    seen = "".join(c for c in unicodedata.normalize("NFKC", cell) if unicodedata.category(c)[0] not in "CZ")
    return f"'{cell}" if seen[:1] in tuple("=+-@|") or cell[:1] in ("\t", "\r", "\n") else cell
