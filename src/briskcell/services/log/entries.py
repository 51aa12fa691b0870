"""What is written into a unit's log: runs timed by hand, complaints, changes, notes, photographs."""

from __future__ import annotations

import io
import struct
from datetime import datetime
from pathlib import Path
from typing import get_args

from PIL import Image, UnidentifiedImageError

from briskcell.bounded import Bounded
from briskcell.core.log.culprit import When
from briskcell.model.errors import FigureError
from briskcell.model.plan import Plan
from briskcell.model.units import read, show
from briskcell.services.moments import kept
from briskcell.store.log import LogStore

from .picture_chunks import chunks_fault

MOST_PHOTO = 8_000_000  # bytes
MOST_PIXELS = 60_000_000
FORMATS = {"JPEG": (".jpg", "image/jpeg"), "PNG": (".png", "image/png"), "WEBP": (".webp", "image/webp")}
UNREADABLE = (UnidentifiedImageError, OSError, SyntaxError, ValueError, MemoryError, struct.error, Image.DecompressionBombError)
MOST_H = 2000.0
MOST_OF_PLAN = 5.0  # times what is planned: a draw a fifth of the plan's, past any doubt of it
ENDS = {
    "stop": "until it stopped by itself",
    "hand": "until it was switched off, not empty",
}
Run = tuple[float, bool]


def add_run(
    log: LogStore, unit_id: int, hours_text: str, end: str, words: str, at: str = "", planned_h: float | None = None
) -> int:
    """A timed run from a full pack; ``planned_h`` is how long the plan says that it plays. [h]

    Raises
    ------
    FigureError
        If the hours make no sense, or no console plays so much longer than it is planned.
    """
    hours = read(hours_text, "h", "hours")
    if not 0 < hours <= MOST_H:
        raise FigureError("hours", f"A run of {hours:g} h cannot be.", fix=f"Give up to {MOST_H:g} h.")
    if planned_h and hours > MOST_OF_PLAN * planned_h:
        raise FigureError(
            "hours",
            f"{show(hours, 'h')}? The plan plays {show(planned_h, 'h')}, and no pack holds so much more.",
            fix="Type hours and minutes as 4h15; if it is so, the plan's draw or pack is another.",
        )
    if end not in ENDS:
        raise FigureError("hours", "How it ended is not said.", fix="Choose one.")
    said = f"played {show(hours, 'h')} from full, {ENDS[end]}" + (f": {words.strip()}" if words.strip() else "")
    return log.add(unit_id, "run", said[:2000], {"hours": hours, "ended": end == "stop"}, _moment(at))


def add_complaint(log: LogStore, plan: Plan, unit_id: int, when: str, what: str, words: str) -> int:
    """A complaint: when it fails, and what.

    Raises
    ------
    FigureError
        If it names no moment, or a part that is not there.
    """
    if when not in get_args(When):
        raise FigureError("when", "When it fails is not said.", fix="Choose one.")
    if what and what not in {p.id for p in plan.loads}:
        raise FigureError("when", "That part is not in the build any more.", fix="Choose another.")
    return log.add(unit_id, "complaint", words.strip()[:2000], {"when": when, "what": what, "open": True})


def add_note(log: LogStore, unit_id: int, words: str, at: str = "") -> int:
    """A change that was made, or anything else to remember.

    Raises
    ------
    FigureError
        If nothing was written.
    """
    if not words.strip():
        raise FigureError("words", "Nothing was written.", fix="Say what was changed, and why.")
    return log.add(unit_id, "change", words.strip()[:2000], {}, _moment(at))


def add_photo(log: LogStore, unit_id: int, path: Path, words: str) -> int:
    """A photograph that lies on the disk, kept as it came.

    Raises
    ------
    FigureError
        If it is none, or too large.
    """
    if (size := path.stat().st_size) > MOST_PHOTO:  # before any of it is in memory
        raise FigureError("photo", f"The picture has {size / 1e6:.1f} MB.", fix=f"Keep it below {MOST_PHOTO / 1e6:g} MB.")
    with path.open("rb") as file:
        body = Bounded(file.read, most=MOST_PHOTO).whole()
    if (wrong := chunks_fault(body)) is not None:
        raise FigureError("photo", f"That is no picture: {wrong}.", fix="Choose a JPEG, PNG or WebP.")
    try:
        with Image.open(io.BytesIO(body)) as picture:
            kind, wide = picture.format or "", picture.size
            picture.verify()
    except (
        UnidentifiedImageError,
        OSError,
        SyntaxError,
        ValueError,
        MemoryError,
        struct.error,
        Image.DecompressionBombError,
    ) as error:
        raise FigureError("photo", "That is no picture.", fix="Choose a JPEG, PNG or WebP.") from error
    if kind not in FORMATS or wide[0] * wide[1] > MOST_PIXELS:
        raise FigureError(
            "photo",
            f"That picture is {kind or 'unknown'}, {wide[0]} by {wide[1]}.",
            fix="Choose a JPEG, PNG or WebP of up to 60 megapixels.",
        )
    name = log.keep_photo(body, FORMATS[kind][0])
    return log.add(
        unit_id, "photo", words.strip()[:2000], {"type": FORMATS[kind][1], "width": wide[0], "height": wide[1]}, file=name
    )


def _moment(text: str) -> datetime | None:
    """A day and hour as a browser's field writes it; now where nothing was typed."""
    if not text.strip():
        return None
    try:
        return kept(datetime.fromisoformat(text.strip()))
    except ValueError as error:
        raise FigureError("at", f"“{text[:30]}” is no day.", fix="Write 2026-11-26 or 2026-11-26T14:30.") from error
