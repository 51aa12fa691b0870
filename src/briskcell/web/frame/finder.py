"""What the finder finds: stations, parts, numbers, and parts to add."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.stations import STATIONS
from briskcell.drawing.stations import TITLES
from briskcell.model.errors import FigureError
from briskcell.model.kinds import LIBRARY
from briskcell.model.plan import Plan
from briskcell.services.library import PartClass, classes
from briskcell.services.parts.adding import place_of


@dataclass(frozen=True, slots=True)
class Findable:
    """One line of the finder. ``slip`` opens a slip, ``station`` goes there, ``add`` adds a library class."""

    words: str
    kind: str
    station: str = ""
    slip: str = ""
    add: str = ""


def findable(assessed: Assessment) -> list[Findable]:
    """Everything the finder lists for a build."""
    out = [Findable(TITLES[name], "station", station=name) for name in STATIONS]
    out += [Findable(part.name, "part", slip=f"part:{part.id}") for part in assessed.plan.parts()]
    out += [Findable(f"{s.name} of {p.name}", "setting", slip=f"part:{p.id}") for p in assessed.plan.loads for s in p.settings]
    numbers = [("Draw of all parts", "draw"), ("Runtime", "runtime"), ("Energy of the pack", "energy")]
    numbers += [("Warmth of the case", "heat"), ("Warning before shutdown", "reserve")]
    numbers += [
        ("Energy stranded by the stop", "stranded"),
        ("Guessed share of the draw", "guessed"),
        ("Cost of the parts", "cost"),
    ]
    numbers += [("Mass", "mass")] + [(f"Draw of {p.name}", f"part-draw:{p.id}") for p in assessed.plan.loads]
    numbers += [(f"Efficiency of {c.name}", f"efficiency:{c.id}") for c in assessed.plan.converters]
    numbers += [(f"Shelf life of {s.name}", f"shelf:{s.id}") for s in assessed.plan.stores]
    numbers += [(f"Drop over {c.link.name}", f"wiring:{c.link.id}") for c in assessed.links]
    numbers += [(f"Choice of {c.fuse.name}", f"fuse:{c.fuse.id}") for c in assessed.fuses]
    out += [Findable(words, "number", slip=f"working:{key}") for words, key in numbers]
    out += [Findable(f"Spare of {h.name}", "number", slip=f"working:headroom:{h.element}:{h.kind}") for h in assessed.headrooms]
    return out + [_addable(assessed.plan, c) for kind in LIBRARY for c in classes(kind)]


def _addable(plan: Plan, found: PartClass) -> Findable:
    """A class to add, with where it would go, or why it cannot."""
    try:
        return Findable(found.name, f"add {place_of(plan, found).words}", add=found.key)
    except FigureError as error:
        return Findable(found.name, f"cannot be added: {error.message}")
