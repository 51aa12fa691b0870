"""Own parts: put in, changed, taken out; in and out as a table; what a build still has to buy."""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace

from briskcell.core.draw.bill import bought, is_bought
from briskcell.formats.parts_csv import as_words, parted_by
from briskcell.library import PartClass, catalogue
from briskcell.model.errors import FigureError
from briskcell.model.kinds import LIBRARY
from briskcell.model.plan import Plan
from briskcell.model.units import read
from briskcell.store.drawer import DrawerRow, DrawerStore

COLUMNS = ("part_class", "name", "quantity", "price", "measured", "sold_out")
MOST_ROWS, MOST_QUANTITY, MOST_PRICE, MOST_BYTES = 2000, 100_000, 1e6, 500_000
YES = {"yes", "true", "1", "x"}


@dataclass(frozen=True, slots=True)
class InDrawer:
    """A row with its class; None where the library does not know it any more."""

    row: DrawerRow
    known: PartClass | None


@dataclass(frozen=True, slots=True)
class Wanted:
    """What a build wants of one class: how many, how many lie in the drawer, how many to buy, what they cost; whether sold out."""

    name: str
    part_class: str
    count: int
    have: int
    buy: int
    cost: float | None
    sold_out: bool


def all_classes() -> list[PartClass]:
    """Every class that can lie in a drawer."""
    return [c for kind in LIBRARY for c in catalogue().of_kind(kind)]


class Drawer:
    """What lies in the builder's own drawer, by class."""

    def __init__(self, store: DrawerStore) -> None:
        self._store = store

    def rows(self) -> tuple[DrawerRow, ...]:
        """All that is said of any class."""
        return self._store.rows()

    def contents(self) -> list[InDrawer]:
        """What lies in it, each with its class."""
        known = {c.key: c for c in all_classes()}
        return [InDrawer(row, known.get(row.part_class)) for row in self.rows()]

    def take_out(self, part_class: str) -> None:
        """A class out of the drawer."""
        self._store.put(DrawerRow(part_class=part_class))

    def shopping(self, plan: Plan) -> list[Wanted]:
        """What a build wants, less what lies here."""
        return shopping(plan, self.rows())

    def put(self, part_class: str, values: dict[str, str]) -> None:
        """Set what is said of a class; fields that are not named stay.

        Raises
        ------
        FigureError
            If there is no such class, or a figure makes no sense.
        """
        if part_class not in {c.key for c in all_classes()}:
            raise FigureError("part_class", "There is no such class in the library.", fix="Choose one from the list.")
        row = next((r for r in self.rows() if r.part_class == part_class), DrawerRow(part_class=part_class))
        self._store.put(_changed(row, values, part_class))

    def written(self) -> bytes:
        """The drawer as a table that can be read in again."""
        out = io.StringIO()
        writer = csv.writer(out, lineterminator="\r\n")
        writer.writerow(COLUMNS)
        for item in self.contents():
            r = item.row
            price = "" if r.price is None else f"{r.price:g}"
            cells = (
                r.part_class,
                item.known.name if item.known else "",
                str(r.quantity),
                price,
                r.measured,
                "yes" if r.sold_out else "",
            )
            writer.writerow([as_words(c) for c in cells])
        return out.getvalue().encode("utf-8-sig")

    def read(self, raw: bytes) -> int:
        """Rows from such a table, each in the place of what stood for its class; how many. Where one makes no sense, none is taken.

        Raises
        ------
        FigureError
            Naming the line, if it is no table of this kind.
        """
        if len(raw) > MOST_BYTES:
            raise FigureError("table", "The table is larger than half a megabyte.", fix="Send the drawer’s own columns only.")
        try:
            text = raw.decode("utf-8-sig").strip()
        except UnicodeDecodeError as error:
            raise FigureError("table", "The file is not text in UTF-8.", fix="Save it as CSV in UTF-8.") from error
        try:
            rows = list(csv.DictReader(io.StringIO(text), delimiter=parted_by(text) if text else ","))
        except csv.Error as error:
            raise FigureError("table", f"This is no table: {error}.", fix="Save it as CSV again.") from error
        if not rows or not {"part_class", "quantity"} <= set(rows[0]):
            raise FigureError(
                "table", "The first line has to name the columns part_class and quantity.", fix="Start from the drawer’s own table."
            )
        if len(rows) > MOST_ROWS:
            raise FigureError("table", f"A drawer has up to {MOST_ROWS} rows.", fix="Leave some out.")
        known, made = {c.key for c in all_classes()}, list[DrawerRow]()
        for line, cells in enumerate(rows, start=2):
            key = (cells.get("part_class") or "").strip()
            if key not in known:
                raise FigureError("table", f"Line {line}: there is no class “{key[:60]}”.", fix="Nothing was taken in.")
            values = {n: (cells[n] or "").removeprefix("'") for n in ("quantity", "price", "measured", "sold_out") if n in cells}
            try:
                made.append(_changed(DrawerRow(part_class=key), values, "line"))
            except FigureError as error:
                raise FigureError("table", f"Line {line}: {error.message}", fix="Nothing was taken in.") from error
        self._store.put_all(made)
        return len(made)


def _changed(row: DrawerRow, values: dict[str, str], slot: str) -> DrawerRow:
    if "quantity" in values:
        text = values["quantity"].strip() or "0"
        if not text.isdigit() or int(text) > MOST_QUANTITY:
            raise FigureError(f"quantity-{slot}", f"“{text[:20]}” is no number of parts.", fix=f"Type 0 to {MOST_QUANTITY}.")
        row = replace(row, quantity=int(text))
    if "price" in values:
        text = values["price"].strip()
        price = read(text, "€", f"price-{slot}") if text else None
        if price is not None and not 0 <= price <= MOST_PRICE:
            raise FigureError(f"price-{slot}", "That is no price.", fix="Type what one costs, or leave it empty.")
        row = replace(row, price=price)
    if "measured" in values:
        row = replace(row, measured=" ".join(values["measured"].split())[:400])
    if "sold_out" in values:
        row = replace(row, sold_out=values["sold_out"].strip().lower() in YES)
    return row


def shopping(plan: Plan, rows: Sequence[DrawerRow]) -> list[Wanted]:
    """What a build wants, less what lies in the drawer; wire and what else joins them is among the sundries.

    Parameters
    ----------
    plan : Plan
        The build.
    rows : sequence of DrawerRow
        The drawer.

    Returns
    -------
    list of Wanted
        By class; parts of the builder's own by their names. A price in the drawer stands before that of the plan.
    """
    counts, named, prices = Counter[str](), dict[str, tuple[str, str]](), dict[str, float | None]()
    for part in plan.parts():
        if not is_bought(part):
            continue
        for name, part_class, cost in bought(part):
            key = part_class or name
            counts[key] += 1
            named.setdefault(key, (name, part_class))
            prices.setdefault(key, cost)
    have = {r.part_class: r for r in rows}
    out = []
    for key, count in counts.items():
        row = have.get(key)
        buy = max(count - (row.quantity if row else 0), 0)
        price = row.price if row and row.price is not None else prices[key]
        out.append(
            Wanted(
                *named[key],
                count,
                min(row.quantity if row else 0, count),
                buy,
                None if price is None else price * buy,
                bool(row and row.sold_out),
            )
        )
    return out
