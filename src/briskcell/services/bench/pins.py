"""Boards that nobody knows, kept in a unit's log: their pads, what was read on each, and where it lies on a photograph."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from dataclasses import dataclass

from briskcell.core.bench.pins import Ask, Guess, Pad, guess, next_ask
from briskcell.model.errors import FigureError
from briskcell.model.units import read
from briskcell.store.log import EntryRow, LogStore

KIND = "pins"
MOST_PADS, MOST_BOARDS = 48, 20
FED_V = 3.3
UNITS = {"shell_ohm": "Ω", "diode_v": "V", "volts": "V"}


@dataclass(frozen=True, slots=True)
class Found:
    """A pad with what it may be, and where it lies on the photograph, in hundredths of its width and height."""

    pad: Pad
    guess: Guess
    at: tuple[float, float] | None


@dataclass(frozen=True, slots=True)
class Unknown:
    """A board that nobody knows, as far as it was read."""

    entry: EntryRow
    name: str
    fed_v: float
    photo: int | None
    pads: tuple[Found, ...]
    next: Ask | None


def boards(log: LogStore, unit_id: int) -> tuple[Unknown, ...]:
    """Those of a unit, the newest first."""
    return tuple(_unknown(e) for e in log.of_unit(unit_id) if e.kind == KIND)


def begin(log: LogStore, unit_id: int, name: str, pads: str) -> int:
    """A new board by the names of its pads, as printed or numbered.

    Raises
    ------
    FigureError
        If it has no pads, or too many.
    """
    names = list(dict.fromkeys(n for n in (re.sub(r"[^\w+\-/]", "", p)[:20] for p in re.split(r"[\s,;]+", pads)) if n))
    if not 2 <= len(names) <= MOST_PADS:
        raise FigureError("pads", f"That is {len(names)} pads.", fix=f"Name 2 to {MOST_PADS}, as printed or numbered: 1 2 3 B+ B-.")
    if len(boards(log, unit_id)) >= MOST_BOARDS:
        raise FigureError("pads", f"A console has up to {MOST_BOARDS} such boards.", fix="Remove one from its log.")
    about = {"name": name.strip()[:80] or "Unknown board", "fed_v": FED_V, "pads": {n: {} for n in names}}
    return log.add(unit_id, KIND, f"pads of {about['name']}: {', '.join(names)}"[:400], about)


def change(log: LogStore, entry: EntryRow, form: Callable[[str], str]) -> None:
    """A reading of a pad, its place on the photograph, which photograph, or the volts that it is fed with.

    Raises
    ------
    FigureError
        If it makes no sense.
    """
    about = {**entry.about, "pads": {k: dict(v) for k, v in entry.about["pads"].items()}}
    pad, what = form("pad"), form("what")
    if form("do") == "photo":
        about["photo"] = int(form("photo")) if form("photo").isdigit() else None
    elif form("do") == "fed":
        about["fed_v"] = _within(read(form("fed"), "V", "fed"), 0.5, 30.0, "fed")
    elif pad not in about["pads"]:
        raise FigureError("pads", "The board has no such pad any more.", fix="Reload the page.")
    elif form("do") == "mark":
        about["pads"][pad] |= {"x": _share(form("x")), "y": _share(form("y"))}
    elif what in UNITS:
        slot = f"pin-{pad}-{what}"
        text = form(slot) or form("reading")
        about["pads"][pad][what] = -1.0 if re.fullmatch(r"\s*(ol|open)\s*", text, re.IGNORECASE) else read(text, UNITS[what], slot)
    log.note(entry.id, about)


def _within(value: float, low: float, high: float, slot: str) -> float:
    if not low <= value <= high:
        raise FigureError(slot, f"{value:g} V is no supply for an unknown board.", fix=f"Give {low:g} to {high:g} V.")
    return value


def _share(text: str) -> float:
    try:
        value = float(text)
    except ValueError as error:
        raise FigureError("pads", "That is no place on the photograph.", fix="Press on it, or give two numbers to 100.") from error
    if not 0 <= value <= 100:
        raise FigureError("pads", "That lies beside the photograph.", fix="Give 0 to 100.")
    return value


def _unknown(entry: EntryRow) -> Unknown:
    about = entry.about
    fed = float(about.get("fed_v", FED_V))
    found = []
    for name, kept in about["pads"].items():
        pad = Pad(name, **{k: math.inf if kept[k] == -1.0 else float(kept[k]) for k in UNITS if k in kept})
        at = (float(kept["x"]), float(kept["y"])) if "x" in kept else None
        found.append(Found(pad, guess(pad, fed), at))
    photo = about.get("photo")
    return Unknown(entry, about["name"], fed, photo, tuple(found), next_ask([f.pad for f in found], fed))
