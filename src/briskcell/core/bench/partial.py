"""A build on the bench with some of its loads joined, solved over the charge that its pack may have."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.network import Draws, compile_network, draws_of
from briskcell.core.engine.solver import solve
from briskcell.core.engine.sources import store_curves
from briskcell.model.changes import altered, remade
from briskcell.model.parts import Load
from briskcell.model.plan import Plan

Array = NDArray[np.float64]
CHARGES = np.array([1.0, 0.8, 0.5, 0.3])  # of the pack on the bench, which nobody knows exactly
SPREAD = ("low", "likely", "high")


@dataclass(frozen=True, slots=True)
class Solved:
    """Volts at every element and amps out of every store, over draws (low, likely, high) and charges; nan where it cannot be."""

    volts: dict[str, Array]
    amps: dict[str, Array]


class Joined:
    """A build with only some loads joined, all in one state: made once, solved for what may be wrong with it.

    Parameters
    ----------
    plan : Plan
        The build.
    loads : collection of str
        Ids of the loads that are joined.
    dummy : Load, optional
        A resistor joined besides.
    state : str
        What the loads do.
    """

    def __init__(self, plan: Plan, loads: Collection[str], dummy: Load | None = None, state: str = "play") -> None:
        kept = tuple(p for p in plan.loads if p.id in loads)
        absent = {p.id for p in plan.loads} - {p.id for p in kept}  # a part that takes several volts is joined share by share
        kept = tuple(altered(p, half_of=None) if p.half_of in absent else p for p in kept) + ((dummy,) if dummy else ())
        for gone in absent:
            kept += _passing(plan, gone)
        self._part, self._cells_c = remade(plan, {"loads": kept, "days": (), "games": (), "placed": ()}), plan.brief.cells_c
        self._net = compile_network(self._part)
        figures = [_figures(self._net.loads, which, state) for which in SPREAD]
        terms = ("power_w", "current_a", "conductance_s")
        self._draws = Draws(**{term: np.stack([getattr(d, term) for d in figures])[:, None, :] for term in terms})

    def solved(self, *, extra_ohm: Mapping[str, float] | None = None, soc: Array = CHARGES, missing_cell: str = "") -> Solved:
        """Volts and amps of it.

        Parameters
        ----------
        extra_ohm : mapping of str to float, optional
            Ohms that links have more than they should. [Ω]
        soc : ndarray, shape (n,)
            States of charge of every store.
        missing_cell : str
            The pack of which one cell in series gives nothing.

        Returns
        -------
        Solved
            Arrays of shape (3, n).
        """
        net, stores = self._net, self._part.stores
        curves = [store_curves(s, soc, self._cells_c) for s in stores]
        shape = (len(SPREAD), len(soc), len(curves))
        ocv = np.empty(shape)
        for k, (store, c) in enumerate(zip(stores, curves, strict=True)):
            series = getattr(store, "series", 1)
            ocv[..., k] = c.ocv_v * ((series - 1) / series if store.id == missing_cell else 1.0)
        ohm = np.broadcast_to(np.stack([c.steady_ohm for c in curves], -1), shape)
        link = net.fixed_ohm[len(net.stores) + len(net.converters) :].copy()
        names = net.branches[len(net.stores) + len(net.converters) :]
        for name, more in (extra_ohm or {}).items():
            if name in names:
                link[names.index(name)] += more
        flow = solve(net, ocv, ohm, self._draws, link_ohm=link)
        dead = flow.collapsed
        volts = {n: np.where(dead, np.nan, flow.element_v[..., k]) for n, k in net.position.items()}
        amps = {n: np.where(dead, np.nan, flow.store_a(k)) for k, n in enumerate(net.stores)}
        return Solved(volts, amps)


def _figures(loads: tuple[Load, ...], which: str, state: str) -> Draws:
    """A state's draws at one end of their range; of a resistance the low end draws most."""
    ends = {"low": "high", "likely": "likely", "high": "low"}
    at = tuple(altered(p, **{p.kind: _at(p, ends[which] if p.kind == "resistance_ohm" else which, state)}) for p in loads)
    return draws_of(at, state)


def _at(load: Load, which: str, state: str) -> object:
    figure = getattr(load.draw, state)
    return load.draw.model_copy(update={state: figure.at(getattr(figure, which))})


def _passing(plan: Plan, part_id: str) -> tuple[Load, ...]:
    """A load that is not joined stays as a point where others hang on it, and draws nothing."""
    load = plan.by_id[part_id]
    if not isinstance(load, Load) or not plan.fed.get(part_id):
        return ()
    nothing = load.model_copy(update={load.kind: None})
    zero = {"low": 0.0, "likely": 0.0, "high": 0.0, "source": "not joined"}
    states = dict.fromkeys(("rest", "play", "peak"), zero)
    document = nothing.model_dump(exclude_none=True) | {"current_a": states}
    return (Load.model_validate(document),)
