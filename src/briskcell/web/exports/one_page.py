"""The whole build as one page that opens from a disk: the sheet, with the map and the curves alive, and nothing outside of it."""

from __future__ import annotations

import base64
import hashlib
import json
import re

from flask import render_template
from markupsafe import Markup

from briskcell.services.judge import sheltered
from briskcell.services.workshop import Opened

from ..frame.current_map import map_document
from ..sheet import sheet_context
from ..stations import surfaces
from ..view import View
from .drawing import STATIC, living
from .pictures import page_of

SCRIPTS = {"js/map.js": "startMap", "js/plots.js": "startPlots"}  # each with what starts it


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
    """The scripts of the map and the curves, without modules: a page on a disk may load none."""
    text = (STATIC / "vendor" / "uPlot.iife.min.js").read_text(encoding="utf-8")
    for name, start in SCRIPTS.items():
        plain = re.sub(r"^export ", "", (STATIC / name).read_text(encoding="utf-8"), flags=re.M)
        text += f"\n(() => {{\n{plain}\n{start}();\n}})();\n"
    return text


def one_page(opened: Opened) -> str:
    """The page. Its policy lets in what stands in it by its digest, and nothing from anywhere."""
    styles, script = _styles(), _script()
    view = View(station="pack", soc=0.7, state="play", slip="", map_open=True)
    curves = [surfaces()[s](opened, view) for s in ("pack", "charge")]
    plots = [curves[0]["plot"], curves[0]["resets_plot"], *(c["plot"] for c in curves[1].get("charges", []))]
    inside = f"style-src {_digest(styles)}; script-src {_digest(script)}; font-src data:"
    policy = f"default-src 'none'; {inside}; base-uri 'none'; form-action 'none'"
    return render_template(
        "exports/one_page.html", policy=policy, styles=Markup(styles), script=Markup(script), view=view,
        map=Markup(sheltered("map of the page", lambda: living(page_of(opened, "map"), "river"), "")),
        flows=Markup(json.dumps(map_document(opened.assessed), separators=(",", ":")).replace("<", "\\u003c")),
        plots=[p for p in plots if p], **sheet_context(opened),
    )  # fmt: skip
