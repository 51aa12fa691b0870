"""Hold a reading against what was predicted."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.bench.meter import Meter
from briskcell.bench.simulated import SimulatedMeter
from briskcell.core.assess import Assessment
from briskcell.formats.assessment_json import nodes_document
from briskcell.model.errors import FigureError


@dataclass(frozen=True, slots=True)
class Reading:
    """Predicted and read volts of a node."""

    node: str
    predicted_v: float
    read_v: float


def read_node(assessed: Assessment, node: str, soc: float, state: str, meter: Meter | None = None) -> Reading:
    """Read the volts of a node; without a meter on the bench, with the simulated one touching that node.

    Raises
    ------
    FigureError
        If the build has no such node, or collapses at that point.
    """
    found = next((n for n in nodes_document(assessed, soc, state) if n["name"] == node), None)
    if found is None:
        raise FigureError("node", f"The build has no node “{node}”.", fix="Use a name that `brisk-cell assess` lists.")
    if found["voltage_v"] is None:
        raise FigureError("node", "The build collapses at this point; there is nothing to read.", fix="Choose another.")
    bench = meter or Meter(SimulatedMeter(found["voltage_v"], found["current_a"]))
    return Reading(node, found["voltage_v"], bench.volts())
