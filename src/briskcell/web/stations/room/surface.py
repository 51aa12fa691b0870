"""The Room station: the stack from above and from the side, what meets, the case it needs, sizes, and what gains a millimetre."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from briskcell.core.assess import Assessment
from briskcell.core.room.bundle import bundle
from briskcell.core.room.face import Opening, Reach, least_face, openings, reaches
from briskcell.core.room.solids import Size, inside
from briskcell.core.room.stack import Block, at_the_face, case_needed, clashes
from briskcell.model.kinds import kind_of
from briskcell.services.judge import sheltered
from briskcell.services.workshop import Opened
from briskcell.web.view import View

from ..sections import Section

SECTIONS = (
    Section("h-stack", "Stack"),
    Section("h-face", "Face"),
    Section("h-needs", "Case it needs"),
    Section("h-sizes", "Sizes and places"),
    Section("h-gains", "Millimetres"),
)
WIDTH, MARGIN, GAP = 760.0, 26.0, 34.0
MOST_SCALE = 4.0
NOTCH = 7.0  # of a socket, beyond the outline of the face


@dataclass(frozen=True, slots=True)
class Drawn:
    """A block in one view: its number, place and size on the drawing, and whether it meets something."""

    id: str
    number: int
    name: str
    kind: str
    x: float
    y: float
    width: float
    height: float
    clash: bool
    at: tuple[float, float]


def surface(opened: Opened, _view: View) -> dict[str, Any]:
    """What the Room station shows."""
    assessed = opened.assessed
    plan, size = assessed.plan, inside(assessed.plan.case)
    every, unknown = assessed.solids
    blocks, left = assessed.laid
    found = clashes(blocks, size)
    scale = min((WIDTH - 2 * MARGIN) / size[0], MOST_SCALE)
    number = {s.id: n + 1 for n, s in enumerate(every)}
    bad = {p for c in found if c.state == "fails" for p in c.parts}
    wide, tall, thick = (v * scale for v in size)
    return {
        "solids": [(s, number[s.id], _placed(assessed, s.id), _size_path(assessed, s.id)) for s in every],
        "unknown": [(p.id, p.name) for p in plan.parts() if p.name in unknown],
        "left": left,
        "clashes": found,
        "face": _face(assessed, number, size),
        "needed": case_needed(blocks, size, plan.case.wall_mm) if blocks else None,
        "bundle": sheltered("room of the wires", lambda: bundle(plan), None),
        "scale": scale,
        "top": [_from_above(b, number, bad, scale, size) for b in sorted(blocks, key=lambda b: b.end[2])],
        "side": [_from_the_side(b, number, bad, scale, size, tall) for b in sorted(blocks, key=lambda b: -b.at[1])],
        "frame": (MARGIN, MARGIN, wide, tall),
        "side_frame": (MARGIN, MARGIN + tall + GAP, wide, thick),
        "height": MARGIN * 2 + tall + GAP + thick + 8,
        "width": WIDTH,
    }


def _face(assessed: Assessment, number: dict[str, int], size: Size) -> dict[str, Any]:
    """The front from outside, with what its walls have to leave open."""
    blocks, _ = assessed.laid
    case = assessed.plan.case
    scale = min((WIDTH - 2 * MARGIN) / case.length_mm, MOST_SCALE)
    reached, wide, tall = reaches(blocks, size), case.length_mm * scale, case.width_mm * scale
    return {
        "frame": (MARGIN, MARGIN, wide, tall),
        "height": tall + 2 * MARGIN,
        "openings": [_opening(o, number, scale, case.wall_mm, tall) for o in openings(blocks, size)],
        "ports": [_port(r, number, scale, case.wall_mm, wide, tall) for r in reached if r.reached and r.face != "back"],
        "reaches": [(number[r.block.solid.id], r) for r in reached],
        "behind": [(number[b.solid.id], b, size[2] - b.end[2]) for b in blocks if b.solid.front and not at_the_face(b, size)],
        "least": least_face(assessed.solids[0], case.wall_mm),
    }


def _opening(o: Opening, number: dict[str, int], scale: float, wall: float, tall: float) -> dict[str, Any]:
    x, y = MARGIN + (o.at[0] + wall) * scale, MARGIN + tall - (o.at[1] + o.size[1] + wall) * scale
    return {"x": x, "y": y, "width": o.size[0] * scale, "height": o.size[1] * scale, "number": number[o.block.solid.id],
            "name": o.block.solid.name, "seen": o.block.solid.seen is not None}  # fmt: skip


def _port(r: Reach, number: dict[str, int], scale: float, wall: float, wide: float, tall: float) -> dict[str, Any]:
    """Where a socket or grille comes out: a notch on its edge, or its outline on the front."""
    b = r.block
    x, y = MARGIN + (b.at[0] + wall) * scale, MARGIN + tall - (b.end[1] + wall) * scale
    width, height = b.size[0] * scale, b.size[1] * scale
    on_edge = {"left side": (MARGIN - NOTCH, y, NOTCH, height), "right side": (MARGIN + wide, y, NOTCH, height),
               "lower edge": (x, MARGIN + tall, width, NOTCH), "upper edge": (x, MARGIN - NOTCH, width, NOTCH)}  # fmt: skip
    x, y, width, height = on_edge.get(r.face, (x, y, width, height))
    return {"x": x, "y": y, "width": width, "height": height, "number": number[b.solid.id], "name": b.solid.name,
            "edge": r.face in on_edge}  # fmt: skip


def _placed(assessed: Assessment, part_id: str) -> Any:
    k = next((k for k, p in enumerate(assessed.plan.placed) if p.part == part_id), None)
    return None if k is None else (f"placed/{k}", assessed.plan.placed[k])


def _size_path(assessed: Assessment, part_id: str) -> tuple[str, Any] | None:
    """Where a part's own size is edited; None of a pack, or where the class's size stands in."""
    part = assessed.plan.by_id[part_id]
    body = getattr(part, "body", None)
    return (f"{kind_of(part).list}/{part_id}/body", body) if body is not None else None


def _kind(block: Block) -> str:
    return "cells" if block.solid.cells else "front" if block.solid.front else "warm" if block.solid.warm else "part"


def _from_above(b: Block, number: dict[str, int], bad: set[str], scale: float, size: tuple[float, float, float]) -> Drawn:
    y = MARGIN + (size[1] - b.end[1]) * scale
    return Drawn(b.solid.id, number[b.solid.id], b.solid.name, _kind(b), MARGIN + b.at[0] * scale, y, b.size[0] * scale,
                 b.size[1] * scale, b.solid.id in bad, (b.at[0], b.at[1]))  # fmt: skip


def _from_the_side(b: Block, number: dict[str, int], bad: set[str], scale: float, size: tuple[float, float, float],
                   tall: float) -> Drawn:  # fmt: skip
    y = MARGIN + tall + GAP + (size[2] - b.end[2]) * scale
    return Drawn(b.solid.id, number[b.solid.id], b.solid.name, _kind(b), MARGIN + b.at[0] * scale, y, b.size[0] * scale,
                 b.size[2] * scale, b.solid.id in bad, (b.at[0], b.at[2]))  # fmt: skip
