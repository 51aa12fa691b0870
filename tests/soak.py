"""Long attacks on one machine, bounded and on the loopback address alone: ``make soak``; ``--share 0.05`` for a taste.

Kills (also in the first start, the demo's loading and a migration, in discharges, restores and backups), valid extreme plans,
mutated documents, hostile archives, descriptions, logs and photographs, field posts, a full disk at every write, ten tabs, clients at
once. Told at the end: what was lost, what answered 5xx, "nan" on a page, times, memory.
"""

from __future__ import annotations

import argparse
import copy
import io
import json
import os
import random
import re
import signal
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.parse
import urllib.request
from collections import Counter
from http.cookiejar import CookieJar
from pathlib import Path
from typing import Any

import structlog

from briskcell.core.stations import STATIONS
from briskcell.formats.plan_json import document_of
from briskcell.services.builds import Opened
from briskcell.services.demo import demo_plans
from briskcell.services.edits.values import set_value
from briskcell.services.workshop import Workshop
from briskcell.store import Store, StoreError
from briskcell.web import create_app
from tests.extremes import extreme_plan
from tests.soak_outside import hostile, kills_in_discharges, kills_in_restores, ten_tabs

NASTY = [
    "",
    " " * 4000,
    "nan",
    "1e999",
    "-1",
    "0",
    "9" * 300,
    "1..2..3..4",
    "💥",
    "\ud83d",
    "<script>",
    "=1+1",
    "1e-320",
    "5h99",
    "0 °C",
    "−40 °C",
    "100 %",
    "0.0001 W",
    "500 W",
    "1 µA",
    "60 V",
    "٣",
    "\x00",
    "1,5",
    "1.2.3",
    "..",
    "850 mA at 5 V",
    "1e308",
]
VALUES: list[Any] = [
    None,
    True,
    -1,
    0,
    1e308,
    10**400,
    -(2**63),
    "",
    " ",
    "x" * 5000,
    [],
    {},
    [[]],
    "1e999 V",
    "nan",
    "\ud800",
    [1] * 5000,
    {"id": "x"},
]
ENGLISH = re.compile(r"Input should|should be|should have|Value error|validation error|expected ", re.I)


def mutated(document: Any, rng: random.Random) -> Any:
    """A document with a few of its places changed, taken away, doubled or put elsewhere."""
    out = copy.deepcopy(document)
    for _ in range(rng.choice([1, 1, 2, 4])):
        at: Any = out
        while True:
            keys = list(at) if isinstance(at, dict) else list(range(len(at)))
            if not keys:
                break
            key = rng.choice(keys)
            deeper = isinstance(at[key], (dict, list)) and at[key] and rng.random() < 0.75
            if deeper:
                at = at[key]
                continue
            act = rng.random()
            if act < 0.7:
                at[key] = copy.deepcopy(rng.choice(VALUES))
            elif act < 0.8:
                del at[key]
            elif isinstance(at, list):
                at.append(copy.deepcopy(at[key]))
            else:
                at[rng.choice(["id", "fed_by", "charges", "colour", key])] = copy.deepcopy(at[key])
            break
    return out


def told(name: str, counts: Counter[str], **more: Any) -> None:
    words = ", ".join(f"{k} {v}" for k, v in sorted(counts.items()))
    print(f"{name}: {words}{''.join(f'; {k} {v}' for k, v in more.items())}", flush=True)


def documents(client: Any, count: int, rng: random.Random) -> Counter[str]:
    """Mutated plans, imported: taken, or refused in our own words with a value shown."""
    plans, counts = [document_of(p) for p in demo_plans()], Counter[str]()
    for _ in range(count):
        raw = json.dumps(mutated(rng.choice(plans), rng)).encode()
        answer = client.post("/import", data={"plan": (io.BytesIO(raw), "p.json")})
        counts[str(answer.status_code)] += 1
        counts["in the validator's words"] += bool(ENGLISH.search(answer.text)) if answer.status_code == 422 else 0
    return counts


