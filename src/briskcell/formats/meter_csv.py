"""Meter logs as CSV of any reasonable layout: how one is laid out is recognised and can be corrected; rows are read as a stream."""

from __future__ import annotations

import csv
import itertools
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from datetime import datetime
from functools import lru_cache
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from briskcell.bounded import Bounded, BoundsError
from briskcell.model.errors import FigureError

Array = NDArray[np.float64]
Role = Literal["time", "volts", "amps", "watts", "celsius", "nothing"]
ROLES: tuple[Role, ...] = ("time", "volts", "amps", "watts", "celsius", "nothing")
HEAD_BYTES = 64_000  # looked at to recognise a layout
LONGEST_LINE = 20_000
MOST_BYTES = 500_000_000
MOST_COLUMNS = 64
CHUNK = 20_000  # rows read at once
STEP_S = 1.0  # between rows of a log without times
# Words of headers, as they stand on logs; the first that is found counts. Units behind them scale what is read.
NAMED: tuple[tuple[Role, str], ...] = (
    ("time", r"time|zeit|datum|date|stamp|elapsed|seconds|second|uhr|^t$|^s$|temps|hora|tid"),
    ("celsius", r"temp|°c|celsius|^c$"),
    ("watts", r"power|leistung|watt|puissance|^p$|^w$|effekt"),
    ("amps", r"curr|strom|amp|^i$|^a$|courant|corriente|str[øö]m|^ma$"),
    ("volts", r"volt|spann|^u$|^v$|tension|sp[äe]nn|^mv$"),
)
SCALES: tuple[tuple[Role, str, float], ...] = (
    ("volts", r"\bmv\b|millivolt", 1e-3),
    ("amps", r"\bma\b|milliamp", 1e-3),
    ("amps", r"\bµa\b|\bua\b|microamp", 1e-6),
    ("watts", r"\bmw\b|milliwatt", 1e-3),
    ("time", r"\bms\b|millisec", 1e-3),
    ("time", r"\bmin(ute)?s?\b", 60.0),
    ("time", r"\bh(ours?|rs?)?\b", 3600.0),
)
DAYS = ("%Y-%m-%d", "%d.%m.%Y", "%d/%m/%Y", "%m/%d/%Y", "%Y/%m/%d", "%d-%m-%Y", "%d.%m.%y")
STAMP = re.compile(r"(\d{1,4}[-./]\d{1,2}[-./]\d{1,4})(?:\s+|T)([\d:.,]{4,18})\s*(Z|[+-]\d\d:?\d\d)?")
CLOCK = re.compile(r"(?:(\d{1,6})(?:\s*[dD]\s*|:(?=\d{1,4}:\d{2}:)))?(\d{1,4}):(\d{2})(?::(\d{2}(?:[.,]\d{1,9})?))?")
LONGEST_FIGURE = 40  # characters of a figure or a time
ENCODINGS = ("utf-8-sig", "cp1252")


@dataclass(frozen=True, slots=True)
class Column:
    """A column: its header, what it is, and by how much its figures are multiplied."""

    name: str
    role: Role
    scale: float = 1.0


@dataclass(frozen=True, slots=True)
class Layout:
    """How a log is laid out. ``skip`` lines come before the first row of figures; ``turned`` turns the sign of amps."""

    encoding: str
    delimiter: str
    decimal: str
    skip: int
    columns: tuple[Column, ...]
    turned: bool = False

    @property
    def signature(self) -> str:
        """What files of the same kind have in common."""
        return f"{self.delimiter}|{'|'.join(c.name for c in self.columns)}"[:400]

    def document(self) -> dict[str, Any]:
        """As it is kept."""
        return {"decimal": self.decimal, "turned": self.turned, "columns": [[c.role, c.scale] for c in self.columns]}

    def with_document(self, kept: dict[str, Any]) -> Layout:
        """The same layout with what was corrected for the last file of its kind."""
        columns = tuple(
            replace(c, role=role, scale=float(scale)) for c, (role, scale) in zip(self.columns, kept["columns"], strict=False)
        )
        return replace(self, decimal=kept["decimal"], turned=bool(kept["turned"]), columns=columns)


def _wrong(words: str, fix: str) -> FigureError:
    return FigureError("log", words, fix=fix)


