"""What all tests share: a workshop in a folder of its own, and the real application behind a real browser."""

from __future__ import annotations

import shutil
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
import structlog
from hypothesis import settings
from jinja2 import FileSystemBytecodeCache

from briskcell.core.assess import Assessment
from briskcell.services.workshop import Workshop
from briskcell.web import create_app
from briskcell.web.doors import server_of

# The lighter of Debian's two builds of the browser, where it is there.
BROWSER = shutil.which("chromium-headless-shell") or "/usr/bin/chromium"
CHROMIUM = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


# A first example loads libraries, and a busy machine is slow: time is measured in bench/, not here.
# Examples are the same each time, so that a verdict hangs on the code; `--hypothesis-profile=wide` looks for new ones.
settings.register_profile("here", deadline=None, derandomize=True)
settings.register_profile("wide", deadline=None, max_examples=1000)
settings.load_profile("here")
structlog.configure(processors=[structlog.processors.format_exc_info, structlog.processors.JSONRenderer()])


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict[str, Any]:
    return {"executable_path": BROWSER, "args": CHROMIUM}


@pytest.fixture(scope="session")
def demo_file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A file with the demo builds, made once and copied for each test."""
    path = tmp_path_factory.mktemp("demo") / "builds.sqlite3"
    made = Workshop(path)
    made.builds.load_demo()
    made.close()
    return path


@pytest.fixture(scope="session")
def demo_judged(demo_file: Path) -> dict[int, Assessment]:
    """The demo builds as they come, by build: what one test had worked out of them, the next need not ask again."""
    made = Workshop(demo_file)
    found = {row.row.id: made.builds.open(row.row.id).assessed for row in made.builds.shelf()[0]}
    made.close()
    return found


def begun(demo_file: Path, folder: Path, judged: dict[int, Assessment]) -> Workshop:
    """A workshop of a test's own, in a folder of its own."""
    made = Workshop(Path(shutil.copy(demo_file, folder)))
    for build, found in judged.items():
        made.builds._keep(build, made.builds.stands_at(build) or 0, found)
    return made


@pytest.fixture
def workshop(tmp_path: Path, demo_file: Path, demo_judged: dict[int, Assessment]) -> Iterator[Workshop]:
    made = begun(demo_file, tmp_path, demo_judged)
    yield made
    made.close()


@pytest.fixture
def short_search(monkeypatch: pytest.MonkeyPatch) -> None:
    """The wide search over fewer wires and counts, with fewer of its finds judged whole."""
    monkeypatch.setattr("briskcell.services.search.GAUGES", (16.0, 20.0, 24.0))
    monkeypatch.setattr("briskcell.core.moves.filling.KNOTS", (1, 3, 24))
    monkeypatch.setattr("briskcell.core.search.choices.MOST_WHOLE", 8)


@pytest.fixture(scope="session")
def compiled_templates(tmp_path_factory: pytest.TempPathFactory) -> FileSystemBytecodeCache:
    """Templates compiled once for all applications of a run: compiling them is most of an application's first page."""
    return FileSystemBytecodeCache(str(tmp_path_factory.mktemp("templates")))


@pytest.fixture(scope="session")
def wired(tmp_path_factory: pytest.TempPathFactory, compiled_templates: FileSystemBytecodeCache) -> Any:
    """The application wired up once for all tests of a run; each gives it a folder of its own."""
    made = create_app(tmp_path_factory.mktemp("wired"))
    made.jinja_env.bytecode_cache = compiled_templates
    made.extensions["briskcell"].close()
    return made


@pytest.fixture
def app(wired: Any, tmp_path: Path, demo_file: Path, demo_judged: dict[int, Assessment]) -> Iterator[Any]:
    wired.extensions["briskcell"] = begun(demo_file, tmp_path, demo_judged)
    wired.config["LOG_PATH"] = str(tmp_path / "brisk-cell.log")
    yield wired
    wired.extensions["briskcell"].close()


@pytest.fixture
def site(app: Any) -> Iterator[str]:
    """The address of the running application, on a free port of the loopback."""
    server = server_of(app, host="127.0.0.1", port=0)
    ended = threading.Event()

    def run() -> None:
        while not ended.is_set():
            server.asyncore.loop(timeout=1.0, map=server._map, count=1)

    thread = threading.Thread(target=run, daemon=True)
    thread.start()
    yield f"http://127.0.0.1:{server.effective_port}"
    # What is being answered is answered before the door closes; the loop is woken and ends before its sockets do, since a
    # socket closed under it would give its number to one of the next test's.
    server.task_dispatcher.shutdown(cancel_pending=True, timeout=10)
    ended.set()
    server.pull_trigger()
    thread.join(timeout=5)
    assert not thread.is_alive()
    server.asyncore.close_all(map=server._map)
