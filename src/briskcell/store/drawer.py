"""The drawer's rows: read whole, written one at a time or all at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from .builds import Store
from .tables import Kept


@dataclass(frozen=True, slots=True, kw_only=True)
class DrawerRow:
    """Parts of one class that lie in the drawer: how many, what one cost, what was measured on them, whether it is sold out."""

    part_class: str
    quantity: int = 0
    price: float | None = None
    measured: str = ""
    sold_out: bool = False


class DrawerStore:
    """The drawer in a store's file; one row a class."""

    def __init__(self, store: Store) -> None:
        self._writer, self._reader = store.writer, store.reader

    def rows(self) -> tuple[DrawerRow, ...]:
        """Every row, in the order put in."""
        with Session(self._reader) as session:
            return tuple(_row(k) for k in session.scalars(select(Kept).order_by(Kept.id)))

    def put(self, row: DrawerRow) -> None:
        """A row in the place of what stood for its class; one that says nothing is taken out."""
        self.put_all([row])

    def put_all(self, rows: Sequence[DrawerRow]) -> None:
        """Several rows, in one step."""
        with Session(self._writer) as session, session.begin():
            for row in rows:
                found = session.scalar(select(Kept).where(Kept.part_class == row.part_class))
                if row == DrawerRow(part_class=row.part_class):
                    session.execute(delete(Kept).where(Kept.part_class == row.part_class))
                elif found is None:
                    session.add(Kept(**{n: getattr(row, n) for n in FIELDS}))
                else:
                    for name in FIELDS:
                        setattr(found, name, getattr(row, name))


FIELDS = ("part_class", "quantity", "price", "measured", "sold_out")


def _row(kept: Kept) -> DrawerRow:
    return DrawerRow(**{n: getattr(kept, n) for n in FIELDS})
