"""One discharge of a general battery library's equivalent circuit, in an environment of its own: seconds built anew, and again."""

from __future__ import annotations

import statistics
import time

import pybamm  # type: ignore[import-not-found]

SECONDS = 3 * 3600


def built() -> pybamm.Simulation:
    """A cell of one resistor and one RC branch, discharged to its cut-off."""
    return pybamm.Simulation(pybamm.equivalent_circuit.Thevenin())


def timed(simulation: pybamm.Simulation | None) -> float:
    start = time.perf_counter()
    (simulation or built()).solve([0, SECONDS])
    return time.perf_counter() - start


if __name__ == "__main__":
    pybamm.set_logging_level("ERROR")
    kept = built()
    timed(kept)
    print(statistics.median(timed(None) for _ in range(5)), statistics.median(timed(kept) for _ in range(9)))
