"""The one writer of SVG: shapes as the markup of a page, or as a file that stands alone.

SVG 1.1 (W3C, 2011) and its styling by a style sheet within, chapter 6.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from functools import cache
from importlib.resources import files

from markupsafe import escape

from .patterns import patterns
from .shapes import Drawing, Shape, Value

Link = Callable[[str, str], str]  # what a thing is, and the look of its shape, to the attributes of a way there
MARGIN = 12.0  # round a drawing in a file
NOT_XML = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")  # XML 1.0, 2.2: what no name may leave as
# What few programs draw as browsers do, for files alone: a hatched line, and words over their own halo.
IN_FILES = (
    ".loss { stroke: var(--rust); opacity: 0.4; } "
    ".haloed text, .haloed .upon { stroke: none; } .haloed .halo { stroke: var(--paper); } "
    ".haloed .upon.halo { stroke: var(--chalk); }"
)


def markup(drawing: Drawing, link: Link | None = None, more: Mapping[str, Value] | None = None) -> str:
    """A drawing as a piece of a page, which brings the style.

    Parameters
    ----------
    drawing : Drawing
        What is drawn.
    link : callable, optional
        The attributes of the way to a thing, as markup. Without it nothing opens, and what serves the hand is left out.
    more : mapping, optional
        Further attributes of the whole.

    Returns
    -------
    str
        The element, as markup.
    """
    role = "group" if drawing.opening else "img"
    named = {"role": role, "aria-label": drawing.says} if drawing.says else {"aria-hidden": "true"}
    size = {"width": drawing.width} if drawing.sized else {}
    head = {"class": drawing.look, "viewBox": _box(drawing), **size, **named, **drawing.steers, **(more or {})}
    return f"<svg{_attributes(head)}>{''.join(_written(s, link) for s in drawing.shapes)}</svg>"


@cache
def patterns_of_a_page() -> str:
    """The patterns that shapes are filled with, for a page that has them once for all of its drawings."""
    return f'<svg width="0" height="0" class="patterns" aria-hidden="true">{_written(patterns(), None)}</svg>'


def document(drawing: Drawing) -> str:
    """A drawing as a file of its own, by daylight, with its style within and nothing that only a page needs."""
    box = _box(drawing, MARGIN)
    left, top, width, height = box.split(" ")
    paper = f'<rect class="ground-of-all" x="{left}" y="{top}" width="{width}" height="{height}"/>'
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<svg xmlns="http://www.w3.org/2000/svg" class="{escape(drawing.look)}" viewBox="{box}" width="{width}" height="{height}">'
        f"<title>{_plain(drawing.says)}</title><style>{daylight()}</style>{paper}"
        f"{_alone(patterns(), halo=False)}{''.join(_alone(s, halo='haloed' in drawing.look) for s in drawing.shapes)}</svg>\n"
    )


@cache
def daylight() -> str:
    """The style with its colours put in, as the daylight bench has them."""
    style = re.sub(r"/\*.*?\*/", "", files("briskcell.drawing").joinpath("style.css").read_text("utf-8"), flags=re.S)
    colours = dict(re.findall(r"(--[\w-]+): light-dark\(\s*([^,()]+),[^()]*\);", style))
    fonts = {"--font-sans": "Bench, Verdana, sans-serif", "--font-mono": "'Bench Mono', monospace"}
    rules = re.sub(r":root\s*\{[^}]*\}", "", style) + IN_FILES
    return " ".join(re.sub(r"var\((--[\w-]+)\)", lambda m: (colours | fonts)[m[1]], rules).split())


def _box(drawing: Drawing, margin: float = 0.0) -> str:
    at = drawing.left - margin, drawing.top - margin, drawing.width + 2 * margin, drawing.height + 2 * margin
    return " ".join(f"{v:.1f}".rstrip("0").rstrip(".") for v in at)


def _value(value: Value) -> str:
    return f"{value:.1f}".removesuffix(".0") if isinstance(value, float) else str(escape(value))


def _attributes(values: Mapping[str, Value]) -> str:
    return "".join(f' {name}="{_value(value)}"' for name, value in values.items())


def _plain(words: str) -> str:
    return str(escape(NOT_XML.sub("\ufffd", words)))


def _within(shape: Shape) -> Iterator[str]:
    if shape.title:
        yield f"<title>{_plain(shape.title)}</title>"
    if shape.words:
        yield _plain(shape.words)


def _written(shape: Shape, link: Link | None) -> str:
    if shape.hand and link is None:
        return ""
    inside = "".join((*_within(shape), *(_written(s, link) for s in shape.inside)))
    if shape.opens and link is not None:
        return f"<a {link(shape.opens, shape.look)}{_attributes(shape.steers)}>{inside}</a>"
    look = {"class": shape.look} if shape.look else {}
    return f"<{shape.tag}{_attributes({**look, **shape.at, **shape.steers})}>{inside}</{shape.tag}>"


def _alone(shape: Shape, *, halo: bool) -> str:
    if shape.hand or "hidden" in shape.steers:
        return ""
    inside = "".join((*_within(shape), *(_alone(s, halo=halo) for s in shape.inside)))
    look = {"class": shape.look} if shape.look else {}
    whole = f"<{shape.tag}{_attributes({**look, **shape.at})}>{inside}</{shape.tag}>"
    if shape.tag != "text" or not halo:
        return whole
    return f"<text{_attributes({'class': f'{shape.look} halo'.strip(), **shape.at})}>{inside}</text>{whole}"
