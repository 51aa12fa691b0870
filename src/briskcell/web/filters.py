"""What templates use to show figures."""

from __future__ import annotations

from flask import Flask, request
from jinja2 import StrictUndefined

from briskcell import __version__
from briskcell.model.figure import GRADES
from briskcell.model.units import show, typed

from .errors import slot_of

SHORT_GRADES = {
    "measured": "measured",
    "sheet": "sheet",
    "typical": "typical",
    "guessed": "guess",
    "computed": "computed",
}


def install(app: Flask) -> None:
    """Register filters and globals."""
    app.jinja_env.filters.update(show=show, typed=typed, slot=slot_of, grade=lambda g: GRADES.get(g, g),
                                 short_grade=lambda g: SHORT_GRADES.get(g, g), change=change)  # fmt: skip
    app.jinja_env.globals.update(version=__version__, grades=GRADES)
    app.jinja_env.undefined = StrictUndefined
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True

    @app.context_processor
    def theme() -> dict[str, str]:
        wanted = request.cookies.get("theme", "")
        return {"theme": wanted if wanted in ("day", "dim") else "system"}


def change(value: float, unit: str) -> str:
    """A change with its sign: +0:21 for hours, −4 for points of a hundred."""
    sign = "+" if value > 0 else "−"
    if unit == "h":
        minutes = round(abs(value) * 60)
        return f"{sign}{minutes // 60}:{minutes % 60:02d}"
    if unit == "%":
        return f"{sign}{abs(value) * 100:.0f}"
    return f"{sign}{show(abs(value), unit)}"
