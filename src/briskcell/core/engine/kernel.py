"""The innermost loops of the power tree, compiled: one sweep of one point, and sweeps until every point settles.

Unknowns ``x`` of a point are the consumers' volts (loads, then converter inputs), then the converters' stiff outputs.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.compiled import compiled

Array = NDArray[np.float64]
Indices = NDArray[np.intp]

SWEEPS = 14
TOLERANCE = 1e-8  # of the source voltage
FLOOR = 0.02  # of the source voltage; nothing works below, and a solution there is a collapse
MOST_A = 1e3  # asked of a source that cannot carry its converter: enough to drive the sweep down, never inf
BOOST, BUCK_BOOST, BUCK, LINEAR = range(4)
SET_V, DROPOUT_V, DROPOUT_OHM, STANDING_A, JUNCTION_V, OHM, EFFICIENCY, SWITCHING, LOSS = range(9)  # of ``own``


class Tree(NamedTuple):
    """A network as flat arrays. Branches of consumer ``c`` are ``branch[start[c]:start[c + 1]]``.

    ``own`` has a row of coefficients for each converter, and a leading axis for variants of them, of one as a rule; each point of
    a batch says by its ``row`` which variant holds. ``LOSS`` scales all that is lost. Tables of efficiency are padded:
    ``table_size`` says how far they are filled, 0 × 0 where a converter has none. ``drop_v`` is what a branch drops at any current,
    as a diode does, ``most_s`` the conductance that a load's power cannot pass, as that of an amplifier behind its speaker.
    """

    n_stores: int
    source: Indices
    start: Indices
    branch: Indices
    deepest_first: Indices
    kind: Indices
    own: Array
    table_size: Indices
    table_v: Array
    table_a: Array
    table: Array
    drop_v: Array
    most_s: Array


@compiled
def place(edges: Array, n: int, at: float) -> tuple[int, float]:
    """Cell of a grid of n edges, and how far across it, held at the ends."""
    k = 0
    while k < n - 2 and at >= edges[k + 1]:
        k += 1
    if n == 1:
        return 0, 0.0
    return k, min(max((at - edges[k]) / (edges[k + 1] - edges[k]), 0.0), 1.0)


@compiled
def table_value(at_v: Array, at_a: Array, table: Array, rows: int, columns: int, volts: float, amps: float) -> float:
    """Efficiency at one point of a table; see ``converters.table_efficiency``."""
    r, down = place(at_v, rows, volts)
    c, across = place(at_a, columns, amps)
    below, right = min(r + 1, rows - 1), min(c + 1, columns - 1)
    top = table[r, c] * (1.0 - across) + table[r, right] * across
    low = table[below, c] * (1.0 - across) + table[below, right] * across
    return float(top * (1.0 - down) + low * down)


@compiled
def input_current(output_w: float, input_v: float, standing_a: float, junction_v: float, ohm: float, efficiency: float) -> float:
    """What a switching converter takes; see ``converters.switching_input_current``."""
    if junction_v == 0.0 and ohm == 0.0:
        return output_w / (efficiency * input_v) + standing_a
    demand = output_w + input_v * standing_a
    push = input_v - junction_v
    under_root = push * push - 4.0 * ohm * demand
    if under_root < 0.0 or push <= 0.0:
        return np.inf
    # Not (-b + root) / 2a: this form keeps its digits, and stays finite, at zero resistance.
    return float(2.0 * demand / max(push + np.sqrt(under_root), 1e-12))


@compiled
def buck_current(
    output_w: float, output_a: float, input_v: float, standing_a: float, junction_v: float, ohm: float, switching: float
) -> float:
    """What a buck takes: its losses follow the current out; see ``converters.switching_input_current``."""
    lost = input_v * (standing_a + switching * output_a) + junction_v * output_a + ohm * output_a * output_a
    return (output_w + lost) / input_v


@compiled
def stiff_v(kind: int, set_v: float, dropout_v: float, dropout_ohm: float, input_v: float, output_a: float) -> float:
    """Voltage behind a converter's output resistance; see ``converters.stiff_output_v``."""
    if kind == BOOST:
        return max(input_v, set_v)
    if kind == BUCK_BOOST:
        return set_v
    return min(max(input_v - dropout_v - dropout_ohm * output_a, 0.0), set_v)


