"""What the room comes to as everything lies: what meets, the case it needs, the faces, and the room of the wires."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from briskcell.core.room.bundle import Bundle, bundle
from briskcell.core.room.face import LeastFace, Opening, Reach, least_face, openings, reaches
from briskcell.core.room.solids import Size, Solid, inside
from briskcell.core.room.stack import Block, Clash, Needed, at_the_face, case_needed, clashes
from briskcell.core.wiring.cutting import Piece
from briskcell.model.plan import Plan


@dataclass(frozen=True, slots=True, kw_only=True)
class RoomReport:
    """The case as it is laid.

    ``needed`` is of length, width and thickness, None while nothing is laid. ``behind`` are front parts that lie too far back, each
    with its distance to the front. [mm] ``bundle`` is None where no wire has a length and a gauge.
    """

    inside: Size
    clashes: tuple[Clash, ...]
    needed: tuple[Needed, Needed, Needed] | None
    openings: tuple[Opening, ...]
    reaches: tuple[Reach, ...]
    behind: tuple[tuple[Block, float], ...]
    least_face: LeastFace | None
    bundle: Bundle | None


def room_report(plan: Plan, solids: Sequence[Solid], laid: Sequence[Block], cut: Sequence[Piece]) -> RoomReport:
    """What the room comes to.

    Parameters
    ----------
    plan : Plan
        The build.
    solids : sequence of Solid
        All that needs room.
    laid : sequence of Block
        What lies in the case.
    cut : sequence of Piece
        Every piece of wire.

    Returns
    -------
    RoomReport
        Of the plan as it is laid.
    """
    room, wall = inside(plan.case), plan.case.wall_mm
    return RoomReport(
        inside=room,
        clashes=clashes(laid, room),
        needed=case_needed(laid, room, wall) if laid else None,
        openings=openings(laid, room),
        reaches=reaches(laid, room),
        behind=tuple((b, room[2] - b.end[2]) for b in laid if b.solid.front and not at_the_face(b, room)),
        least_face=least_face(solids, wall),
        bundle=bundle(cut),
    )
