"""Plans put together from library classes: the pieces that drafts and demo builds are made of."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from briskcell.core.assess import Assessment
from briskcell.core.moves.guards import protection_for
from briskcell.core.moves.wires import SILICONE_C
from briskcell.library import catalogue
from briskcell.model.changes import warned
from briskcell.model.kinds import KINDS
from briskcell.model.plan import Plan, plan_of
from briskcell.model.stores import Pack


def wire(part_id: str, name: str, fed_by: str, awg: float, length_m: float) -> dict[str, Any]:
    """A wire out and back, in silicone."""
    own = {"id": part_id, "name": name, "kind": "wire", "fed_by": fed_by}
    return own | {"awg": awg, "length_m": length_m, "insulation_c": SILICONE_C}


def take(key: str, **figures: Any) -> Any:
    """A part of a library class, placed."""
    return catalogue().part(key, **figures)


def cell_of(key: str) -> Any:
    return catalogue().find(key).part


def load_with_wire(key: str, part_id: str, fed_by: str, awg: float, length_m: float, **figures: Any) -> list[Any]:
    """A load on a wire of its own: the wire, then the load."""
    load = take(key, id=part_id, fed_by=f"w-{part_id}", **figures)
    return [wire(f"w-{part_id}", f"Wire to {load.name[:60]}", fed_by, awg, length_m), load]


def plan_from(name: str, note: str, parts: Sequence[Any], **rest: Any) -> Plan:
    """A plan of parts in any order; each goes to its list."""
    document: dict[str, Any] = {"name": name, "note": note, **rest}
    for part in parts:
        target = next((k.list for k in KINDS if isinstance(part, k.model)), "links")
        document.setdefault(target, []).append(part)
    return plan_of(document)


def with_warning(plan: Plan) -> Plan:
    """The plan with the warning before shutdown set where it belongs, a little early."""
    reserve = Assessment(plan).reserve
    if reserve is None:
        return plan
    return warned(plan, reserve.under_load_v + 0.03)


def pack_of(part_id: str, name: str, cell: Any, series: int, parallel: int, *, cutoff: float) -> Pack:
    return Pack.model_validate(
        {
            "id": part_id,
            "name": name,
            "cell": cell,
            "series": series,
            "parallel": parallel,
            "link_resistance_ohm": {"low": 0.002, "likely": 0.004, "high": 0.008, "grade": "typical", "source": "strip links"},
            "protection": protection_for(cell, series, parallel, cutoff),
        }
    )
