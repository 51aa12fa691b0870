"""What is written into a unit's log: runs timed by hand, complaints, changes, notes, photographs."""

from __future__ import annotations

import io
import struct
from collections.abc import Collection, Mapping
from datetime import datetime
from pathlib import Path
from typing import get_args

from PIL import Image, UnidentifiedImageError

from briskcell.bounded import Bounded
from briskcell.core.log.culprit import ALSO, When
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
MOST_H, MOST_W, MOST_AH = 2000.0, 500.0, 1000.0
MOST_OF_PLAN = 5.0  # times what is planned: a draw a fifth of the plan's, past any doubt of it
ENDS = {
    "stop": "until it stopped by itself",
    "hand": "until it was switched off, not empty",
}
Run = tuple[float, bool]


def add_run(
    log: LogStore,
    unit_id: int,
    hours_text: str,
    end: str,
    words: str,
    at: str = "",
    planned_h: float | None = None,
    made_with: Mapping[str, str] | None = None,
) -> int:
    """A timed run from a full pack; ``planned_h`` is how long the plan says that it plays, ``made_with`` the pack it had. [h]

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
    return log.add(unit_id, "run", said[:2000], {"hours": hours, "ended": end == "stop"} | dict(made_with or {}), _moment(at))


STATES = {"play": "in play", "rest": "at rest, nothing played"}
OF_TEST = {"cell": "one cell", "pack": "the whole pack"}
LEFT_OUT = {"": "it counts", "use": "another use", "hand": "stopped by hand", "half": "not full", "meter": "a meter's fault"}


def add_whole(
    log: LogStore, unit_id: int, text: str, volts: str, state: str, at: str = "", made_with: Mapping[str, str] | None = None
) -> int:
    """A reading of the whole console at its pack: watts, or amps at its volts.

    Raises
    ------
    FigureError
        If it makes no sense.
    """
    unit = "A" if volts.strip() else "W"
    value = read(text, unit, "whole") * (read(volts, "V", "whole") if volts.strip() else 1.0)
    if not 0 < value <= MOST_W:
        raise FigureError("whole", f"A console of {value:g} W cannot be.", fix="Give watts, or amps with the pack's volts.")
    if state not in STATES:
        raise FigureError("whole", "What it did meanwhile is not said.", fix="Choose one.")
    about = {"watts": value, "state": state} | dict(made_with or {})
    return log.add(unit_id, "whole", f"{show(value, 'W')} out of the pack, {STATES[state]}", about, _moment(at))


def add_tested(log: LogStore, unit_id: int, text: str, of: str, at: str = "", made_with: Mapping[str, str] | None = None) -> int:
    """What a tester's counter showed of a cell, or of the whole pack.

    Raises
    ------
    FigureError
        If it makes no sense.
    """
    ah = read(text, "Ah", "tested")
    if not 0 < ah <= MOST_AH or of not in OF_TEST:
        raise FigureError("tested", f"{ah:g} Ah cannot be.", fix="Type it with its unit: 2890 mAh.")
    return log.add(
        unit_id,
        "tested",
        f"a tester showed {show(ah, 'Ah')} of {OF_TEST[of]}",
        {"ah": ah, "of": of} | dict(made_with or {}),
        _moment(at),
    )


def left_out(about: dict[str, object], why: str) -> dict[str, object]:
    """What is known of a run or an entry, with why it does not count; counted again where nothing is said."""
    if why not in LEFT_OUT:
        raise FigureError("left", "Why it does not count is not said.", fix="Choose one.")
    return {k: v for k, v in about.items() if k != "left_out"} | ({"left_out": LEFT_OUT[why]} if why else {})


def add_complaint(log: LogStore, plan: Plan, unit_id: int, when: str, what: str, words: str, also: Collection[str] = ()) -> int:
    """A complaint: when it fails, what, and what goes with it.

    Raises
    ------
    FigureError
        If it names no moment, or a part that is not there.
    """
    if when not in get_args(When):
        raise FigureError("when", "When it fails is not said.", fix="Choose one.")
    if what and what not in {p.id for p in plan.loads}:
        raise FigureError("when", "That part is not in the build any more.", fix="Choose another.")
    about = {"when": when, "what": what, "open": True, "also": [k for k in ALSO if k in also]}
    return log.add(unit_id, "complaint", words.strip()[:2000], about)


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
