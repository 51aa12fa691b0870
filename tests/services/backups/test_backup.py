"""Backup, wipe, restore: equal to the byte, taken while edits run; what is damaged or foreign is refused, and nothing changes then."""

from __future__ import annotations

import json
import shutil
import sqlite3
import threading
import time
import zipfile
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner

from briskcell.cli import main
from briskcell.model.errors import FigureError
from briskcell.services.backups.archive import examined
from briskcell.services.backups.restoring import put_back, restore, stage
from briskcell.services.backups.taking import back_up, contents_of
from briskcell.services.edits.values import set_value
from briskcell.services.workshop import Workshop
from briskcell.store import StoreError
from briskcell.store.runs import Appender


def filled(folder: Path) -> Workshop:
    shop = Workshop(folder / "builds.sqlite3")
    shop.builds.load_demo()
    unit = shop.benches._units.add(3, "grey")
    shop.benches._units.take(unit, "pads:pack", 1.0, note={"by": "Wren"})
    run = shop.benches._runs.add(unit, "watch", "x", {"quantity": "volts"}, state="done")
    appender = Appender(shop.benches._runs.path(run))
    appender.add_many(np.arange(400.0).reshape(-1, 4))
    appender.close()
    shop.logs._log.add(
        unit, "photo", "a joint", {"type": "image/png"}, file=shop.logs._log.keep_photo(bytes(range(256)) * 9, ".png")
    )
    return shop


def everything(folder: Path) -> dict[str, object]:
    """All that a shelf keeps: each table row by row, each file byte by byte; what belongs to the computer aside."""
    with sqlite3.connect(folder / "builds.sqlite3") as raw:
        tables = [
            n
            for (n,) in raw.execute("SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite%' ORDER BY 1")
            if n not in ("device", "lease", "shelf")
        ]
        out: dict[str, object] = {n: raw.execute(f"SELECT * FROM {n} ORDER BY 1").fetchall() for n in tables}
    raw.close()
    for name in ("runs", "photos"):
        out |= {f"{name}/{p.name}": p.read_bytes() for p in sorted((folder / name).glob("*"))}
    return out


def test_what_is_restored_is_equal_to_the_byte_though_edits_ran(tmp_path: Path) -> None:
    folder, file = tmp_path / "shelf", tmp_path / "all.zip"
    folder.mkdir()
    shop = filled(folder)
    stop, made = threading.Event(), []

    def edit() -> None:
        hours = 1
        while not stop.is_set():
            hours = hours % 20 + 1
            shop.builds.change(1, shop.builds.stands_at(1) or 0, lambda a: set_value(a.plan, "brief/hours", f"{hours} h"))  # noqa: B023
            made.append(hours)

    thread = threading.Thread(target=edit)
    thread.start()
    until = time.monotonic() + 20
    while len(made) < 3 and time.monotonic() < until:
        time.sleep(0.01)
    found = back_up(folder, file)
    stop.set()
    thread.join()
    assert len(made) > 3
    with zipfile.ZipFile(file) as archive:
        archive.extractall(tmp_path / "taken")
    taken = everything(tmp_path / "taken")
    assert found.counts["builds"] == 3
    assert (found.counts["units"], found.counts["readings"], found.counts["runs"], found.photos) == (1, 1, 1, 1)
    assert len(taken["revision"]) >= 6  # type: ignore[arg-type]
    shop.close()
    shutil.rmtree(folder)
    assert restore(file, folder) is None, "nothing was there"
    assert everything(folder) == taken
    again = Workshop(folder / "builds.sqlite3")
    assert again.builds.shelf()[1] == 3
    assert again.benches._runs.rows(1).shape == (100, 4)
    again.close()