@compiled
def sweep(
    tree: Tree,
    points: Indices,
    ocv: Array,
    ohm: Array,
    power: Array,
    current: Array,
    conductance: Array,
    row: Indices,
    x: Array,
    scale: Array,
    amps: Array,
    branch_a: Array,
    new: Array,
) -> None:
    """Backward and forward once at some points: the currents at volts ``x``, and the volts ``new`` that follow.

    Arrays have a row for each point, and a column for each unknown, consumer, load, store or branch.
    """
    # Names of their own: reading them out of the tuple in the loop costs more than the loop.
    n_stores, source, start, branch, order, kind, own = tree[:7]
    table_size, table_v, table_a, table, drop_v, most_s = tree[7:]
    n, n_boards = len(source), len(order)
    n_loads = n - n_boards
    source_a, source_v = np.empty(n_stores + n_boards), np.empty(n_stores + n_boards)
    for p in points:
        v = row[p]
        for s in range(n_stores):
            source_a[s], source_v[s] = 0.0, ocv[p, s]
        for k in range(n_boards):
            source_a[n_stores + k], source_v[n_stores + k] = 0.0, x[p, n + k]
        for b in range(branch_a.shape[1]):
            branch_a[p, b] = 0.0
        for at in range(n):
            # Loads, then converters from the deepest up: each knows by then what is fed from it.
            c = at if at < n_loads else n_loads + order[at - n_loads]
            volts = max(x[p, c], FLOOR * scale[p, c])
            if at < n_loads:
                drawn = min(power[p, c] / volts, volts * most_s[c]) + current[p, c] + volts * conductance[p, c]
            else:
                k = c - n_loads
                out_a = source_a[n_stores + k]
                if kind[k] == LINEAR:
                    drawn = out_a + own[v, k, STANDING_A]
                else:
                    efficiency, loss = own[v, k, EFFICIENCY], own[v, k, LOSS]
                    if table_size[k, 0]:
                        size = table_size[k]
                        efficiency = table_value(table_v[k], table_a[k], table[k], size[0], size[1], volts, out_a)
                    efficiency = efficiency / (efficiency + loss * (1.0 - efficiency))
                    out_w, standing = out_a * x[p, n + k], loss * own[v, k, STANDING_A]
                    junction, r = loss * own[v, k, JUNCTION_V], loss * own[v, k, OHM]
                    if kind[k] == BUCK and (junction > 0.0 or r > 0.0):
                        drawn = min(buck_current(out_w, out_a, volts, standing, junction, r, loss * own[v, k, SWITCHING]), MOST_A)
                    else:
                        drawn = min(input_current(out_w, volts, standing, junction, r, efficiency), MOST_A)
            amps[p, c] = drawn
            source_a[source[c]] += drawn
            for b in range(start[c], start[c + 1]):
                branch_a[p, branch[b]] += drawn
        for at in range(n):
            # Converters from the shallowest down, then loads: a new output feeds what is fed from it in the same sweep.
            c = n_loads + order[n_boards - 1 - at] if at < n_boards else at - n_boards
            volts = source_v[source[c]]
            for b in range(start[c], start[c + 1]):
                volts -= branch_a[p, branch[b]] * ohm[p, branch[b]] + drop_v[branch[b]]
            new[p, c] = volts
            if c >= n_loads:
                k = c - n_loads
                given = stiff_v(
                    kind[k], own[v, k, SET_V], own[v, k, DROPOUT_V], own[v, k, DROPOUT_OHM], volts, source_a[n_stores + k]
                )
                new[p, n + k] = source_v[n_stores + k] = given


@compiled
def unloaded(tree: Tree, points: Indices, ocv: Array, row: Indices, x: Array) -> None:
    """Volts of every unknown while no current flows, into ``x``, at some points."""
    n_stores, n, n_boards = tree.n_stores, len(tree.source), len(tree.kind)
    source, order, kind, own = tree.source, tree.deepest_first, tree.kind, tree.own
    source_v = np.empty(n_stores + n_boards)
    for p in points:
        v = row[p]
        for s in range(n_stores):
            source_v[s] = ocv[p, s]
        for at in range(n_boards - 1, -1, -1):
            k = order[at]
            fed = source_v[source[n - n_boards + k]]
            source_v[n_stores + k] = stiff_v(kind[k], own[v, k, SET_V], own[v, k, DROPOUT_V], own[v, k, DROPOUT_OHM], fed, 0.0)
            x[p, n + k] = source_v[n_stores + k]
        for c in range(n):
            x[p, c] = source_v[source[c]]


@compiled
def settle(
    tree: Tree,
    points: Indices,
    ocv: Array,
    ohm: Array,
    power: Array,
    current: Array,
    conductance: Array,
    row: Indices,
    x: Array,
    scale: Array,
    amps: Array,
    branch_a: Array,
) -> Indices:
    """Sweep some points from their unloaded volts until they settle; those that have not after ``SWEEPS`` are given back."""
    unloaded(tree, points, ocv, row, x)
    left, before, new = points.copy(), np.empty(x.shape), np.empty(x.shape)
    for p in points:
        for u in range(x.shape[1]):
            scale[p, u] = max(abs(x[p, u]), 1e-3)
            before[p, u] = x[p, u]
    for turn in range(SWEEPS):
        sweep(tree, left, ocv, ohm, power, current, conductance, row, x, scale, amps, branch_a, new)
        moving = 0
        for p in left:
            still = turn >= 1
            for u in range(x.shape[1]):
                still = still and abs(new[p, u] - x[p, u]) <= TOLERANCE * scale[p, u]
            if still:
                continue  # its currents belong to these very volts
            for u in range(x.shape[1]):
                step, last = x[p, u] - before[p, u], new[p, u] - x[p, u]
                before[p, u] = x[p, u]
                x[p, u] = new[p, u]
                # Where sweeps shrink steadily, Aitken's estimate of where they lead.
                if turn % 3 == 2 and step != 0.0 and 0.0 < last / step < 0.5:
                    x[p, u] += last * (last / step) / (1.0 - last / step)
            left[moving] = p
            moving += 1
        left = left[:moving]
        if moving == 0:
            break
    return left
