"""The gauge, compiled and run: on a discharge that the application plays, charge and time left are held against the truth."""

from __future__ import annotations

import csv
import io
import subprocess
import types
from pathlib import Path

import numpy as np
import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.core.day.session import Session, play_session
from briskcell.formats.gauge import gauge_of, write_csv, write_header, write_module
from briskcell.model.errors import FigureError
from briskcell.model.phases import Phase
from briskcell.model.plan import plan_of
from briskcell.services.demo import curlew, sanderling
from tests.known import drawing, hand_plan
from tests.odd import odd_documents

PROGRAM = """
#include <stdio.h>
#include "gauge.h"
int main(void)
{
    int32_t at[64], mv[64]; int n = 0;
    long t, v;
    while (scanf("%ld %ld", &t, &v) == 2) {
        if (n == 64) { for (n = 0; n < 63; n++) { at[n] = at[n + 1]; mv[n] = mv[n + 1]; } }
        at[n] = (int32_t)t; mv[n] = (int32_t)v; n++;
        printf("%d %d\\n", (int)gauge_permille((int32_t)v), (int)gauge_seconds_left(at, mv, n));
    }
    return 0;
}
"""


@pytest.fixture(params=[curlew, sanderling])
def played(request: pytest.FixtureRequest) -> tuple[Assessment, Session]:
    """A build, and its discharge in play from full to the end, read every half minute."""
    assessed = assess(request.param())
    return assessed, play_session(assessed.op, [Phase("play", 40 * 3600.0)], step_s=30.0)


def judge(course: Session, charge: np.ndarray, left_s: np.ndarray) -> None:
    assert np.abs(charge - course.soc).max() < 0.02
    true = course.time_s[-1] - course.time_s
    late = (course.soc < 0.5) & (true > 600)
    assert late.sum() > 100
    assert (np.abs(left_s[late] - true[late]) / true[late]).max() < 0.10


def test_the_header_is_compiled_and_follows_a_discharge(played: tuple[Assessment, Session], tmp_path: Path) -> None:
    assessed, course = played
    (tmp_path / "gauge.h").write_text(write_header(gauge_of(assessed)))
    (tmp_path / "main.c").write_text(PROGRAM)
    strict = ["-std=c99", "-Wall", "-Wextra", "-Wpedantic", "-Werror"]
    subprocess.run(["cc", *strict, "-o", tmp_path / "gauge", tmp_path / "main.c"], check=True, capture_output=True)
    readings = "\n".join(f"{t:.0f} {v * 1000:.0f}" for t, v in zip(course.time_s, course.store_v, strict=True))
    done = subprocess.run([tmp_path / "gauge"], input=readings, capture_output=True, text=True, check=True)
    told = np.array([line.split() for line in done.stdout.splitlines()], dtype=float)
    judge(course, told[:, 0] / 1000, told[:, 1])


def test_the_module_follows_a_discharge(played: tuple[Assessment, Session]) -> None:
    assessed, course = played
    module = types.ModuleType("gauge")
    exec(write_module(gauge_of(assessed)), module.__dict__)
    readings = [(float(t), round(float(v) * 1000)) for t, v in zip(course.time_s, course.store_v, strict=True)]
    charge = np.array([module.charge(mv) for _, mv in readings])
    left = np.array([module.seconds_left(readings[max(k - 63, 0) : k + 1]) for k in range(len(readings))])
    judge(course, charge, left)


def test_a_console_that_plays_harder_than_usual_is_told_by_its_pace() -> None:
    gauge = gauge_of(assess(sanderling()))
    module = types.ModuleType("gauge")
    exec(write_module(gauge), module.__dict__)
    half = gauge.left_s[50]
    fast = [(60.0 * k, np.interp(half - 120.0 * k, gauge.left_s, gauge.play_mv)) for k in range(21)]  # twice the usual pace
    now = half - 2400
    assert module.seconds_left(fast) == pytest.approx(now / 2, rel=0.02)
    assert module.seconds_left(fast[-1:]) == pytest.approx(now, rel=0.02), "one reading alone knows no pace"
    assert module.seconds_left([(0.0, fast[0][1]), (1e6, fast[-1][1])]) == pytest.approx(4 * now, rel=0.02), "no pace beyond four"


def test_the_table_rises_and_ends_where_play_does() -> None:
    assessed = assess(curlew())
    gauge = gauge_of(assessed)
    rows = list(csv.DictReader(io.StringIO(write_csv(gauge))))
    assert [int(r["charge_percent"]) for r in rows] == list(range(101))
    for name in ("play_mv", "rest_mv"):
        volts = [int(r[name]) for r in rows]
        assert volts == sorted(volts)
    assert all(rest >= play for rest, play in zip(gauge.rest_mv, gauge.play_mv, strict=True))
    found = assessed.runtime
    assert found is not None
    assert found.hours is not None
    assert int(rows[-1]["play_left_s"]) == round(found.hours * 3600)
    stop = int(found.stop_soc * 100)
    assert gauge.left_s[: stop + 1] == [0] * (stop + 1)
    assert gauge.left_s[stop + 2] > 0


def test_what_cannot_be_gauged_is_said() -> None:
    with pytest.raises(FigureError, match="hides the volts"):
        gauge_of(assess(plan_of(odd_documents()["a bank"])))
    with pytest.raises(FigureError, match="Nothing plays"):
        gauge_of(assess(plan_of(hand_plan(loads=[]))))
    wild = assess(plan_of(hand_plan(name="*/ x\n#error é", loads=[drawing(1.0)])))
    for made in (write_header(gauge_of(wild)), write_module(gauge_of(wild))):
        assert "?? x??error ?" in made
