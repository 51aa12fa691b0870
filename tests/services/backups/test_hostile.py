"""What comes from outside is judged before it is taken in; what belongs to this computer stays; nothing is overwritten."""

from __future__ import annotations

import hashlib
import io
import json
import random
import sqlite3
import struct
import threading
import time
import zipfile
import zlib
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from PIL import Image, PngImagePlugin

from briskcell.formats.meter_csv import read_log, recognise
from briskcell.instruments.description import read_description
from briskcell.model.errors import FigureError
from briskcell.services.backups import taking
from briskcell.services.backups.archive import MANIFEST, MOST_MANIFEST, examined
from briskcell.services.backups.restoring import MOST_SAFE, keep_safe, restore, stage
from briskcell.services.backups.taking import back_up
from briskcell.services.builds import Conflict, OlderShelfError, Opened
from briskcell.services.edits.values import set_value
from briskcell.services.log.picture_chunks import MOST_BESIDE, chunks_fault
from briskcell.services.uploads import MOST_AT_ONCE
from briskcell.services.workshop import Workshop
from tests.services.backups.test_backup import everything, filled


@pytest.fixture(scope="module")
def taken(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A backup of a shelf with a bit of everything, and with what belongs to its computer."""
    folder = tmp_path_factory.mktemp("shelf")
    shop = filled(folder)
    shop.devices._devices.add("a phone of then", reads_only=False)
    shop.benches._recorder._leases.take("load", {"address": "TCPIP::127.0.0.1::9::SOCKET", "description": "x", "here": True})
    back_up(folder, folder / "all.zip")
    shop.close()
    return folder / "all.zip"


def rewritten(
    taken: Path, to: Path, *, sql: str = "", manifest: Callable[[dict[str, Any]], None] | None = None, raw: bytes | None = None
) -> Path:
    """A backup with its database or its list changed, its digests made to fit."""
    with zipfile.ZipFile(taken) as source:
        files = {i.filename: source.read(i) for i in source.infolist()}
    said = json.loads(files.pop(MANIFEST))
    if sql:
        own = to.with_suffix(".sqlite3")
        own.write_bytes(files["builds.sqlite3"])
        with closing(sqlite3.connect(own)) as db:
            db.executescript(sql)
        files["builds.sqlite3"] = own.read_bytes()
        said["sha256"]["builds.sqlite3"] = hashlib.sha256(files["builds.sqlite3"]).hexdigest()
    if manifest is not None:
        manifest(said)
    with zipfile.ZipFile(to, "w", zipfile.ZIP_DEFLATED) as out:
        for name, body in files.items():
            out.writestr(name, body)
        out.writestr(MANIFEST, json.dumps(said) if raw is None else raw)
    return to


BAD_SQL = {
    "a trigger": "CREATE TRIGGER t AFTER INSERT ON build BEGIN DELETE FROM revision; END",
    "a view": "CREATE VIEW v AS SELECT * FROM build",
    "a table of its own": "CREATE TABLE more (x)",
    "a column of its own": "ALTER TABLE build ADD COLUMN more TEXT",
    "a column that computes": "ALTER TABLE build ADD COLUMN more TEXT GENERATED ALWAYS AS (id) VIRTUAL",
    "an index that computes": "CREATE INDEX i ON build (id) WHERE id > 1",
    "a lost parent": "PRAGMA foreign_keys=OFF; UPDATE unit SET build_id = 99",
    "a lost row": "DELETE FROM reading",
    "words for a moment": "UPDATE unit SET created_at = 'soon'",
    "a number for a name": "UPDATE unit SET name = 7 WHERE typeof(name) = 'text'; UPDATE unit SET name = CAST(x'00' AS BLOB)",
    "a name without an end": "UPDATE unit SET name = printf('%.*c', 100000, 'x')",
    "a photograph elsewhere": "UPDATE entry SET file = '../secret'",
    "a photograph that is not there": "UPDATE entry SET file = '000000000000000000000000.png'",
    "another schema": "UPDATE alembic_version SET version_num = '9999'",
    "no schema": "DELETE FROM alembic_version",
}


@pytest.mark.parametrize("what", BAD_SQL)
def test_a_database_that_is_not_as_ours_is_refused_in_a_sentence(what: str, taken: Path, tmp_path: Path) -> None:
    bad, folder = rewritten(taken, tmp_path / "bad.zip", sql=BAD_SQL[what]), tmp_path / "here"
    folder.mkdir()
    Workshop(folder / "builds.sqlite3").close()
    before = everything(folder)
    with pytest.raises(FigureError) as refused:
        restore(bad, folder)
    assert refused.value.field == "backup"
    assert str(refused.value).count(".") >= 2, "what is wrong, and what to do"
    assert everything(folder) == before
    assert not (folder / "restoring").exists()


def test_lists_of_any_kind_are_refused_and_small_ones_stay_small(taken: Path, tmp_path: Path) -> None:
    nested, wide = b"[" * 100_000, b'{"version": 1, "sha256": {"a": ' + b"[1," * 300_000
    bad = [
        rewritten(taken, tmp_path / f"{k}.zip", raw=raw)
        for k, raw in enumerate((nested, wide, b"", b"null", b"7", b"\xff\xfe", b'{"version": "x"}'))
    ]
    for key, value in (
        ("version", 1e300),
        ("sha256", []),
        ("sha256", {"builds.sqlite3": 7}),
        ("counts", {"builds": "many"}),
        ("counts", {"builds": -1}),
        ("counts", {"builds": 10**400}),
        ("counts", {"builds": 4}),
    ):
        bad.append(rewritten(taken, tmp_path / f"{len(bad)}.zip", manifest=lambda said, k=key, v=value: said.update({k: v})))  # type: ignore[misc]
    bomb = tmp_path / "bomb.zip"
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED, compresslevel=9) as out:
        out.writestr(MANIFEST, b" " * 400_000_000)
    assert bomb.stat().st_size < 500_000
    for file in (*bad, bomb):
        began = time.monotonic()
        with pytest.raises(FigureError):
            stage(file, tmp_path)
        assert time.monotonic() - began < 3.0
    assert MOST_MANIFEST < 10_000_000
    many = tmp_path / "many.zip"
    with zipfile.ZipFile(many, "w") as out:
        for k in range(21_000):
            out.writestr(zipfile.ZipInfo(f"runs/{k}.course"), b"")
        out.writestr(MANIFEST, "{}")
    with pytest.raises(FigureError, match="larger than any shelf"):
        examined(many)
    tail = bytearray(many.read_bytes()[-22:])
    struct.pack_into("<L", tail, 12, 9_000_000)
    (tmp_path / "long.zip").write_bytes(bytes(tail))
    with pytest.raises(FigureError, match="larger than any shelf"):
        examined(tmp_path / "long.zip")


def test_bytes_changed_anywhere_are_refused_or_change_nothing_that_is_kept(taken: Path, tmp_path: Path) -> None:
    raw, rng = taken.read_bytes(), random.Random(5)
    folder = tmp_path / "here"
    folder.mkdir()
    for k in range(40):
        spoiled = bytearray(raw if k % 4 else raw[: rng.randrange(len(raw))])
        for _ in range(rng.choice([1, 3, 200])):
            spoiled[rng.randrange(len(spoiled))] = rng.randrange(256)
        (tmp_path / "x.zip").write_bytes(bytes(spoiled))
        try:
            stage(tmp_path / "x.zip", folder)
        except FigureError as error:
            assert error.fix  # noqa: PT017  any of many sentences
        assert not (folder / "builds.sqlite3").exists()


def test_devices_and_leases_neither_travel_nor_come_and_pages_of_before_are_told(taken: Path, tmp_path: Path) -> None:
    with zipfile.ZipFile(taken) as archive:
        body = archive.read("builds.sqlite3")
    assert b"a phone of then" not in body, "not even in what was deleted"
    shop = Workshop(tmp_path / "builds.sqlite3")
    shop.builds.load_demo()
    out, stays = (shop.devices._devices.add(name, reads_only=False) for name in ("lost", "mine"))
    shop.devices.revoke(out)
    shop.devices.allow(stays, may_load=True)
    base, build_key, epoch = shop.builds.newest(3), shop.builds.key_of("build", 3), shop.builds.epoch
    old = shop.builds.open(3)
    name = shop.uploads.begin()
    shop.uploads.add(name, 0, taken.read_bytes())
    shop.backups.put_back(name)
    devices = {d.name: d for d in shop.devices.all()}
    assert {n: (d.revoked, d.may_load) for n, d in devices.items()} == {"lost": (True, False), "mine": (False, True)}
    assert shop.devices.get(out).revoked  # type: ignore[union-attr]
    first = shop.builds.epoch
    again = shop.uploads.begin()
    shop.uploads.add(again, 0, taken.read_bytes())
    shop.backups.put_back(again)
    assert len({epoch, first, shop.builds.epoch}) == 3, "another after each"
    with pytest.raises(OlderShelfError, match="since this page was made"):
        shop.builds.based_on(base)
    assert shop.builds.id_of("build", build_key or "") is None, "its name leads to no other build"
    assert shop.builds.open(3).assessed is not old.assessed, "nothing is answered from what was kept of the old shelf"
    assert shop.builds.based_on(shop.builds.newest(3)) == shop.builds.stands_at(3)
    assert shop.builds.based_on("7") is None
    shop.close()


def test_safe_copies_go_by_their_time_and_the_fullest_stays(tmp_path: Path) -> None:
    shop = filled(tmp_path)
    shop.close()
    first = keep_safe(tmp_path)
    with closing(sqlite3.connect(tmp_path / "builds.sqlite3")) as db, db:
        db.execute("UPDATE build SET removed_at = created_at WHERE id > 1")
    later = [keep_safe(tmp_path) for _ in range(MOST_SAFE + 3)]
    kept = set(tmp_path.glob("before-restore-*.zip"))
    assert len(kept) == MOST_SAFE
    assert first in kept, "it holds three builds, the others one"
    assert kept - {first} == set(later[-(MOST_SAFE - 1) :])
    assert not (tmp_path / "last-backup").exists(), "what lies on the same disk is no backup"


@pytest.mark.parametrize("seconds", [0.0, 3_600.0, 4_354_819_200.0])
def test_a_clock_that_leaps_keeps_nobody_from_a_backup(seconds: float, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """1970 and 2107 are beyond what an archive can write down."""
    filled(tmp_path).close()
    real = time.gmtime
    monkeypatch.setattr("briskcell.services.backups.taking.time.gmtime", lambda *_: real(seconds))
    back_up(tmp_path, tmp_path / "all.zip")
    assert examined(tmp_path / "all.zip").counts["builds"] == 3
    monkeypatch.setattr("briskcell.services.backups.taking.time.time", lambda: 0.0)
    assert taking.days_since(tmp_path) == 0.0
    monkeypatch.undo()
    other = tmp_path / "other"
    restore(tmp_path / "all.zip", other)


def test_uploads_give_their_place_up_when_left_and_are_swept(
    workshop: Workshop, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    now = [1000.0]
    monkeypatch.setattr("briskcell.services.uploads.time.monotonic", lambda: now[0])
    names = []
    for _ in range(MOST_AT_ONCE):
        names.append(workshop.uploads.begin())
        now[0] += 1.0
    now[0] += 90.0 - MOST_AT_ONCE - 0.5  # a minute and a half, by hand
    with pytest.raises(FigureError, match="on their way already"):
        workshop.uploads.begin()
    workshop.uploads.add(names[0], 0, b"x")  # one that goes on keeps its place
    now[0] += 2.0
    fresh = workshop.uploads.begin()
    with pytest.raises(FigureError, match="not there any more"):
        workshop.uploads.path(names[1])
    assert workshop.uploads.path(names[0]).read_bytes() == b"x"
    workshop.uploads.done(fresh)
    assert len(workshop.benches._recorder._leases.all("upload")) == MOST_AT_ONCE - 1
    copy = workshop.backups._copies.place()
    place = copy.__enter__()
    (place / "half").write_bytes(b"x")
    copy.__exit__(RuntimeError, RuntimeError("left"), None)
    assert not place.exists()
    (tmp_path / ".copy-0123456789abcdef").mkdir()  # as a kill leaves one
    workshop.close()
    with closing(Workshop(tmp_path / "builds.sqlite3")) as again:
        assert not list(tmp_path.glob(".copy-*"))
        assert not list((tmp_path / "incoming").glob("*"))
        assert again.benches._recorder._leases.all("upload") == ()


def test_ten_tabs_on_ten_fields_make_no_conflict(workshop: Workshop) -> None:
    base = workshop.builds.stands_at(3) or 0
    fields = [
        ("brief/hours", "7h10"),
        ("brief/budget", "91 €"),
        ("brief/thickness_mm", "31.5 mm"),
        ("brief/mass_g", "501 g"),
        ("brief/room_c", "23.5 °C"),
        ("loads/screen/power_w/play", "1.13 W"),
        ("loads/board/power_w/play", "1.93 W"),
        ("loads/amp/power_w/play", "0.2 W"),
        ("links/w-pack/length_m", "9.3 cm"),
        ("name", "Sanderling two"),
    ]
    fields = [f for f in fields if f[0].split("/")[1:2] != ["amp"] or "amp" in workshop.builds.open(3).plan.by_id]
    outcomes: list[Opened | Conflict] = []
    gate = threading.Barrier(len(fields))

    def tab(path: str, value: str) -> None:
        gate.wait()
        outcomes.append(workshop.builds.change(3, base, lambda a: set_value(a.plan, path, value)))

    threads = [threading.Thread(target=tab, args=f) for f in fields]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert [type(o).__name__ for o in outcomes] == ["Opened"] * len(fields)
    plan = workshop.builds.open(3).plan
    assert (plan.brief.hours, plan.brief.budget, plan.brief.thickness_mm, plan.name) == (
        pytest.approx(7 + 1 / 6),
        91.0,
        31.5,
        "Sanderling two",
    )
    assert workshop.builds.history(3)[1] == 1 + len(fields)


@pytest.mark.parametrize("page", [3, 7, 12, 20, 33])
def test_a_damaged_page_takes_its_rows_and_no_more(page: int, tmp_path: Path) -> None:
    shop = filled(tmp_path)
    for k in range(12):
        for build in (1, 2, 3):
            shop.builds.change(build, shop.builds.stands_at(build) or 0, lambda a: set_value(a.plan, "brief/hours", f"{1 + k} h"))  # noqa: B023
    shop.close()
    path = tmp_path / "builds.sqlite3"
    raw = bytearray(path.read_bytes())
    raw[page * 4096 : (page + 1) * 4096] = random.Random(page).randbytes(4096)
    path.write_bytes(bytes(raw))
    again = Workshop(path)
    whole = [b for b in (1, 2, 3) if _opens(again, b)]
    assert len(whole) >= 2
    assert again.builds.shelf()[1] == 3
    if again.alarms:
        assert list(tmp_path.glob("damaged-*.sqlite3")), "what could not be read whole is kept"
        with closing(sqlite3.connect(path)) as db:
            assert db.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
            assert db.execute("PRAGMA foreign_key_check").fetchone() is None
    for build in whole:
        assert isinstance(
            again.builds.change(build, again.builds.stands_at(build) or 0, lambda a: set_value(a.plan, "brief/hours", "19 h")),
            Opened,
        )
    again.close()


def _opens(shop: Workshop, build: int) -> bool:
    try:
        return bool(shop.builds.open(build).plan.name)
    except Exception:
        return False


def test_logs_and_pictures_and_descriptions_end_in_sentences(tmp_path: Path) -> None:
    log = tmp_path / "log.csv"
    log.write_bytes(b"t,V\n0,4.1\n1,4.0\n" + b"9" * 40_000_000)
    layout = recognise(log.read_bytes()[:64_000])
    began = time.monotonic()
    with pytest.raises(FigureError, match="a line of more than 20,000 characters"):
        list(read_log(log, layout))
    assert time.monotonic() - began < 1.0
    for text in ("t,V\n" + "9" * 400 + ":00:00,4.1\n1:00:01,4.0\n", "t,V\n1e400,4.1\n2,4\n", "t,V\n0,4.1\n" + "1" * 400 + ",4\n"):
        log.write_text(text)
        with pytest.raises(FigureError):
            list(read_log(log, recognise(text.encode())))
    log.write_text("t,V\n2026-10-25T02:59:59+02:00,4.1\n2026-10-25T02:00:01+01:00,4.0\n2026-10-25T01:00:03Z,3.9\n")
    (rows,) = read_log(log, recognise(log.read_bytes()))
    assert rows[:, 0].tolist() == [0.0, 2.0, 4.0], "an hour that comes twice, told apart by its zone"
    body = io.BytesIO()
    told = PngImagePlugin.PngInfo()
    told.add_text("x", "y" * (MOST_BESIDE + 1))
    Image.new("RGB", (9, 9)).save(body, "PNG", pnginfo=told)
    assert "beside the picture (tEXt) has 1.0 MB" in (chunks_fault(body.getvalue()) or "")
    chunk = struct.pack(">I4s", 0, b"tEXt") + struct.pack(">I", zlib.crc32(b"tEXt"))
    assert "20000 pieces" in (chunks_fault(b"\x89PNG\r\n\x1a\n" + chunk * 20_001) or "")
    for kind in ("PNG", "JPEG", "WEBP"):
        good = io.BytesIO()
        Image.new("RGB", (640, 400), (9, 90, 180)).save(good, kind)
        assert chunks_fault(good.getvalue()) is None
        assert chunks_fault(good.getvalue()[:60]) == "it is cut off" or kind == "PNG"
    for text in (
        "a = " + "[" * 3_000,
        'name = "x"\nkind = "meter"\ntimeout_s = 1e400',
        "x = " + "9" * 3_900,
        'name = "x"\nkind = "meter"\nbaud = 7',
    ):
        with pytest.raises(FigureError):
            read_description(text)
