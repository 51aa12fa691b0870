"""What flows through every drawn element, over all states and states of charge: what the map shows, and steps through."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from briskcell.core.assess import Assessment
from briskcell.model.parts import Converter
from briskcell.model.plan import Store

from .map_layout import Node

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class NodeFlow:
    """One drawn element, each array of shape (3, n_soc): volts and watts it hands on, watts lost in it, spare of its limit."""

    volts: Array
    watts: Array
    lost: Array
    spare: Array | None = None

    def amps(self, row: int, point: int) -> float:
        """Current handed on, 0 where nothing flows."""
        volts = float(self.volts[row, point])
        return float(self.watts[row, point]) / volts if volts > 0 else 0.0


def flows_of(assessed: Assessment, roots: list[Node]) -> dict[str, NodeFlow]:
    """The flows of every node, by the id of its first part; all zero where its tree collapses.

    Losses are those of the node's own parts; a load's are those of the wires that serve it alone.
    """
    op = assessed.op
    net, flow = op.network, op.flow
    branch_w = flow.branch_ohm * np.where(np.isfinite(flow.branch_a), flow.branch_a, 0.0) ** 2
    spares = {h.element: h.spare_now for h in assessed.headrooms if h.kind not in ("cells", "protection")}
    out: dict[str, NodeFlow] = {}
    for node in (n for root in roots for n in root.walk()):
        last = net.position[node.parts[-1].id]
        watts, volts = flow.element_w[..., last], flow.element_v[..., last]
        lost = np.zeros(watts.shape)
        for part in (*node.parts, *node.wires):
            if isinstance(part, Converter):
                lost = lost + flow.converter_input_w(net.converters.index(part)) - watts
            elif isinstance(part, Store):  # a peak meets volts that play has lowered already, so not I²R alone
                k = op.plan.stores.index(part)
                amps = np.where(np.isfinite(flow.branch_a[..., k]), flow.branch_a[..., k], 0.0)
                lost = lost + op.curves[k].ocv_v * amps - watts
            elif part.id in net.branch:
                lost = lost + branch_w[..., net.branch[part.id]]
        out[node.id] = NodeFlow(volts, watts, np.maximum(lost, 0.0), spares.get(node.id))
    return out


def flows_document(assessed: Assessment, roots: list[Node], flows: dict[str, NodeFlow]) -> dict[str, Any]:
    """The flows as plain lists, for the page's script: to a millionth, states by states of charge."""
    op = assessed.op

    def plain(values: Array) -> list[list[float]]:
        rounded: list[list[float]] = (np.round(values, 6) + 0.0).tolist()  # no zero has a sign
        return rounded

    charges = {
        c.board.id: [float(f"{v:.3g}") for v in np.interp(op.soc, c.off.soc, c.off.current_a)]
        for c in assessed.charges
        if len(c.off.soc)
    }
    return {
        "soc": [round(float(s) * 100, 2) for s in op.soc],
        "collapsed": op.flow.collapsed.tolist(),
        "charge": charges,
        "nodes": {
            node.id: {"v": plain(f.volts), "w": plain(f.watts), "l": plain(f.lost)}
            | ({"s": plain(f.spare)} if f.spare is not None else {})
            for root in roots
            for node in root.walk()
            if (f := flows[node.id])
        },
    }