def fields(client: Any, shop: Workshop, count: int, rng: random.Random) -> Counter[str]:
    """What nobody types, into every field of every slip and every form."""
    counts, pages = Counter[str](), tuple(STATIONS)
    slips = [f"part:{p.id}" for p in shop.builds.open(3).plan.parts()]
    paths: list[str] = []
    for query in (*pages, *(f"rails?slip={s}" for s in slips)):
        paths += re.findall(r"edit\?path=([^&\"]+)", client.get(f"/builds/3/{query}").text)
    forms = [
        "add",
        "own",
        "wrapper",
        "rail",
        "feed",
        "move",
        "swap",
        "grade",
        "knob",
        "game",
        "bay",
        "cells",
        "table/preview",
        "search/take",
        "adopt",
    ]
    for k in range(count):
        base = str(rng.choice([shop.builds.newest(3), shop.builds.newest(3), 1, 2**63, -1, "x", f"{'0' * 16}-{'0' * 16}"]))
        text = rng.choice(NASTY)
        if k % 3:
            data, path = {"value": text}, f"edit?path={rng.choice(paths)}"
        else:
            names = [
                "name",
                "part",
                "part_class",
                "fed_by",
                "rest",
                "play",
                "peak",
                "low_v",
                "high_v",
                "number",
                "remove",
                "do",
                "pack",
                "chemistry",
                "label",
                "thickness",
                "length",
                "most",
                "csv",
                "parallel",
                "awg",
                "path",
                "grade",
                "source",
                "revision",
            ]
            data, path = {n: rng.choice([*NASTY, "board", "pack", "rail-5", "nmc", "1 W"]) for n in names}, rng.choice(forms)
        data = {k: v.encode("utf-8", "replace").decode() for k, v in data.items()}
        answer = client.post(f"/builds/3/{path}", data=data, headers={"HX-Request": "true", "X-Base": base})
        counts[str(answer.status_code)] += 1
        if answer.status_code == 200 and k % 10 == 0:
            for page in pages:
                seen = client.get(f"/builds/3/{page}")
                counts["a page not 200"] += seen.status_code != 200
                named = "nan" in json.dumps(document_of(shop.builds.open(3).plan)).lower()  # a part may go by that name
                counts["nan on a page"] += not named and bool(re.search(r"\bnan\b", seen.text, re.I))
    return counts


def extremes(client: Any, shop: Workshop, count: int) -> tuple[Counter[str], list[float]]:
    """Valid extreme plans: each judged; the pages of some of them."""
    counts, times = Counter[str](), list[float]()
    for seed in range(count):
        build = shop.builds._create(extreme_plan(seed), "soak")
        counts["judged"] += 1
        for page in tuple(STATIONS) if seed % 25 == 0 else ():
            start = time.perf_counter()
            answer = client.get(f"/builds/{build}/{page}")
            times.append((time.perf_counter() - start) * 1e3)
            counts["pages"] += 1
            counts["a page not 200"] += answer.status_code != 200
            counts["nan on a page"] += bool(re.search(r"\bnan\b", answer.text, re.I))
            counts["a part not shown"] += "could not be shown" in answer.text
    return counts, times


WRITER = """
import sys; from pathlib import Path; from briskcell.store import Store
s = Store(Path(sys.argv[1]) / "builds.sqlite3")
b = s.heads()[0][0] if s.heads() else s.create({"n": 0}, "made")
for n in range(s.head(b).document["n"] + 1, 10**9):
    s.save(b, s.head(b).id, {"n": n}, str(n)); print(n, flush=True)
"""
STREAMER = """
import sys, time; from pathlib import Path
from briskcell.services.workshop import Workshop
from briskcell.services.bench.courses import stream
from briskcell.services.bench.recording import Test
from briskcell.services.bench.instruments import SIMULATED
shop = Workshop(Path(sys.argv[1]) / "builds.sqlite3"); shop.builds.load_demo()
unit = shop.benches._units.add(3, "one")
shop.benches.instruments.simulate(3, shop.builds.open(3).assessed, (), soc=0.9, speed=100.0)
run = shop.benches._recorder.begin(unit, Test(kind="discharge", title="x", meter=SIMULATED, load=SIMULATED + 2, amps=1.0, every_s=0.002, below=3.0))
for news in stream(shop.benches._recorder, shop.benches._runs, run, 0, time.monotonic() + 60):
    print(news["seen"], flush=True)
"""
STARTER = (
    "import sys; from briskcell.cli import main; sys.argv = ['brisk-cell', 'demo', '--data', sys.argv[1], '--port', '0']; main()"
)


