"""The real server, asked over a real line: what every answer carries, what cookies may do, how the file is opened, who may change what."""

from __future__ import annotations

import http.client
import json
import re
import urllib.parse
from contextlib import closing
from dataclasses import dataclass, field
from http.cookies import SimpleCookie
from typing import Any

import pytest
from sqlalchemy import text

from tests.web.doors import found

# Mozilla's and OWASP's guides of secure headers, for pages that load nothing from elsewhere and are never framed.
HEADERS = {
    "Content-Security-Policy": "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "
    "connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Cache-Control": "no-store",
}
ANSWERS = ("/", "/builds/3/rails", "/builds/3/plan.json", "/builds/99/rails", "/nowhere", "/drawer", "/help", "/backup")
# sqlite.org/pragma.html: a commit is on the disk before it is acknowledged, a busy file is waited for, keys are kept.
PRAGMAS = {"journal_mode": "wal", "synchronous": 2, "foreign_keys": 1, "busy_timeout": 8000}


@dataclass
class Visitor:
    """A browser without a screen: it keeps its cookies and speaks one request at a time."""

    site: str
    cookies: dict[str, str] = field(default_factory=dict)
    set_as: list[str] = field(default_factory=list)
    raw: bytes = b""

    def ask(self, path: str, form: dict[str, str] | bytes | None = None, **headers: str) -> tuple[int, Any, str]:
        sent = {"Cookie": "; ".join(f"{k}={v}" for k, v in self.cookies.items())} if self.cookies else {}
        body = urllib.parse.urlencode(form) if isinstance(form, dict) else form
        sent |= {"Content-Type": "application/x-www-form-urlencoded"} if isinstance(form, dict) else {}
        with closing(http.client.HTTPConnection(self.site.removeprefix("http://"), timeout=30)) as line:
            line.request("GET" if form is None else "POST", path, body, sent | {k.replace("_", "-"): v for k, v in headers.items()})
            answer = line.getresponse()
            self.raw = answer.read()
        for raw in answer.msg.get_all("Set-Cookie") or []:
            self.set_as.append(raw)
            self.cookies |= {k: m.value for k, m in SimpleCookie(raw).items()}
        return answer.status, answer.headers, self.raw.decode("utf-8", "replace")

    def page(self, build: int) -> dict[str, str]:
        """What a page of a build sends a change with: its token, and the revision it stands on."""
        html = self.ask(f"/builds/{build}/brief")[2]
        return {
            "X_CSRFToken": found(r'name="csrf" content="([^"]+)"', html),
            "X_Base": found(r'data-revision="([^"]+)"', html),
            "HX_Request": "true",
        }

    def hours(self, build: int = 3) -> float:
        return float(json.loads(self.ask(f"/builds/{build}/plan.json")[2])["brief"]["hours"])


def wish(hours: str) -> dict[str, str]:
    return {"station": "brief", "path": "brief/hours", "value": hours, "slot": "brief/hours"}


@pytest.mark.parametrize("path", ANSWERS)
def test_every_answer_keeps_to_itself(site: str, path: str) -> None:
    _, headers, _ = Visitor(site).ask(path)
    assert {k: headers[k] for k in HEADERS} == HEADERS
    assert not re.search(r"waitress|werkzeug|python", headers.get("Server", ""), re.IGNORECASE), "says nothing of what serves"


def test_every_cookie_stays_here_and_is_read_by_no_script(site: str) -> None:
    visitor = Visitor(site)
    sent = visitor.page(3)
    for path, form in (("/theme", {"theme": "dim"}), ("/units", {"capacity": "mAh"}), ("/toured", {})):
        assert visitor.ask(path, form | {"csrf_token": sent["X_CSRFToken"]})[0] == 303, path
    assert len(visitor.cookies) >= 4
    for raw in visitor.set_as:
        assert {"httponly", "samesite=strict", "path=/"} <= {p.strip().lower() for p in raw.split(";")}, raw


