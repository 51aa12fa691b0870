"""Signal levels between parts, and what parts pull in their first moment."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from briskcell.core.engine.operating import Operating
from briskcell.model.parts import Converter, Load, State
from briskcell.model.plan import Plan
from briskcell.model.tree import boards_above

HIGH_SHARE = 0.7  # of its supply, that an input takes for a sure high: JESD8C.01
CLAMP_V = 0.35  # over its supply, at which an input's clamp begins to conduct: 0.3 to 0.5 V on sheets


@dataclass(frozen=True, slots=True, kw_only=True)
class Signal:
    """A part's signals: who drives them, at which volts, and the least and most that it takes for a sure high. [V]"""

    load: Load
    driver: Load
    driven_v: float
    least_v: float
    most_v: float

    @property
    def state(self) -> str:
        """``fails`` above what it stands, ``close`` below a sure high."""
        return "fails" if self.driven_v > self.most_v else "close" if self.driven_v < self.least_v else "holds"


@dataclass(frozen=True, slots=True, kw_only=True)
class FirstMoment:
    """What a part pulls as it starts, with what its board gives the others at rest, against what that board can give. [A]"""

    load: Load
    board: Converter
    pulls_a: float
    others_a: float
    limit_a: float

    @property
    def asked_a(self) -> float:
        """All that is asked of the board."""
        return self.pulls_a + self.others_a

    @property
    def held_by(self) -> str:
        """Which side limits it: the part's own start, or the board."""
        return self.load.name if self.asked_a <= self.limit_a else self.board.name


def signals(plan: Plan) -> tuple[Signal, ...]:
    """Every part that says at which level it listens, and who drives it.

    Parameters
    ----------
    plan : Plan
        The build.

    Returns
    -------
    tuple of Signal
        Of parts whose driver says its level too.
    """
    out = []
    for load in plan.loads:
        driver = plan.by_id.get(load.driven_by or "")
        if isinstance(driver, Load) and load.logic_v is not None and driver.logic_v is not None:
            out.append(
                Signal(
                    load=load,
                    driver=driver,
                    driven_v=driver.logic_v,
                    least_v=HIGH_SHARE * load.logic_v,
                    most_v=load.logic_v + CLAMP_V,
                )
            )
    return tuple(out)


def first_moments(op: Operating, ends: Sequence[float]) -> tuple[FirstMoment, ...]:
    """Every part that states its inrush, behind a board.

    Parameters
    ----------
    op : Operating
        The solved build.
    ends : sequence of float
        State of charge of each store when play ends.

    Returns
    -------
    tuple of FirstMoment
        In the order of the plan.
    """
    out = []
    for load in op.plan.loads:
        board = next(reversed(boards_above(op.plan, load)), None)
        if load.inrush is None or board is None:
            continue
        k = op.network.converters.index(board)
        limit = float(op.board_limit_a[k][State.PLAY, op.down_to(ends[op.network.store_of_converter(k)])].min())
        others = float(np.where(op.flow.collapsed, 0.0, op.flow.output_a(k))[State.REST].max())
        out.append(FirstMoment(load=load, board=board, pulls_a=load.inrush.peak_a.likely, others_a=others, limit_a=limit))
    return tuple(out)
