"""The room that the wires want: all of them side by side as one bundle, and their volume loosely laid."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from briskcell.core.engine.resistance import link_section_mm2
from briskcell.core.wiring.cutting import Piece

STRANDED = 1.25  # area within a stranded conductor's outline over that of its copper; typical
INSULATION_MM = 0.4  # around it, of PVC hook-up wire; typical
FILL = 0.6  # of a loose bundle, that is wire: round wires that lie as they fall fill 0.55 to 0.65


@dataclass(frozen=True, slots=True)
class Bundle:
    """How many pieces, how far across they are side by side [mm], their length [m] and the volume they take up [cm³]."""

    pieces: int
    across_mm: float
    length_m: float
    volume_cm3: float


def bundle(cut: Sequence[Piece]) -> Bundle | None:
    """The room of a build's wires.

    Parameters
    ----------
    cut : sequence of Piece
        Every piece of wire to cut.

    Returns
    -------
    Bundle or None
        None where no wire has a length and a gauge.
    """
    found = [(p.length_m, _outer_mm2(section)) for p in cut if (section := link_section_mm2(p.link)) > 0]
    if not found:
        return None
    across = 2.0 * math.sqrt(sum(area for _, area in found) / FILL / math.pi)
    volume = sum(length * area for length, area in found) / FILL  # m·mm² are cm³
    return Bundle(len(found), across, sum(length for length, _ in found), volume)


def _outer_mm2(section_mm2: float) -> float:
    """Area within the insulation of a stranded wire."""
    diameter = 2.0 * math.sqrt(STRANDED * section_mm2 / math.pi) + 2.0 * INSULATION_MM
    return math.pi * diameter**2 / 4.0
