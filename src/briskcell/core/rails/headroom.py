"""Spare of everything that has a limit, at its worst moment."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from briskcell.core.engine.operating import SOC_EPSILON, Operating
from briskcell.core.engine.resistance import link_rating_a
from briskcell.core.engine.sources import current_limit_a
from briskcell.model.parts import STATES, Converter, Link
from briskcell.model.plan import Margins
from briskcell.model.stores import Bank, ChargeBoard, Pack

Array = NDArray[np.float64]
Word = Literal["holds", "close", "fails", "unknown"]
# A part, what of it is limited, what is asked, what it can give.
Limited = tuple[Pack | Bank | Converter | Link | ChargeBoard, str, Array, Array]


@dataclass(frozen=True, slots=True, kw_only=True)
class Headroom:
    """Spare of one element: ``1 − demand/limit``, worst over states and states of charge.

    ``demand`` and ``limit`` [A] are those of the worst moment. ``spare`` is −1 at the least; points where the build
    collapses are left out. The ``…_series`` hold both over the grid at the worst state, inf where it collapses.
    """

    element: str
    name: str
    kind: str
    demand_a: float
    limit_a: float
    spare: float
    at_soc: float
    at_state: str
    input_v: float
    spare_now: Array
    demand_series: Array
    limit_series: Array


def judged(spare: float, margins: Margins) -> Word:
    """The word for a spare.

    Parameters
    ----------
    spare : float
        ``1 − demand/limit``.
    margins : Margins
        What counts as comfortable, and as close.

    Returns
    -------
    str
        ``holds``, ``close`` or ``fails``.
    """
    if spare >= margins.comfortable - 1e-9:
        return "holds"
    return "close" if spare >= margins.close - 1e-9 else "fails"


def spare_of(demand_a: ArrayLike, limit_a: ArrayLike) -> Array:
    """Spare of a limit: ``1 − demand/limit``.

    Parameters
    ----------
    demand_a, limit_a : array_like
        What is asked and what can be given, broadcast together. [A]

    Returns
    -------
    ndarray
        −1 at the least, and where the limit is nothing; 1 where nothing is asked.
    """
    demand, limit = np.asarray(demand_a, dtype=float), np.asarray(limit_a, dtype=float)
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray(np.maximum(np.where(limit > 0, 1.0 - demand / limit, -1.0), -1.0))


def headrooms(op: Operating, ends: Sequence[float]) -> tuple[Headroom, ...]:
    """Spare of every element with a limit, from full down to where play ends.

    Parameters
    ----------
    op : Operating
        The solved build.
    ends : sequence of float
        State of charge of each store when play ends; below it nothing is asked.

    Returns
    -------
    tuple of Headroom
        In the order of the current; elements whose limit the plan does not state are left out.
    """
    rows = list(_limited(op))
    of = [op.network.store_of(part.id) for part, *_ in rows]
    found: dict[int, Headroom] = {}
    for store in set(of):
        mine = [k for k, s in enumerate(of) if s == store]
        found |= zip(mine, _headrooms(op, [rows[k] for k in mine], ends[store]), strict=True)
    return tuple(found[k] for k in range(len(rows)))


def _headrooms(op: Operating, rows: Sequence[Limited], end_soc: float) -> tuple[Headroom, ...]:
    """Spare of elements of one store's tree."""
    # Where the whole build collapses no single part is to blame: the rule speaks of that by itself.
    gone = op.flow.collapsed
    end = End(op.soc, np.asarray(end_soc), gone)
    demand = np.where(gone, 0.0, np.stack([r[2] for r in rows]))
    limit = np.stack([r[3] for r in rows])
    spare = np.where(gone, 1.0, spare_of(demand, limit))
    reach = int(end.asked.sum())

    def down_to_end(values: Array) -> Array:
        return np.concatenate([values[..., :reach], end.of(values)[..., None]], axis=-1)

    asked, given = down_to_end(demand), down_to_end(limit)
    left = np.concatenate([spare[..., :reach], end.spare(demand, limit)[..., None]], axis=-1)
    worst = left.reshape(len(rows), -1).argmin(axis=1)
    out = []
    for n, (part, kind, _, _) in enumerate(rows):
        state, k = divmod(int(worst[n]), reach + 1)
        hidden = np.where(gone[state], np.inf, 0.0)
        out.append(
            Headroom(
                element=part.id,
                name=part.name,
                kind=kind,
                demand_a=float(asked[n, state, k]),
                limit_a=float(given[n, state, k]),
                spare=float(left[n, state, k]),
                at_soc=float(op.soc[k]) if k < reach else end_soc,
                at_state=STATES[state],
                input_v=float(down_to_end(_input_v(op, part))[state, k]),
                spare_now=spare[n],
                demand_series=demand[n, state] + hidden,
                limit_series=limit[n, state] + hidden,
            )
        )
    return tuple(out)


