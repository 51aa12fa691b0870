"""The program as it is started: its address, a taken port, its log, its end; and the instruments that ship."""

from __future__ import annotations

import json
import random
import re
import shutil
import socket
import sqlite3
import subprocess
import sys
import threading
import urllib.request
from pathlib import Path

import pytest
import structlog
from click.testing import CliRunner

from briskcell.cli import main
from briskcell.formats.plan_json import write_plan
from briskcell.services.demo import sanderling
from briskcell.services.folder import lock, note_address
from briskcell.services.workshop import Workshop
from briskcell.web import create_app
from tests import soak


def start(folder: Path, port: str) -> tuple[subprocess.Popen[str], str]:
    command = [sys.executable, "-c", "from briskcell.cli import main; main()", "demo", "--data", str(folder), "--port", port]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    said = (re.search(r"http://127\.0\.0\.1:\d+/", line) for line in process.stdout)
    return process, next(found for found in said if found)[0]


def end(process: subprocess.Popen[str]) -> None:
    process.terminate()
    try:
        assert process.wait(timeout=30) == 0
    finally:
        process.kill()
        process.wait()
        assert process.stdout is not None
        process.stdout.close()


def test_where_its_port_is_taken_it_takes_a_free_one_and_answers(tmp_path: Path) -> None:
    with socket.create_server(("127.0.0.1", 0)) as other:
        taken = other.getsockname()[1]
        process, address = start(tmp_path / "a", str(taken))
        try:
            assert f":{taken}/" not in address
            with urllib.request.urlopen(address) as page:
                assert page.status == 200
                text = page.read().decode()
                assert "Sanderling" in text
                assert text.count('class="name"') == 3
        finally:
            end(process)
    again = Workshop(tmp_path / "a" / "builds.sqlite3")
    again.builds.load_demo()
    assert again.builds.shelf()[1] == 3, "where the demo is, it is not loaded again"
    again.close()
    lines = [json.loads(line) for line in (tmp_path / "a" / "brisk-cell.log").read_text().splitlines()]
    assert [(line["method"], line["path"], line["status"]) for line in lines if line["event"] == "request"] == [("GET", "/", 200)]
    assert (tmp_path / "a" / "secret").stat().st_mode & 0o077 == 0


def refused(*arguments: str, home: Path | None = None) -> tuple[int, str]:
    """Exit code and words of a start that ends before it serves."""
    logs = structlog.get_config()
    done = CliRunner(env={"HOME": str(home), "XDG_DATA_HOME": None} if home else {}).invoke(main, arguments)
    structlog.configure(**logs)
    assert isinstance(done.exception, SystemExit)
    return done.exit_code, done.stderr


def spoil(path: Path, how: str) -> None:
    if how == "corrupt":
        path.write_bytes(path.read_bytes()[:30_000] + b"\0" * 40_000)
    elif how == "no database":
        path.write_text("a shopping list\n" * 400)
    elif how == "foreign":
        path.unlink()
        with sqlite3.connect(path) as raw:
            raw.execute("CREATE TABLE songs (title TEXT)")
    elif how == "newer":
        with sqlite3.connect(path) as raw:
            raw.execute("UPDATE alembic_version SET version_num = '9999'")


@pytest.mark.parametrize(
    ("how", "says"),
    [
        ("corrupt", "is damaged. “brisk-cell doctor”"),
        ("no database", "is damaged"),
        ("foreign", "the database of another program"),
        ("newer", "written by a newer Brisk Cell"),
    ],
)
def test_a_file_that_cannot_be_used_is_said_in_one_sentence(tmp_path: Path, demo_file: Path, how: str, says: str) -> None:
    path = Path(shutil.copy(demo_file, tmp_path))
    spoil(path, how)
    code, words = refused("serve", "--data", str(tmp_path), "--port", "0")
    assert (code, words.count("\n")) == (2, 1), words
    assert says in words
    assert "Traceback" not in words


