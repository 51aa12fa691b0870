"""What a build's parts cost and weigh, as far as they state it."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.model.parts import Converter, Link, Part, Rail
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack, Supply
from briskcell.model.units import show


@dataclass(frozen=True, slots=True, kw_only=True)
class Bill:
    """Sums over the parts that state a figure, and the names of those that do not. ``mass_g`` is without the case."""

    cost: float
    unpriced: tuple[str, ...]
    mass_g: float
    unweighed: tuple[str, ...]


def bill(plan: Plan) -> Bill:
    """Add up cost and mass.

    Parameters
    ----------
    plan : Plan
        The build. Rails are points and wires are cut from a reel: neither is missed where it states nothing.

    Returns
    -------
    Bill
        Cost in the currency of the plan's figures, mass in grams.
    """
    cost = mass = 0.0
    unpriced: list[str] = []
    unweighed: list[str] = []
    for part in plan.parts():
        own, weighs = part_figures(part)
        cost += own or 0.0
        mass += weighs or 0.0
        if part.half_of is not None and own is None:  # its board's price is that of both
            continue
        if own is None and _counts(part):
            unpriced.append(part.name)
        if weighs is None and "mass_g" in type(part).model_fields:
            unweighed.append(part.name)
    return Bill(cost=cost, unpriced=tuple(unpriced), mass_g=mass, unweighed=tuple(unweighed))


def _counts(part: Part) -> bool:
    if isinstance(part, Link):
        return part.kind not in ("wire", "return", "path", "trace")
    return isinstance(part, Pack) or ("cost" in type(part).model_fields and not isinstance(part, Supply))


def part_figures(part: Part) -> tuple[float | None, float | None]:
    """One part's cost and mass; of a pack, those of its cells and its protection board.

    Parameters
    ----------
    part : Part
        Any part.

    Returns
    -------
    tuple of float or None
        Cost, and mass in grams; None where it states none.
    """
    if not isinstance(part, Pack):
        return getattr(part, "cost", None), getattr(part, "mass_g", None)
    cells = part.string_cells
    costs, masses = ([getattr(c, k) for c in cells] for k in ("cost", "mass_g"))
    guard = part.protection.cost or 0.0 if part.protection else 0.0
    return (None if None in costs else part.series * sum(costs) + guard), (None if None in masses else part.series * sum(masses))


def is_bought(part: Part) -> bool:
    """Whether a part is bought by itself: no rail, no wire off a reel, nothing that comes on or in another part.

    Parameters
    ----------
    part : Part
        Any part.

    Returns
    -------
    bool
        Of a wire False: it is among the sundries.
    """
    if isinstance(part, Rail) or part.half_of is not None or (isinstance(part, Converter) and part.built_in):
        return False
    return not (isinstance(part, Link) and part.kind in ("wire", "return", "trace", "path", "outlet"))


def bought(part: Part) -> list[tuple[str, str, float | None]]:
    """What is bought for a part: of a pack its cells and its protection board, unless that comes on the cells.

    Parameters
    ----------
    part : Part
        A part that is bought.

    Returns
    -------
    list of tuple
        Name, class and cost of each piece.
    """
    if not isinstance(part, Pack):
        return [(part.name, part.part_class, part_figures(part)[0])]
    cells = [(c.name, c.part_class, c.cost) for c in part.string_cells for _ in range(part.series)]
    guard = part.protection
    if guard is None or guard.with_cells:
        return cells
    return [*cells, (f"Protection board for {part.series} in series, {show(guard.trip_a.likely, 'A')}", "", guard.cost)]
