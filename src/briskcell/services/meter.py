"""Hold a reading against what was predicted."""

from __future__ import annotations

import random
from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.formats.assessment_json import nodes_document
from briskcell.model.errors import FigureError


@dataclass(frozen=True, slots=True)
class Reading:
    """Predicted and read volts of a node."""

    node: str
    predicted_v: float
    read_v: float


GAIN, BESIDE_V = 0.003, 0.001  # what a handheld meter of the 0.5 % class is off


def read_node(assessed: Assessment, node: str, soc: float, state: str) -> Reading:
    """Read the volts of a node with a meter of the 0.5 % class that is simulated.

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
    return Reading(node, found["voltage_v"], found["voltage_v"] * random.Random(node).gauss(1.0, GAIN) + BESIDE_V)
