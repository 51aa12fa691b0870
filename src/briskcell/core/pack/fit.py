"""What fits the bay: cells laid in any orientation, in rows and stacks, with swelling, wrap and room for plugs."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

from briskcell.model.plan import Bay, Box
from briskcell.model.stores import Cell

Size = tuple[float, float, float]
POUCH_SWELLING = 0.10  # of the thickness, where the cell does not state it


@dataclass(frozen=True, slots=True, kw_only=True)
class Placing:
    """How one cell class lies in a bay: the size of one cell in that orientation, and how many along each edge."""

    cell_mm: Size
    count: tuple[int, int, int]
    room_mm: Size
    corner_mm: Size

    @property
    def cells(self) -> int:
        """How many cells fit."""
        return self.count[0] * self.count[1] * self.count[2]


@dataclass(frozen=True, slots=True, kw_only=True)
class Fit:
    """Whether a number of cells fits a bay, with how much to spare along the tightest edge, in words.

    ``spare_mm`` is negative by what is missing for one more row where they do not fit.
    """

    fits: bool
    asked: int
    most: int
    placing: Placing | None
    spare_mm: float
    words: str


def cell_size(cell: Cell, bay: Bay) -> Size | None:
    """Length, width and thickness that one cell takes up, with swelling and wrap; None where the plan states no size.

    Parameters
    ----------
    cell : Cell
        With thickness, width and length.
    bay : Bay
        Its wrap and holder.

    Returns
    -------
    tuple of float or None
        Millimetres.
    """
    if cell.thickness_mm is None or cell.length_mm is None:
        return None
    width = cell.width_mm or cell.thickness_mm
    swelling = cell.swelling or (0.0 if cell.is_round else POUCH_SWELLING)
    wrap = 2.0 * bay.wrap_mm
    return cell.length_mm + wrap, width + wrap, cell.thickness_mm * (1.0 + swelling) + wrap


def free_room(bay: Bay) -> list[tuple[Size, Size]]:
    """Blocks of the bay that are free of walls' clearance and keep-outs: each as (corner, size).

    A keep-out splits what is left into the six slabs beside it; every maximal block is kept, so blocks may overlap.

    Parameters
    ----------
    bay : Bay
        The bay.

    Returns
    -------
    list
        Largest first.
    """
    c = bay.clearance_mm
    whole = (bay.length_mm - 2 * c, bay.width_mm - 2 * c, bay.depth_mm - 2 * c - bay.holder_mm)
    blocks: list[tuple[Size, Size]] = [((c, c, c), whole)] if min(whole) > 0 else []
    for out in bay.keep_outs:
        blocks = [piece for block in blocks for piece in _without(block, out)]
        blocks = [b for b in blocks if not any(b is not o and _inside(b, o) for o in blocks)]
    return sorted(blocks, key=lambda b: -b[1][0] * b[1][1] * b[1][2])


def _without(block: tuple[Size, Size], out: Box) -> list[tuple[Size, Size]]:
    corner, size = block
    low = (out.x_mm, out.y_mm, out.z_mm)
    high = (out.x_mm + out.length_mm, out.y_mm + out.width_mm, out.z_mm + out.depth_mm)
    end = [c + s for c, s in zip(corner, size, strict=True)]
    if any(h <= c or b >= e for h, c, b, e in zip(high, corner, low, end, strict=True)):
        return [block]
    pieces = []
    for axis in range(3):
        for start, stop in ((corner[axis], low[axis]), (high[axis], end[axis])):
            if stop - start > 0.5:
                new_corner, new_size = list(corner), list(size)
                new_corner[axis], new_size[axis] = max(start, corner[axis]), min(stop, end[axis]) - max(start, corner[axis])
                pieces.append(((new_corner[0], new_corner[1], new_corner[2]), (new_size[0], new_size[1], new_size[2])))
    return pieces


def _inside(inner: tuple[Size, Size], outer: tuple[Size, Size]) -> bool:
    return all(
        oc <= ic + 1e-9 and ic + i <= oc + o + 1e-9 for ic, i, oc, o in zip(inner[0], inner[1], outer[0], outer[1], strict=True)
    )


def best_placing(cell: Cell, bay: Bay) -> Placing | None:
    """The orientation and block that hold the most cells; the plug's room is kept at the end of the cells' length.

    Parameters
    ----------
    cell : Cell
        The cell class.
    bay : Bay
        The bay.

    Returns
    -------
    Placing or None
        None where not one cell fits, or its size is not stated.
    """
    size = cell_size(cell, bay)
    if size is None:
        return None
    best: Placing | None = None
    for corner, room in free_room(bay):
        for order in sorted(set(itertools.permutations(range(3)))):
            lying: Size = (size[order[0]], size[order[1]], size[order[2]])
            length_axis = order.index(0)
            left = list(room)
            left[length_axis] -= bay.plug_room_mm
            count = tuple(max(int(r / s + 1e-9), 0) for r, s in zip(left, lying, strict=True))
            placing = Placing(cell_mm=lying, count=(count[0], count[1], count[2]), room_mm=room, corner_mm=corner)
            if placing.cells and (best is None or placing.cells > best.cells):
                best = placing
    return best


def stack_mm(placing: Placing, count: int) -> float:
    """How thick a number of cells lies, measured along the bay's depth.

    Parameters
    ----------
    placing : Placing
        How the cells lie.
    count : int
        How many.

    Returns
    -------
    float
        Layers times the cell's size along the depth. [mm]
    """
    layer = max(placing.count[0] * placing.count[1], 1)
    return -(-count // layer) * placing.cell_mm[2]


def fit(cell: Cell, count: int, bay: Bay) -> Fit:
    """Whether a number of cells fits.

    Parameters
    ----------
    cell : Cell
        The cell class.
    count : int
        How many.
    bay : Bay
        The bay.

    Returns
    -------
    Fit
        With the most that would fit.
    """
    placing = best_placing(cell, bay)
    if placing is None:
        size = cell_size(cell, bay)
        if size is None:
            return Fit(fits=False, asked=count, most=0, placing=None, spare_mm=0.0, words=f"{cell.name} states no size.")
        over = min(size) - min(bay.length_mm, bay.width_mm, bay.depth_mm) + 2 * bay.clearance_mm
        words = f"Not one {cell.name} fits: it takes {size[0]:.0f} × {size[1]:.0f} × {size[2]:.1f} mm with swelling and wrap."
        return Fit(fits=False, asked=count, most=0, placing=None, spare_mm=-max(over, 0.1), words=words)
    spare = min(r - n * s for r, n, s in zip(placing.room_mm, placing.count, placing.cell_mm, strict=True))
    if count <= placing.cells:
        words = f"{count} of {placing.cells} places taken, {spare:.1f} mm left along the tightest edge."
        return Fit(fits=True, asked=count, most=placing.cells, placing=placing, spare_mm=spare, words=words)
    missing = min(s * (n + 1) - r for r, n, s in zip(placing.room_mm, placing.count, placing.cell_mm, strict=True))
    words = f"{count} do not fit, {placing.cells} would; another row lacks {missing:.1f} mm."
    return Fit(fits=False, asked=count, most=placing.cells, placing=placing, spare_mm=-missing, words=words)


def label_energy_wh(cell: Cell) -> float:
    """About what one cell holds: its capacity times the volts in the middle of its table.

    Parameters
    ----------
    cell : Cell
        The cell class.

    Returns
    -------
    float
        Watt-hours, within a few hundredths.
    """
    return cell.capacity_ah.likely * cell.ocv.value[len(cell.ocv.value) // 2]


def largest_that_fits(cells: tuple[Cell, ...], bay: Bay) -> tuple[Cell, int] | None:
    """The cell class and number that hold the most energy in a bay.

    Parameters
    ----------
    cells : tuple of Cell
        Classes to choose from.
    bay : Bay
        The bay.

    Returns
    -------
    tuple or None
        Cell and number; None where none fits.
    """

    placed = [(cell, p.cells) for cell in cells if (p := best_placing(cell, bay))]
    return max(placed, key=lambda pair: label_energy_wh(pair[0]) * pair[1], default=None)
