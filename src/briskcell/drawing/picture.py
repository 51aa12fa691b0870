"""A drawing as dots, by a library that renders SVG itself; it asks nothing of the machine."""

from __future__ import annotations

from functools import cache
from importlib.resources import files

import resvg_py

from .shapes import Drawing
from .svg import document

DOTS = 2.0  # of a picture to a unit of its drawing
FACES = ("bench-400", "bench-600", "bench-mono-400", "bench-mono-600")


@cache
def _fonts() -> list[str]:
    return [str(files("briskcell.drawing").joinpath(f"fonts/{face}.ttf")) for face in FACES]


def png(drawing: Drawing) -> bytes:
    """The drawing as a PNG, with the fonts that ship, two dots to a unit."""
    return bytes(
        resvg_py.svg_to_bytes(
            svg_string=document(drawing),
            zoom=DOTS,
            skip_system_fonts=True,
            font_files=_fonts(),
            font_family="Bench",
            sans_serif_family="Bench",
            monospace_family="Bench Mono",
        )
    )
