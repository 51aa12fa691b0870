"""What a pack is rated by its label: the watt-hours that a carrier asks for."""

from __future__ import annotations

import numpy as np

from briskcell.model.stores import Cell, Pack


def nominal_v(cell: Cell) -> float:
    """Volts of a cell half full, by which its label's amp-hours are watt-hours.

    Parameters
    ----------
    cell : Cell
        The cell.

    Returns
    -------
    float
        Open circuit. [V]
    """
    return float(np.interp(0.5, cell.ocv.soc, cell.ocv.value))


def rated_wh(pack: Pack) -> float:
    """Watt-hours of a pack by the labels of its cells.

    Parameters
    ----------
    pack : Pack
        The pack.

    Returns
    -------
    float
        Label amp-hours times the volts half full, of all cells. [Wh]
    """
    return pack.series * sum(c.label_ah.likely * nominal_v(c) for c in pack.string_cells)
