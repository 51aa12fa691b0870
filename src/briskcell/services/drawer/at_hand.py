"""What lies in the drawer, asked by class: how many, what more of them would cost, whether it is sold out."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import ArrayLike, NDArray

from briskcell.store.drawer import DrawerRow

Array = NDArray[np.float64]


class AtHand:
    """The rows of a drawer by their class."""

    def __init__(self, rows: Iterable[DrawerRow] = ()) -> None:
        self._rows = {r.part_class: r for r in rows}

    def have(self, part_class: str) -> int:
        """How many lie there."""
        row = self._rows.get(part_class)
        return row.quantity if row else 0

    def can_be_had(self, part_class: str) -> bool:
        """Whether it lies there, or can be bought."""
        row = self._rows.get(part_class)
        return row is None or row.quantity > 0 or not row.sold_out

    def to_buy(self, part_class: str, count: ArrayLike, price: float | None) -> Array:
        """What is to be paid for so many, shape of ``count``; inf where the price is not known, or what lacks is sold out. [€]"""
        row = self._rows.get(part_class)
        each = row.price if row and row.price is not None else price
        lacking = np.maximum(np.asarray(count, dtype=float) - self.have(part_class), 0.0)
        if each is None or (row and row.sold_out):
            each = np.inf
        with np.errstate(invalid="ignore"):
            return np.asarray(np.where(lacking > 0, lacking * each, 0.0))