@pytest.mark.parametrize(("pragma", "value"), PRAGMAS.items())
def test_the_file_is_opened_so_that_nothing_acknowledged_is_lost(workshop: Any, pragma: str, value: object) -> None:
    for engine in (workshop.builds._store.writer, workshop.builds._store.reader):
        with engine.connect() as connection:
            assert connection.execute(text(f"PRAGMA {pragma}")).scalar() == value


@pytest.mark.parametrize("spoil", ["", "x", "other"], ids=["none", "cut short", "another browser's"])
def test_a_change_needs_the_token_of_the_browser_that_sends_it(site: str, spoil: str) -> None:
    visitor, other = Visitor(site), Visitor(site)
    sent, was = visitor.page(3), visitor.hours()
    wrong = {"": "", "x": sent["X_CSRFToken"][:-1], "other": other.page(3)["X_CSRFToken"]}[spoil]
    for path, form in (("edit", wish("7 h")), ("undo", {}), ("mark", {}), ("mend", {}), ("remove", {})):
        assert visitor.ask(f"/builds/3/{path}", form, **sent | {"X_CSRFToken": wrong})[0] == 400, path
    assert visitor.hours() == was
    assert visitor.ask("/builds/3/edit", wish("7 h"), **sent)[0] == 200
    assert visitor.hours() == 7.0


@pytest.mark.parametrize("host", ["evil.example", "127.0.0.1.evil.example", "0.0.0.0", ""])
def test_a_host_that_is_not_this_computer_is_refused(site: str, host: str) -> None:
    assert Visitor(site).ask("/", Host=host)[0] == 400


def test_of_two_pages_that_change_one_figure_the_second_is_asked_and_nothing_is_lost(site: str) -> None:
    one, two = Visitor(site), Visitor(site)
    first, second = one.page(3), two.page(3)
    assert one.ask("/builds/3/edit", wish("6 h"), **first)[0] == 200
    status, _, told = two.ask("/builds/3/edit", wish("9 h"), **second)
    assert (status, two.hours()) == (409, 6.0), "what was acknowledged stands"
    assert "conflict" in told
    assert "9h00" in told or "9 h" in told, "what was typed is kept and offered"
    taken = found(r'"revision": "([0-9a-f]{16})"', told)
    assert two.ask("/builds/3/adopt", {"station": "brief", "revision": taken}, **two.page(3))[0] == 200
    assert two.hours() == 9.0


def test_an_undo_from_a_stale_page_takes_nothing_of_another_back(site: str) -> None:
    one, two = Visitor(site), Visitor(site)
    was, stale = one.hours(), one.page(3)
    assert two.ask("/builds/3/edit", wish("5 h"), **two.page(3))[0] == 200
    one.ask("/builds/3/undo", {"station": "brief"}, **stale)
    assert two.hours() == 5.0, "the page did not show that change"
    assert one.ask("/builds/3/undo", {"station": "brief"}, **one.page(3))[0] == 200
    assert one.hours() == was


def test_a_page_of_before_a_restore_changes_nothing(site: str) -> None:
    visitor = Visitor(site)
    visitor.ask("/backup/brisk-cell.zip")
    kept, was = visitor.raw, visitor.hours()
    old = visitor.page(3)
    assert visitor.ask("/builds/3/edit", wish("5 h"), **old)[0] == 200
    name = json.loads(visitor.ask("/uploads", {}, **old)[2])["name"]
    for at in range(0, len(kept), 60_000):
        visitor.ask(f"/uploads/{name}?at={at}", kept[at : at + 60_000], **old)
    form = {"file": name, "csrf_token": old["X_CSRFToken"]}
    assert visitor.ask("/backup/look", form)[0] == 200
    assert visitor.ask("/backup/restore", form)[0] == 303
    assert visitor.hours() == was, "as it was when the backup was taken"
    for path, sent in (("edit", wish("9 h")), ("undo", {}), ("remove", {})):
        status, _, told = visitor.ask(f"/builds/3/{path}", sent, **old)
        assert status >= 400, path
        assert "restore" in told or "put back" in told or "Reload" in told
    assert visitor.hours() == was
    assert visitor.ask("/builds/3/edit", wish("9 h"), **visitor.page(3))[0] == 200