class End:
    """Where play ends, between two states of charge: of one build, or of each variant of a batch.

    Parameters
    ----------
    soc : ndarray, shape (n_soc,)
        States of charge that were solved, falling.
    end_soc : ndarray, shape () or (n,)
        State of charge at which play ends.
    gone : ndarray of bool, shape (3, n_soc) or (3, n, n_soc)
        Whether the build has collapsed.
    """

    def __init__(self, soc: Array, end_soc: Array, gone: NDArray[np.bool_]) -> None:
        self.asked = soc >= end_soc[..., None] - SOC_EPSILON
        self._last = self.asked.sum(axis=-1) - 1
        self._after = np.minimum(self._last + 1, len(soc) - 1)
        self._row = (np.arange(len(end_soc)),) if end_soc.ndim else ()
        pitch = np.maximum(soc[self._last] - soc[self._after], SOC_EPSILON)
        self._share = np.clip((soc[self._last] - end_soc) / pitch, 0.0, 1.0)
        self._gone = gone

    def of(self, values: Array) -> Array:
        """Values over states of charge where play ends; where the build collapses next, those right before that.

        Parameters
        ----------
        values : ndarray, shape (..., n_soc) as ``gone``
            Over the states of charge that were solved.

        Returns
        -------
        ndarray
            Without the last axis.
        """
        after = (..., *self._row, self._after)
        last, then = values[(..., *self._row, self._last)], values[after]
        known = ~self._gone[after] & np.isfinite(last) & np.isfinite(then)
        step = np.subtract(then, last, out=np.zeros(last.shape), where=known)
        return np.asarray(last + self._share * step)

    def spare(self, demand_a: Array, limit_a: Array) -> Array:
        """Spare where play ends; 1 where the build has collapsed, as no single part is to blame then.

        Parameters
        ----------
        demand_a, limit_a : ndarray, shape (..., n_soc) as ``gone``
            What is asked and what can be given. [A]

        Returns
        -------
        ndarray
            Without the last axis.
        """
        return np.where(self._gone[(..., *self._row, self._last)], 1.0, spare_of(self.of(demand_a), self.of(limit_a)))

    def least(self, demand_a: Array, limit_a: Array) -> Array:
        """The least spare of each variant, from full down to where play ends.

        Parameters
        ----------
        demand_a, limit_a : ndarray, shape (3, n, n_soc)
            What is asked and what can be given. [A]

        Returns
        -------
        ndarray, shape (n,)
        """
        above = np.where(self.asked & ~self._gone, spare_of(demand_a, limit_a), 1.0).min(axis=-1)
        return np.asarray(np.minimum(above, self.spare(demand_a, limit_a)).min(axis=0))


def spares(op: Operating, end_soc: Array) -> Array:
    """Spare of every element with a limit, of many variants in one batch.

    Parameters
    ----------
    op : Operating
        Solved variants: arrays of shape (3, n, n_soc).
    end_soc : ndarray, shape (n,)
        State of charge at which play of each variant ends.

    Returns
    -------
    ndarray, shape (n, n_elements)
        In the order of ``headrooms``.
    """
    end = End(op.soc, end_soc, op.flow.collapsed)
    out = [end.least(demand, limit) for _, _, demand, limit in _limited(op)]
    return np.stack(out, axis=1) if out else np.empty((len(end_soc), 0))


def _limited(op: Operating) -> Iterator[Limited]:
    """Every element with a limit: what of it is limited, what is asked of it, and what it can give."""
    flow, net = op.flow, op.network
    for k, pack in enumerate(op.plan.stores):
        amps = flow.branch_a[..., k]
        if isinstance(pack, Bank):
            yield pack, "bank", amps, np.full(amps.shape, pack.output_limit_a.likely)
        if not isinstance(pack, Pack):
            continue
        yield pack, "cells", amps, np.broadcast_to(current_limit_a(pack, op.curves[k], "max_discharge_a"), amps.shape)
        if pack.protection is not None:
            yield pack, "protection", amps, np.full(amps.shape, pack.protection.trip_a.likely)
    for link in op.plan.links:
        rated = link_rating_a(link)
        if rated is not None and link.id in net.branch:
            amps = flow.branch_a[..., net.branch[link.id]]
            yield link, link.kind, amps, np.full(amps.shape, rated)
    for board in net.paths:
        if board.battery_path_a is not None:
            amps = flow.branch_a[..., net.branch[board.id]]
            yield board, "path", amps, np.full(amps.shape, board.battery_path_a.likely)
    for k, converter in enumerate(net.converters):
        if np.isfinite(op.board_limit_a[k]).any():
            yield converter, converter.kind, flow.output_a(k), op.board_limit_a[k]


def _input_v(op: Operating, part: Pack | Bank | Converter | Link | ChargeBoard) -> Array:
    """Volts that a part gets in, shape (3, n_soc): a store and a link, those at its own end."""
    if isinstance(part, Converter):
        return op.flow.converter_input_v(op.network.converters.index(part))
    return op.flow.element_v[..., op.network.position[part.id]]
