"""What a build's parts cost and weigh, as far as they state it."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.model.parts import Link, Part
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack, Supply


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
