"""Costs, measured in one run on one machine: medians, and ratios to a time-stepping reference."""

from __future__ import annotations

import gc
import resource
import statistics
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

import numpy as np
import structlog
from werkzeug.test import TestResponse as Response

from briskcell.core.assess import Assessment, assess
from briskcell.core.mending import mend_all
from briskcell.core.rules import RULES
from briskcell.core.search.scout import scout
from briskcell.core.stations import STATIONS
from briskcell.library import catalogue
from briskcell.model.changes import replaced
from briskcell.model.parts import Rail
from briskcell.model.plan import Plan
from briskcell.services.assembly import cell_of, load_with_wire, pack_of, plan_from, take, wire, with_warning
from briskcell.services.demo import oystercatcher, sanderling
from briskcell.web import create_app
from crowded import rows as crowded
from instruments import rows as instruments
from logs import rows as logs
from reference import stepped_runtime_h
from repaint import rows as repaint
from spreads import rows as spreads

RESULTS = Path(__file__).with_name("RESULTS.md")


def large_build() -> Plan:
    """Twenty loads on three converters, each on a wire of its own, with a charger and all."""
    keys = [
        "board-small4",
        "screen-43",
        "amp-3w",
        "controls-wired",
        "controls-wireless",
        "haptics",
        "light",
        "light",
        "lamp-strip",
        "usb-stick",
        "clock",
        "fan-30",
        "amp-headphone",
        "light",
    ]
    small = ["radio-bt", "radio-bt", "controls-wired", "light"]
    wide = ["light", "light"]
    parts = [
        take("usb-3", id="usb"),
        take("charger-sw-2", id="charger", charges="pack", supply="usb"),
        pack_of("pack", "Pack", cell_of("cell-21700-p40"), 1, 3, cutoff=2.8),
        wire("w-pack", "Wire from the pack", "pack", 18, 0.09),
        take("switch-toggle-10", id="switch", fed_by="w-pack"),
        take("fuse-10", id="fuse", fed_by="switch"),
        take("boost-5v-5a", id="boost", fed_by="fuse"),
        Rail(id="rail-5", name="5 V rail", fed_by="boost"),
        take("linear-33-05", id="linear", fed_by="rail-5"),
        Rail(id="rail-33", name="3.3 V rail", fed_by="linear"),
        take("boost-9v-3a", id="boost-9", fed_by="fuse"),
        Rail(id="rail-9", name="9 V rail", fed_by="boost-9"),
    ]
    for rail, classes in (("rail-5", keys), ("rail-33", small), ("rail-9", wide)):
        for k, key in enumerate(classes):
            parts += load_with_wire(key, f"{rail}-{k}", rail, 26, 0.12)
    brief = {"hours": 5.0, "charge_hours": 9.0, "shelf_days": 30}
    return with_warning(plan_from("Twenty loads", "for measuring", parts, brief=brief, case={"vents": True}))


def times_ms(call: Callable[[], object], runs: int) -> list[float]:
    call()
    out = []
    for _ in range(runs):
        start = time.perf_counter()
        call()
        out.append((time.perf_counter() - start) * 1e3)
    return out


def pace_ms() -> float:
    """A plain loop that nobody makes quicker: how fast the machine is just now, so that two tables can be compared."""
    start, total = time.process_time(), 0
    for i in range(300_000):
        total += i * i % 7
    return (time.process_time() - start) * 1e3


def everything(a: Assessment) -> object:
    """All answers and rules, as a page needs them."""
    return a.runtime_range, a.headrooms, a.charges, a.reserve, a.storage, a.heat, a.findings


def resets_alone(a: Assessment) -> float:
    """Only the curve: what it is made from is there already."""
    _ = a.runtime
    start = time.perf_counter()
    _ = a.resets
    return (time.perf_counter() - start) * 1e3


LATER = {"figures of the map": "flows/{}.json", "both schools": "alternatives/{}", "packs that fit": "packs/{}"}


def pages_ms() -> tuple[dict[str, list[float]], dict[str, float]]:
    """The server's part of an edit of the largest demo build on each station: change, save, assess, render; and of what a
    page asks for once it stands."""
    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Path(folder))
        app.config["WTF_CSRF_ENABLED"] = False
        shop = app.extensions["briskcell"]
        shop.builds.load_demo()
        client = app.test_client()
        edits: dict[str, list[float]] = {station: [] for station in STATIONS}
        later: dict[str, list[float]] = {name: [] for name in LATER}
        for k in range(25 * len(STATIONS)):
            base = shop.builds.newest(3)
            station = list(STATIONS)[k % len(STATIONS)]
            data = {"path": "loads/screen/power_w/play", "value": f"{1.1 + k / 1000:.3f} W", "station": station}
            headers = {"HX-Request": "true", "X-Base": str(base)}
            edits[station] += once_ms(partial(client.post, "/builds/3/edit", data=data, headers=headers))
            if k % 20 == 0:  # what a revision was asked once is kept with it
                for name, path in LATER.items():
                    later[name] += once_ms(partial(client.get, f"/builds/3/{path.format(shop.builds.newest(3))}"))
        shop.close()
        return {name: times[5:] for name, times in edits.items()}, {name: statistics.median(t) for name, t in later.items()}


def once_ms(ask: Callable[[], Response]) -> list[float]:
    start = time.perf_counter()
    answer = ask()
    assert answer.status_code == 200
    return [(time.perf_counter() - start) * 1e3]


