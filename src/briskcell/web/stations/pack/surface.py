"""The Pack station: cells, count, the bay, and the discharge curve with everything that can end it."""

from __future__ import annotations

from typing import Any

from briskcell.core.assess import Assessment
from briskcell.drawing.pack.bay import bay_views, drawn_bay
from briskcell.drawing.pack.candidates import scatter
from briskcell.drawing.pack.curves import discharge_plot, resets_plot
from briskcell.model.stores import Pack
from briskcell.services.builds import Opened
from briskcell.services.library import chemistry_names, classes
from briskcell.services.pack.candidates import fitting_packs, largest_pack
from briskcell.services.pack.switched_off import switched_off
from briskcell.web.sections import Section
from briskcell.web.units import show
from briskcell.web.view import View

SECTIONS = (
    Section("h-cells", "Cells"),
    Section("h-curve", "Discharge"),
    Section("h-answers", "Hours"),
    Section("h-sure", "Sure"),
    Section("h-off", "Off"),
    Section("h-peaks", "Peaks"),
    Section("h-bay", "Bay"),
    Section("h-packs", "Packs"),
    Section("h-search", "Search"),
)


def surface(opened: Opened, _view: View) -> dict[str, Any]:
    """What the Pack station shows."""
    assessed = opened.assessed
    found, k = assessed.runtime, assessed.pack_index or 0
    store = assessed.plan.stores[k] if assessed.plan.stores else None
    pack = store if isinstance(store, Pack) else None
    return {
        "store": store,
        "pack": pack,
        "others": [s for s in assessed.plan.stores if s is not store],
        "runtime": found,
        "range": assessed.runtime_range,
        "plot": discharge_plot(assessed),
        "classes": classes("cells"),
        "chemistries": chemistry_names(),
        "reserve": assessed.reserve,
        "resets": assessed.resets,
        "resets_words": assessed.resets.words if assessed.resets else "",
        "resets_plot": resets_plot(assessed.resets),
        **switched_off(assessed),
        **_bay(assessed, pack),
    }


def _bay(assessed: Assessment, pack: Pack | None) -> dict[str, Any]:
    """The bay with a pack, drawn and in words, and the largest pack that would lie in it."""
    found = bay_views(assessed, pack) if pack else None
    if pack is None or found is None or assessed.plan.bay is None:
        return {"bay": None}
    return {
        "bay": found,
        "bay_drawing": drawn_bay(found, "from above"),
        "largest": largest_pack(pack, assessed.plan.bay),
    }


def choices(opened: Opened) -> dict[str, Any]:
    """All packs of the library that fit, as a table and a scatter."""
    plan, found = opened.plan, fitting_packs(opened.assessed)
    if found is None:
        return {"pack": None, "found": ()}
    return {
        "pack": found.replaced,
        "found": found.packs,
        "guessed_bay": found.bay_is_guessed,
        "margins": plan.brief.margins,
        "scatter": scatter(found.packs, found.replaced, plan.brief.hours, show),
    }
