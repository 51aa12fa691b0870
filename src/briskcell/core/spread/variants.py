"""Many variants of one plan in one question: factors on draws, capacities, resistances, losses and volts, solved as one batch."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.kernel import LOSS, SET_V
from briskcell.core.engine.network import Draws, Network, compile_network, state_draws
from briskcell.core.engine.operating import Operating, riding_on_play, shares_of, steady_states, used_states
from briskcell.core.engine.solver import Boards, solve
from briskcell.core.engine.sources import store_curves
from briskcell.core.pack.runtime import board_stops, carried_peaks, elapsed, hours_at
from briskcell.core.pack.stops import collapse_margin, cutoff_margin, first_below
from briskcell.core.rails.headroom import spare_of
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack

from .doubts import Doubt

Array = NDArray[np.float64]
# States of charge, denser where stops are met; a runtime is given as a share of the likely one's on the same grid.
SOC = np.array([1.0, 0.85, 0.65, 0.45, 0.3, 0.2, 0.13, 0.08, 0.05, 0.025, 0.01, 0.0])
CHUNK, WORKERS = 500, 2  # variants solved at once, some tens of megabytes, and threads that do it


@dataclass(frozen=True, slots=True)
class Solved:
    """What variants come to, each of shape (n,).

    Attributes
    ----------
    hours : ndarray
        From full to the first stop; nan where nothing plays. [h]
    spare : ndarray
        Least of what boards could still give, in play and at peaks, down to the stop; 1 where none has a limit.
    volts : ndarray
        Least volts above the windows of the loads, down to the stop; below 0 where one is left. [V]
    resets : ndarray of bool
        Whether a peak cannot be carried somewhere down to the stop.
    """

    hours: Array
    spare: Array
    volts: Array
    resets: NDArray[np.bool_]


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
    return Solved(*(np.concatenate([getattr(p, n) for p in parts]) for n in ("hours", "spare", "volts", "resets")))


class Maker:
    """What all chunks share: the compiled network, curves, and the column of each doubt's factor."""

    def __init__(self, plan: Plan, of: Sequence[Doubt], network: Network) -> None:
        self.plan, self.network = plan, network
        self.curves = tuple(store_curves(s, SOC, plan.brief.cells_c) for s in plan.stores)
        self.column = {d.key: k for k, d in enumerate(of)}
        self.draws = state_draws(self.network)

    def _factor(self, factors: Array, kind: str, names: Sequence[str]) -> Array:
        """Factors of some elements, shape (n, len(names)); 1 where nothing is uncertain."""
        out = np.ones((len(factors), len(names)))
        for k, name in enumerate(names):
            if (at := self.column.get(f"{kind}:{name}")) is not None:
                out[:, k] = factors[:, at]
        return out

    def solve(self, factors: Array, store: int) -> Solved:
        """Variants of one chunk: factors of shape (n, doubts)."""
        network, plan, n = self.network, self.plan, len(factors)
        names = [s.id for s in plan.stores]
        ocv = np.stack([c.ocv_v for c in self.curves], -1)[None]
        cell = self._factor(factors, "cell", names)[:, None, :]
        own = np.array([s.link_resistance_ohm.likely if isinstance(s, Pack) else 0.0 for s in plan.stores])
        fast, slow = (np.stack([getattr(c, k) for c in self.curves], -1)[None] for k in ("fast_ohm", "slow_ohm"))
        fast = np.maximum(fast - own, 0.0) * cell + np.minimum(fast, own)  # contacts are no cells
        slow = slow * cell
        draw = self._factor(factors, "draw", [p.id for p in network.loads])[None, :, None, :]
        d = self.draws
        draws = Draws(**{k: getattr(d, k)[:, None] * draw for k in ("power_w", "current_a", "conductance_s")})
        boards = np.repeat(network.tree.own, n, axis=0)
        ids = [c.id for c in network.converters]
        boards[:, :, SET_V] *= self._factor(factors, "volts", ids)
        boards[:, :, LOSS] = self._factor(factors, "loss", ids)
        flow = solve(network, np.broadcast_to(ocv, (n, *ocv.shape[1:])), np.stack([fast + slow, fast + slow, fast]), draws,
                     riding_on_play(slow), None, Boards(boards, np.arange(n)[None, :, None]))  # fmt: skip
        capacity = self.curves[store].capacity_ah * self._factor(factors, "capacity", names)[:, store]
        return _answers(Operating(plan, network, self.curves, flow), capacity, store)


def _answers(op: Operating, capacity_ah: Array, store: int) -> Solved:
    """A batched operating point read as a single one is: the same stops, the same integral."""
    used, curves, lost = steady_states(op.plan.use), op.curves[store], op.flow.lost[..., store]
    own = cutoff_margin(op.flow.store_v(store), used, curves.cutoff_v, curves.cutoff_is_protection)
    n = len(capacity_ah)
    margins = [own, collapse_margin(lost, used), *(np.broadcast_to(s.margin, own.shape) for s in board_stops(op, store))]
    end = np.maximum(first_below(np.stack(margins), SOC).max(axis=0), 0.0)
    shares, happen = shares_of(op.plan.use), used_states(op.plan.use)
    mean = np.tensordot(shares[happen], carried_peaks(op.flow.branch_a[..., store])[happen], axes=1)
    hours = hours_at(end, SOC, elapsed(SOC, mean, capacity_ah))
    played = SOC[None, :] >= end[:, None] - 1e-9
    spare, volts = np.ones(n), np.full(n, np.inf)
    for k, limit in enumerate(op.board_limit_a):
        if op.network.store_of_converter(k) == store and np.isfinite(limit).any():
            of_board = spare_of(op.flow.output_a(k), limit)[happen].min(axis=0)
            spare = np.minimum(spare, np.where(played, of_board, 1.0).min(axis=-1))
    lows = np.array([p.window.low_v for p in op.network.loads])
    mine = [k for k in range(len(op.network.loads)) if op.network.store_of_load(k) == store]
    if mine:
        over = (op.flow.loads_v - lows)[happen][..., mine].min(axis=(0, -1))
        volts = np.where(played, over, np.inf).min(axis=-1)
    resets = (lost[happen] & played).any(axis=(0, -1))
    return Solved(np.where(mean.max(axis=-1) > 1e-9, hours, np.nan), spare, volts, resets)
