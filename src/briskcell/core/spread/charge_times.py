"""How far the time on the charger reaches: capacity and resistance of the cells, the board's current, what the supply gives."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from briskcell.core.charge.charging import Charge, ChargePath
from briskcell.core.engine.operating import Operating
from briskcell.core.pack.uncertainty import chance_words
from briskcell.model.changes import altered, replaced
from briskcell.model.figure import Figure
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack

from .belief import sampled
from .doubts import Doubt, doubt_of, doubts
from .reach import COUNT, SEED, bent, bent_added, one_at_a_time
from .table import by_grade

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class ChargeSpread:
    """Hours of many samples from where play ends to full, the console off, with the doubts they hang on."""

    of: tuple[Doubt, ...]
    hours: Array

    @property
    def range_h(self) -> tuple[float, float, float]:
        """The 10, 50 and 90 % points. [h]"""
        low, middle, high = np.quantile(self.hours, (0.1, 0.5, 0.9))
        return float(low), float(middle), float(high)

    def chance(self, hours: float) -> float:
        """The chance that it is full within so long."""
        return float((self.hours <= hours).mean())

    def chance_said(self, hours: float) -> str:
        """The same in words: never as certain."""
        return chance_words(self.chance(hours))


def charge_spread(op: Operating, charge: Charge) -> ChargeSpread | None:
    """The time on the charger over its doubts.

    Each doubt is asked alone, at the 10 and 90 % points of its range, as a build of its own; what they come to
    is multiplied, in powers of their factors.

    Parameters
    ----------
    op : Operating
        The solved build.
    charge : Charge
        One of its charges.

    Returns
    -------
    ChargeSpread or None
        None where it is never full, or one of those builds never is.
    """
    likely = charge.off.hours
    of = tuple(d for d in _doubts(op.plan, charge) if d.off > 0)
    if not likely:
        return None
    alone = one_at_a_time(of)
    took: list[float] = [1.0]
    for k, d in enumerate(of):
        for row in (1 + 2 * k, 2 + 2 * k):
            hours = _hours(op, charge, d, float(alone[row, k]))
            if hours is None:
                return None
            took.append(hours / likely)
    if not of:
        return ChargeSpread(of, np.full(1, likely))
    each = bent_added(bent(np.log(alone), np.log(np.array(took))), np.log(sampled(op.plan, of, COUNT, SEED)))
    hours = likely * np.exp(each.sum(axis=1))
    return ChargeSpread(of, hours) if np.isfinite(hours).all() else None


OF_CHARGE = ("capacity", "cell", "model", "health", "temperature")  # what of a pack the time on the charger hangs on


def _doubts(plan: Plan, charge: Charge) -> tuple[Doubt, ...]:
    board, supply, most = charge.board, charge.supply, charge.supply.current_limit_a
    own = (
        doubt_of(
            "charger",
            board.id,
            f"current of {board.name}",
            board.current_a,
            board.part_class,
            by_grade("current", board.current_a.grade),
        ),
        doubt_of("supply", supply.id, f"current of {supply.name}", most, supply.part_class, by_grade("current", most.grade)),
    )
    if not isinstance(charge.store, Pack):
        return own
    return (*(d for d in doubts(plan) if d.element == charge.store.id and d.kind in OF_CHARGE), *own)


def _hours(op: Operating, charge: Charge, doubt: Doubt, factor: float) -> float | None:
    """The time on the charger of the build with one figure changed."""
    board, supply, plan = charge.board, charge.supply, op.plan
    if doubt.kind == "charger":
        board = board.model_copy(update={"current_a": _times(board.current_a, factor)})
    elif doubt.kind == "supply":
        supply = supply.model_copy(update={"current_limit_a": _times(supply.current_limit_a, factor)})
    else:
        pack = plan.by_id[charge.store.id]
        assert isinstance(pack, Pack)
        cell = pack.cell
        if doubt.kind in ("cell", "temperature"):
            changed: dict[str, Figure | None] = {"resistance_ohm": _times(cell.resistance_ohm, factor)}
        else:
            weakest = cell.weakest_ah and _times(cell.weakest_ah, factor)
            changed = {"measured_ah": _times(cell.capacity_ah, factor), "weakest_ah": weakest}
        plan = replaced(plan, altered(pack, cell=cell.model_copy(update=changed)))
    index = op.network.stores.index(board.charges)
    return ChargePath(replace(op, plan=plan), board, supply, index).course(charge.off.start_soc, playing=False).hours


def _times(figure: Figure, factor: float) -> Figure:
    """A figure that is known to be a factor on its likely value."""
    value = figure.likely * factor
    return figure.model_copy(update={"low": value, "likely": value, "high": value})
