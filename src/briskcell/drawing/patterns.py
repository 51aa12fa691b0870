"""Patterns that drawings fill shapes with."""

from __future__ import annotations

from .shapes import Shape, Value, line, rect


def patterns() -> Shape:
    """Hatched, hot and broken, by the names that the style fills with."""
    return Shape(
        "defs",
        inside=(
            _pattern("hatch", 6, line("hatch-line", 0, 0, 0, 6), "rotate(45)"),
            _pattern("heat", 5, line("heat-line", 0, 0, 0, 5), "rotate(-45)"),
            _pattern("broken", 9, rect("broken-cell", 0, 0, 6, 9)),
        ),
    )


def _pattern(name: str, size: int, inside: Shape, turned: str = "") -> Shape:
    at: dict[str, Value] = {"id": name, "width": size, "height": size, "patternUnits": "userSpaceOnUse"}
    return Shape("pattern", at=at | ({"patternTransform": turned} if turned else {}), inside=(inside,))
