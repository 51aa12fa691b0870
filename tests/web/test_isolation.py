"""What fails takes nothing but itself: a rule, an answer, a part of a page, a build, a row, a full disk."""

from __future__ import annotations

import sqlite3
from pathlib import Path
from typing import Any

import pytest
from flask.testing import FlaskClient

from briskcell.core.rules import RULES, Rule
from briskcell.core.stations import STATIONS
from briskcell.formats.plan_json import document_of
from briskcell.model.changes import altered, replaced
from briskcell.model.plan import plan_of
from briskcell.services.demo import sanderling
from tests.web.doors import post, revision, stored


def broken(*_: Any, **__: Any) -> Any:
    raise ZeroDivisionError("float division by zero")


def test_a_legal_figure_at_the_end_of_its_range_is_kept_and_every_page_answers(client: FlaskClient) -> None:
    for path, value in (
        ("converters/boost/junction_max_c", "0 °C"),
        ("loads/board/power_w/peak", "460 W"),
        ("brief/room_c", "125 °C"),
        ("packs/pack/cell/resistance_ohm", "0"),
        ("converters/boost/switch_current_a", "1 µA"),
        ("case/mass_g", "1e-6 g"),
    ):
        answer = post(client, "edit", {"path": path, "value": value})
        assert answer.status_code in (200, 422), path
        for station in STATIONS:
            page = client.get(f"/builds/3/{station}")
            assert page.status_code == 200
            assert "nan" not in page.text.lower().replace("instan", "").replace("finan", "")
            assert "could not be shown" not in page.text
        assert client.get("/").status_code == 200


def test_a_rule_that_fails_is_a_finding_and_an_edit_that_made_it_fail_is_refused(
    client: FlaskClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    def only_hot(a: Any) -> Any:
        if a.plan.brief.hours > 20:
            raise ZeroDivisionError("a rule of its own")
        yield from ()

    monkeypatch.setitem(RULES, "trial", Rule("trial", "pack", "a trial", "nothing", only_hot))
    before = stored(client)
    answer = post(client, "edit", {"path": "brief/hours", "value": "30 h", "slot": "brief/hours"})
    assert answer.status_code == 422
    assert answer.headers["HX-Retarget"] == "#e-brief-hours"
    assert "could not be judged (rule trial)" in answer.text
    assert stored(client) == before
    monkeypatch.setitem(RULES, "trial", Rule("trial", "pack", "a trial", "nothing", broken))
    shop = client.application.extensions["briskcell"]
    shop.builds._assessed.clear()
    page = client.get("/builds/3/pack").text
    assert "The rule “trial” could not be judged" in page
    assert "9 h 48" in page, "everything else stands"


@pytest.mark.parametrize(
    ("where", "name"),
    [
        ("briskcell.web.frame.map.open_map", "map"),
        ("briskcell.web.stations.rails.surface.limit_plot", "surface"),
        ("briskcell.core.answers.heat", "heat"),
        ("briskcell.core.answers.charge", "charge"),
        ("briskcell.core.answers.headrooms", "spare"),
    ],
)
def test_a_part_that_fails_leaves_the_rest_of_the_page(
    client: FlaskClient, monkeypatch: pytest.MonkeyPatch, where: str, name: str
) -> None:
    client.get("/")
    monkeypatch.setattr(where, broken)
    shop = client.application.extensions["briskcell"]
    shop.builds._assessed.clear()
    for station in STATIONS:
        page = client.get(f"/builds/3/{station}")
        assert page.status_code == 200, (name, station)
        assert 'class="spine"' in page.text
        assert "undo" in page.text
    assert client.get("/").status_code == 200
    assert client.get("/builds/3/history").status_code == 200


def test_a_row_that_cannot_be_read_takes_only_its_own_build(client: FlaskClient, tmp_path: Path) -> None:
    post(client, "edit", {"path": "brief/hours", "value": "6h"})
    head = revision(client)
    for junk in (b"\x00junk", "{", '{"name": 3, "colour": "red"}', "[]"):
        with sqlite3.connect(tmp_path / "builds.sqlite3") as raw:
            raw.execute("UPDATE revision SET document = ?, summary = NULL WHERE key = ?", (junk, head))
        client.application.extensions["briskcell"].builds._assessed.clear()
        shelf = client.get("/")
        assert shelf.status_code == 200
        assert "It cannot be read or judged" in shelf.text
        assert "Curlew" in shelf.text
        page = client.get("/builds/3/draw")
        assert page.status_code == 422
        assert "history lists what it was before" in page.text
        assert client.get("/builds/2/draw").status_code == 200
    history = client.get("/builds/3/history")
    assert history.status_code == 200
    first = next(r.id for r in client.application.extensions["briskcell"].builds.history(3)[0][::-1])
    from tests.web.doors import token

    gone = client.post(f"/builds/3/history/{first}/restore", data={"csrf_token": token(client)})
    assert gone.status_code == 303
    assert stored(client)["brief"]["hours"] == 8.0


def test_reading_goes_on_while_the_disk_is_full_and_an_edit_says_so(client: FlaskClient, monkeypatch: pytest.MonkeyPatch) -> None:
    from sqlalchemy.exc import OperationalError

    from briskcell.store import Store

    def full(*_: Any, **__: Any) -> Any:
        raise OperationalError("INSERT", {}, sqlite3.OperationalError("database or disk is full"))

    monkeypatch.setattr(Store, "save", full)
    answer = post(client, "edit", {"path": "brief/hours", "value": "6h"})
    assert answer.status_code == 507
    assert "The disk is full" in answer.text
    assert answer.headers["HX-Retarget"] == "#notice", "the field keeps what was typed"
    assert client.get("/builds/3/pack").status_code == 200
    monkeypatch.undo()

    def locked(*_: Any, **__: Any) -> Any:
        raise OperationalError("BEGIN", {}, sqlite3.OperationalError("database is locked"))

    monkeypatch.setattr(Store, "save", locked)
    answer = post(client, "edit", {"path": "brief/hours", "value": "6h"})
    assert (answer.status_code, "Another program holds" in answer.text) == (503, True)


def test_a_failure_nobody_foresaw_names_its_request_and_the_log(
    client: FlaskClient, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr("briskcell.services.builds.Builds.open", broken)
    page = client.get("/builds/3/draw")
    assert page.status_code == 500
    assert str(tmp_path / "brisk-cell.log") in page.text
    assert "under request " in page.text


def test_an_import_is_judged_before_it_is_kept(client: FlaskClient, monkeypatch: pytest.MonkeyPatch) -> None:
    import io
    import json

    from tests.web.doors import token

    monkeypatch.setitem(RULES, "trial", Rule("trial", "pack", "a trial", "nothing", broken))
    count = client.application.extensions["briskcell"].builds.shelf()[1]
    plan = replaced(sanderling(), altered(sanderling().packs[0], parallel=3))
    form = {"csrf_token": token(client), "plan": (io.BytesIO(json.dumps(document_of(plan)).encode()), "p.json")}
    answer = client.post("/import", data=form)
    assert answer.status_code == 422
    assert "could not be judged" in answer.text
    assert client.application.extensions["briskcell"].builds.shelf()[1] == count
    assert plan_of(document_of(plan)) == plan
