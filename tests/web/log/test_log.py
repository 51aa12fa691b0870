"""The Log station driven: a log taken in by the browser, a complaint and its suspects, a photograph, what a run teaches."""

from __future__ import annotations

import html
import io
import re
from datetime import datetime
from pathlib import Path

import numpy as np
import pytest
from flask import Flask
from flask.testing import FlaskClient
from PIL import Image
from playwright.sync_api import Page, expect

from briskcell.services.workshop import Workshop
from briskcell.store.runs import Appender
from tests.web.doors import key, post, revision, stored, token

SOUND = 3


def sent(client: FlaskClient, body: bytes) -> str:
    headers = {"X-CSRFToken": token(client)}
    name: str = client.post("/uploads", headers=headers).get_json()["name"]
    for at in range(0, max(len(body), 1), 1_000_000):
        answer = client.post(f"/uploads/{name}?at={at}", data=body[at : at + 1_000_000], headers=headers)
        assert answer.status_code == 200
    return name


def test_a_meters_log_is_looked_at_corrected_taken_in_and_kept_for_the_next(page: Page, site: str, tmp_path: Path) -> None:
    rows = "".join(
        f"0:{k // 60:02d}:{k % 60:02d};{4.1 - 0.001 * k:.3f};-{900 + k % 5};25,0\n".replace(".", ",") for k in range(600)
    )
    file = tmp_path / "evening.csv"
    file.write_text("Logger 9\nZeit;Spannung [V];Strom [mA];Temp [°C]\n" + rows)
    page.goto(f"{site}/builds/{SOUND}/log")
    page.get_by_label("Name of this console").fill("The grey one")
    page.get_by_role("button", name="Begin").click()
    for turn in (1, 2):
        page.get_by_label("CSV of any reasonable layout").set_input_files(file)
        page.get_by_role("button", name="Look at it").click()
        expect(page.locator("form.laid")).to_contain_text("2 lines before the figures, columns parted by semicolons")
        expect(page.get_by_label("turn them")).to_be_checked()
        scale = page.locator("input[name=scale-2]")
        expect(scale).to_have_value("0.001" if turn == 1 else "0.002")
        scale.fill("often" if turn == 1 else "0.002")
        if turn == 1:
            page.get_by_role("button", name="Take it in").click()
            expect(page.locator("form.laid .error")).to_contain_text("“often” is no factor for Strom [mA]")
            expect(scale).to_have_value("often")
            scale.fill("0.002")
        page.get_by_role("button", name="Take it in").click()
        expect(page.locator(".log-line .measured")).to_have_count(turn, timeout=8000)
    facts = page.locator("dl.facts").first
    expect(facts).to_contain_text("600")
    expect(facts).to_contain_text("0.30 Ah")  # 1.804 A for 599 s
    expect(page.locator(".live-plot canvas")).to_be_visible()
    file.write_text("t,V\n0,4.1\n1,4.0\n2,OL\n")
    page.get_by_label("CSV of any reasonable layout").set_input_files(file)
    page.get_by_role("button", name="Look at it").click()
    page.get_by_role("button", name="Take it in").click()
    expect(page.locator(".finding")).to_contain_text("Nothing was taken in. Line 4: “OL” is no figure", timeout=8000)
    expect(page.locator(".log-line .measured")).to_have_count(2)


