"""A drawing of a page as a picture that stands alone: the look of the page's styles written into its marks.

The styles that ship are matched against the page as a browser does, for the few properties that a drawing uses, so that there is
one look and no second copy of it.
"""

from __future__ import annotations

import copy
import re
from collections.abc import Iterable, Iterator, Mapping
from functools import cache, lru_cache
from pathlib import Path
from types import MappingProxyType
from typing import Any
from xml.etree import ElementTree

import cssselect2
import tinycss2
import tinyhtml5

STATIC = Path(__file__).parents[1] / "static"
SVG = "http://www.w3.org/2000/svg"
DRAWN = ("fill", "stroke", "stroke-width", "stroke-dasharray", "stroke-linecap", "opacity", "font-size", "font-weight",
         "font-family", "text-anchor", "display", "visibility")  # fmt: skip
KEPT = {"viewBox", "x", "y", "x1", "x2", "y1", "y2", "cx", "cy", "r", "rx", "ry", "d", "width", "height", "transform", "points",
        "dx", "dy", "id", "patternUnits", "patternTransform", "preserveAspectRatio", *DRAWN}  # fmt: skip
SAID = {"class", "role", "aria-label", "hidden"}
STEERING = {"data-flows", "data-key", "data-opens", "data-typed", "data-behind"}  # the application, from its own page
SANS = "Bench, Verdana, sans-serif"
MARGIN = 12
NOT_XML = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")  # XML 1.0, 2.2: what no name may leave as


@cache
def _rules() -> tuple[tuple[tuple[bool, int], str, tuple[tuple[str, str], ...]], ...]:
    """Every rule that ships: whether it stands outside of a layer, its place, its selector, and what it declares of a drawing."""
    out: list[tuple[tuple[bool, int], str, tuple[tuple[str, str], ...]]] = []

    def walk(rules: Iterable[Any], *, free: bool) -> None:
        for rule in rules:
            if rule.type == "at-rule" and rule.lower_at_keyword == "layer" and rule.content is not None:
                walk(tinycss2.parse_rule_list(rule.content, skip_comments=True, skip_whitespace=True), free=False)
            elif rule.type == "qualified-rule":
                found = tinycss2.parse_declaration_list(rule.content, skip_comments=True, skip_whitespace=True)
                kept = tuple((d.lower_name, tinycss2.serialize(d.value).strip()) for d in found if d.type == "declaration"
                             and (d.lower_name in DRAWN or d.lower_name == "font" or d.lower_name.startswith("--")))  # fmt: skip
                if kept:
                    out.append(((free, len(out)), tinycss2.serialize(rule.prelude), kept))

    text = (STATIC / "build" / "app.css").read_text(encoding="utf-8")
    walk(tinycss2.parse_stylesheet(text, skip_comments=True, skip_whitespace=True), free=True)
    return tuple(out)


@cache
def _matcher() -> tuple[cssselect2.Matcher, dict[str, str]]:
    """The selectors of the rules, and the colours by name as the daylight bench has them."""
    matcher, names = cssselect2.Matcher(), dict[str, str]()
    for place, prelude, declared in _rules():
        names |= {n: _daylight(v) for n, v in declared if n.startswith("--") and n not in names}
        try:
            selectors = cssselect2.compile_selector_list(prelude)
        except cssselect2.SelectorError:
            continue
        for selector in selectors:
            if selector.pseudo_element is None:
                matcher.add_selector(selector, (place, declared))
    return matcher, names


def _daylight(value: str) -> str:
    return re.sub(r"light-dark\(\s*([^,()]+),[^()]*\)", r"\1", value).strip()


def _resolved(value: str, names: dict[str, str]) -> str:
    for _ in range(4):
        value = re.sub(r"var\((--[\w-]+)(?:,\s*([^()]*))?\)", lambda m: names.get(m[1], m[2] or ""), value)
    return _daylight(value)


def _declared(element: Any) -> dict[str, str]:
    """What the styles say of an element, the strongest last."""
    matcher, names = _matcher()
    found: list[tuple[tuple[Any, ...], str, str]] = []
    for specificity, order, _, (place, declared) in matcher.match(element):
        for k, (name, value) in enumerate(declared):
            strength = (place[0], specificity, place[1], order, k)
            if name == "font":
                found += [(strength, n, v) for n, v in _font(value, names)]
            elif name in DRAWN:
                found.append((strength, name, value))
    return {name: _resolved(value.removesuffix("!important"), names) for _, name, value in sorted(found, key=lambda f: f[0])}


def _font(value: str, names: dict[str, str]) -> Iterator[tuple[str, str]]:
    words = _resolved(value, names)
    if size := re.search(r"(?<![\w.])(\d+(?:\.\d+)?)px", words):
        yield "font-size", size[1]
    if weight := re.match(r"\s*(\d{3})\b", words):
        yield "font-weight", weight[1]
    if "ench" in words:
        yield "font-family", ("Bench Mono, monospace" if "Mono" in words else SANS)


