"""Long attacks on what begins or comes from outside: loads, restores, backups, archives, descriptions, logs, photographs, ten tabs."""

from __future__ import annotations

import io
import random
import re
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable
from contextlib import closing
from pathlib import Path

from PIL import Image

from briskcell.formats.meter_csv import HEAD_BYTES, read_log, recognise
from briskcell.formats.plan_json import write_plan
from briskcell.instruments.description import STANDARD, read_description, standard
from briskcell.model.errors import FigureError
from briskcell.services.backups.restoring import stage
from briskcell.services.backups.taking import back_up
from briskcell.services.builds import Opened
from briskcell.services.demo import sanderling
from briskcell.services.edits.values import set_value
from briskcell.services.log.entries import add_photo
from briskcell.services.workshop import Workshop

FLOOR_V = 3.0
SENTENCE = re.compile(r"^[A-Z“0-9].+[.?!]( .+)?$", re.DOTALL)
# The program as it starts, and then a discharge: killed at any moment.
DISCHARGER = """
import sys, time; from pathlib import Path
data = Path(sys.argv[1])
from briskcell.services.bench.letting_go import first_of_all
first_of_all(data / "builds.sqlite3"); print("started", flush=True)
from briskcell.services.workshop import Workshop
from briskcell.services.bench.recording import Test
from briskcell.instruments.description import standard
shop = Workshop(data / "builds.sqlite3"); shop.builds.load_demo()
unit = shop.benches._units.units(3)[0].id if shop.benches._units.units(3) else shop.benches._units.add(3, "one")
known = {i.description.kind: i.id for i in shop.benches.instruments.all()}
for kind, port in (("meter", sys.argv[2]), ("load", sys.argv[3])):
    known.get(kind) or known.update({kind: shop.benches.instruments.add(f"127.0.0.1:{port}", standard(f"simulated-{kind}"))})
until = time.monotonic() + 5
while shop.letting_go.standing() and time.monotonic() < until: time.sleep(0.01)
shop.benches._recorder.begin(unit, Test(kind="discharge", title="x", meter=known["meter"], load=known["load"], amps=2.0, every_s=0.05, below=3.2, least_v=3.0))
print("draws", flush=True); time.sleep(60)
"""
SHELVES = """
import sys; from pathlib import Path
from briskcell.services.backups.restoring import restore
from briskcell.services.backups.taking import back_up
from briskcell.services.workshop import Workshop
folder = Path(sys.argv[1]); Workshop(folder / "builds.sqlite3").close(); print("open", flush=True)
while True:
    for name in ("one", "two"):
        restore(Path(sys.argv[2]) / f"{name}.zip", folder); print(name, flush=True)
        back_up(folder, folder / "taken.zip")
"""


def asked(port: int, line: str) -> float:
    """What a simulated instrument answers; 0 where it is told something."""
    with closing(socket.create_connection(("127.0.0.1", port), timeout=5)) as wire, wire.makefile("rb") as answers:
        wire.sendall(f"{line}\n".encode())
        return float(answers.readline()) if line.endswith("?") else 0.0


