"""Nothing acknowledged is ever lost: concurrent writers, a killed process, undo after undo."""

from __future__ import annotations

import os
import signal
import sqlite3
import subprocess
import sys
import threading
from pathlib import Path

import pytest

from briskcell.core.assess import Assessment
from briskcell.model.errors import FigureError
from briskcell.services.builds import Conflict, Opened
from briskcell.services.edits.values import Edit, set_value
from briskcell.services.workshop import Workshop
from briskcell.store import Stale, Store, UnknownBuildError


def hours(text: str) -> object:
    return lambda a: set_value(a.plan, "brief/hours", text)


def changed(workshop: Workshop, build: int, base: int, text: str) -> Opened:
    out = workshop.builds.change(build, base, hours(text))  # type: ignore[arg-type]
    assert isinstance(out, Opened)
    return out


def test_undo_and_redo_walk_the_line_and_a_new_change_keeps_the_old_one(workshop: Workshop) -> None:
    start = workshop.builds.open(3)
    one = changed(workshop, 3, start.revision.id, "5h")
    two = changed(workshop, 3, one.revision.id, "6h")
    back = workshop.builds.step(3, two.revision.id, back=True)
    assert back.plan.brief.hours == 5
    assert "6h" in (back.revision.redoes or "")
    again = workshop.builds.step(3, back.revision.id, back=False)
    assert again.plan.brief.hours == 6
    workshop.builds.step(3, again.revision.id, back=True)
    other = changed(workshop, 3, one.revision.id, "7h")
    assert other.revision.redoes is None
    assert workshop._store.revision(3, two.revision.id).document["brief"]["hours"] == 6
    first = workshop.builds.step(3, workshop.builds.step(3, other.revision.id, back=True).revision.id, back=True)
    assert first.revision.undoes is None
    assert workshop.builds.step(3, first.revision.id, back=True).revision.id == first.revision.id


def test_a_stale_save_overwrites_nothing_and_can_be_chosen(workshop: Workshop) -> None:
    base = workshop.builds.open(3).revision.id
    mine = changed(workshop, 3, base, "5h")
    clash = workshop.builds.change(3, base, hours("9h"))  # type: ignore[arg-type]
    assert isinstance(clash, Conflict)
    assert workshop.builds.open(3).plan.brief.hours == 5
    taken = workshop.builds.adopt(3, mine.revision.id, clash.mine.revision.id)
    assert isinstance(taken, Opened)
    assert taken.plan.brief.hours == 9
    assert workshop.builds.step(3, taken.revision.id, back=True).plan.brief.hours == 5


def test_a_refused_edit_saves_nothing(workshop: Workshop) -> None:
    before = workshop.builds.open(3).revision
    with pytest.raises(FigureError):
        workshop.builds.change(3, before.id, hours("soon"))  # type: ignore[arg-type]
    same = workshop.builds.change(3, before.id, lambda a: Edit(a.plan, "nothing"))
    assert isinstance(same, Opened)
    assert same.revision.id == workshop.builds.open(3).revision.id == before.id


def test_of_many_writers_at_once_exactly_one_wins_and_none_is_lost(tmp_path: Path) -> None:
    store = Store(tmp_path / "b.sqlite3")
    build = store.create({"n": 0}, "made")
    base = store.head(build).id
    outcomes: list[object] = []

    def write(k: int) -> None:
        for step in range(10):
            outcomes.append(store.save(build, base, {"n": k, "step": step}, f"{k}.{step}"))

    threads = [threading.Thread(target=write, args=(k,)) for k in range(6)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert len(outcomes) == 60
    assert sum(not isinstance(o, Stale) for o in outcomes) == 1
    kept = {store.revision(build, i).words for i in range(base + 1, base + 61)}
    assert len(kept) == 60
    store.close()


def test_a_kill_at_any_moment_loses_no_acknowledged_edit(tmp_path: Path) -> None:
    script = (
        "import sys; from pathlib import Path; from briskcell.store import Store\n"
        "s = Store(Path(sys.argv[1])); b = s.create({'n': 0}, 'made')\n"
        "for n in range(1, 100000):\n"
        "    s.save(b, s.head(b).id, {'n': n}, str(n)); print(n, flush=True)\n"
    )
    path = tmp_path / "b.sqlite3"
    process = subprocess.Popen([sys.executable, "-c", script, str(path)], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    said = [process.stdout.readline() for _ in range(40)]
    os.kill(process.pid, signal.SIGKILL)
    said += process.stdout.readlines()
    process.stdout.close()
    process.wait()
    last = int([line for line in said if line.endswith("\n")][-1])
    store = Store(path)
    assert store.head(1).document["n"] >= last
    store.close()


def test_what_does_not_exist_is_said(workshop: Workshop) -> None:
    for call in (lambda: workshop.builds.open(99), lambda: workshop._store.revision(1, workshop.builds.open(2).revision.id)):
        with pytest.raises(UnknownBuildError):
            call()


def test_a_baseline_stays_while_the_build_moves_on(workshop: Workshop) -> None:
    marked = workshop.builds.mark(3, workshop.builds.open(3).revision.id)
    moved = changed(workshop, 3, marked.revision.id, "5h")
    assert isinstance(moved.baseline, Assessment)
    assert moved.baseline.plan.brief.hours == 8
    assert workshop.builds.mark(3, None).baseline is None


def test_builds_kept_by_an_older_version_are_taken_along(tmp_path: Path) -> None:
    path = tmp_path / "builds.sqlite3"
    old = Store(path)
    build = old.create({"name": "Old"}, "Drafted")
    old.close()
    with sqlite3.connect(path) as raw:  # as version 0001 left it
        kept = ("build", "revision", "alembic_version", "sqlite_sequence")
        for (table,) in raw.execute("SELECT name FROM sqlite_master WHERE type = 'table'").fetchall():
            if table in kept:
                continue
            raw.execute(f"DROP TABLE {table}")
        for index in ("ix_build_key", "ix_revision_key"):
            raw.execute(f"DROP INDEX {index}")
        raw.execute("ALTER TABLE build DROP COLUMN key")
        for column in ("name", "next_id", "title", "summary", "key"):
            raw.execute(f"ALTER TABLE revision DROP COLUMN {column}")
        raw.execute("UPDATE revision SET document = ?", ('{"name": "Old"}',))
        raw.execute("UPDATE alembic_version SET version_num = '0001'")
    new = Store(path)
    head = new.head(build)
    assert head.document == {"name": "Old"}
    assert new.names.id_of("revision", head.key) == head.id, "what is kept gets its name"
    new.name(build, head.id, "as it was")
    assert new.history(build)[0][0].name == "as it was"
    new.close()
