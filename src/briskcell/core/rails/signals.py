"""Signal levels between parts, and what parts pull in their first moment."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from briskcell.core.engine.operating import Operating
from briskcell.model.parts import Converter, Load, State
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
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
    """What a part pulls as it starts, with what its board or pack gives the others at rest, against what that can give. [A]

    It lasts ``lasts_s``, while its capacitance fills. ``sags_v`` is what the rail falls to meanwhile, where its own capacitance
    is known: None where not, or where nothing sags.
    """

    load: Load
    board: Converter | Pack
    pulls_a: float
    others_a: float
    limit_a: float
    lasts_s: float
    sags_v: float | None
    least_v: float

    @property
    def asked_a(self) -> float:
        """All that is asked of the board."""
        return self.pulls_a + self.others_a

    @property
    def ridden(self) -> bool:
        """Whether it is over before anything notices: a protection board waits, a rail's capacitance carries the others."""
        if self.asked_a <= self.limit_a:
            return True
        if isinstance(self.board, Pack):
            return self.lasts_s < PROTECTION_S
        return self.sags_v is not None and self.sags_v >= self.least_v

    @property
    def held_by(self) -> str:
        """Which side limits it: the part's own start, or the board."""
        return self.load.name if self.asked_a <= self.limit_a else self.board.name


PROTECTION_S = 0.005  # that a protection board waits on too much current at the least: 5 to 20 ms on sheets; typical


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
    """Every part that states its inrush, behind a board or right on a pack.

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
    for n, load in enumerate(op.network.loads):
        if load.inrush is None:
            continue
        board = next(reversed(boards_above(op.plan, load)), None)
        found = _behind_board(op, ends, load, board) if board else _on_pack(op, n, load)
        if found is not None:
            out.append(found)
    return tuple(out)


def _behind_board(op: Operating, ends: Sequence[float], load: Load, board: Converter) -> FirstMoment:
    k, filled_f, pulls = op.network.converters.index(board), _farads(load), load.inrush.peak_a.likely if load.inrush else 0.0
    limit = float(op.board_limit_a[k][State.PLAY, op.down_to(ends[op.network.store_of_converter(k)])].min())
    others = float(np.where(op.flow.collapsed, 0.0, op.flow.output_a(k))[State.REST].max())
    volts, output_f = board.output_v.likely, board.output_f.likely if board.output_f else None
    return FirstMoment(
        load=load,
        board=board,
        pulls_a=pulls,
        others_a=others,
        limit_a=limit,
        lasts_s=filled_f * volts / pulls if pulls > 0 else 0.0,
        # What is on the rail shares its charge with what is empty, before the board has noticed.
        sags_v=None if not output_f else volts * output_f / (output_f + filled_f),
        least_v=max((p.window.low_v for p in (op.network.loads[m] for m in op.network.hanging(k)) if p is not load), default=0.0),
    )


def _on_pack(op: Operating, n: int, load: Load) -> FirstMoment | None:
    store = op.network.store_of_load(n)
    pack, curves = op.plan.stores[store], op.curves[store]
    if not isinstance(pack, Pack) or load.inrush is None:
        return None
    volts = float(curves.ocv_v[0])
    path = float(op.network.branch_of_consumer[n] @ op.network.fixed_ohm) + float(curves.fast_ohm[0])
    pulls = min(load.inrush.peak_a.likely, volts / max(path, 1e-6))
    most = sum((c.peak_discharge_a or c.max_discharge_a).likely for c in pack.string_cells)
    return FirstMoment(
        load=load,
        board=pack,
        pulls_a=pulls,
        others_a=float(np.where(op.flow.collapsed, 0.0, op.flow.store_a(store))[State.REST].max()),
        limit_a=min(most, pack.protection.trip_a.likely) if pack.protection else most,
        lasts_s=_farads(load) * volts / pulls if pulls > 0 else 0.0,
        sags_v=None,
        least_v=0.0,
    )


def _farads(load: Load) -> float:
    return load.inrush.capacitance_f.likely if load.inrush else 0.0
