"""A meter log of a million rows, taken in while pages are asked for; and the spread of a build beside as many assessments."""

from __future__ import annotations

import resource
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import structlog

from briskcell.services.log.imports import KIND, bring_in, laid_out
from briskcell.web import create_app

ROWS = 1_000_000


def _log() -> tuple[float, float, list[float]]:
    """Seconds, most megabytes above those before it, and times of the page meanwhile. [s, MB, ms]"""
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(50))
    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Path(folder))
        shop = app.extensions["briskcell"]
        shop.builds.load_demo()
        unit = shop.benches._units.add(3, "one")
        client = app.test_client()
        client.get("/builds/3/log")
        name = shop.uploads.begin()
        with shop.uploads.path(name).open("w") as file:
            file.write("time;volt;amp\n")
            for k in range(ROWS):
                file.write(f"{k // 3600}:{k // 60 % 60:02d}:{k % 60:02d};{4.1 - k * 1e-6:.4f};{0.8 + k % 7 / 100:.3f}\n")
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        layout, _ = laid_out(shop.uploads, shop.logs._log, name)
        start = time.perf_counter()
        shop._jobs.begin(
            3, KIND, bring_in(shop.uploads, shop.logs._log, shop.benches._runs, unit, name, layout, "log", "watch", {})
        )
        pages = []
        while (job := shop._jobs.of(3, KIND)) is not None and job.state in ("queued", "running"):
            at = time.perf_counter()
            client.get("/builds/3/draw")
            pages.append((time.perf_counter() - at) * 1e3)
            time.sleep(0.1)
        took = time.perf_counter() - start
        assert shop.benches._runs.count(1) == ROWS
        most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024 - before
        shop.close()
    return took, most, pages


def rows() -> list[tuple[str, str]]:
    found = subprocess.run([sys.executable, __file__], capture_output=True, text=True, check=True).stdout.split()
    took, most, page = (float(v) for v in found[-3:])
    return [
        (
            f"meter log of {ROWS:,} rows taken in; most memory beside; a page meanwhile, median",
            f"{took:.1f} s; {most:.0f} MB; {page:.0f} ms",
        ),
    ]


if __name__ == "__main__":
    took, most, pages = _log()
    print(took, most, statistics.median(pages))
