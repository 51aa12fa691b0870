"""Makes consoles.json: sixty made-up consoles, run empty by a published physics model of their cells, not by Brisk Cell.

Runs in an environment of its own, with the battery library that requirements.txt here names; nothing of Brisk Cell is imported.
Each console has a board and a screen of a class, a factor that all its draws share, factors of their own, losses and cells that
differ from their class. Its cells are solved by a single-particle model with electrolyte at constant power down to 3.0 V: with its
pack; with half or twice as many in parallel; and with its pack on one evening, whose game draws a little more or less. Of that
evening alone the builder has a log.

    python make.py
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

import numpy as np
import pybamm  # type: ignore[import-not-found]

SEED, COUNT = 32, 60
SHARED, OWN, LOSSES, HELD, EVENING = (
    0.3,
    0.25,
    0.2,
    0.03,
    0.03,
)  # standard deviations of logarithms: in all a factor of 1.4 as a rule
BOARDS = {"board-small4": 1.8, "board-old4": 2.8, "board-small1": 0.8, "board-low": 1.1, "board-full": 5.0}  # W in play
SCREENS = {"screen-43": 1.1, "screen-50": 1.6, "screen-40": 0.9}
REST = 0.3  # W of all that is small, with a factor of its own
CELLS = {"Chen2020": (5.0, (1, 2, 3)), "Mohtat2020": (5.0, (1, 2)), "Ai2020": (2.28, (2, 4))}
LOST, END_V = 0.085, 3.0


def emptied(model: str, watts: float) -> tuple[float, list[list[float]]]:
    """Hours of one cell at constant power from full to the cut-off, and its log: seconds, volts, amps."""
    values = pybamm.ParameterValues(model)
    values.update({"Power function [W]": watts, "Lower voltage cut-off [V]": END_V}, check_already_exists=False)
    sim = pybamm.Simulation(
        pybamm.lithium_ion.SPMe({"operating mode": "power"}), parameter_values=values, solver=pybamm.IDAKLUSolver()
    )
    found = sim.solve([0, 3600 * 300], initial_soc=1.0)
    t, volts, amps = (found[n].entries for n in ("Time [s]", "Voltage [V]", "Current [A]"))
    keep = np.unique(np.linspace(0, len(t) - 1, 12).astype(int))
    return float(t[-1] / 3600), [[round(float(t[k])), round(float(volts[k]), 4), round(float(amps[k]), 4)] for k in keep]


def console(number: int) -> dict[str, object]:
    rng = np.random.default_rng([SEED, number])
    board, screen = rng.choice(list(BOARDS)), rng.choice(list(SCREENS))
    model = str(rng.choice(list(CELLS)))
    label, counts = CELLS[model]
    parallel = int(rng.choice(counts)) * (2 if board == "board-full" else 1)
    shared = np.exp(rng.normal(0, SHARED))
    each = [w * shared * np.exp(rng.normal(0, OWN)) for w in (BOARDS[board], SCREENS[screen], REST)]
    watts = sum(each) * (1 + LOST * np.exp(rng.normal(0, LOSSES)))
    held = np.exp(rng.normal(0, HELD))
    other = parallel // 2 if parallel % 2 == 0 and rng.random() < 0.5 else parallel * 2
    evening = float(watts * np.exp(rng.normal(0, EVENING)))
    hours, _ = emptied(model, watts / parallel / held)
    other_hours, _ = emptied(model, watts / other / held)
    run_hours, log = emptied(model, evening / parallel / held)
    amps = [[t, v, round(a * parallel * held, 4)] for t, v, a in log]
    return {
        "number": number,
        "board": str(board),
        "screen": str(screen),
        "cell": model,
        "label_ah": label,
        "parallel": parallel,
        "hours": round(hours, 4),
        "other_parallel": other,
        "other_hours": round(other_hours, 4),
        "run_hours": round(run_hours, 4),
        "run_watts": round(evening, 4),
        "log": amps,
    }


if __name__ == "__main__":
    made = []
    for k in range(COUNT):
        made.append(console(k))
        print(k, made[-1]["cell"], made[-1]["hours"], made[-1]["other_hours"], file=sys.stderr, flush=True)
    rows = ",\n".join(json.dumps(m) for m in made)
    head = {"seed": SEED, "library": f"pybamm {pybamm.__version__}", "model": "SPMe, constant power, 25 °C, to 3.0 V a cell"}
    Path(__file__).with_name("consoles.json").write_text(f'{{"about": {json.dumps(head)},\n"consoles": [\n{rows}\n]}}\n')
