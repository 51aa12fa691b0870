"""What a drawing is made of: shapes with their place and their look by name. Who shows it decides what they open."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

Value = float | str


@dataclass(frozen=True, slots=True)
class Shape:
    """One mark: its SVG element, its place, and its look by the names of ``style.css``.

    ``opens`` names what it stands for, as ``part:fuse``: a page makes a way there of it. ``steers`` is what scripts and readers of
    a page ask. What serves the ``hand`` alone is in no file.
    """

    tag: str
    look: str = ""
    at: Mapping[str, Value] = field(default_factory=dict)
    words: str = ""
    title: str = ""
    inside: tuple[Shape, ...] = ()
    opens: str = ""
    steers: Mapping[str, Value] = field(default_factory=dict)
    hand: bool = False


@dataclass(frozen=True, slots=True)
class Drawing:
    """A whole drawing, from the corner (left, top), in the units of its shapes.

    ``look`` begins with the drawing's own name. A drawing that opens things is a group to a reader, another one an image.
    ``sized`` where it is drawn as large as it is, else as wide as its place.
    """

    look: str
    width: float
    height: float
    says: str
    shapes: tuple[Shape, ...]
    opening: bool = False
    sized: bool = False
    left: float = 0.0
    top: float = 0.0
    steers: Mapping[str, Value] = field(default_factory=dict)


def rect(
    look: str,
    x: float,
    y: float,
    width: float,
    height: float,
    *,
    round: float = 0.0,
    title: str = "",
    steers: Mapping[str, Value] | None = None,
    hand: bool = False,
) -> Shape:
    """A box from its upper left corner."""
    at: dict[str, Value] = {"x": x, "y": y, "width": width, "height": height}
    return Shape("rect", look, at | ({"rx": round} if round else {}), title=title, steers=steers or {}, hand=hand)


def line(look: str, x1: float, y1: float, x2: float, y2: float) -> Shape:
    """A straight line."""
    return Shape("line", look, {"x1": x1, "y1": y1, "x2": x2, "y2": y2})


def path(look: str, d: str, thick: float | None = None, *, title: str = "", steers: Mapping[str, Value] | None = None) -> Shape:
    """A line by its course, as wide as its look or as ``thick``."""
    return Shape("path", look, {"d": d} | ({} if thick is None else {"stroke-width": thick}), title=title, steers=steers or {})


def circle(look: str, x: float, y: float, radius: float, *, steers: Mapping[str, Value] | None = None) -> Shape:
    """A circle about a point."""
    return Shape("circle", look, {"cx": x, "cy": y, "r": radius}, steers=steers or {})


def text(
    look: str, x: float, y: float, words: str, anchor: str = "", steers: Mapping[str, Value] | None = None, **more: Value
) -> Shape:
    """Words on a line; ``anchor`` is middle or end where they do not begin there."""
    at: dict[str, Value] = {"x": x, "y": y} | ({"text-anchor": anchor} if anchor else {})
    return Shape("text", look, at | {k.replace("_", "-"): v for k, v in more.items()}, words, steers=steers or {})


def group(*inside: Shape, look: str = "", title: str = "", opens: str = "", steers: Mapping[str, Value] | None = None) -> Shape:
    """Shapes that belong together, and open one thing or nothing."""
    return Shape("g", look, title=title, inside=inside, opens=opens, steers=steers or {})