def test_a_folder_that_cannot_be_used_is_said_in_one_sentence(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("x")
    code, words = refused("serve", "--data", str(tmp_path / "file" / "below"))
    assert (code, "cannot be made" in words, words.count("\n")) == (2, True, 1)
    code, words = refused("serve", home=tmp_path / "file")
    assert (code, "Name another with --data" in words, words.count("\n")) == (2, True, 1)
    held = lock(tmp_path)
    note_address(held, "http://127.0.0.1:5070/")
    code, words = refused("serve", "--data", str(tmp_path))
    assert (code, "Another Brisk Cell uses the folder" in words, "127.0.0.1:5070" in words) == (2, True, True)
    held.close()


@pytest.mark.parametrize("content", ["", "abc", "\udcff"])
def test_an_empty_or_broken_secret_is_made_anew(tmp_path: Path, content: str) -> None:
    (tmp_path / "secret").write_bytes(content.encode("utf-8", "surrogateescape"))
    app = create_app(tmp_path)
    try:
        assert len((tmp_path / "secret").read_text()) == 64
        assert (tmp_path / "secret").stat().st_mode & 0o077 == 0
        assert (tmp_path / "builds.sqlite3").stat().st_mode & 0o077 == 0
        assert app.test_client().get("/").status_code == 200
    finally:
        app.extensions["briskcell"].close()


def test_two_folders_keep_their_own_cookies(tmp_path: Path) -> None:
    apps = [create_app(tmp_path / name) for name in "ab"]
    assert len({a.config["SESSION_COOKIE_NAME"] for a in apps}) == 2
    for app in apps:
        app.extensions["briskcell"].close()


def test_the_doctor_says_what_is_wrong_and_everything_readable_comes_out(tmp_path: Path, demo_file: Path) -> None:
    (tmp_path / "data").mkdir()
    path = Path(shutil.copy(demo_file, tmp_path / "data"))
    run = CliRunner()
    sound = run.invoke(main, ["doctor", "--data", str(tmp_path / "data")])
    assert (sound.exit_code, "3 can be read and judged, 0 cannot" in sound.output) == (0, True)
    with sqlite3.connect(path) as raw:
        raw.execute("UPDATE revision SET document = x'00' WHERE id = 2")
        raw.execute(
            "INSERT INTO revision (build_id, parent_id, created_at, words, title, document) SELECT 2, 2, created_at, 'x', '', "
            "(SELECT document FROM revision WHERE id = 1) FROM revision WHERE id = 1"
        )
        raw.execute("UPDATE build SET head_id = 2 WHERE id = 2")
    sick = run.invoke(main, ["doctor", "--data", str(tmp_path / "data")])
    assert sick.exit_code == 1
    assert "Build 2, revision 2: A stored revision holds no document" in sick.output
    assert "export-all" in sick.output
    out = run.invoke(main, ["export-all", str(tmp_path / "out"), "--data", str(tmp_path / "data")])
    assert out.exit_code == 0
    assert sorted(p.name for p in (tmp_path / "out").glob("*")) == ["build-1.json", "build-2.json", "build-3.json"]
    assert json.loads((tmp_path / "out" / "build-3.json").read_text())["name"] == "Sanderling"
    spoil(path, "corrupt")
    assert run.invoke(main, ["export-all", str(tmp_path / "out"), "--data", str(tmp_path / "data")]).exit_code in (0, 2)
    assert run.invoke(main, ["doctor", "--data", str(tmp_path / "nowhere")]).exit_code == 2


def test_two_first_starts_at_once_make_the_demo_once(tmp_path: Path) -> None:
    shops = [Workshop(tmp_path / "builds.sqlite3") for _ in range(2)]
    threads = [threading.Thread(target=s.builds.load_demo) for s in shops]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert shops[0].builds.shelf()[1] == 3
    for shop in shops:
        shop.close()


def test_a_run_that_is_killed_keeps_every_reading_that_was_shown() -> None:
    counts = soak.kills_in_a_run(1, random.Random(8))
    assert counts["kills in a run"] == 1
    assert counts["readings shown"] >= soak.ENOUGH
    assert (counts["readings lost"], counts["readings out of order"], counts["runs not said to be interrupted"]) == (0, 0, 0)


def test_the_simulated_bench_is_a_program_of_its_own(tmp_path: Path) -> None:
    plan = tmp_path / "plan.json"
    plan.write_bytes(write_plan(sanderling()))
    command = [
        sys.executable,
        "-c",
        "from briskcell.cli import main; main()",
        "bench-sim",
        str(plan),
        "--port",
        "0",
        "--fault",
        "cold,w-pack",
        "--charge",
        "0.5",
    ]
    bench = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
    try:
        assert bench.stdout is not None
        lines = [bench.stdout.readline() for _ in range(4)]
        assert lines[3] == "On the bench: cold at w-pack. Ctrl+C ends it.\n"
        port = int(lines[0].split("::")[2])
        with socket.create_connection(("127.0.0.1", port), timeout=5) as meter, meter.makefile() as answers:
            meter.sendall(b"SIM:PLACE joint:w-pack\nMEAS:RES?\nSIM:FAULTS?\n")
            ohms, faults = answers.readline(), answers.readline()
        assert faults == "cold,w-pack\n"
        assert float(ohms) == pytest.approx(2.106, rel=0.01), "2 Ω of the joint, 6 mΩ of wire, 0.1 Ω of leads"
        assert bench.poll() is None
    finally:
        end(bench)
    code, words = refused("bench-sim", str(plan), "--fault", "rust,w-pack")
    assert code == 1
    assert "There is no fault “rust”" in words
