"""The Room station: the stack from above and from the side, what meets, the case it needs, sizes, and what gains a millimetre."""

from __future__ import annotations

from typing import Any

from briskcell.core.assess import Assessment
from briskcell.drawing.room.face import face
from briskcell.drawing.room.stack import numbers_of, stack
from briskcell.model.kinds import kind_of
from briskcell.services.builds import Opened
from briskcell.web.sections import Section
from briskcell.web.units import show
from briskcell.web.view import View

SECTIONS = (
    Section("h-stack", "Stack"),
    Section("h-face", "Face"),
    Section("h-needs", "Case it needs"),
    Section("h-sizes", "Sizes and places"),
    Section("h-gains", "Millimetres"),
)


def surface(opened: Opened, _view: View) -> dict[str, Any]:
    """What the Room station shows."""
    assessed = opened.assessed
    every, unknown = assessed.solids
    number = numbers_of(assessed)
    return {
        "solids": [(s, number[s.id], _placed(assessed, s.id), _size_path(assessed, s.id)) for s in every],
        "number": number,
        "unknown": [(p.id, p.name) for p in assessed.plan.parts() if p.name in unknown],
        "laid": assessed.laid[0],
        "left": assessed.laid[1],
        "room": assessed.room,
        "stack": stack(assessed, show),
        "face": face(assessed),
    }


def _placed(assessed: Assessment, part_id: str) -> Any:
    k = next((k for k, p in enumerate(assessed.plan.placed) if p.part == part_id), None)
    return None if k is None else (f"placed/{k}", assessed.plan.placed[k])


def _size_path(assessed: Assessment, part_id: str) -> tuple[str, Any] | None:
    """Where a part's own size is edited; None of a pack, or where the class's size stands in."""
    part = assessed.plan.by_id[part_id]
    body = getattr(part, "body", None)
    return (f"{kind_of(part).list}/{part_id}/body", body) if body is not None else None
