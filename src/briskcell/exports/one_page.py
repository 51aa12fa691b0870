"""The whole build as one page that opens from a disk: the sheet, with the map and the curves alive, and nothing outside of it."""

from __future__ import annotations

import base64
import hashlib
import json
import re

from markupsafe import Markup

from briskcell.drawing.charge.curves import charge_plots
from briskcell.drawing.map.open import open_scene
from briskcell.drawing.pack.curves import discharge_plot, resets_plot
from briskcell.drawing.registry import drawing
from briskcell.drawing.svg import markup
from briskcell.services.judge import sheltered

from .form import Given
from .pages import STATIC, page
from .sheet import sheet_of

SCRIPTS = {"map": "startMap", "plots": "startPlots"}  # each with what starts it


def _digest(text: str) -> str:
    return "'sha256-" + base64.b64encode(hashlib.sha256(text.encode()).digest()).decode() + "'"


def _styles() -> str:
    """The styles that ship, with their fonts inside."""

    def font(match: re.Match[str]) -> str:
        raw = (STATIC / "fonts" / match[1]).read_bytes()
        return f"url(data:font/woff2;base64,{base64.b64encode(raw).decode()})"

    text = "".join((STATIC / n).read_text(encoding="utf-8") for n in ("vendor/uPlot.min.css", "build/app.css"))
    return re.sub(r"url\([\"']?[^)\"']*fonts/([\w-]+\.woff2)[\"']?\)", font, text)


def _script() -> str:
    """The scripts of the map and the curves, without modules: a page on a disk may load none, so what they share is around them."""
    shared, own = _plain("figures"), "".join(f"(() => {{\n{_plain(n)}\n{start}();\n}})();\n" for n, start in SCRIPTS.items())
    charts = (STATIC / "vendor" / "uPlot.iife.min.js").read_text(encoding="utf-8")
    return f"{charts}\n(() => {{\n{shared}\n{own}}})();\n"


def _plain(name: str) -> str:
    """A module as a plain script."""
    text = (STATIC / "js" / f"{name}.js").read_text(encoding="utf-8")
    return re.sub(r"^import .*$|^export ", "", text, flags=re.M)


def one_page(given: Given) -> str:
    """The page. Its policy lets in what stands in it by its digest, and nothing from anywhere."""
    styles, script, assessed = _styles(), _script(), given.assessed
    inside = f"style-src {_digest(styles)}; script-src {_digest(script)}; font-src data:"
    policy = f"default-src 'none'; {inside}; base-uri 'none'; form-action 'none'"
    plots = [discharge_plot(assessed), resets_plot(assessed.resets), *charge_plots(assessed)]
    return page(
        "one_page.html",
        policy=policy,
        styles=Markup(styles),
        script=Markup(script),
        plots=[p for p in plots if p],
        map=Markup(sheltered("map of the page", lambda: _map(given), "")),
        flows=Markup(_flows(given)),
        **sheet_of(given),
    )


def _map(given: Given) -> str:
    """The map, to be stepped by its script."""
    found = drawing("map", given.assessed) if given.plan.stores else None
    return "" if found is None else markup(found, None, {"id": "map-drawing", "data-width": "wide"})


def _flows(given: Given) -> str:
    """All numbers of the map, so that no word in them ends the script that they stand in."""
    found = open_scene(given.assessed)[0].stepping() if given.plan.stores else {}
    return json.dumps(found, separators=(",", ":")).replace("<", "\\u003c")
