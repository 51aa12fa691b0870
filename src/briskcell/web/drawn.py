"""Drawings on a page: the ways to what they stand for are laid over their shapes here."""

from __future__ import annotations

import json
from urllib.parse import quote

from jinja2 import pass_context
from jinja2.runtime import Context
from markupsafe import Markup, escape

from briskcell.drawing.shapes import Drawing
from briskcell.drawing.svg import Link, markup


@pass_context
def drawn(context: Context, drawing: Drawing, **more: str) -> Markup:
    """A drawing as a piece of the page, with further attributes of the whole; what it stands for opens beside it."""
    own, query = context.get("own_url"), context.get("at_query")
    link = _links(own, query) if own is not None else None
    return Markup(markup(drawing, link, {name.replace("_", "-"): value for name, value in more.items()}))


def _links(own_url: str, at_query: str) -> Link:
    own, query = escape(own_url), escape(at_query)

    def link(key: str, look: str) -> str:
        vals = escape(json.dumps({"slip": key}))
        return (
            f'href="{own}?slip={quote(key)}&amp;{query}" class="{escape(look) or "part"}" hx-get="{own}" hx-vals="{vals}" '
            f'data-slip="{escape(key)}"'
        )

    return link
