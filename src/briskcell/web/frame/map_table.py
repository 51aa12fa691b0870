"""The map as a table: what flows through every element, and the shared returns, which no band shows."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from briskcell.core.assess import Assessment
from briskcell.drawing.map.flows import flows_of
from briskcell.drawing.map.layout import Node, trees
from briskcell.drawing.map.scene import changed_parts
from briskcell.model.parts import STATES, Link, Part
from briskcell.model.units import show


@dataclass(frozen=True, slots=True)
class Line:
    """An element: its name, what it hands on and loses, its word, and whether it changed since the mark."""

    name: str
    volts: str
    amps: str
    watts: str
    lost: str
    state: str
    changed: bool


def map_table(assessed: Assessment, soc: float, state: str, baseline: Assessment | None) -> tuple[Line, ...]:
    """Every element at one operating point, in the order of the map."""
    roots = trees(assessed.plan)
    flows, at = flows_of(assessed, roots), (STATES.index(state), assessed.op.index(soc))
    changed = changed_parts(assessed, baseline)

    def line(node: Node) -> Line:
        flow = flows[node.id]
        parts: list[Part] = [*node.parts, *([node.rail] if node.rail else [])]
        words = [assessed.element_state(p.id) for p in (*node.parts, *node.wires)]
        return Line(
            " → ".join(p.name for p in parts),
            show(float(flow.volts[at]), "V"),
            show(flow.amps(*at), "A"),
            show(float(flow.watts[at]), "W"),
            show(float(flow.lost[at]), "W"),
            next((w for w in ("fails", "close") if w in words), "holds"),
            any(p.id in changed for p in (*parts, *node.wires)),
        )

    def back(link: Link) -> Line:
        op = assessed.op
        volts = float(op.flow.element_v[(*at, op.network.position[link.id])])
        amps = float(op.flow.branch_a[(*at, op.network.branch[link.id])])
        amps = amps if np.isfinite(amps) else 0.0
        return Line(
            link.name,
            show(volts, "V"),
            show(amps, "A"),
            show(0.0, "W"),
            show(volts * amps, "W"),
            assessed.element_state(link.id),
            link.id in changed,
        )

    nodes = [line(n) for root in roots for n in root.walk()]
    return (*nodes, *(back(k) for k in assessed.plan.links if k.kind == "return"))