def recognise(head: bytes) -> Layout:
    """How a log is laid out, from its first bytes.

    Raises
    ------
    FigureError
        If it is empty, no text, or holds no rows of figures.
    """
    if not head.strip():
        raise _wrong("The file is empty.", "Export the log again.")
    if b"\x00" in head[:4000]:
        if head[:2] in (b"\xff\xfe", b"\xfe\xff"):
            return _of_text(head[: len(head) // 2 * 2].decode("utf-16", "ignore"), "utf-16", whole=len(head) < HEAD_BYTES)
        raise _wrong("The file is no text: a spreadsheet's own format, perhaps.", "Save it as CSV.")
    for encoding in ENCODINGS:
        try:
            text = head.decode(encoding)
        except UnicodeDecodeError as error:
            if encoding == "utf-8-sig" and error.start >= len(head) - 4 and len(head) >= HEAD_BYTES:
                text = head[: error.start].decode(encoding)  # a letter was cut in two
            else:
                continue
        return _of_text(text, encoding, whole=len(head) < HEAD_BYTES)
    raise _wrong("The file's letters cannot be read.", "Save it as UTF-8.")


def _of_text(text: str, encoding: str, *, whole: bool) -> Layout:
    lines = text.splitlines()
    lines = lines if whole or len(lines) < 2 else lines[:-1]  # the last may be cut
    if max(map(len, lines), default=0) > LONGEST_LINE:
        raise _wrong("A line of the file has more than 20 000 characters.", "Is it a log? Export one row a reading.")
    best: tuple[int, int, str, str] | None = None
    for delimiter, decimal in itertools.product(("\t", ";", ",", "|", " "), (".", ",")):
        if delimiter == decimal:
            continue
        counts = [_figures(_split(line, delimiter), decimal) for line in lines[:400]]
        whole_rows = [n for n in counts if n]
        if not whole_rows:
            continue
        usual = max(set(whole_rows), key=whole_rows.count)
        score = whole_rows.count(usual), usual
        if best is None or score > best[:2]:
            best = (*score, delimiter, decimal)
    if best is None or best[0] < 1 or (best[1] < 2 and best[0] < 2):
        raise _wrong("There are no rows of figures in it.", "A log has a row a reading: time, volts, amps.")
    _, usual, delimiter, decimal = best
    first = next(k for k, line in enumerate(lines) if _figures(_split(line, delimiter), decimal) == usual)
    row = _split(lines[first], delimiter)
    if len(row) > MOST_COLUMNS:
        raise _wrong(f"It has {len(row)} columns.", f"Export up to {MOST_COLUMNS}.")
    names = _header(lines[:first], delimiter, len(row))
    columns = _roles(names, row, decimal)
    at = next((k for k, c in enumerate(columns) if c.role == "amps"), None)
    signs = [
        _number(f[at], decimal) or 0.0
        for f in (_split(x, delimiter) for x in lines[first : first + 200])
        if at is not None and len(f) > at
    ]
    turned = bool(signs) and max(signs) <= 0.0 and min(signs) < 0.0  # out of the pack is negative there
    return Layout(encoding, delimiter, decimal, first, columns, turned)


def _split(line: str, delimiter: str) -> list[str]:
    if delimiter == " ":
        return line.split()
    return [f.strip() for f in next(csv.reader([line], delimiter=delimiter), [])]


def _figures(fields: list[str], decimal: str) -> int:
    """How many fields a row has, where all of them are figures, times or nothing; 0 for any other line."""
    known = sum(1 for f in fields if f and _is_known(f, decimal))
    return len(fields) if known and all(not f or _is_known(f, decimal) for f in fields) else 0


def _is_known(text: str, decimal: str) -> bool:
    return _number(text, decimal) is not None or _moment(text) is not None


def _number(text: str, decimal: str) -> float | None:
    other = "." if decimal == "," else ","
    if other in text or len(text) > LONGEST_FIGURE:
        return None
    try:
        return float(text.replace(decimal, "."))
    except ValueError:
        return None


def _moment(text: str) -> float | None:
    """Seconds that a time says: h:mm:ss from midnight or a start, or a day's stamp; with its zone, where it names one, in UTC."""
    if len(text) > LONGEST_FIGURE:
        return None
    if clock := CLOCK.fullmatch(text):
        return _clock(clock)
    if stamp := STAMP.fullmatch(text):
        day, clock = _day(stamp[1]), CLOCK.fullmatch(stamp[2])
        return day + _clock(clock) - _zone(stamp[3]) if day is not None and clock else None
    return None


def _zone(text: str | None) -> float:
    """Seconds that a zone is ahead of UTC; none where none is named."""
    if not text or text == "Z":
        return 0.0
    hours, minutes = int(text[1:3]), int(text[-2:])
    return (hours * 3600.0 + minutes * 60.0) * (-1.0 if text[0] == "-" else 1.0)


def _clock(found: re.Match[str]) -> float:
    days, hours, minutes, seconds = found.groups()
    more = float(seconds.replace(",", ".")) if seconds else 0.0
    return (int(days) * 86_400 if days else 0) + int(hours) * 3600 + int(minutes) * 60 + more


@lru_cache(maxsize=4096)
def _day(text: str) -> float | None:
    """Seconds to the begin of a day. Differences alone are used, so which year zero is does not matter."""
    for form in DAYS:
        try:
            return float(datetime.strptime(text, form).toordinal() * 86_400)
        except ValueError:
            continue
    return None


def _header(lines: list[str], delimiter: str, count: int) -> list[str]:
    for line in reversed(lines):
        fields = _split(line, delimiter)
        if len(fields) == count and any(f for f in fields):
            return [f[:60] for f in fields]
    return [f"column {k + 1}" for k in range(count)]


def _roles(names: list[str], row: list[str], decimal: str) -> tuple[Column, ...]:
    taken: set[Role] = set()
    out = []
    for name, field in zip(names, row, strict=True):
        low = name.casefold()
        bare = re.split(r"[\[(/_]", low)[0].strip() or low
        role: Role = next((r for r, words in NAMED if r not in taken and re.search(words, bare)), "nothing")
        if role == "nothing":
            role = next((r for r, words in NAMED if r not in taken and re.search(words, low)), "nothing")
        if role != "time" and "time" not in taken and _number(field, decimal) is None and _moment(field) is not None:
            role = "time"
        if re.search(r"mah|\bwh\b|mwh|\bah\b|capacity|kapazit", low):
            role = "nothing"  # a sum that the meter made
        if role != "nothing":
            taken.add(role)
        scale = next((s for r, words, s in SCALES if r == role and re.search(words, low)), 1.0)
        out.append(Column(name, role, scale))
    if all(c.name.startswith("column ") for c in out) and not taken - {"time"}:
        # No header: by custom time comes first, then volts, then amps.
        first = 0 if not taken else next(k for k, c in enumerate(out) if c.role == "time") + 1
        order: list[Role] = ["time", "volts", "amps"] if not taken and len(out) > 2 else ["volts", "amps"]
        for k, role in zip(range(first, len(out)), order, strict=False):
            out[k] = replace(out[k], role=role)
    return tuple(out)


def preview(head: bytes, layout: Layout, count: int = 6) -> list[list[str]]:
    """The first rows of figures, as they stand in the file."""
    lines = head.decode(layout.encoding, "ignore").splitlines()[layout.skip : layout.skip + count]
    return [_split(line, layout.delimiter)[: len(layout.columns)] for line in lines]


def read_log(path: Path, layout: Layout) -> Iterator[Array]:
    """Rows of a log in chunks.

    Parameters
    ----------
    path : Path
        The file.
    layout : Layout
        How it is laid out.

    Yields
    ------
    ndarray, shape (n, 4)
        Seconds from the first row, volts, amps, degrees; nan where there is no column of it.

    Raises
    ------
    FigureError
        At the first line that makes no sense, with its number.
    """
    roles = [c.role for c in layout.columns]
    for role in ("time", "volts", "amps", "watts", "celsius"):
        if roles.count(role) > 1:
            raise _wrong(f"Two columns are said to be {role}.", "Choose one of them, and set the other to nothing.")
    if not {"volts", "amps", "watts", "celsius"} & set(roles):
        raise _wrong("No column is said to be volts, amps, watts or degrees.", "Say below what the columns are.")
    start: float | None = None
    last, done = -np.inf, 0
    for first, rows in _bounded(path, layout):
        made = _figures_of(rows, first, layout, done)
        start = float(made[0, 0]) if start is None else start
        made[:, 0] -= start
        falls = np.flatnonzero(np.diff(np.concatenate([[last], made[:, 0]])) < 0)
        if falls.size:
            line = first + int(falls[0])
            raise _wrong(
                f"Line {line}: its time is before that of the line above.", "Sort the log by time, or cut it where it starts anew."
            )
        last, done = float(made[-1, 0]), done + len(made)
        yield made
    if start is None:
        raise _wrong("There are no rows of figures in it.", "A log has a row a reading: time, volts, amps.")


def _bounded(path: Path, layout: Layout) -> Iterator[tuple[int, list[list[str]]]]:
    try:
        yield from _chunks(path, layout)
    except BoundsError as error:
        raise _wrong(f"The file {error}.", "Is it a log? Export one row a reading.") from error
    except csv.Error as error:
        raise _wrong(f"The file is no CSV: {error}.", "Export the log again, one row a reading.") from error


def _chunks(path: Path, layout: Layout) -> Iterator[tuple[int, list[list[str]]]]:
    """Rows as fields, some thousand at a time, with the line number of the first."""
    with path.open("rb") as file:
        whole = Bounded(file.read, most=MOST_BYTES, longest_line=LONGEST_LINE).text_lines(layout.encoding)
        lines: Iterable[str] = itertools.islice(whole, layout.skip, None)
        if layout.delimiter == " ":
            rows: Iterator[list[str]] = (line.split() for line in lines)
        else:
            rows = csv.reader(lines, delimiter=layout.delimiter)
        at = layout.skip + 1
        while chunk := list(itertools.islice(rows, CHUNK)):
            kept = [r for r in chunk if any(r)]
            if len(kept) != len(chunk) and chunk.index(next((r for r in chunk if not any(r)), [])) < len(kept):
                kept = _without_gaps(chunk, at)
            if kept:
                yield at, kept
            at += len(chunk)


def _without_gaps(chunk: list[list[str]], at: int) -> list[list[str]]:
    """Empty lines are passed over at the end alone: in the middle a log was cut, and what follows may be another."""
    last = max((k for k, r in enumerate(chunk) if any(r)), default=-1)
    for k, row in enumerate(chunk[: last + 1]):
        if not any(row):
            raise _wrong(f"Line {at + k} is empty, and rows follow it.", "Two logs in one file? Import them one by one.")
    return chunk[: last + 1]


def _figures_of(rows: list[list[str]], first: int, layout: Layout, done: int) -> Array:
    width, out = len(layout.columns), np.full((len(rows), 4), np.nan)
    for k, row in enumerate(rows):
        if len(row) != width:
            fix = "Is it cut off, or is there text at the end? Take that line out."
            raise _wrong(f"Line {first + k} has {len(row)} fields, the first rows have {width}.", fix)
    watts: Array | None = None
    out[:, 0] = (np.arange(len(rows)) + done) * STEP_S
    for c, column in enumerate(layout.columns):
        if column.role == "nothing":
            continue
        fields = [r[c] for r in rows]
        values = (_times(fields, first, layout) if column.role == "time" else _numbers(fields, first, layout)) * column.scale
        if column.role == "watts":
            watts = values
        else:
            out[:, {"time": 0, "volts": 1, "amps": 2, "celsius": 3}[column.role]] = values
    if watts is not None and not np.isfinite(out[:, 2]).any():
        out[:, 2] = watts / np.where(out[:, 1] > 0, out[:, 1], np.nan)
    if layout.turned:
        out[:, 2] = -out[:, 2]
    return out


def _plain(fields: list[str]) -> Array | None:
    """A column of figures as programs write them, all at once; None where one of them is anything else, or missing."""
    try:
        found = np.fromiter(map(float, fields), np.float64, len(fields))
    except ValueError:
        return None
    return found if np.isfinite(found).all() and "_" not in "".join(fields) else None


def _numbers(fields: list[str], first: int, layout: Layout) -> Array:
    if layout.decimal == "." and (plain := _plain(fields)) is not None:
        return plain
    texts = [f.strip().replace(",", ".") if "." not in f else "x" for f in fields] if layout.decimal == "," else fields
    try:
        found = np.array([t or "nan" for t in texts]).astype(np.float64)
    except ValueError:
        k = next(k for k, t in enumerate(fields) if t.strip() and _number(t.strip(), layout.decimal) is None)
        raise _wrong(
            f"Line {first + k}: “{fields[k].strip()[:30]}” is no figure.", "Take that line out, or set the column to nothing."
        ) from None
    if not np.isfinite(found[[bool(f.strip()) for f in fields]]).all():
        k = next(k for k, v in enumerate(found) if fields[k].strip() and not np.isfinite(v))
        raise _wrong(
            f"Line {first + k}: “{fields[k].strip()[:30]}” is no figure.", "Take that line out, or set the column to nothing."
        )
    return np.asarray(found)


def _times(fields: list[str], first: int, layout: Layout) -> Array:
    if _number(fields[0].strip(), layout.decimal) is not None:
        return _numbers(fields, first, layout)
    if len(fields[0].split(":")) == 3 and (clocks := _clocks(fields)) is not None:
        return clocks
    out = np.empty(len(fields))
    for k, text in enumerate(fields):
        found = _moment(text.strip())
        if found is None:
            raise _wrong(
                f"Line {first + k}: “{text.strip()[:30]}” is no time.", "Take that line out, or set the column to nothing."
            )
        out[k] = found
    return out


def _clocks(fields: list[str]) -> Array | None:
    """Seconds of a column of h:mm:ss, all at once; None where one of them is written otherwise."""
    if any(f.count(":") != 2 for f in fields):
        return None
    flat = _plain(":".join(fields).replace(",", ".").split(":"))
    if flat is None:
        return None
    parts = flat.reshape(-1, 3)
    whole = bool((parts >= 0).all() and (parts[:, 1:] < 60).all())
    return np.asarray(parts @ np.array([3600.0, 60.0, 1.0])) if whole else None
