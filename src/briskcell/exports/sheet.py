"""The sheet of a build: what it shows, for a page, for paper, and for the page that stands alone."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from briskcell.core.assess import Assessment
from briskcell.core.stations import STATIONS, Headline
from briskcell.core.workings import value
from briskcell.drawing.registry import drawing
from briskcell.drawing.small_river import small_river
from briskcell.drawing.stations import TITLES
from briskcell.model.figure import GRADES
from briskcell.model.units import Show, show
from briskcell.services import sheet
from briskcell.services.judge import sheltered
from briskcell.services.pack.switched_off import switched_off
from briskcell.services.summary import summary_of
from briskcell.services.wiring.steps import steps_of

from .form import Given
from .pages import page
from .paper import pdf_of

PAPERS = {"a4": "A4", "letter": "Letter"}
LARGEST = 1e6  # that a number is shown to


def sheet_of(given: Given, chosen: Sequence[str] = (), paper: str = "", show: Show = show) -> dict[str, Any]:
    """What a sheet shows: all sections unless some are named."""
    assessed, plan = given.assessed, given.plan
    lines = sheet.part_lines(plan)
    sections = [s for s in sheet.SECTIONS if s in chosen] or list(sheet.SECTIONS)
    shows_map = "numbers" in sections and plan.stores
    return {
        "map_picture": sheltered("map of the sheet", lambda: drawing("map", assessed), None) if shows_map else None,
        "small_picture": small_river(summary_of(assessed)),
        "record": given.record,
        "plan": plan,
        "sections": sheet.SECTIONS,
        "chosen": sections,
        "papers": PAPERS,
        "paper": paper if paper in PAPERS else "a4",
        "numbers": [numbers_of(name, assessed, show) for name in STATIONS],
        "findings": assessed.findings,
        "lines": lines,
        "pieces": assessed.pieces,
        "to_buy": assessed.to_buy,
        "besides": assessed.sundries,
        "together": sum(line.cost or 0.0 for line in lines) + sum(s.cost for s in assessed.sundries),
        "steps": steps_of(assessed),
        "points": sheet.test_points(assessed),
        "thresholds": sheet.thresholds(assessed),
        "off": switched_off(assessed),
        "carrier_wh": sheet.carrier_wh(plan),
        "grades": [(GRADES[g], n) for g, n in sheet.grades(plan).items()],
        "draws": assessed.draw,
    }


def numbers_of(name: str, assessed: Assessment, show: Show) -> tuple[str, str, str]:
    """A station's title, its number in words, and its word."""

    def made() -> tuple[str, str, str]:
        station = STATIONS[name]
        head = station.headline(assessed)
        return TITLES[name], headline_words(head, assessed, show), station.state(assessed)

    return sheltered(f"number of {name}", made, (TITLES[name], "not known", "unknown"))


def headline_words(head: Headline, assessed: Assessment, show: Show) -> str:
    """A station's number in words; what is said where there is none."""
    known = value(assessed, head.key)[0] if head.key else head.value
    if head.value is None or known is None or not abs(known) < LARGEST:
        return head.none
    return f"{show(head.value, head.unit)} {head.after}".rstrip()


def on_paper(given: Given, chosen: Sequence[str] = (), paper: str = "", show: Show = show) -> bytes:
    """A sheet as PDF: its pages numbered, no table row cut."""
    return pdf_of(page("paper.html", alone=True, **sheet_of(given, chosen, paper, show)))
