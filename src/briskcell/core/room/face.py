"""The faces of the case: what the front leaves open, which wall a socket or grille reaches, the least face of the front parts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from briskcell.core.room.solids import Size, Solid
from briskcell.core.room.stack import GAP_MM, Block, at_the_face

AT_THE_WALL_MM = 2.0  # from it, within which a socket is reached through a hole in the wall; a rule of thumb
SIDES = ("left side", "right side", "lower edge", "upper edge")
FACES = (*SIDES, "back", "front")


@dataclass(frozen=True, slots=True)
class Opening:
    """What the front leaves open of a part: its middle part where it says how much is seen, else all of it. [mm]"""

    block: Block
    at: tuple[float, float]
    size: tuple[float, float]


@dataclass(frozen=True, slots=True)
class Reach:
    """The face that a socket or grille lies nearest to, how far from it, and whether that is near enough. [mm]"""

    block: Block
    face: str
    gap_mm: float

    @property
    def reached(self) -> bool:
        return self.gap_mm <= AT_THE_WALL_MM


@dataclass(frozen=True, slots=True)
class LeastFace:
    """Outside length and width of the least face for the front parts side by side, and one above the other. [mm]"""

    beside: tuple[float, float]
    above: tuple[float, float]


def openings(blocks: Sequence[Block], room: Size) -> tuple[Opening, ...]:
    """What the front face leaves open of the parts right behind it.

    Parameters
    ----------
    blocks : sequence of Block
        What is laid.
    room : tuple of float
        The inside of the case. [mm]

    Returns
    -------
    tuple of Opening
        From the inside of the walls, as blocks are.
    """
    out = []
    for b in blocks:
        if not at_the_face(b, room):
            continue
        seen = b.solid.seen or (b.solid.size[0], b.solid.size[1])
        if b.size != b.solid.size:
            seen = seen[1], seen[0]
        out.append(Opening(b, (b.at[0] + (b.size[0] - seen[0]) / 2, b.at[1] + (b.size[1] - seen[1]) / 2), seen))
    return tuple(out)


def reaches(blocks: Sequence[Block], room: Size) -> tuple[Reach, ...]:
    """Which face each part reaches that has a socket at an edge, or a grille in any face.

    Parameters
    ----------
    blocks : sequence of Block
        What is laid.
    room : tuple of float
        The inside of the case. [mm]

    Returns
    -------
    tuple of Reach
        In the order of the blocks, each with the face nearest to it.
    """
    out = []
    for b in blocks:
        if b.solid.opens == "no":
            continue
        gaps = (b.at[0], room[0] - b.end[0], b.at[1], room[1] - b.end[1], b.at[2], room[2] - b.end[2])
        within = FACES if b.solid.opens == "any_face" else SIDES
        face = min(within, key=lambda f: gaps[FACES.index(f)])
        out.append(Reach(b, face, max(gaps[FACES.index(face)], 0.0)))
    return tuple(out)


def least_face(solids: Sequence[Solid], wall_mm: float) -> LeastFace | None:
    """The least face that the front parts ask for, lying as they come.

    Parameters
    ----------
    solids : sequence of Solid
        All of a build.
    wall_mm : float
        Of the case. [mm]

    Returns
    -------
    LeastFace or None
        None where no part belongs to the front.
    """
    front = [s.size for s in solids if s.front]
    if not front:
        return None
    gaps, walls = GAP_MM * (len(front) - 1), 2.0 * wall_mm
    lengths, widths = [s[0] for s in front], [s[1] for s in front]
    return LeastFace(
        beside=(sum(lengths) + gaps + walls, max(widths) + walls), above=(max(lengths) + walls, sum(widths) + gaps + walls)
    )