def test_a_complaint_names_suspects_and_the_reading_that_tells(client: FlaskClient, app: Flask) -> None:
    shop: Workshop = app.extensions["briskcell"]
    unit = str(shop.benches._units.add(SOUND, "one"))
    asked = {"unit": unit, "station": "log", "do": "complaint"}
    for wrong in ({"when": "on Sundays"}, {"when": "loud", "what": "nothing"}):
        assert post(client, "log", asked | wrong).status_code == 422
    page = post(client, "log", asked | {"when": "loud", "words": "the boss <b>fight</b>"}).text
    assert "the boss &lt;b&gt;fight&lt;/b&gt;" in page
    assert "a tired joint or contact: Fuse 5 A, Wire from the pack, Toggle switch, 6 A" in page
    assert "The reading that says most: <b>" in " ".join(page.split())
    assert "</b> something else <small>" in " ".join(page.split()), "shares add up to all"
    asks = html.unescape(page).split('"do": "repeat"')[1]
    step = re.search(r'"step": "([^"]+)"', asks)[1]  # type: ignore[index]
    again = post(client, "log", {"unit": unit, "station": "log", "do": "repeat", "entry": "1", "step": step}).text
    assert "It stands there as the next to read" in " ".join(again.split()).replace("the next", "the next")
    assert shop.benches._units.readings(int(unit))[-1].value is None, "the step is asked again"
    told = {"unit": unit, "station": "log", "entry": "1", "step": "joint:fuse"}
    answer = post(client, "log", told | {"do": "answer", "reading": "quite a bit"})
    assert (answer.status_code, "not a figure" in answer.text) == (422, True)
    well = " ".join(post(client, "log", told | {"do": "answer", "reading": "0.01"}).text.split())
    assert "as it should be; that is not the cause" in well
    assert "Put it on the plan" not in well
    tired = " ".join(post(client, "log", told | {"do": "answer", "reading": "850 mΩ"}).text.split())
    assert "beside the 1 that" in tired
    assert re.search(r'<ol><li><b class="n">(8|9)\d % ?</b> a tired joint or contact: Fuse', tired.replace("\xa0", " ")), (
        "what was read weighs"
    )
    assert 'It read <b class="n">0.85 Ω</b>' in tired
    assert "Put it on the plan" in tired
    assert post(client, "log", told | {"do": "plan"}).status_code == 200
    wire = next(k for k in stored(client, SOUND)["links"] if k["id"] == "fuse")
    assert wire["resistance_ohm"]["likely"] == pytest.approx(0.85, abs=0.01)
    assert wire["resistance_ohm"]["grade"] == "measured"
    closed = post(client, "log", {"unit": unit, "station": "log", "do": "found", "entry": "1"}).text
    assert "The reading that says most" not in closed
    assert "(found)" in closed
    assert post(client, "log", {"unit": unit, "do": "remove", "entry": "99"}).status_code == 404
    assert post(client, "log", {"unit": "77", "do": "change", "words": "x"}).status_code == 404


def test_pictures_are_kept_to_the_byte_and_bounded(client: FlaskClient, app: Flask) -> None:
    shop: Workshop = app.extensions["briskcell"]
    unit = str(shop.benches._units.add(SOUND, "one"))
    body = io.BytesIO()
    Image.new("RGB", (320, 200), (10, 90, 80)).save(body, "JPEG")
    page = post(client, "photo", {"unit": unit, "station": "log", "file": sent(client, body.getvalue()), "words": "the joint"})
    assert page.status_code == 200
    with client.get(f"/builds/{SOUND}/photos/1") as picture:
        assert picture.data == body.getvalue()
        assert picture.mimetype == "image/jpeg"
        assert picture.headers["X-Content-Type-Options"] == "nosniff"
    assert client.get("/builds/1/photos/1").status_code == 404, "of another build"
    for wrong, says in (
        (b"<svg onload='x'/>", "no picture"),
        (body.getvalue()[:100], "no picture"),
        (b"\xff\xd8" + bytes(8_000_100), "8.0 MB"),
    ):
        answer = post(client, "photo", {"unit": unit, "file": sent(client, wrong), "words": ""})
        assert answer.status_code == 422
        assert says in answer.text
    assert not list(shop.uploads._folder.iterdir()), "what was refused is gone"
    assert client.post("/uploads/" + "0" * 32 + "?at=0", data=b"x", headers={"X-CSRFToken": token(client)}).status_code == 422
    name = sent(client, b"abc")
    assert (
        client.post(f"/uploads/{name}?at=9", data=b"x", headers={"X-CSRFToken": token(client)})
        .get_json()["words"]
        .startswith("A piece")
    )
    assert client.post("/uploads").status_code == 400, "no token"
    post(client, "log", {"unit": unit, "do": "remove", "entry": "1"})
    assert client.get(f"/builds/{SOUND}/photos/1").status_code == 404