def kills(count: int, rng: random.Random) -> Counter[str]:
    """A process killed while it saves, while it starts for the first time, and while it migrates."""
    counts = Counter[str]()
    with tempfile.TemporaryDirectory() as folder:
        for _ in range(count * 6 // 10):
            process = subprocess.Popen([sys.executable, "-c", WRITER, folder], stdout=subprocess.PIPE, text=True)
            assert process.stdout is not None
            first = process.stdout.readline()
            time.sleep(rng.uniform(0, 0.05))
            process.kill()
            said = [first, *process.stdout.readlines()]
            process.wait()
            last = max((int(line) for line in said if line.strip().isdigit()), default=0)
            store = Store(Path(folder) / "builds.sqlite3")
            counts["lost edits"] += store.head(store.heads()[0][0]).document["n"] < last
            counts["kills while saving"] += 1
            store.close()
    for k in range(count * 3 // 10):
        with tempfile.TemporaryDirectory() as folder:
            starting = subprocess.Popen(
                [sys.executable, "-c", STARTER, folder], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
            )
            time.sleep(rng.uniform(0.1, 2.5))
            starting.kill()
            starting.wait()
            app = create_app(Path(folder))
            app.extensions["briskcell"].builds.load_demo()
            counts["kills in the first start"] += 1
            counts["not healed"] += (
                app.test_client().get("/").status_code != 200 or app.extensions["briskcell"].builds.shelf()[1] != 3
            )
            app.extensions["briskcell"].close()
            counts["secrets that are empty"] += k >= 0 and not (Path(folder) / "secret").read_text()
    for _ in range(count // 10):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "builds.sqlite3"
            store = Store(path)
            for n in range(300):
                store.create({"n": n, "name": f"{n}" * 500}, "made")
            store.close()
            with sqlite3.connect(path) as raw:
                kept = ("build", "revision", "alembic_version", "sqlite_sequence")
                for (later,) in raw.execute("SELECT name FROM sqlite_master WHERE type = 'table'").fetchall():
                    if later not in kept:
                        raw.execute(f"DROP TABLE {later}")
                for index in ("ix_build_key", "ix_revision_key"):
                    raw.execute(f"DROP INDEX {index}")
                raw.execute("ALTER TABLE build DROP COLUMN key")
                for column in ("next_id", "title", "summary", "key"):
                    raw.execute(f"ALTER TABLE revision DROP COLUMN {column}")
                raw.execute("UPDATE alembic_version SET version_num = '0002'")
            migrating = subprocess.Popen([sys.executable, "-c", WRITER, folder], stdout=subprocess.DEVNULL)
            time.sleep(rng.uniform(0.3, 1.2))
            migrating.send_signal(signal.SIGKILL)
            migrating.wait()
            store = Store(path)
            counts["kills in a migration"] += 1
            counts["lost builds"] += len(store.heads()) != 300
            store.close()
    return counts


ENOUGH = 60  # readings that are shown before a run is killed


def kills_in_a_run(count: int, rng: random.Random) -> Counter[str]:
    """A run on the simulated bench, its process killed in the middle: what was shown is kept, and the run is said to be interrupted."""
    counts = Counter[str]()
    for _ in range(count):
        with tempfile.TemporaryDirectory() as folder:
            running = subprocess.Popen(
                [sys.executable, "-c", STREAMER, folder], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
            )
            assert running.stdout is not None
            shown = [running.stdout.readline()]
            while shown[-1].strip() and int(shown[-1]) < ENOUGH:  # a busy machine takes longer for them
                shown.append(running.stdout.readline())
            time.sleep(rng.uniform(0.0, 0.4))
            running.kill()
            shown += running.stdout.readlines()
            running.stdout.close()
            running.wait()
            last = max((int(line) for line in shown if line.strip().isdigit()), default=0)
            shop = Workshop(Path(folder) / "builds.sqlite3")
            kept, run = shop.benches._runs.rows(1), shop.benches._runs.get(1)
            counts["kills in a run"] += 1
            counts["readings shown"] += last
            counts["readings lost"] += max(last - len(kept), 0)
            counts["readings out of order"] += int((kept[1:, 0] < kept[:-1, 0]).sum())
            counts["runs not said to be interrupted"] += run is None or run.state != "interrupted"
            shop.close()
    return counts


def full_disk(steps: int) -> Counter[str]:
    """A small file system that fills up, a little later in each turn: reading goes on, every edit is kept or refused."""
    counts = Counter[str]()
    for k in range(steps):
        with tempfile.TemporaryDirectory() as folder:
            if subprocess.run(
                ["mount", "-t", "tmpfs", "-o", "size=1m", "tmpfs", folder], capture_output=True, check=False
            ).returncode:
                counts["no small file system can be made here"] += 1
                return counts
            try:
                _fill(Path(folder), k, steps, counts)
            finally:
                subprocess.run(["umount", "-l", folder], check=True)
    return counts


def _fill(folder: Path, k: int, steps: int, counts: Counter[str]) -> None:
    early = k < steps // 4
    if early:
        (folder / "ballast").write_bytes(b"\0" * (1_000_000 - k * 8000))
    try:
        app = create_app(folder)
        app.config["WTF_CSRF_ENABLED"] = False
        app.extensions["briskcell"].builds.load_demo()
    except (StoreError, OSError, Exception) as error:
        counts[f"no start: {type(error).__name__}"] += 1
        return
    client, shop = app.test_client(), app.extensions["briskcell"]
    kept = 0.0
    try:
        if shop.builds.shelf()[1] == 3:
            left = os.statvfs(folder).f_bavail * os.statvfs(folder).f_frsize
            (folder / "ballast").write_bytes(b"\0" * max(left - 4096 * (k % 12), 0))
            for n in range(12):
                answer = client.post(
                    "/builds/3/edit",
                    data={"path": "brief/hours", "value": f"{3 + n / 100:.2f} h"},
                    headers={"HX-Request": "true", "X-Base": str(shop.builds.newest(3))},
                )
                counts[f"edit {answer.status_code}"] += 1
                kept = 3 + n / 100 if answer.status_code == 200 else kept
                counts["reading stopped"] += client.get("/builds/3/pack").status_code != 200
            counts["lost edits"] += kept > 0 and abs(shop.builds.open(3).plan.brief.hours - kept) > 1e-9
    finally:
        shop.close()


class Client:
    """A person at a browser, without the browser."""

    def __init__(self, address: str) -> None:
        self.address = address.rstrip("/")
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(CookieJar()))
        self.token = re.search(r'name="csrf" content="([^"]+)"', self.get("/")[1])[1]  # type: ignore[index]

    def get(self, path: str) -> tuple[int, str]:
        return self._ask(urllib.request.Request(self.address + path))

    def post(self, path: str, data: dict[str, str], base: str) -> tuple[int, str]:
        headers = {"X-CSRFToken": self.token, "HX-Request": "true", "X-Base": base}
        return self._ask(urllib.request.Request(self.address + path, urllib.parse.urlencode(data).encode(), headers))

    def _ask(self, request: urllib.request.Request) -> tuple[int, str]:
        try:
            with self.opener.open(request, timeout=60) as answer:
                return answer.status, answer.read().decode("utf-8", "replace")
        except urllib.error.HTTPError as error:
            return error.code, error.read().decode("utf-8", "replace")


def load(seconds: float) -> None:
    """Eight at once on the real server: reading, editing different parts and the same."""
    with tempfile.TemporaryDirectory() as folder:
        process = subprocess.Popen([sys.executable, "-c", STARTER, folder], stdout=subprocess.PIPE, text=True)
        assert process.stdout is not None
        address = next(m[0] for line in process.stdout if (m := re.search(r"http://127\.0\.0\.1:\d+/", line)))
        counts, times, end = Counter[str](), list[float](), time.monotonic() + seconds
        before = _memory_mb(process.pid)
        kept: dict[int, float] = {}

        def person(k: int) -> None:
            rng, client, base = random.Random(k), Client(address), ""
            while time.monotonic() < end:
                start = time.perf_counter()
                if rng.random() < 0.5 or not base:
                    status, text = client.get(f"/builds/{1 + k % 3}/{rng.choice(['draw', 'rails', 'pack', 'charge', 'brief'])}")
                else:
                    value = round(rng.uniform(5, 90), 2)
                    path = ["brief/shelf_days", "brief/hours", "loads/screen/power_w/rest", "brief/mass_g"][k % 4]
                    status, text = client.post(f"/builds/{1 + k % 3}/edit", {"path": path, "value": f"{value:g}"}, base)
                    if status == 200 and path == "brief/shelf_days":
                        kept[1 + k % 3] = value
                times.append((time.perf_counter() - start) * 1e3)
                counts[str(status)] += 1
                found = re.search(r'data-revision="([0-9a-f-]+)"', text)
                base = found[1] if found else ""

        people = [threading.Thread(target=person, args=(k,)) for k in range(8)]
        for thread in people:
            thread.start()
        memory = [before]
        for _ in range(4):
            time.sleep(seconds / 4)
            memory.append(_memory_mb(process.pid))
        for thread in people:
            thread.join()
        process.terminate()
        process.wait(30)
        process.stdout.close()
        shop = Workshop(Path(folder) / "builds.sqlite3")
        lost = sum(
            isinstance(o := shop.builds.open(b), Opened) and abs(o.plan.brief.shelf_days - v) > 1e-6 for b, v in kept.items()
        )
        shop.close()
        cuts = statistics.quantiles(times, n=100)
        told(
            "eight clients",
            counts,
            lost=lost,
            p50=f"{cuts[49]:.0f} ms",
            p95=f"{cuts[94]:.0f} ms",
            p99=f"{cuts[98]:.0f} ms",
            memory=" ".join(f"{m:.0f}" for m in memory) + " MB",
        )


def _memory_mb(pid: int) -> float:
    return next(
        int(line.split()[1]) / 1024 for line in Path(f"/proc/{pid}/status").read_text().splitlines() if line.startswith("VmRSS")
    )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--share", type=float, default=1.0, help="of the whole soak, which takes about half an hour")
    share = parser.parse_args().share
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(50))
    rng = random.Random(0)
    told("kills", kills(max(int(200 * share), 10), rng))
    told("runs", kills_in_a_run(max(int(50 * share), 3), rng))
    counts, off_s = kills_in_discharges(max(int(300 * share), 4), rng)
    told("discharges", counts, **{"off after the next start": f"{statistics.median(off_s):.2f} s, at most {max(off_s):.2f} s"})
    told("restores", kills_in_restores(max(int(200 * share), 4), rng))
    told("hostile", hostile(max(int(10_000 * share), 200), rng))
    told("ten tabs", ten_tabs(max(int(100 * share), 3), rng))
    told("full disk", full_disk(max(int(60 * share), 8)))
    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Path(folder))
        app.config["WTF_CSRF_ENABLED"] = False
        shop = app.extensions["briskcell"]
        shop.builds.load_demo()
        shop.builds.warm()
        client = app.test_client()
        counts, times = extremes(client, shop, int(5000 * share))
        told("extreme plans", counts, **{"slowest page": f"{max(times):.0f} ms"})
        told("mutated documents", documents(client, int(10_000 * share), rng))
        told("field posts", fields(client, shop, int(10_000 * share), rng))
        assert set_value(demo_plans()[0], "brief/hours", "5h").plan.brief.hours == 5
        shop.close()
    load(300 * share)


if __name__ == "__main__":
    main()
