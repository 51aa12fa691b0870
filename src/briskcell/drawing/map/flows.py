"""What flows through every drawn element, and how wide it is drawn, over all states and states of charge.

A page draws one point of it, and steps through the others with the same numbers.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.assess import Assessment
from briskcell.model.parts import Fed

from .layout import Node

Array = NDArray[np.float64]
THINNEST, LEAST_HALF = 0.8, 13.0


@dataclass(frozen=True, slots=True)
class NodeFlow:
    """One drawn element, each array of shape (3, n_soc): volts and watts it hands on, watts lost in it, spare of its limit."""

    volts: Array
    watts: Array
    lost: Array
    spare: Array | None = None

    @property
    def into(self) -> Array:
        """Watts into it, with what is lost in it."""
        return self.watts + self.lost

    def amps(self, row: int, point: int) -> float:
        """Current handed on, 0 where nothing flows."""
        volts = float(self.volts[row, point])
        return float(self.watts[row, point]) / volts if volts > 0 else 0.0


def flows_of(assessed: Assessment, roots: list[Node]) -> dict[str, NodeFlow]:
    """The flows of every node, by the id of its first part; all zero where its tree collapses.

    Losses are those of the node's own parts; a load's are those of the wires that serve it alone.
    """
    flow, net = assessed.op.flow, assessed.op.network
    spares = {h.element: h.spare_now for h in assessed.headrooms if h.kind not in ("cells", "protection")}
    out: dict[str, NodeFlow] = {}
    for node in (n for root in roots for n in root.walk()):
        first, last = node.parts[0], net.position[node.parts[-1].id]
        # What a power path loses between a store and what hangs there is counted with what hangs there.
        paths = [b for b in net.paths if isinstance(first, Fed) and b.charges == first.fed_by]
        lost = np.zeros(flow.element_w.shape[:-1])
        for part in (*node.parts, *node.wires):
            lost = lost + assessed.op.lost_w.get(part.id, 0.0)
        for path in paths:
            whole, own = flow.branch_a[..., net.branch[path.id]], flow.element_a[..., last]
            flows = np.isfinite(whole) & (whole > 0)
            lost = lost + assessed.op.lost_w[path.id] * np.divide(own, whole, out=np.zeros(whole.shape), where=flows)
        out[node.id] = NodeFlow(flow.element_v[..., last], flow.element_w[..., last], lost, spares.get(node.id))
    return out


@dataclass(frozen=True, slots=True)
class Widths:
    """How wide things are drawn at every point, by one scale: units a watt."""

    flows: dict[str, NodeFlow]
    scale: float

    def into(self, nodes: Iterable[Node]) -> Array:
        """Watts into some nodes together, shape (3, n_soc)."""
        return sum((self.flows[n.id].into for n in nodes), np.zeros(1))

    def thick(self, nodes: Iterable[Node]) -> Array:
        """How wide their band is, shape (3, n_soc)."""
        return np.maximum(self.into(nodes) * self.scale, THINNEST).round(1)

    def half(self, node: Node) -> Array:
        """Half the height of a mark, shape (3, n_soc)."""
        return np.maximum(self.thick((node,)) / 2 + 5.0, LEAST_HALF)

    def lost(self, node: Node) -> Array:
        """How wide what leaves a mark as heat is, shape (3, n_soc)."""
        return (self.flows[node.id].lost * self.scale).clip(4.0, 16.0).round(1)

    def fan(self, groups: Iterable[tuple[Node, ...]], y: float) -> list[tuple[Array, Array]]:
        """Bands that leave a point side by side: the height of each one's middle, and how wide it is, each of shape (3, n_soc)."""
        thick = [self.thick(g) for g in groups]
        upper = y - np.sum(thick, axis=0) / 2 if thick else y
        out = []
        for wide in thick:
            out.append((upper + wide / 2, wide))
            upper = upper + wide
        return out