def learned(client: FlaskClient, unit: str) -> str:
    """What the page asks for once it stands."""
    return " ".join(client.get(f"/builds/{SOUND}/learned/{revision(client)}?unit={key(client, 'unit', unit)}").text.split())


def test_a_timed_run_narrows_the_forecast_and_a_sibling_counts_less(client: FlaskClient, app: Flask) -> None:
    shop: Workshop = app.extensions["briskcell"]
    grey, red = (str(shop.benches._units.add(SOUND, name)) for name in ("grey", "red"))
    assert "No run yet: the plan's range stands as it is, 6 h" in learned(client, grey)
    assert "A run timed to its stop narrows it: ±40 % → ±4 %." in learned(client, grey).replace("\xa0", " ")
    for hours, says in (("ages", "not a figure"), ("0 h", "0 h cannot be"), ("49h40", "49 h 40? The plan plays 9 h 48")):
        answer = post(client, "log", {"unit": grey, "do": "run", "hours": hours, "end": "stop"})
        assert answer.status_code == 422
        assert says in answer.text
    assert post(client, "log", {"unit": grey, "station": "log", "do": "run", "hours": "9h20", "end": "stop"}).status_code == 200
    page = learned(client, grey)
    assert "1 of the whole console" in page
    assert re.search(r"<dt>By the plan</dt><dd>6 h \d\d to 14 h \d\d, likely 9 h 48</dd>", page.replace("\xa0", " "))
    assert re.search(r"<dt>This console</dt><dd><b>8 h 5\d to 9 h 4\d, likely 9 h 2\d</b></dd>", page.replace("\xa0", " "))
    assert "did not expect that" not in page
    assert "With what was learned" in page, "another build of the shelf has parts in common"
    other = learned(client, red)
    assert "0 of the whole console, 1 of its siblings, which count less" in other
    assert post(client, "log", {"unit": grey, "station": "log", "do": "run", "hours": "3 h", "end": "stop"}).status_code == 200
    strange = learned(client, grey)
    assert "<b>The plan did not expect that.</b>" in strange
    assert "<b>Two measurements disagree.</b>" in strange
    left = post(client, "log", {"unit": grey, "station": "log", "do": "leave", "entry": "2", "why": "half"})
    assert "does not count: not full" in left.text
    assert "disagree" not in learned(client, grey)
    assert "1 of the whole console" in learned(client, grey)
    assert (
        "does not count" not in post(client, "log", {"unit": grey, "station": "log", "do": "leave", "entry": "2", "why": ""}).text
    )
    assert post(client, "log", {"unit": grey, "do": "leave", "entry": "2", "why": "mood"}).status_code == 422