def equal_error(plan: Plan, cutoff_v: float) -> tuple[float, float, float]:
    """Our error against a fine reference, and the error and tolerance of the coarsest reference that is no worse."""
    found = assess(plan).runtime
    assert found is not None
    fine = stepped_runtime_h(plan, cutoff_v, 1e-7)
    ours = abs((found.hours or 0.0) / fine - 1)
    for rtol in (1e-2, 3e-3, 1e-3, 3e-4, 1e-4, 1e-5, 1e-6):
        theirs = abs(stepped_runtime_h(plan, cutoff_v, rtol) / fine - 1)
        if theirs <= max(ours, 1e-5):
            break
    return ours, theirs, rtol


def paired_ms(ours: Callable[[], object], theirs: Callable[[], object], rounds: int) -> tuple[float, float, float]:
    """Medians of both in ms, and of their ratio, taken in turns: this way a change of the machine's pace meets both."""
    pairs = []
    for _ in range(rounds):
        before, slow, after = times_ms(ours, 8), times_ms(theirs, 1), times_ms(ours, 8)
        pairs.append((statistics.median(before + after), slow[0]))
    ratio = statistics.median(t / o for o, t in pairs)
    return statistics.median(o for o, _ in pairs), statistics.median(t for _, t in pairs), ratio


def scouted(plan: Plan) -> list[tuple[int, float]]:
    """Seconds for about a thousand, ten thousand and a hundred thousand candidates."""
    shelf = catalogue()
    cells = [c.part for c in shelf.of_kind("cells") if c.part.measured_ah is None and c.part.full_v > 3][:18]
    boards = [c.part for c in shelf.of_kind("converters") if c.part.kind == "boost" and abs(c.part.output_v.likely - 5) < 0.2]
    out = []
    for parallels, gauges in ((1, 9), (4, 23), (24, 38)):
        wires = [float(g) for g in np.linspace(10, 34, gauges)]
        start = time.perf_counter()
        found = scout(plan, cells, list(range(1, parallels + 1)), boards, wires)
        out.append((len(found.runtime_h), time.perf_counter() - start))
    return out


def main() -> None:
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(50))
    shelf, large, demo = catalogue().stock(), large_build(), sanderling()
    everything(assess(demo, shelf))
    gc.collect()
    gc.freeze()  # as the server does once it is up
    pace = [pace_ms()]
    rules = times_ms(lambda: everything(assess(large, shelf)), 80)
    found = assess(large, shelf)
    cutoff_v = found.op.curves[0].cutoff_v
    ours, theirs, rtol = equal_error(large, cutoff_v)
    runtime, stepped, ratio = paired_ms(lambda: assess(large).runtime, lambda: stepped_runtime_h(large, cutoff_v, rtol), 5)
    demo_ms = times_ms(lambda: everything(assess(demo, shelf)), 80)
    pace.append(pace_ms())
    edits, later = pages_ms()
    pace.append(pace_ms())
    every = [t for times in edits.values() for t in times]
    candidates = scouted(demo)
    broken = oystercatcher()
    weak = take("boost-5v-3a", id=large.converters[0].id, fed_by=large.converters[0].fed_by)
    risky = replaced(large, weak)
    assess(risky, shelf).resets  # noqa: B018  compiles what it meets
    curves = [resets_alone(assess(risky, shelf)) for _ in range(20)]
    remedies = times_ms(lambda: [f.remedy for f in assess(broken, shelf).findings], 5)
    mended = times_ms(lambda: mend_all(assess(broken, shelf)), 5)
    pace.append(pace_ms())
    peak_mb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    rows = [
        ("a plain loop, four times along the run: how fast the machine was", ", ".join(f"{p:.0f}" for p in pace) + " ms"),
        (
            f"{len(large.loads)} loads, {len(large.converters)} converters, 101 × 3 points: "
            f"all answers, {len(RULES)} rules, median",
            f"{statistics.median(rules):.1f} ms",
        ),
        ("the same, fastest of 80 (what this machine can do undisturbed)", f"{min(rules):.1f} ms"),
        ("its runtime alone, median", f"{runtime:.1f} ms"),
        (f"independent time-stepping reference at equal error ({theirs:.1e}; ours {ours:.1e})", f"{stepped:.0f} ms"),
        ("reference ÷ our runtime, median of five taken in turns", f"{ratio:.0f}"),
        (f"largest sound demo build ({demo.name}), all answers and rules", f"{statistics.median(demo_ms):.1f} ms"),
        ("an edit of it: change, save, assess, render; median over all stations", f"{statistics.median(every):.0f} ms"),
        ("an edit of it; 95th percentile", f"{np.percentile(every, 95):.0f} ms"),
        *((f"an edit of it on {name.capitalize()}; median", f"{statistics.median(times):.0f} ms") for name, times in edits.items()),
        *((f"asked for once the page stands: {name}", f"{ms:.0f} ms") for name, ms in later.items()),
        (
            f"what mends each of the {len(assess(broken, shelf).findings)} findings of the failing demo build",
            f"{statistics.median(remedies):.0f} ms",
        ),
        (f"mend all of it, {mend_all(assess(broken, shelf)).judged} plans judged", f"{statistics.median(mended) / 1e3:.2f} s"),
        ("curve of resets where peaks overrun a board of the 20 loads", f"{statistics.median(curves):.1f} ms"),
        *((f"scout, {n} candidates", f"{s:.2f} s, {s / n * 1e6:.0f} µs each") for n, s in candidates),
        ("most memory of this process", f"{peak_mb:.0f} MB"),
        *crowded(),
        *instruments(),
        *logs(),
        *spreads(),
        *repaint(),
    ]
    table = "\n".join(f"| {what} | {value} |" for what, value in rows)
    head = f"# Costs\n\nMeasured {datetime.now(UTC):%Y-%m-%d} by `make bench`, one run, one machine."
    text = f"{head}\n\n| what | measured |\n| --- | --- |\n{table}\n"
    RESULTS.write_text(text, "utf-8")
    print(text)


if __name__ == "__main__":
    main()