def test_a_full_shelf_is_replaced_while_it_serves_and_what_was_there_is_kept(tmp_path: Path) -> None:
    one, other = tmp_path / "one", tmp_path / "other"
    for folder in (one, other):
        folder.mkdir()
    shop = filled(one)
    back_up(one, tmp_path / "one.zip")
    shop.close()
    full = Workshop(other / "builds.sqlite3")
    full.builds.load_demo()
    full.builds.remove(1)
    before = everything(other)
    name = full.uploads.begin()
    full.uploads.add(name, 0, (tmp_path / "one.zip").read_bytes())
    assert full.builds.shelf()[1] == 2
    full.backups.put_back(name)
    assert full.builds.shelf()[1] == 3
    assert full.benches.units(3)[0].name == "grey"
    assert everything(other) == everything(one)
    full.close()
    (safe,) = other.glob("before-restore-*.zip")
    restore(safe, other)
    assert everything(other) == before


def test_a_restore_that_is_interrupted_is_finished_at_the_next_start(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    one, other = tmp_path / "one", tmp_path / "other"
    for folder in (one, other):
        folder.mkdir()
    filled(one).close()
    back_up(one, tmp_path / "one.zip")
    Workshop(other / "builds.sqlite3").close()
    for step in ("copytree", "rmtree"):
        stage(tmp_path / "one.zip", other)
        with monkeypatch.context() as broken:
            broken.setattr(shutil, step, lambda *_a, **_k: (_ for _ in ()).throw(KeyboardInterrupt))
            with pytest.raises(KeyboardInterrupt):
                put_back(other)
        again = Workshop(other / "builds.sqlite3")
        assert again.builds.shelf()[1] == 3
        again.close()
        assert everything(other) == everything(one)
        assert not (other / "restoring").exists()


def test_what_is_no_backup_is_refused_and_nothing_changes(tmp_path: Path) -> None:
    folder = tmp_path / "shelf"
    folder.mkdir()
    filled(folder).close()
    file = tmp_path / "all.zip"
    back_up(folder, file)
    before = everything(folder)

    def spoiled(change: str) -> Path:
        bad = tmp_path / f"{change}.zip"
        with zipfile.ZipFile(file) as source, zipfile.ZipFile(bad, "w") as out:
            manifest = json.loads(source.read("brisk-cell.json"))
            for info in source.infolist():
                body = source.read(info)
                if change == "bytes" and info.filename.startswith("runs"):
                    body = body[:-1] + b"\x07"
                if change == "missing" and info.filename.startswith("photos"):
                    continue
                if info.filename == "brisk-cell.json":
                    manifest["version"] = 99 if change == "newer" else 1
                    if change == "path":
                        manifest["sha256"]["../secret"] = "0"
                    body = json.dumps(manifest).encode()
                out.writestr(info.filename, body)
        return bad

    words = tmp_path / "words.zip"
    words.write_text("no archive at all")
    for bad, says in (
        (words, "no backup"),
        (spoiled("bytes"), "is damaged"),
        (spoiled("missing"), "damaged"),
        (spoiled("newer"), "newer Brisk Cell"),
        (spoiled("path"), "belongs to no shelf"),
    ):
        with pytest.raises(FigureError, match=says):
            restore(bad, folder)
        assert everything(folder) == before
        assert not (folder / "restoring").exists()
    with pytest.raises(StoreError, match="no shelf"):
        back_up(tmp_path / "nowhere", file)
    assert examined(file).counts == contents_of(folder).counts


def test_from_the_command_line(tmp_path: Path) -> None:
    folder, file = tmp_path / "shelf", tmp_path / "all.zip"
    folder.mkdir()
    filled(folder).close()
    before = everything(folder)
    run = CliRunner()
    said = run.invoke(main, ["backup", str(file), "--data", str(folder)])
    assert said.exit_code == 0, said.output
    assert "3 builds" in said.output
    assert "1 photographs" in said.output
    refused = run.invoke(main, ["restore", str(file), "--data", str(folder)], input="n\n")
    assert refused.exit_code == 1
    assert "builds: 3 in the backup, 3 here" in refused.output
    assert run.invoke(main, ["restore", str(file), "--data", str(folder), "--yes"]).exit_code == 0
    assert everything(folder) == before
    assert run.invoke(main, ["restore", __file__, "--data", str(folder), "--yes"]).exit_code == 2
