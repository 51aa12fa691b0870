"""Pages that are written without a server: their templates, and how those show figures."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Any

from jinja2 import Environment, PackageLoader, StrictUndefined
from markupsafe import Markup

from briskcell.drawing.shapes import Drawing
from briskcell.drawing.svg import document, markup, patterns_of_a_page
from briskcell.model.units import show
from briskcell.services.moments import told

STATIC = Path(__file__).parents[1] / "web" / "static"  # the styles, fonts and scripts that the pages share with the application's


@cache
def _templates(*, alone: bool) -> Environment:
    made = Environment(
        loader=PackageLoader("briskcell.exports"), autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )
    write = _with_style if alone else markup
    made.filters.update(show=show, told=told, drawn=lambda drawing: Markup(write(drawing)))
    made.globals["patterns"] = Markup(patterns_of_a_page())
    return made


def _with_style(drawing: Drawing) -> str:
    """A drawing for paper, where no style of the page reaches it."""
    return document(drawing).partition("?>")[2]


def page(template: str, *, alone: bool = False, **context: Any) -> str:
    """A page from its template; ``alone`` where its drawings bring their own style."""
    return _templates(alone=alone).get_template(template).render(**context)
