"""Searching: a hundred thousand combinations of pack, board and gauge, judged by the same core as a single build."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.converters import deliverable_a
from briskcell.core.engine.network import battery_paths, compile_network, state_draws
from briskcell.core.engine.operating import operate, riding_on_play, steady_states
from briskcell.core.engine.resistance import link_rating_a, wire_resistance_ohm
from briskcell.core.engine.solver import solve
from briskcell.core.engine.sources import pack_curves
from briskcell.core.pack.ending import closer
from briskcell.core.pack.runtime import NEVER_H, played
from briskcell.core.pack.stops import collapse_margin, cutoff_margin, limit_margin, lockout_margin
from briskcell.core.rails.headroom import End
from briskcell.model.changes import altered, remade
from briskcell.model.parts import STATES, Converter, Link, Load, PowerStates, Window
from briskcell.model.plan import Plan
from briskcell.model.stores import Cell, Pack
from briskcell.model.tree import wire_from
from briskcell.model.units import awg_section_mm2

from .candidates import COARSE_SOC

Array = NDArray[np.float64]
CHUNK = 2048  # candidates judged at once: a few tens of megabytes


@dataclass(frozen=True, slots=True, kw_only=True)
class Scouted:
    """Candidates in columns: which cell, how many in parallel, which board, which gauge; and what each comes to.

    ``runtime_h`` is from full to the first stop, ``spare`` the least of board and cells down to there, ``thickness_mm``
    that of the cells in one layer. All arrays have shape (n,).
    """

    cells: tuple[Cell, ...]
    boards: tuple[Converter, ...]
    cell: NDArray[np.intp]
    parallel: NDArray[np.intp]
    board: NDArray[np.intp]
    awg: Array
    runtime_h: Array
    energy_wh: Array
    spare: Array
    thickness_mm: Array
    mass_g: Array


def scout(
    plan: Plan,
    cells: Sequence[Cell],
    parallels: Sequence[int],
    boards: Sequence[Converter],
    gauges: Sequence[float],
    *,
    workers: int = 2,
    stop: Callable[[], bool] = lambda: False,
    kept: dict[int, Array] | None = None,
) -> Scouted:
    """Judge every combination of cell, count, board and gauge of the wire from the pack, for one tree of a plan.

    What lies behind the board sees its output alone, so it is solved once a board and stands as one constant power; the
    rest is the same network, solved for all cells, counts and gauges in one batch.

    Parameters
    ----------
    plan : Plan
        A build with one pack, one wire from it, and one board that feeds the loads.
    cells : sequence of Cell
        Cell classes.
    parallels : sequence of int
        Numbers of strings.
    boards : sequence of Converter
        Boards that may stand in the main board's place.
    gauges : sequence of float
        AWG of the first wire.
    workers : int
        Threads; arrays release the interpreter's lock.
    stop : callable
        Asked before every chunk; True ends the search with what is done.
    kept : dict, optional
        Chunks that an earlier search of the same has judged, by number; those judged now are put to them.

    Returns
    -------
    Scouted
        In the order cell, parallel, gauge within board.
    """
    main, wire = plan.converters[0], wire_from(plan, plan.packs[0])
    assert wire is not None
    columns = np.array(list(itertools.product(range(len(cells)), range(len(parallels)), range(len(gauges)))), dtype=np.intp)
    tables = _CellTables(plan.packs[0], cells, closer(plan, COARSE_SOC))
    jobs, known = [], {} if kept is None else kept
    for index, board in enumerate(boards):
        lumped = _lumped(plan, main, board)
        jobs += [(index, lumped, columns[k : k + CHUNK]) for k in range(0, len(columns), CHUNK)]

    def run(number: int) -> tuple[int, NDArray[np.intp], Array] | None:
        index, lumped, part = jobs[number]
        if number not in known:
            if stop():
                return None
            known[number] = _judge(lumped, wire, tables, parallels, gauges, part)
        return index, part, known[number]

    with ThreadPoolExecutor(workers) as pool:
        done = [d for d in pool.map(run, range(len(jobs))) if d is not None]
    picked = np.concatenate([p for _, p, _ in done]) if done else np.zeros((0, 3), dtype=np.intp)
    found = np.concatenate([f for _, _, f in done], axis=1) if done else np.zeros((3, 0))
    cell, count = picked[:, 0], np.asarray(parallels, dtype=np.intp)[picked[:, 1]]
    series = plan.packs[0].series
    return Scouted(
        cells=tuple(cells),
        boards=tuple(boards),
        cell=cell,
        parallel=count,
        board=np.concatenate([np.full(len(p), b, dtype=np.intp) for b, p, _ in done]) if done else np.zeros(0, dtype=np.intp),
        awg=np.asarray(gauges, dtype=float)[picked[:, 2]],
        runtime_h=found[0],
        energy_wh=found[1],
        spare=found[2],
        thickness_mm=np.array([c.thickness_mm or np.inf for c in cells])[cell],
        mass_g=np.array([c.mass_g or np.inf for c in cells])[cell] * count * series,
    )


class _CellTables:
    """Curves of every cell class in the pack's series count, one string each: arrays of shape (n_cells, n_soc)."""

    def __init__(self, pack: Pack, cells: Sequence[Cell], soc: Array) -> None:
        self.soc = soc
        packs = [altered(pack, cell=c, parallel=1, strings=()) for c in cells]
        bare = [pack_curves(altered(p, link_resistance_ohm=0.0, protection=None), soc) for p in packs]
        self.ocv, self.fast, self.slow = (np.stack([getattr(c, k) for c in bare]) for k in ("ocv_v", "fast_ohm", "slow_ohm"))
        self.capacity_ah = np.array([c.capacity_ah for c in bare])
        self.energy_wh = np.array([c.energy_wh for c in bare])
        self.cutoff_v = np.array([pack_curves(p, soc).cutoff_v for p in packs])
        self.most_a = np.array([c.max_discharge_a.likely for c in cells])
        self.trip_a = pack.protection.trip_a.likely if pack.protection else np.inf
        self.extra_ohm = pack.link_resistance_ohm.likely + (pack.protection.resistance_ohm.likely if pack.protection else 0.0)


