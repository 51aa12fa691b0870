"""Many variants of one plan in one question: what each comes to, read off one solved batch as a single build is."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.network import Network, compile_network
from briskcell.core.engine.operating import SOC_EPSILON, Operating, steady_states, used_states
from briskcell.core.engine.variants import Factors, variants
from briskcell.core.pack.ending import board_stops, closer, set_stops
from briskcell.core.pack.runtime import mean_current, played
from briskcell.core.pack.stops import collapse_margin, cutoff_margin
from briskcell.core.rails.headroom import spares
from briskcell.model.plan import Plan

from .doubts import OF_PLAY, Doubt

Array = NDArray[np.float64]
# States of charge, denser where stops are met; a runtime is given as a share of the likely one's on the same grid.
SOC = np.array([1.0, 0.85, 0.65, 0.45, 0.3, 0.2, 0.13, 0.08, 0.05, 0.025, 0.01, 0.0])
MEAN_AT = 0.65  # state of charge at which a mean draw is looked at: about the middle of a run's energy
CHUNK, WORKERS = 500, 2  # variants solved at once, some tens of megabytes, and threads that do it


@dataclass(frozen=True, slots=True)
class Solved:
    """What variants come to, each of shape (n,) but where said.

    Attributes
    ----------
    hours : ndarray
        From full to the first stop; nan where nothing plays. [h]
    spares : ndarray, shape (n, n_elements)
        Least spare of each element that has a limit, down to the stop.
    volts : ndarray
        Least volts above the windows of the loads, down to the stop; below 0 where one is left, nan where none is asked. [V]
    end : ndarray
        State of charge of the stop.
    elapsed : ndarray, shape (n, n_soc)
        Hours from full down to each state of charge. [h]
    watts : ndarray
        Mean of rest, play and peak out of the store, at ``MEAN_AT`` of its charge. [W]
    charge : ndarray
        What comes out of the store from full to the stop. [Ah]
    """

    hours: Array
    spares: Array
    volts: Array
    end: Array
    elapsed: Array
    watts: Array
    charge: Array

    @property
    def spare(self) -> Array:
        """The least of all elements; 1 where none has a limit."""
        return np.asarray(self.spares.min(axis=1, initial=1.0))

    def only(self, rows: slice) -> Solved:
        """Some of them."""
        return Solved(*(getattr(self, f.name)[rows] for f in fields(self)))


def solved(plan: Plan, of: Sequence[Doubt], factors: Array, store: int = 0) -> Solved:
    """Every variant of a plan, in chunks.

    Parameters
    ----------
    plan : Plan
        The build.
    of : sequence of Doubt
        What the columns of ``factors`` are factors on.
    factors : ndarray, shape (n, len(of))
        One row a variant.
    store : int
        Whose runtime is asked.

    Returns
    -------
    Solved
        Of every variant.
    """
    made = Maker(plan, of, compile_network(plan))
    chunks = [factors[k : k + CHUNK] for k in range(0, len(factors), CHUNK)]
    with ThreadPoolExecutor(WORKERS) as pool:  # the compiled loops let go of the interpreter
        parts = list(pool.map(lambda chunk: made.solve(chunk, store), chunks))
    return Solved(*(np.concatenate([getattr(p, f.name) for p in parts]) for f in fields(Solved)))


class Maker:
    """What all chunks share: the compiled network, and the column of each doubt's factor."""

    def __init__(self, plan: Plan, of: Sequence[Doubt], network: Network) -> None:
        self.plan, self.network, self.soc = plan, network, closer(plan, SOC)
        self._moves = [(k, OF_PLAY[d.kind].factor, self._places(d)) for k, d in enumerate(of) if d.kind in OF_PLAY]
        self._wide = {known.factor: len(known.elements(network)) for known in OF_PLAY.values()}

    def _places(self, doubt: Doubt) -> list[int]:
        names = list(OF_PLAY[doubt.kind].elements(self.network))
        return [names.index(e) for e in doubt.on or (doubt.element,) if e in names]

    def factors(self, factors: Array) -> Factors:
        """Rows of shape (n, doubts), put to the elements that they are of."""
        out = {factor: np.ones((len(factors), wide)) for factor, wide in self._wide.items()}
        for k, factor, places in self._moves:
            out[factor][:, places] *= factors[:, [k]]
        return Factors(**out)

    def solve(self, factors: Array, store: int) -> Solved:
        """Variants of one chunk: factors of shape (n, doubts)."""
        of = self.factors(factors)
        made = variants(self.plan, self.network, self.soc, of)
        op = Operating(self.plan, self.network, made.curves, made.states())
        return _answers(op, self.soc, of, store)


def _answers(op: Operating, soc: Array, of: Factors, store: int) -> Solved:
    """A batched operating point read as a single one is: the same stops, the same integral."""
    used, curves, lost = steady_states(op.plan.use), op.curves[store], op.flow.lost[..., store]
    volts_off = of.cutoff[:, store, None]
    own = cutoff_margin(op.flow.store_v(store), used, curves.cutoff_v * volts_off)
    warned = [cutoff_margin(op.flow.store_v(store), used, s.volts * volts_off) for s in set_stops(op, store)]
    others = [collapse_margin(lost, used), *(s.margin for s in board_stops(op, store)), *warned]
    found = played(soc, own, others, op.flow.branch_a[..., store], op.plan.use, curves.capacity_ah * of.capacity[:, store])
    volts = np.full(len(found.end), np.nan)
    mine = [k for k in range(len(op.network.loads)) if op.network.store_of_load(k) == store]
    if mine:
        lows = np.array([p.window.low_v for p in op.network.loads])
        over = (op.flow.loads_v - lows)[used_states(op.plan.use)][..., mine].min(axis=(0, -1))
        volts = np.where(found.end[:, None] - SOC_EPSILON <= soc, over, np.inf).min(axis=-1)
    middle = int(np.argmin(np.abs(soc - MEAN_AT)))
    at_v, amps = op.flow.store_v(store)[..., middle], op.flow.branch_a[..., store][..., middle]
    watts = mean_current(np.where(np.isfinite(amps), at_v * np.nan_to_num(amps), np.inf), op.plan.use)
    charge = curves.capacity_ah * of.capacity[:, store] * (1.0 - found.end)
    return Solved(found.hours, spares(op, found.end), volts, found.end, found.elapsed, watts, charge)