def discharged(shop: Workshop, unit: int, share: float, ohm: float, on: datetime) -> None:
    """A discharge from full: so much of what the plan has, with a second resistor now and then that shows the resistance."""
    curves = shop.builds.open(SOUND).assessed.op.curves[0]
    run = shop.benches._runs.add(unit, "discharge", "At 2 A", {"kind": "discharge", "full": True, "below": 2.8}, state="done")
    t = np.arange(0.0, 30_000.0, 2.0)
    amps = np.where((t // 200) % 2 == 0, 2.0, 1.0)
    out = np.concatenate([[0.0], np.cumsum(np.diff(t) * 0.5 * (amps[1:] + amps[:-1]))]) / 3600
    soc = 1.0 - out / (share * curves.capacity_ah)
    volts = np.interp(soc, curves.soc[::-1], curves.ocv_v[::-1]) - amps * ohm
    appender = Appender(shop.benches._runs.path(run))
    appender.add_many(np.stack([t, volts, amps, np.full_like(t, np.nan)], axis=1)[(soc > 0) & (volts > 2.8)])
    appender.close()
    shop.benches._runs.set(run, words="Ended at 2.79 V, below 2.80 V.", began_at=on)


def test_cells_age_test_by_test_and_a_worn_one_is_said_to_be(client: FlaskClient, app: Flask) -> None:
    shop: Workshop = app.extensions["briskcell"]
    unit = shop.benches._units.add(SOUND, "one")
    plan = shop.builds.open(SOUND).plan
    pack = plan.packs[0]
    besides = pack.link_resistance_ohm.likely + (pack.protection.resistance_ohm.likely if pack.protection else 0.0)
    discharged(shop, unit, 1.0, 0.05 / 2 + besides, datetime(2026, 3, 1))
    page = learned(client, str(unit))
    assert "1 test from full to empty" in page
    assert "plot-aged" not in page
    assert "not well below" not in page
    discharged(shop, unit, 0.75, 0.09 / 2 + besides, datetime(2026, 9, 1))
    page = learned(client, str(unit))
    share = pack.cell.capacity_ah.likely / pack.cell.label_ah.likely
    assert "2 tests from full to empty" in page
    held = [float(x) for x in re.findall(r"([\d.]+) Ah</td>", page)]
    assert held == pytest.approx([pack.cell.capacity_ah.likely, 0.75 * pack.cell.capacity_ah.likely], rel=0.03)
    assert re.search(r"points of the label less than on 1 Mar 2026, 184 days and 1 logged full charges earlier", page)
    lost = float(re.search(r"That is ([\d.]+) points", page)[1])  # type: ignore[index]
    assert lost == pytest.approx(25 * share, abs=2)
    assert "Its resistance went from 50 mΩ to 90 mΩ" in page
    assert "By half and more it has risen" in page
    assert ("counts as worn out: replace it" in page) == (0.75 * share < 0.8)
    assert "Already the first test" not in page
    assert "plot-aged" in page
    other = shop.benches._units.add(SOUND, "two")
    discharged(shop, other, 0.85, 0.05, datetime(2026, 9, 1))
    assert "Already the first test was well below the label" in learned(client, str(other))


def test_a_measured_discharge_stands_beside_its_prediction(client: FlaskClient, app: Flask) -> None:
    shop: Workshop = app.extensions["briskcell"]
    unit = shop.benches._units.add(SOUND, "one")
    curves = shop.builds.open(SOUND).assessed.op.curves[0]
    run = shop.benches._runs.add(
        unit, "discharge", "At 2 A", {"kind": "discharge", "quantity": "volts", "full": True, "below": 2.8}, state="done"
    )
    t = np.arange(0.0, 20_000.0, 10.0)
    soc = 1.0 - t * 2.0 / 3600 / (0.9 * curves.capacity_ah)  # a tenth less than planned
    volts = np.interp(soc, curves.soc[::-1], curves.ocv_v[::-1]) - 2.0 * np.interp(soc, curves.soc[::-1], curves.steady_ohm[::-1])
    rows = np.stack([t, volts, np.full_like(t, 2.0), np.full_like(t, np.nan)], axis=1)[(soc > 0) & (volts > 2.8)]
    appender = Appender(shop.benches._runs.path(run))
    appender.add_many(rows)
    appender.close()
    shop.benches._runs.set(run, words="Ended at 2.79 V, below 2.80 V.")
    page = " ".join(client.get(f"/builds/{SOUND}/log").text.split())
    assert "10.0% less than planned" in page
    assert "what the plan predicts at the same amps" in page
    cell = shop.builds.open(SOUND).plan.packs[0].cell
    assert f"{0.9 * cell.capacity_ah.likely / cell.label_ah.likely:.0%} of its label" in page
    held = float(rows[-1, 0]) * 2.0 / 3600
    assert f"{held:.2f} Ah" in page
    assert held == pytest.approx(0.9 * curves.capacity_ah, rel=0.02)
