"""Long work: two at a time, the rest in line, stopped at once, and not forgotten when the program ends."""

from __future__ import annotations

import shutil
import time
from pathlib import Path
from threading import Event
from typing import Any

import numpy as np
import pytest

from briskcell.core.search import scout
from briskcell.services.jobs import Progress
from briskcell.services.search import IN_DRAWER, KIND
from briskcell.services.workshop import Workshop
from briskcell.store import JobRow
from briskcell.store.drawer import DrawerRow


def until(workshop: Workshop, build: int, state: str) -> JobRow:
    end = time.monotonic() + 20
    while (row := workshop._jobs.of(build, "k")) is None or row.state != state:
        assert time.monotonic() < end, row
        time.sleep(0.01)
    return row


def test_two_run_the_rest_wait_their_turn_and_each_can_be_stopped(workshop: Workshop) -> None:
    gate, order = Event(), list[int]()

    def work(build: int) -> Any:
        def run(progress: Progress) -> dict[str, Any]:
            order.append(build)
            progress.at(0.25 * build)
            while not (gate.is_set() or progress.stopped()):
                time.sleep(0.01)
            return {"of": build}

        return run

    more = [workshop.builds.variant(1, workshop.builds.stands_at(1) or 0, f"V{k}") for k in range(2)]
    builds = [1, 2, 3, *more]
    for build in builds:
        workshop._jobs.begin(build, "k", work(build))
    assert [until(workshop, b, "running").share for b in (1, 2)] == [0.25, 0.5]
    assert [until(workshop, b, "queued").ahead for b in builds[2:]] == [0, 1, 2]
    workshop._jobs.stop(more[0], "k")  # out of the line
    assert until(workshop, more[0], "stopped").result is None
    assert until(workshop, more[1], "queued").ahead == 1
    workshop._jobs.stop(1, "k")  # in its work: what it found so far comes, and the next one starts
    assert until(workshop, 3, "running").share == 0.75
    assert until(workshop, 1, "stopped").result == {"of": 1}
    gate.set()
    assert until(workshop, more[1], "done").result == {"of": more[1]}
    assert order == [1, 2, 3, more[1]] or order == [2, 1, 3, more[1]]


def test_what_a_killed_program_left_open_is_said_and_a_fault_of_one_is_its_own(workshop: Workshop, tmp_path: Path) -> None:
    gate = Event()

    def wait(progress: Progress) -> dict[str, Any]:
        while not (gate.is_set() or progress.stopped()):
            time.sleep(0.01)
        return {}

    def break_off(_: Progress) -> dict[str, Any]:
        raise ValueError("no such cell")

    workshop._jobs.begin(3, "k", break_off)
    assert until(workshop, 3, "failed").words == "no such cell"
    workshop._jobs.begin(1, "k", wait)
    until(workshop, 1, "running")
    after = Workshop(tmp_path / "builds.sqlite3")  # as if the first had been killed
    try:
        assert "Start it again" in until(after, 1, "interrupted").words
    finally:
        gate.set()
        after.close()


def test_what_was_begun_anew_is_not_ended_by_what_it_replaced(workshop: Workshop) -> None:
    old_may_end, new_may_end = Event(), Event()

    def ends_with(gate: Event, result: dict[str, Any]) -> Any:
        def run(_: Progress) -> dict[str, Any]:
            assert gate.wait(20)
            return result

        return run

    workshop._jobs.begin(1, "k", ends_with(old_may_end, {"old": True}))
    first = until(workshop, 1, "running").id
    workshop._jobs.begin(1, "k", ends_with(new_may_end, {"new": True}))
    assert until(workshop, 1, "running").id > first
    old_may_end.set()
    time.sleep(0.2)
    assert until(workshop, 1, "running").result is None
    new_may_end.set()
    assert until(workshop, 1, "done").result == {"new": True}


@pytest.mark.usefixtures("short_search")
@pytest.mark.parametrize("kind", [KIND, IN_DRAWER])
def test_a_search_that_the_end_of_the_program_cut_off_goes_on_at_the_next_start(
    tmp_path: Path, demo_file: Path, kind: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("briskcell.services.search_kept.EVERY_S", 0.0)
    for place in ("core.search.scout", "services.search"):
        monkeypatch.setattr(f"briskcell.{place}.CHUNK", 16 if kind == IN_DRAWER else 256)
    judge = scout._judge

    def slowly(*asked: Any) -> Any:
        time.sleep(0.05)
        return judge(*asked)

    monkeypatch.setattr(scout, "_judge", slowly)
    shop = Workshop(Path(shutil.copy(demo_file, tmp_path)))
    lie = [DrawerRow(part_class=c, quantity=9) for c in ("cell-21700-e50", "pouch-p30", "boost-5v-5a", "boost-5v-8a")]
    shop.drawer._store.put_all(lie if kind == IN_DRAWER else [])
    shop.searches.begin(3, shop.builds.open(3).assessed, in_drawer=kind == IN_DRAWER)
    while not list((tmp_path / "searches").glob("3-*.npz")):
        time.sleep(0.05)
    shop.close()  # in the midst of it
    again = Workshop(tmp_path / demo_file.name)
    cut = again.searches.of(3)
    assert cut is not None
    assert cut.state == "interrupted"
    with np.load(next((tmp_path / "searches").glob("3-*.npz"))) as kept:
        assert len(kept.files) > 0
    again.searches.go_on_with_interrupted()
    while (job := again.searches.of(3)) is not None and job.state in ("queued", "running"):
        time.sleep(0.1)
    assert job is not None
    assert (job.state, job.kind) == ("done", kind)
    assert job.result is not None
    gauges, counts = 3, 24
    assert job.result["judged"] % (gauges * counts) == 0
    assert (job.result["judged"] == gauges * counts * 2 * 2) == (kind == IN_DRAWER)
    again.close()
