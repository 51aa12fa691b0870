"""Costs, measured in one run on one machine: medians, and ratios to a time-stepping reference."""

from __future__ import annotations

import re
import statistics
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import structlog

from briskcell.core.assess import Assessment, assess
from briskcell.library import catalogue
from briskcell.services.demo import demo_plans
from briskcell.web import create_app
from reference import stepped_runtime_h

RESULTS = Path(__file__).with_name("RESULTS.md")


def times_ms(call: Callable[[], object], runs: int) -> list[float]:
    call()
    out = []
    for _ in range(runs):
        start = time.perf_counter()
        call()
        out.append((time.perf_counter() - start) * 1e3)
    return out


def everything(plan_assessed: Assessment) -> object:
    """All answers and rules, as a page needs them."""
    a = plan_assessed
    return a.runtime_range, a.headrooms, a.charges, a.findings


def edits_ms() -> list[float]:
    """The server's part of an edit of the largest demo build: change, save, assess, render."""
    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Path(folder))
        app.config["WTF_CSRF_ENABLED"] = False
        app.extensions["briskcell"].load_demo()
        client = app.test_client()
        out = []
        for k in range(60):
            base = re.search(r'data-revision="(\d+)"', client.get("/builds/3/draw").text)
            assert base is not None
            start = time.perf_counter()
            answer = client.post(
                "/builds/3/edit",
                data={"path": "loads/screen/power_w/play", "value": f"{1.1 + k / 1000:.3f} W", "station": "draw"},
                headers={"HX-Request": "true", "X-Base": base[1]},
            )
            out.append((time.perf_counter() - start) * 1e3)
            assert answer.status_code == 200
        app.extensions["briskcell"].store.close()
        return out[5:]


def main() -> None:
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(50))
    shelf = catalogue().shelf()
    plan = max(demo_plans(), key=lambda p: len(list(p.parts())) if not assess(p).findings else 0)
    ours = times_ms(lambda: everything(assess(plan, shelf)), 60)
    runtime = times_ms(lambda: assess(plan).runtime, 60)
    found = assess(plan).runtime
    assert found is not None
    cutoff_v = assess(plan).op.curves[0].cutoff_v
    stepped = times_ms(lambda: stepped_runtime_h(plan, cutoff_v, 1e-4), 3)
    reference_h = stepped_runtime_h(plan, cutoff_v, 1e-6)
    edits = edits_ms()
    rows = [
        ("elements of the largest sound demo build", f"{len(list(plan.parts()))} ({plan.name})"),
        ("one assessment, all answers and rules, 101 × 3 points", f"{statistics.median(ours):.1f} ms (median of 60)"),
        ("its runtime alone", f"{statistics.median(runtime):.1f} ms"),
        ("time-stepping reference, runtime alone", f"{statistics.median(stepped):.0f} ms"),
        ("reference ÷ ours, runtime alone", f"{statistics.median(stepped) / statistics.median(runtime):.0f}"),
        ("runtime ÷ a finer reference − 1", f"{(found.hours or 0) / reference_h - 1:+.5f}"),
        ("an edit: change, save, assess, render; median", f"{statistics.median(edits):.0f} ms"),
        ("an edit; 95th percentile", f"{np.percentile(edits, 95):.0f} ms"),
    ]
    table = "\n".join(f"| {what} | {value} |" for what, value in rows)
    head = f"# Costs\n\nMeasured {datetime.now(UTC):%Y-%m-%d} by `make bench`, one run, one machine."
    text = f"{head}\n\n| what | measured |\n| --- | --- |\n{table}\n"
    RESULTS.write_text(text, "utf-8")
    print(text)


if __name__ == "__main__":
    main()
