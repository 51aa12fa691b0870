"""A plan with its figures moved by factors: what was learned of doubts, put into the parts that they are of."""

from __future__ import annotations

from collections.abc import Mapping

from briskcell.core.spread.doubts import OF_CAPACITY, Doubt
from briskcell.model.changes import altered, replaced
from briskcell.model.figure import Figure
from briskcell.model.parts import Load
from briskcell.model.plan import Plan, Store
from briskcell.model.stores import Capacitor, Cell, Pack

STATES = ("rest", "play", "peak")
MOST_WORDS = 400


def moved(plan: Plan, of: tuple[Doubt, ...], factors: Mapping[str, float], words: str) -> Plan:
    """A plan whose draws, capacities and cells' resistance are moved.

    Parameters
    ----------
    plan : Plan
        The build.
    of : tuple of Doubt
        Its doubts.
    factors : mapping of str to float
        By the names of doubts from build to build; what is not named stays.
    words : str
        What moved them, for their source; empty where that is said already.

    Returns
    -------
    Plan
        Grades stay as they were: a figure that was moved was not measured.
    """
    on_load: dict[str, float] = {}
    on_store: dict[str, float] = {}
    on_cell: dict[str, float] = {}
    moves = ((("draw", "shared"), on_load), (OF_CAPACITY, on_store), (("cell",), on_cell))
    for d in of:
        factor = factors.get(d.known_as, 1.0)
        where = next((to for kinds, to in moves if d.kind in kinds), {})
        for element in d.on or (d.element,):
            where[element] = where.get(element, 1.0) * factor
    for element, factor in on_load.items():
        part = plan.by_id.get(element)
        if isinstance(part, Load) and factor != 1.0:
            plan = replaced(plan, _drawing(part, factor, words))
    for store in plan.stores:
        held, ohm = on_store.get(store.id, 1.0), on_cell.get(store.id, 1.0)
        if held != 1.0 or ohm != 1.0:
            plan = replaced(plan, _holding(store, held, ohm, words))
    return plan


def _drawing(load: Load, factor: float, words: str) -> Load:
    by = 1.0 / factor if load.kind == "resistance_ohm" else factor
    states = {s: times(getattr(load.draw, s), by, words) for s in STATES}
    return altered(load, **{load.kind: load.draw.model_copy(update=states)})


def _holding(store: Store, held: float, ohm: float, words: str) -> Store:
    if isinstance(store, Pack):
        strings = tuple(s.model_copy(update={"cell": _cell(s.cell, held, ohm, words)}) for s in store.strings)
        return altered(store, cell=_cell(store.cell, held, ohm, words), strings=strings)
    if isinstance(store, Capacitor):
        return altered(store, capacitance_f=times(store.capacitance_f, held, words))
    return altered(store, cells_wh=times(store.cells_wh, held, words))


def _cell(cell: Cell, held: float, ohm: float, words: str) -> Cell:
    figures: dict[str, Figure | None] = {"resistance_ohm": times(cell.resistance_ohm, ohm, words)} if ohm != 1.0 else {}
    if held != 1.0:
        weakest = cell.weakest_ah and times(cell.weakest_ah, held, words)
        figures |= {"measured_ah": times(cell.capacity_ah, held, words), "weakest_ah": weakest}
    return cell.model_copy(update=figures)


def times(figure: Figure, factor: float, words: str) -> Figure:
    """A figure a factor larger, its range with it.

    Parameters
    ----------
    figure : Figure
        Any.
    factor : float
        Above 0.
    words : str
        What moved it; empty where that is said already.

    Returns
    -------
    Figure
        Of the same grade.
    """
    low, likely, high = sorted((figure.low * factor, figure.likely * factor, figure.high * factor))
    source = f"{figure.source}; ×{factor:.2f} by {words}"[:MOST_WORDS] if words else figure.source
    return figure.model_copy(update={"low": low, "likely": likely, "high": high, "source": source})
