"""What takes its time, through the doors: sessions, the wide search; and the same on the command line."""

from __future__ import annotations

import re
import time
from pathlib import Path

import pytest
from click.testing import CliRunner
from flask import Flask
from flask.testing import FlaskClient

from briskcell.cli import main
from briskcell.core.assess import assess
from briskcell.model.plan import plan_of
from tests.web.doors import key, post, stored


@pytest.mark.usefixtures("short_search")
def test_the_search_runs_beside_the_page_and_what_it_found_can_be_taken(client: FlaskClient) -> None:
    assert "progress" not in client.get("/builds/3/search").text
    assert "progress" in post(client, "search").text
    for _ in range(300):
        if "combinations judged" in (page := client.get("/builds/3/search").text):
            break
        time.sleep(0.2)
    judged = re.search(r"([\d ]+) combinations judged", page)
    assert judged is not None
    assert int(judged[1].replace(" ", "")) > 5_000
    offers = r'"awg": ([\d.]+), "board": "([^"]+)", "cell": "([^"]+)", "charger": "([^"]+)", "parallel": (\d+)\}'
    taken = re.search(offers, page.replace("&#34;", '"'))
    assert taken is not None
    awg, board, cell, charger, parallel = taken.groups()
    wanted = {"awg": awg, "board": board, "cell": cell, "charger": charger, "parallel": parallel}
    variant = post(client, "search/take", wanted | {"do": "variant"})
    assert variant.headers["HX-Redirect"] == f"/builds/{key(client, 'build', '4')}/pack"
    assert stored(client, 4)["packs"][0]["cell"]["part_class"] == cell
    assert stored(client, 3)["packs"][0]["parallel"] == 2, "the build itself stays"
    assert post(client, "search/take", wanted).status_code == 200
    promised = re.search(r'AWG</td>\s*<td class="r n">(\d+) h (\d\d)</td>', page)
    assert promised is not None
    after = assess(plan_of(stored(client, 3))).runtime
    assert after is not None
    assert after.hours == pytest.approx(int(promised[1]) + int(promised[2]) / 60, rel=0.01), "it plays as long as was promised"
    plan = stored(client, 3)
    assert plan["packs"][0]["cell"]["part_class"] == cell
    assert plan["converters"][0]["part_class"] == board
    assert plan["chargers"][0]["part_class"] == charger
    assert client.get("/builds/2/search").text.count("<tr") == 0, "another build's search is its own"


def test_a_search_of_an_earlier_version_is_asked_anew(client: FlaskClient, app: Flask) -> None:
    rows = app.extensions["briskcell"]._jobs._rows
    rows.set(
        rows.add(3, "search"), state="done", result={"judged": 5, "seconds": 1.0, "points": [[1.0, 2.0, 3.0, 4.0]], "found": []}
    )
    page = client.get("/builds/3/search")
    assert page.status_code == 200
    assert "Start again" in page.text
    assert "combinations judged" not in page.text


def test_a_build_the_search_does_not_know_is_told_so(client: FlaskClient) -> None:
    empty = post(client, "search", {"do": "drawer"})
    assert empty.status_code == 422
    assert "No cell that the build could take lies in the drawer." in empty.text
    assert post(client, "feed", {"part": "sound", "fed_by": "switch"}).status_code == 200
    answer = post(client, "search")
    assert answer.status_code == 422
    assert "knows builds of one pack" in answer.text


@pytest.mark.parametrize(("phases", "ends"), [("play 1h", "played to its end"), ("play 60h", "the warning is set to 3.04 V")])
def test_the_command_line_plays_a_session_as_csv(tmp_path: Path, phases: str, ends: str) -> None:
    run = CliRunner()
    assert run.invoke(main, ["export-demo", str(tmp_path)]).exit_code == 0
    out = run.invoke(main, ["session", str(tmp_path / "sanderling.json"), "--phases", phases])
    assert out.exit_code == 0
    head, *rows = out.stdout.strip().splitlines()
    assert head == "minutes,charge,pack_v,pack_a,case_c"
    charges = [float(r.split(",")[1]) for r in rows if r[0].isdigit()]
    assert charges == sorted(charges, reverse=True)
    assert ends in out.output
    bad = run.invoke(main, ["session", str(tmp_path / "sanderling.json"), "--phases", "fly 1h"])
    assert bad.exit_code == 1
    assert "begins with none of" in bad.output


def test_fixes_of_a_build_that_has_gone_on_are_looked_for_no_longer(client: FlaskClient, monkeypatch: pytest.MonkeyPatch) -> None:
    shop = client.application.extensions["briskcell"]
    now = shop.builds.stands_at(2)
    numbers = iter([now, now, now + 1])  # another edit comes while the second finding is looked at
    monkeypatch.setattr(shop.builds, "stands_at", lambda _build: next(numbers))
    assert client.get(f"/builds/2/remedies/{now}").status_code == 204
    monkeypatch.setattr(shop.builds, "stands_at", lambda _build: now)
    assert "Try it" in client.get(f"/builds/2/remedies/{now}").text