@lru_cache(maxsize=8)  # a picture is asked for as lines and as dots, and again by the archive
def drawings(html: str) -> Mapping[str, str]:
    """The drawings of a page, each as an SVG file of its own.

    Parameters
    ----------
    html : str
        A whole page, as the application renders it.

    Returns
    -------
    mapping of str to str
        SVG documents by the first class of each drawing; of two alike the first.
    """
    root = cssselect2.ElementWrapper.from_html_root(tinyhtml5.parse(NOT_XML.sub("\ufffd", html)))
    out: dict[str, str] = {}
    for element in root.query_all("svg[class]"):
        name = element.etree_element.get("class").split()[0]
        if name not in out:
            out[name] = _standing(element, " ".join((element.etree_element.get("aria-label") or name).split()))
    return MappingProxyType(out)


def living(html: str, name: str) -> str:
    """A drawing as markup for a page of its own, with its classes and what a script steps, and no way back to the application."""
    root = cssselect2.ElementWrapper.from_html_root(tinyhtml5.parse(NOT_XML.sub("\ufffd", html)))
    found = root.query(f"svg.{name}")
    if found is None:
        return ""
    ElementTree.register_namespace("", SVG)
    return ElementTree.tostring(_freed(found.etree_element), encoding="unicode")


def _freed(node: ElementTree.Element) -> ElementTree.Element:
    tag = node.tag.rpartition("}")[2]
    kept = {k: v for k, v in node.attrib.items() if k in KEPT or k in SAID or (k.startswith("data-") and k not in STEERING)}
    made = ElementTree.Element(f"{{{SVG}}}{'g' if tag == 'a' else tag}", kept)
    made.text, made.tail = node.text, node.tail
    made.extend(_freed(c) for c in node if "plus" not in (c.get("class") or "").split())
    return made


def _standing(element: Any, words: str) -> str:
    made = _copied(element, {})
    assert made is not None
    left, top, width, height = (float(v) for v in made.get("viewBox", "0 0 100 100").split())
    box = (left - MARGIN, top - MARGIN, width + 2 * MARGIN, height + 2 * MARGIN)
    made.attrib.update({"viewBox": " ".join(f"{v:g}" for v in box), "width": f"{box[2]:g}", "height": f"{box[3]:g}"})
    paper = ElementTree.Element(f"{{{SVG}}}rect", {k: f"{v:g}" for k, v in zip(("x", "y", "width", "height"), box, strict=True)})
    paper.set("fill", _resolved("var(--paper)", _matcher()[1]))
    title = ElementTree.Element(f"{{{SVG}}}title")
    title.text = words
    made.insert(0, paper)
    made.insert(0, title)
    ElementTree.register_namespace("", SVG)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ElementTree.tostring(made, encoding="unicode") + "\n"


def _copied(element: Any, inherited: dict[str, str]) -> ElementTree.Element | None:
    """An element with its look in its attributes; None for what is not drawn or only serves the hand."""
    node = element.etree_element
    tag = element.local_name
    own = _declared(element)
    classes = set((node.get("class") or "").split())
    if own.get("display") == "none" or node.get("hidden") is not None or classes & {"plus", "grab", "reach"}:
        return None
    attributes = {k: v for k, v in node.attrib.items() if k in KEPT and not (k == "id" and tag == "svg")}
    look = {k: v.removesuffix("px") for k, v in own.items() if k not in ("display", "visibility")}
    if look.get("stroke", "").startswith("url("):  # what is hatched on the page is plain here: few programs hatch a line
        look |= {"stroke": _resolved("var(--rust)", _matcher()[1]), "opacity": "0.4"}
    attributes |= {k: v for k, v in look.items() if inherited.get(k) != v}
    made = ElementTree.Element(f"{{{SVG}}}{'g' if tag == 'a' else tag}", attributes)
    made.text, passed = node.text if tag in ("text", "tspan", "title") else None, {**inherited, **look}
    for child in element.iter_children():
        drawn = _copied(child, passed)
        if drawn is not None:
            drawn.tail = child.etree_element.tail if tag in ("text", "tspan") else None
            made.append(drawn)
    return _haloed(made) if tag == "text" and attributes.get("stroke") not in (None, "none") else made


def _haloed(text: ElementTree.Element) -> ElementTree.Element:
    """Words over their own halo, for programs that draw an outline over what it surrounds."""
    both = ElementTree.Element(f"{{{SVG}}}g")
    plain = copy.deepcopy(text)
    for name in ("stroke", "stroke-width"):
        plain.attrib.pop(name, None)
    plain.set("stroke", "none")
    both.extend([text, plain])
    return both
