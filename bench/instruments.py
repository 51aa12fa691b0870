"""Readings a second over a real socket from the simulated bench: our driver, which bounds each answer, and a bare socket."""

from __future__ import annotations

import socket
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from briskcell.core.assess import assess
from briskcell.core.bench.causes import causes
from briskcell.core.bench.ladder import ladder
from briskcell.core.bench.practice import case_of, shortest_way
from briskcell.instruments.description import read_description, standard
from briskcell.instruments.line import open_instrument
from briskcell.instruments.simulated.server import SimulatedBench
from briskcell.instruments.simulated.world import World
from briskcell.library import catalogue
from briskcell.services.demo import sanderling
from briskcell.store.runs import Appender

READINGS, ROUNDS = 3000, 5


def per_s(read: Callable[[], object], count: int = READINGS) -> float:
    start = time.perf_counter()
    for _ in range(count):
        read()
    return count / (time.perf_counter() - start)


def rows() -> list[tuple[str, str]]:
    a = assess(sanderling(), catalogue().stock())
    bench = SimulatedBench(World(a))
    bench.start()
    meter = open_instrument(bench.address("meter"), read_description(standard("simulated-meter")))
    plain = socket.create_connection(("127.0.0.1", bench.ports["meter"]))
    plain.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    answers = plain.makefile("rb")

    def bare() -> float:
        plain.sendall(b"MEAS:VOLT:DC?\n")
        return float(answers.readline())

    pairs = [(per_s(lambda: meter.read("volts")), per_s(bare)) for _ in range(ROUNDS)]
    plain.close()
    meter.close()
    bench.close()
    with tempfile.TemporaryDirectory() as folder:
        appender = Appender(Path(folder) / "x")
        kept = per_s(lambda: appender.add(1.0, 2.0, 3.0), 50_000)
        appender.close()
    start = time.perf_counter()
    steps = ladder(a)
    ladder_ms = (time.perf_counter() - start) * 1e3
    step = next(s for s in steps if s.key == "draw:board")
    start = time.perf_counter()
    causes(a, step, 0.1)
    causes_ms = (time.perf_counter() - start) * 1e3
    case = case_of(a, 3, 2)
    assert case is not None
    start = time.perf_counter()
    shortest_way(case)
    way_ms = (time.perf_counter() - start) * 1e3
    ours, theirs = (statistics.median(p[k] for p in pairs) for k in (0, 1))
    share = statistics.median(o / t for o, t in pairs)
    return [
        ("readings a second over a socket of the simulated bench, our driver", f"{ours:,.0f}"),
        ("the same over a bare socket, nothing bounded; ours ÷ that, median of five taken in turns", f"{theirs:,.0f}; {share:.2f}"),
        ("readings a second put into a run's file, one by one", f"{kept:,.0f}"),
        (
            f"ladder of the demo build, {len(steps)} steps; causes of one reading; shortest way of a case of practice",
            f"{ladder_ms:.0f}, {causes_ms:.0f}, {way_ms:.0f} ms",
        ),
    ]


if __name__ == "__main__":
    for what, value in rows():
        print(what, value)