def kills_in_discharges(count: int, rng: random.Random) -> tuple[Counter[str], list[float]]:
    """The program killed in a discharge; the seconds after which the next start had its load off."""
    counts, off_s = Counter[str](), list[float]()
    with tempfile.TemporaryDirectory() as name:
        folder, plan = Path(name), Path(name) / "plan.json"
        plan.write_bytes(write_plan(sanderling()))
        command = "from briskcell.cli import main; main()"
        bench = subprocess.Popen(
            [sys.executable, "-c", command, "bench-sim", str(plan), "--port", "0", "--charge", "0.6", "--speed", "20"],
            stdout=subprocess.PIPE,
            text=True,
        )
        assert bench.stdout is not None
        ports = [int(bench.stdout.readline().split("::")[2]) for _ in range(3)]
        left = False
        for _ in range(count):
            began = time.monotonic()
            arguments = [sys.executable, "-c", DISCHARGER, name, str(ports[0]), str(ports[2])]
            process = subprocess.Popen(arguments, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
            assert process.stdout is not None
            if left:
                while asked(ports[2], "MEAS:CURR?") > 0.02 and time.monotonic() - began < 20:
                    time.sleep(0.01)
                off_s.append(time.monotonic() - began)
                counts["not off within 2 s"] += off_s[-1] > 2.0
            counts["no discharge began"] += not any(line.startswith("draws") for line in process.stdout)
            time.sleep(rng.uniform(0.0, 0.6))
            process.kill()
            process.wait()
            process.stdout.close()
            left = asked(ports[2], "MEAS:CURR?") > 0.02
            counts["kills"] += 1
            counts["drew on"] += left
            if asked(ports[2], "SIM:CHARGE?") < 0.08:
                counts["below the floor"] += asked(ports[2], "SIM:LOWEST?") < FLOOR_V - 0.01
                asked(ports[2], "SIM:CHARGE 0.6")
        counts["below the floor"] += asked(ports[2], "SIM:LOWEST?") < FLOOR_V - 0.01
        bench.kill()
        bench.wait()
        bench.stdout.close()
        assert folder.exists()
    return counts, off_s


def kills_in_restores(count: int, rng: random.Random) -> Counter[str]:
    """The program killed while it puts backups back and takes them: one of both shelves stands, whole, and nothing lies about."""
    counts = Counter[str]()
    with tempfile.TemporaryDirectory() as name:
        folder, files = Path(name) / "shelf", Path(name) / "files"
        for made in (folder, files):
            made.mkdir()
        for shelf, hours in (("one", "5 h"), ("two", "6 h")):
            with tempfile.TemporaryDirectory() as own, closing(Workshop(Path(own) / "builds.sqlite3")) as shop:
                shop.builds.load_demo()
                for build in (1, 2, 3):
                    at = shop.builds.stands_at(build) or 0
                    shop.builds.change(build, at, lambda a, h=hours: set_value(a.plan, "brief/hours", h))  # type: ignore[misc]
                back_up(Path(own), files / f"{shelf}.zip")
        for _ in range(count):
            process = subprocess.Popen([sys.executable, "-c", SHELVES, str(folder), str(files)], stdout=subprocess.PIPE, text=True)
            assert process.stdout is not None
            process.stdout.readline()
            time.sleep(rng.uniform(0.0, 1.2))
            process.kill()
            process.wait()
            process.stdout.close()
            with closing(Workshop(folder / "builds.sqlite3")) as shop:
                hours_of = {shop.builds.open(b).plan.brief.hours for b in (1, 2, 3)} if shop.builds.shelf()[1] else {0.0}
                counts["kills"] += 1
                counts["neither shelf"] += hours_of not in ({5.0}, {6.0}, {0.0})
                counts["lost"] += hours_of == {0.0} and counts["kills"] > 5
                left = [p.name for p in folder.iterdir() if p.name.startswith((".copy-", "restoring", "incoming"))]
                counts["left lying"] += bool(left)
            counts["safe copies too many"] += len(list(folder.glob("before-restore*.zip"))) > 6
    return counts


def spoiled(body: bytes, rng: random.Random) -> bytes:
    """Bytes with some of them changed, cut off, doubled or put elsewhere."""
    out = bytearray(body)
    act = rng.random()
    if act < 0.5:
        for _ in range(rng.choice([1, 2, 8, 60])):
            out[rng.randrange(len(out))] = rng.choice([0, 255, rng.randrange(256)])
    elif act < 0.65:
        del out[rng.randrange(len(out)) :]
    elif act < 0.8:
        at, size = rng.randrange(len(out)), rng.randrange(1, 2000)
        out[at:at] = out[at : at + size] * rng.choice([1, 3])
    else:
        at = rng.randrange(len(out))
        out[at:at] = rng.choice([b"\n", b"[" * 3000, b"9" * 400, b'"', b"\x00" * 40, b"=" * 30_000, "٣".encode()])
    return bytes(out)


def hostile(count: int, rng: random.Random) -> Counter[str]:
    """Archives, descriptions, logs and photographs of all kinds: taken, or refused in a sentence; the shelf stands on."""
    counts = Counter[str]()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        shop = Workshop(folder / "builds.sqlite3")
        shop.builds.load_demo()
        unit = shop.benches._units.add(3, "one")
        back_up(folder, folder / "all.zip")
        picture = io.BytesIO()
        Image.effect_noise((160, 90), 60).save(picture, "PNG")
        log = "time,volts,amps\n" + "".join(
            f"2026-11-26T10:{k // 60:02d}:{k % 60:02d}+01:00,{4.1 - k / 900:.3f},1.0\n" for k in range(600)
        )
        seeds = {
            "archives": (folder / "all.zip").read_bytes(),
            "descriptions": "".join(standard(k) for k in STANDARD[:1]).encode(),
            "logs": log.encode(),
            "photographs": picture.getvalue(),
        }
        target, staged = folder / "x", folder / "staged"
        staged.mkdir()

        def described() -> None:
            read_description(target.read_bytes().decode("utf-8", "replace"))

        def logged() -> None:
            for _ in read_log(target, recognise(target.read_bytes()[:HEAD_BYTES])):
                pass

        ways: dict[str, Callable[[], object]] = {
            "archives": lambda: stage(target, staged),
            "descriptions": described,
            "logs": logged,
            "photographs": lambda: add_photo(shop.logs._log, unit, target, ""),
        }
        slowest = 0.0
        for k in range(count):
            kind = tuple(ways)[k % len(ways)]
            target.write_bytes(spoiled(seeds[kind], rng) or b"x")
            began = time.perf_counter()
            try:
                ways[kind]()
                counts[f"{kind} taken"] += 1
            except FigureError as error:
                counts[f"{kind} refused"] += 1
                counts["no sentence"] += not SENTENCE.match(str(error))
            except Exception as error:
                counts[f"{kind}: {type(error).__name__}"] += 1
            slowest = max(slowest, time.perf_counter() - began)
        counts["slowest, ms"] = int(slowest * 1e3)
        counts["builds lost"] = 3 - shop.builds.shelf()[1]
        shop.close()
    return counts


def ten_tabs(rounds: int, rng: random.Random) -> Counter[str]:
    """Ten tabs on ten different fields of one build, all from the same revision: nobody is asked to choose."""
    fields = [
        "brief/hours",
        "brief/budget",
        "brief/thickness_mm",
        "brief/mass_g",
        "brief/shelf_days",
        "loads/screen/power_w/play",
        "loads/board/power_w/play",
        "loads/board/power_w/peak",
        "links/w-pack/length_m",
        "brief/charge_hours",
    ]
    units = ["h", "€", "mm", "g", "", "W", "W", "W", "cm", "h"]
    counts = Counter[str]()
    with tempfile.TemporaryDirectory() as name, closing(Workshop(Path(name) / "builds.sqlite3")) as shop:
        shop.builds.load_demo()
        for _ in range(rounds):
            base, gate = shop.builds.stands_at(3) or 0, threading.Barrier(len(fields))

            def tab(k: int, base: int = base, gate: threading.Barrier = gate) -> None:
                value = f"{rng.uniform(4, 9):.3f} {units[k]}"
                gate.wait()
                try:
                    done = shop.builds.change(3, base, lambda a: set_value(a.plan, fields[k], value))
                except FigureError:
                    counts["refused"] += 1
                    return
                counts["merged" if isinstance(done, Opened) else "conflicts"] += 1

            tabs = [threading.Thread(target=tab, args=(k,)) for k in range(len(fields))]
            for thread in tabs:
                thread.start()
            for thread in tabs:
                thread.join()
    return counts
