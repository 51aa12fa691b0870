"""What templates use to show figures."""

from __future__ import annotations

from typing import get_args

from flask import Flask, request
from jinja2 import StrictUndefined
from markupsafe import Markup

from briskcell import __version__
from briskcell.drawing.svg import patterns_of_a_page
from briskcell.model.figure import GRADES, SHORT_GRADES
from briskcell.model.preference import CHOICES
from briskcell.model.terminals import Terminal
from briskcell.services.edits.field_names import option_name
from briskcell.services.moments import told

from .drawn import drawn
from .errors import slot_of
from .units import preferred, show, typed

TERMINAL_OPTIONS = {  # what a terminal may be said to be
    "role": [(o, option_name(o)) for o in get_args(Terminal.model_fields["role"].annotation)],
    "kind": [(o, option_name(o)) for o in get_args(Terminal.model_fields["kind"].annotation)],
    "polarity": [("+", "plus"), ("-", "minus"), ("", "neither")],
    "edge": [("", "not known"), *((o, o) for o in ("left", "right", "top", "bottom"))],
}


def share(value: float | str) -> float | str:
    """A share as people type it, in percent; whole numbers and words as they are."""
    return f"{value * 100:.6g} %" if isinstance(value, float) else value


def install(app: Flask) -> None:
    """Register filters and globals."""
    app.jinja_env.filters.update(
        drawn=drawn,
        share=share,
        show=show,
        told=told,
        typed=typed,
        slot=slot_of,
        grade=lambda g: GRADES.get(g, g),
        short_grade=lambda g: SHORT_GRADES.get(g, g),
    )
    app.jinja_env.globals.update(
        option=option_name,
        terminal_options=TERMINAL_OPTIONS,
        patterns=Markup(patterns_of_a_page()),
        version=__version__,
        grades=GRADES,
        preferred=preferred,
        unit_choices=CHOICES,
    )
    app.jinja_env.undefined = StrictUndefined
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True

    @app.context_processor
    def theme() -> dict[str, str]:
        wanted = request.cookies.get("theme", "")
        return {"theme": wanted if wanted in ("day", "dim") else "system"}
