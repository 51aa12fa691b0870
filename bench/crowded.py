"""A full shelf, a long history, many searches: each in a process of its own, so that its memory is its own."""

from __future__ import annotations

import statistics
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import structlog

from briskcell.formats.plan_json import document_of
from briskcell.services.demo import sanderling
from briskcell.services.judge import judged
from briskcell.services.search import KIND
from briskcell.services.summary import summary_of
from briskcell.services.workshop import Workshop
from briskcell.store import StoredRevision
from briskcell.web import create_app

Row = tuple[str, str]
SHELVES, STEPS, SEARCHES = (300, 5_000), 20_000, 50
HTMX = {"HX-Request": "true"}


@contextmanager
def site(folder: Path) -> Iterator[tuple[Any, Workshop]]:
    """A client of the application on a folder, and its workshop."""
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(50))
    app = create_app(folder)
    app.config["WTF_CSRF_ENABLED"] = False
    shop = app.extensions["briskcell"]
    shop.builds.warm()
    try:
        yield app.test_client(), shop
    finally:
        shop.close()


def median_ms(call: Callable[[], Any], runs: int = 9) -> float:
    """Median time of a request that must answer 200, after one to warm up."""
    took = []
    for _ in range(runs + 1):
        start = time.perf_counter()
        assert call().status_code == 200
        took.append((time.perf_counter() - start) * 1e3)
    return statistics.median(took[1:])


def peak() -> str:
    """The most memory of this process since it began: what the kernel counts for a child begins with its parent's."""
    status = Path("/proc/self/status").read_text()
    return f"{int(status.partition('VmHWM:')[2].split()[0]) / 1024:.0f} MB at most"


def fill(folder: Path, count: int) -> list[Row]:
    """Put so many builds on the shelf."""
    with site(folder) as (_, shop):
        plan = sanderling()
        found = summary_of(judged(plan, "bench"))
        for k in range(count):
            made = plan.model_copy(update={"name": f"Deck {k}, for the gallery"})
            shop._store.create(document_of(made), "made", found)
    return []


def shelf(folder: Path, count: int) -> list[Row]:
    """The first page, the last, and a search by name, of a shelf of so many builds."""
    with site(folder) as (client, _):
        first, last = median_ms(lambda: client.get("/")), median_ms(lambda: client.get(f"/?page={(count - 1) // 50}"))
        sought = median_ms(lambda: client.get("/?like=deck+29"))
        times = f"{first:.0f}, {last:.0f}, {sought:.0f} ms; {peak()}"
        return [(f"shelf of {count} builds: first page, last page, found by name", times)]


def _grown(shop: Workshop, steps: int) -> None:
    """So many further changes of the first build."""
    head = shop._store.head(1).id
    for k in range(steps):
        document = document_of(sanderling().model_copy(update={"note": f"change {k}"}))
        kept = shop._store.save(1, head, document, f"change {k}")
        assert isinstance(kept, StoredRevision)
        head = kept.id


def history(folder: Path, steps: int) -> list[Row]:
    """A step back in a build with few changes and in one with many; its history's pages; the size of its file."""
    with site(folder) as (client, shop):
        shop.builds.load_demo()

        def step(way: str) -> Any:
            base = str(shop._store.head_id(1))
            return client.post(f"/builds/1/{way}", data={"station": "draw"}, headers={**HTMX, "X-Base": base})

        def there_and_back() -> Any:
            step("undo")
            return step("redo")

        _grown(shop, 3)
        short = median_ms(there_and_back) / 2
        _grown(shop, steps)
        long = median_ms(there_and_back) / 2
        newest = median_ms(lambda: client.get("/builds/1/history"))
        oldest = median_ms(lambda: client.get(f"/builds/1/history?page={steps // 100}"))
        size = sum(p.stat().st_size for p in folder.glob("*.sqlite3*")) / steps / 1024
        return [
            (f"an undo or redo with 3 changes, and with {steps}", f"{short:.0f} and {long:.0f} ms"),
            (f"history of {steps} changes: first page, last page", f"{newest:.0f}, {oldest:.0f} ms"),
            (f"file, for each change of a build of {len(sanderling().loads)} loads", f"{size:.1f} kB"),
        ]


def searches(folder: Path, count: int) -> list[Row]:
    """So many wide searches begun at once: a page meanwhile, when ten are done, a stop, threads, memory."""
    with site(folder) as (client, shop):
        ids = [shop._store.create(document_of(sanderling()), "made") for _ in range(count)]
        start = time.perf_counter()
        for build in ids:
            assert client.post(f"/builds/{build}/search", headers=HTMX).status_code == 200
        begun, page, threads = time.perf_counter() - start, median_ms(lambda: client.get("/")), threading.active_count()
        while sum((job := shop._jobs.of(b, KIND)) is not None and job.state == "done" for b in ids) < 10:
            time.sleep(0.1)
        ten = time.perf_counter() - start
        stop = median_ms(lambda: client.post(f"/builds/{ids[-1]}/search/stop", headers=HTMX), 1)
        return [
            (f"{count} wide searches at once: begun in, first ten done in", f"{begun:.1f} s, {ten:.1f} s"),
            ("the shelf meanwhile; a stop; threads", f"{page:.0f} ms; {stop:.0f} ms; {threads}; {peak()}"),
        ]


def rows() -> list[Row]:
    """All rows, each measured in a fresh process."""
    out: list[Row] = []
    turns: list[tuple[int, tuple[Callable[[Path, int], list[Row]], ...]]] = [(n, (fill, shelf)) for n in SHELVES]
    for size, measures in (*turns, (STEPS, (history,)), (SEARCHES, (searches,))):
        with tempfile.TemporaryDirectory() as folder:
            for measure in measures:
                with ProcessPoolExecutor(1, get_context("spawn")) as pool:
                    out += pool.submit(measure, Path(folder), size).result()
    return out


if __name__ == "__main__":
    print(*rows(), sep="\n")