def _lumped(plan: Plan, main: Converter, board: Converter) -> Plan:
    """The plan with a board in the main one's place, and all behind it as one constant power at its output."""
    placed = altered(board, id=main.id, fed_by=main.fed_by)
    op = operate(remade(plan, {"converters": (placed, *plan.converters[1:])}), COARSE_SOC[:1])
    column = op.network.position[main.id]
    watts = [0.0 if op.flow.collapsed[s, 0] else float(op.flow.element_w[s, 0, column]) for s in range(3)]
    load = Load(
        id="behind-the-board",
        name="all behind the board",
        fed_by=main.id,
        power_w=PowerStates.model_validate(dict(zip(STATES, watts, strict=True))),
        window=Window(low_v=0.1, high_v=60.0),
    )
    kept: set[str] = set()
    at = main.fed_by
    while isinstance(part := plan.by_id[at], Link):
        kept.add(part.id)
        at = part.fed_by
    links = tuple(k for k in plan.links if k.id in kept)
    stripped = {"rails": (), "loads": (load,), "links": links, "converters": (placed,), "capacitors": (), "banks": ()}
    paths = tuple(altered(b, fed_by=None) for b in battery_paths(plan) if b.charges == plan.packs[0].id)
    supplies = tuple(s for s in plan.supplies if s.id in {b.supply for b in paths})
    return remade(plan, stripped | {"packs": plan.packs[:1], "chargers": paths, "supplies": supplies, "trickles": ()})


def _judge(
    plan: Plan, wire: Link, tables: _CellTables, parallels: Sequence[int], gauges: Sequence[float], part: NDArray[np.intp]
) -> Array:
    """Runtime, energy and spare of some candidates, shape (3, n)."""
    network, board = compile_network(plan), plan.converters[0]
    cell, count = part[:, 0], np.asarray(parallels, dtype=float)[part[:, 1]]
    per = count[:, None]
    ocv = tables.ocv[cell][..., None]
    fast = (tables.fast[cell] / per + tables.extra_ohm)[..., None]
    slow = (tables.slow[cell] / per)[..., None]
    ohm_of = np.array([wire_resistance_ohm(wire.length_m or 0.1, awg_section_mm2(g), wire.conductors) for g in gauges])
    own = network.fixed_ohm[len(network.stores) + 1 :]
    link_ohm = np.broadcast_to(own, (*ocv.shape[:-1], len(own))).copy()
    link_ohm[..., network.branch[wire.id] - len(network.stores) - 1] = ohm_of[part[:, 2]][:, None]
    d = state_draws(network)
    draws = type(d)(power_w=d.power_w[:, None], current_a=d.current_a[:, None], conductance_s=d.conductance_s[:, None])
    flow = solve(network, ocv, np.stack([fast + slow, fast + slow, fast]), draws, riding_on_play(slow), link_ohm)
    used, lost, amps = steady_states(plan.use), flow.lost[..., 0], flow.store_a()
    cut = cutoff_margin(flow.store_v(), used, tables.cutoff_v[cell][:, None])
    limit, out_a = deliverable_a(board, flow.converter_input_v(0)), flow.output_a(0)
    others = [collapse_margin(lost, used), limit_margin(limit, out_a, lost, used)]
    if board.lockout_v is not None:
        others.append(lockout_margin(flow.converter_input_v(0), used, board.lockout_v))
    if (warning_v := plan.shutdown.warning_v) is not None:
        others.append(cutoff_margin(flow.store_v(), used, warning_v))
    found = played(tables.soc, cut, others, amps, plan.use, tables.capacity_ah[cell] * count)
    end = End(tables.soc, found.end, flow.collapsed)
    # Links behind the wire carry what the store gives, so the smallest rating stands for all of them.
    paths = [b.battery_path_a.likely for b in network.paths if b.battery_path_a]
    rating = min([tables.trip_a, *paths, *(r for k in plan.links if (r := link_rating_a(k)) is not None)])
    most = np.broadcast_to(np.minimum(tables.most_a[cell] * count, rating)[:, None], amps.shape)
    spare = np.minimum(end.least(out_a, limit), end.least(amps, most))
    return np.stack([np.nan_to_num(found.hours, nan=NEVER_H), tables.energy_wh[cell] * count, spare])
