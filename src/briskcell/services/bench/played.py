"""A build played on a simulated bench of its own, for other programs to read."""

from __future__ import annotations

from collections.abc import Sequence

from briskcell.core.assess import Assessment
from briskcell.core.bench.specimen import Fault, fault_of
from briskcell.instruments.simulated.server import KINDS as KINDS
from briskcell.instruments.simulated.server import SimulatedBench
from briskcell.instruments.simulated.world import World
from briskcell.model.errors import FigureError


def played(
    assessed: Assessment, faults: Sequence[str], *, charge: float, speed: float, noise: float, seed: int, port: int
) -> tuple[SimulatedBench, tuple[Fault, ...]]:
    """A bench that is not begun yet, and what is wrong with the console on it; each fault is given as ``kind,part``.

    Raises
    ------
    FigureError
        If there is nothing to put there, or a fault is none.
    OSError
        If its ports cannot be had.
    """
    if not assessed.plan.stores:
        raise FigureError("simulate", "The build has no pack: there is nothing to put on the bench.", fix="Add a pack.")
    found = tuple(fault_of(assessed.plan, *(w.strip() for w in f"{f},".split(",")[:2])) for f in faults)
    return SimulatedBench(World(assessed, found, charge, speed, noise, seed=seed), port), found
