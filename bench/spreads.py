"""What a range costs: whole samples against the compiled loop alone, against a general battery library, and how well they cover."""

from __future__ import annotations

import statistics
import subprocess
import time
from collections.abc import Callable
from pathlib import Path
from threading import Lock
from typing import Any
from unittest.mock import patch

import numpy as np

from briskcell.core.assess import assess
from briskcell.core.engine.kernel import settle
from briskcell.core.log.learning import Measured, learn
from briskcell.core.spread.batch import WORKERS, solved
from briskcell.core.spread.doubts import factor_at
from briskcell.core.spread.reach import COUNT, Reach
from briskcell.core.spread.spread import spread
from briskcell.library import catalogue
from briskcell.services.demo import sanderling

PLAIN = 200_000
CIRCUIT = Path(__file__).with_name(".venv") / "bin" / "python"
Rows = list[tuple[str, str]]


def median_s(call: Callable[[], object], runs: int = 5) -> float:
    call()
    taken = []
    for _ in range(runs):
        start = time.perf_counter()
        call()
        taken.append(time.perf_counter() - start)
    return statistics.median(taken)


def of_the_loop(call: Callable[[], object]) -> float:
    """Seconds of a call that the compiled loop takes, of all threads together."""
    spent, lock = [0.0], Lock()

    def timed(*given: Any) -> Any:
        start = time.perf_counter()
        found = settle(*given)
        with lock:
            spent[0] += time.perf_counter() - start
        return found

    with patch("briskcell.core.engine.solver.settle", timed):
        call()
    return spent[0]


def rows() -> Rows:
    a = assess(sanderling(), catalogue().stock())
    hours = a.runtime.hours if a.runtime else None
    assert hours is not None
    made = spread(a.op, hours)
    whole = median_s(lambda: spread(a.op, hours))
    one = median_s(lambda: assess(sanderling(), catalogue().stock()).runtimes)
    loop = statistics.median(of_the_loop(lambda: solved(a.plan, made.of, made.factors)) for _ in range(3)) / WORKERS
    quick = median_s(lambda: Reach(a.op).hours(hours), 20)
    run = [Measured("hours", 0.75 * hours)]
    taught = median_s(lambda: learn(a, run), 10)
    near_range = Reach(a.op).hours(hours)
    rng = np.random.default_rng(200)
    plain = np.stack([factor_at(rng.random(PLAIN), d.off) for d in made.of], axis=1)
    found = solved(a.plan, made.of, plain).hours * hours / solved(a.plan, made.of, np.ones((1, len(made.of)))).hours[0]
    low, _, high = made.range_h
    inside, near = ((found >= x) & (found <= y) for x, y in ((low, high), (near_range.low, near_range.high)))
    return [
        (
            f"spread of the demo build, {COUNT} samples",
            f"{whole:.2f} s; {COUNT} runtimes one by one ÷ that: {COUNT * one / whole:.0f}",
        ),
        (f"the same ÷ the compiled loop alone, {WORKERS} threads", f"{whole / loop:.2f}"),
        ("its range from some dozens of variants, as each edit asks it", f"{quick * 1e3:.1f} ms"),
        ("a forecast after one run", f"{taught * 1e3:.0f} ms, {taught / quick:.1f} times that range"),
        (
            f"of {PLAIN:,} plain samples, within the range of {COUNT}; within that of the dozens",
            f"{inside.mean():.1%}; {near.mean():.1%}",
        ),
        *_circuit(whole / COUNT),
    ]


def _circuit(ours: float) -> Rows:
    name = "one discharge of a general battery library's circuit model ÷ ours: built anew, and solved again"
    if not CIRCUIT.exists():
        return [(name, "not measured: its environment is not there")]
    out = subprocess.run([CIRCUIT, Path(__file__).with_name("circuit.py")], capture_output=True, text=True, check=True).stdout
    anew, again = (float(v) for v in out.split()[-2:])
    return [(name, f"{anew / ours:,.0f}; {again / ours:,.0f}")]


if __name__ == "__main__":
    for row in rows():
        print(*row, sep=": ")
