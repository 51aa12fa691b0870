"""What cells lie beside, over and under in the case, and how much heat passes there: by gaps of air, radiation and the wall."""

from __future__ import annotations

from collections.abc import Sequence

from briskcell.core.heat.case import WALL_W_MK
from briskcell.core.heat.network import Contact
from briskcell.core.room.solids import Size
from briskcell.core.room.stack import Block
from briskcell.model.plan import Case

AIR_W_MK, RADIATED = 0.027, 5.9  # of air near 40 °C, and W/m²K between two dull faces there; Incropera, ch. 13 and table A.4
LEAST_GAP_MM, FAR_MM = 0.5, 15.0  # tape lies between what touches; past that, air carries it away


def contacts(blocks: Sequence[Block], room: Size, case: Case) -> tuple[Contact, ...]:
    """Every pack that is laid, against the parts and walls that its faces look at.

    Parameters
    ----------
    blocks : sequence of Block
        What lies in the case.
    room : tuple of float
        The inside of the case. [mm]
    case : Case
        Its wall.

    Returns
    -------
    tuple of Contact
        Across gaps of up to 15 mm; a wall that a part stands before is not counted.
    """
    out: list[Contact] = []
    wall = case.wall_mm / 1e3 / WALL_W_MK[case.material]
    for pack in (b for b in blocks if b.solid.cells):
        to_wall = 0.0
        for axis in range(3):
            face_m2 = _product(pack.size, axis) / 1e6
            for behind in (False, True):
                gap = room[axis] - pack.end[axis] if behind else pack.at[axis]
                covered = 0.0
                for other in blocks:
                    between = other.at[axis] - pack.end[axis] if behind else pack.at[axis] - other.end[axis]
                    if other is pack or not -LEAST_GAP_MM <= between < FAR_MM:
                        continue
                    shared = _shared(pack, other, axis) / 1e6
                    covered += shared
                    if shared > 0 and not other.solid.cells:
                        out.append(Contact(pack.solid.id, other.solid.id, shared * across(between), _flat_m2(other)))
                if gap < FAR_MM:
                    to_wall += max(face_m2 - covered, 0.0) / (1.0 / across(gap) + wall)
        out.append(Contact(pack.solid.id, "", to_wall))
    return tuple(out)


def across(gap_mm: float) -> float:
    """What passes a narrow gap of still air: conduction and radiation.

    Parameters
    ----------
    gap_mm : float
        [mm]

    Returns
    -------
    float
        W/m²K.

    Examples
    --------
    >>> round(across(2.0), 1)
    19.4
    """
    return AIR_W_MK / (max(gap_mm, LEAST_GAP_MM) / 1e3) + RADIATED


def _product(size: Size, axis: int) -> float:
    one, two = (size[k] for k in range(3) if k != axis)
    return one * two


def _flat_m2(block: Block) -> float:
    """Its two largest faces. [m²]"""
    return 2.0 * max(_product(block.size, axis) for axis in range(3)) / 1e6


def _shared(a: Block, b: Block, axis: int) -> float:
    """What of two blocks' faces looks at each other along an axis. [mm²]"""
    one, two = (max(min(a.end[k], b.end[k]) - max(a.at[k], b.at[k]), 0.0) for k in range(3) if k != axis)
    return one * two
