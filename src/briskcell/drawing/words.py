"""How wide words are drawn, by the advances of the shipped font, and words cut or wrapped to a width."""

from __future__ import annotations

import json
from functools import cache
from importlib.resources import files

USUAL_SIZE = 13.0
WIDEST_EM = 1.0  # of a glyph that the font lacks and the system lends


@cache
def _advances() -> dict[str, float]:
    """Advance of each glyph of the regular face, in em; made with the fonts by ``make assets``."""
    found: dict[str, float] = json.loads(files("briskcell.drawing").joinpath("advances.json").read_text("utf-8"))
    return found


def wide(words: str, size: float = USUAL_SIZE) -> float:
    """How wide words are drawn at a size, without kerning, which only draws letters together."""
    known = _advances()
    return size * sum(known.get(c, WIDEST_EM) for c in words)


def short(words: str, room: float, size: float = USUAL_SIZE) -> str:
    """The words, cut to a width with an ellipsis."""
    if wide(words, size) <= room:
        return words
    while words and wide(words + "…", size) > room:
        words = words[:-1]
    return words.rstrip(" ,") + "…"


def wrapped(words: str, room: float, most: int) -> tuple[str, ...]:
    """The words on at most so many lines of a width."""
    lines: list[str] = []
    for word in words.split():
        if lines and wide(f"{lines[-1]} {word}") <= room:
            lines[-1] += f" {word}"
        else:
            lines.append(word)
    if len(lines) > most:
        lines = [*lines[: most - 1], " ".join(lines[most - 1 :])]
    return tuple(short(line, room) for line in lines)
