"""What a part's class says of itself, in words; and where a figure of the build differs from its class."""

from __future__ import annotations

from briskcell.core.assess import Assessment
from briskcell.model.kinds import kind_of
from briskcell.model.parts import Converter, Part
from briskcell.model.stores import ChargeBoard, Pack
from briskcell.model.units import unit_of_field
from briskcell.services.edits.field_names import NAMES
from briskcell.web.units import show


def facts_of(part: Part) -> list[tuple[str, str]]:
    """Facts of a charge board or regulator, and what can be set on it: name and words."""
    out: list[tuple[str, str]] = []
    if isinstance(part, ChargeBoard):
        counts = " or ".join(str(n) for n in part.cells)
        out.append(("Charges", f"{counts} in series" if part.cells else "not stated"))
        out.append(("Ends at", f"{show(part.end_v.likely, 'V')} a cell" if part.end_v else "not stated"))
        out.append(("Chemistries", ", ".join(part.chemistries) or "not stated"))
        out.append(("Accepts", f"{show(part.input.low_v, 'V')} to {show(part.input.high_v, 'V')}" if part.input else "not stated"))
        out.append(("Balances", "yes" if part.balancing else "no"))
        out.append(
            ("Works by", {"linear": "burning what is too much", "switching": "stepping down", "step_up": "stepping up"}[part.kind])
        )
    for knob in part.adjustable if isinstance(part, (ChargeBoard, Converter)) else ():
        unit = unit_of_field(type(part), knob.field)
        symbol = unit.symbol if unit else ""
        name = NAMES.get(knob.field, knob.field.replace("_", " "))
        if isinstance(part, ChargeBoard) and knob.field == "current_a":
            name = "Current"
        out.append((f"{name} can be set", f"{show(knob.low, symbol)} to {show(knob.high, symbol)}, by {knob.by}"))
    return out


def differences_from_class(assessed: Assessment) -> dict[str, str]:
    """Paths of figures that are not as their class has them, with words."""
    out: dict[str, str] = {}
    for element, found in assessed.differences.items():
        part = assessed.plan.by_id[element]
        base = f"{kind_of(part).list}/{part.id}{'/cell' if isinstance(part, Pack) else ''}"
        out |= {f"{base}/{d.field}": d.words for d in found}
    return out
