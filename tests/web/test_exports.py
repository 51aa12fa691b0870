"""Every way out: each format read back by an independent reader, the page that lists them, and what a file must not carry."""

from __future__ import annotations

import csv
import io
import json
import re
import zipfile
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import pypdfium2
import pytest
from click.testing import CliRunner
from flask.testing import FlaskClient
from PIL import Image
from playwright.sync_api import Page, expect

from briskcell.cli import main
from briskcell.core.assess import assess
from briskcell.exports.form import Given, Wanted
from briskcell.exports.paper import pdf_of
from briskcell.exports.registry import FORMATS, export
from briskcell.formats.plan_json import document_of, write_plan
from briskcell.library import catalogue
from briskcell.model.changes import remade
from briskcell.model.plan import Day, Stretch, plan_of
from briskcell.services.demo import curlew, demo_plans, sanderling

SANDERLING = 3
TEXT = "\n".join


@pytest.fixture
def files(client: FlaskClient) -> dict[str, bytes]:
    """What the archive of a demo build holds."""
    with zipfile.ZipFile(io.BytesIO(client.get(f"/builds/{SANDERLING}/exports/archive").data)) as archive:
        assert archive.testzip() is None
        return {n: archive.read(n) for n in archive.namelist()}


def pages(pdf: bytes) -> list[str]:
    document = pypdfium2.PdfDocument(pdf)
    try:
        return [page.get_textpage().get_text_bounded() for page in document]
    finally:
        document.close()


def test_the_archive_holds_every_format_and_each_is_read_by_another_reader(files: dict[str, bytes]) -> None:
    assert len(files) == len(FORMATS) - 1, "all but itself; nothing is missing of a whole build"
    plan, assessed = sanderling(), assess(sanderling())
    assert document_of(plan_of(json.loads(files["plan.json"]))) == document_of(plan)
    found = assessed.runtime
    assert found is not None
    assert json.loads(files["answers.json"])["runtime_h"] == pytest.approx(found.hours)
    tables = {
        n: list(csv.DictReader(io.StringIO(files[f"{n}.csv"].decode("utf-8-sig"))))
        for n in ("wires", "curves", "parts", "gauge", "day")
    }
    by_wire = {c.link.name: c for c in assessed.links}
    for row in tables["wires"]:
        assert float(row["peak_a"]) == pytest.approx(by_wire[row["wire"]].amps, rel=1e-3)
        assert float(row["drop_v"]) == pytest.approx(by_wire[row["wire"]].drop_v, rel=1e-2, abs=1e-5)
    assert [r["colour"] for r in tables["wires"][:2]] == ["red", "black"]
    assert float(tables["curves"][0]["charge"]) == 1.0
    assert float(tables["curves"][-1]["hours"]) == pytest.approx(float(assessed.runtimes[0].elapsed_h[-1]), abs=1e-3)
    assert float(tables["curves"][5]["volts_play"]) == pytest.approx(float(assessed.op.flow.store_v(0)[1][5]), abs=1e-4)
    assert [r["name"] for r in tables["parts"]] == [p.name for p in plan.loads if p.kind != "resistance_ohm"]
    first, last = tables["day"][0], tables["day"][-1]
    assert (first["seconds"], first["charge"], first["on"]) == ("0.0", "1.0", "1")
    day = assess(sanderling(), catalogue().stock()).days[0]
    assert float(last["seconds"]) == day.time_s[-1]
    assert float(last["charge"]) == pytest.approx(float(day.soc[-1]), abs=1e-4)
    assert {r["on"] for r in tables["day"] if 7200 < float(r["seconds"]) < 10800} == {"0"}, "it is put away for an hour"
    assert files["session.cir"].rstrip().endswith(b".end")
    assert ".tran" in files["session.cir"].decode()
    for name in ("map", "bay", "harness", "stack", "face"):
        drawing = ElementTree.fromstring(files[f"{name}.svg"])
        assert {e.tag.rpartition("}")[2] for e in drawing.iter()} <= {
            "svg",
            "g",
            "title",
            "style",
            "rect",
            "path",
            "text",
            "tspan",
            "line",
            "circle",
            "defs",
            "pattern",
            "polyline",
        }
        assert not [k for e in drawing.iter() for k in e.attrib if k.startswith(("hx", "on", "data")) or "href" in k]
        width, height = float(drawing.get("width", 0)), float(drawing.get("height", 0))
        picture = Image.open(io.BytesIO(files[f"{name}.png"]))
        assert picture.size == pytest.approx((2 * width, 2 * height), abs=2)
        assert len(picture.convert("RGB").getcolors(1 << 20) or []) > 20, "it is drawn on"
    words = " ".join(t.text or "" for t in ElementTree.fromstring(files["map.svg"]).iter("{http://www.w3.org/2000/svg}text"))
    volts = float(assessed.op.flow.store_v(0)[1][assessed.op.index(0.7)])
    assert f"{volts:.2f} V" in words


def test_the_sheet_of_each_demo_build_is_whole_and_of_the_paper_asked_for(client: FlaskClient) -> None:
    a4, letter = ("a4", (595, 842)), ("letter", (612, 792))
    for build, plan in enumerate(demo_plans()[::-1], start=1):
        for paper, size in (letter,) if build == 1 else (a4,):
            made = client.get(f"/builds/{build}/sheet.pdf?paper={paper}").data
            document = pypdfium2.PdfDocument(made)
            assert document[0].get_size() == pytest.approx(size, abs=1)
            document.close()
            found = pages(made)
            assert all(f"page {k} of {len(found)}" in text for k, text in enumerate(found, start=1))
            assert all(len(text) > 200 for text in found), "no empty page"
            whole = re.sub(r"\s+", " ", " ".join(found))
            assert plan.name in whole
            for words in (
                "What it comes to",
                "Parts",
                "Wires to cut",
                "Order to build in",
                "Thresholds",
                "Switched off",
                "Cautions",
            ):
                assert words in whole, (plan.name, words)
            assert all(load.name in whole for load in plan.loads)
    some = " ".join(pages(client.get("/builds/1/sheet.pdf?with=cautions").data))
    assert "Lithium cells can burn" in some
    assert "Wires to cut" not in some


def test_what_a_build_has_nothing_of_is_said_and_the_rest_is_written(client: FlaskClient, app: Any, tmp_path: Path) -> None:
    build = app.extensions["briskcell"]._store.create(document_of(plan_of({"name": "Empty"})), "Empty")
    for key, words in (
        ("circuit", "Nothing feeds this build"),
        ("gauge-c", "Nothing plays"),
        ("map-svg", "Nothing is connected"),
        ("bay-png", "Nobody has measured"),
        ("stack-svg", "No part of this build has a size"),
    ):
        page = client.get(f"/builds/{build}/exports/{key}")
        assert page.status_code == 422
        assert words in page.text
    with zipfile.ZipFile(io.BytesIO(client.get(f"/builds/{build}/exports/archive").data)) as archive:
        missing = archive.read("what is not here.txt").decode()
        assert "gauge-c.h: " in missing or "gauge.h: " in missing
        assert {"plan.json", "answers.json", "sheet.pdf", "page.html"} <= set(archive.namelist())
    assert client.get(f"/builds/{build}/exports/nothing").status_code == 404
    plan = tmp_path / "plan.json"
    plan.write_bytes(b'{"name": "Empty"}')
    said = CliRunner().invoke(main, ["export", str(plan), "--as", "circuit"])
    assert (said.exit_code, "Nothing feeds this build" in said.output) == (1, True)


def test_the_command_line_writes_what_the_page_gives_and_lists_all(client: FlaskClient, tmp_path: Path) -> None:
    plan = tmp_path / "plan.json"
    plan.write_bytes(write_plan(sanderling()))
    for key in ("circuit", "gauge-python", "harness-svg"):
        out = tmp_path / key
        done = CliRunner().invoke(main, ["export", str(plan), "--as", key, "--out", str(out)])
        assert done.exit_code == 0, done.output
        assert out.read_bytes() == client.get(f"/builds/{SANDERLING}/exports/{key}").data, key
    listed = CliRunner().invoke(main, ["formats"]).output
    page = client.get(f"/builds/{SANDERLING}/exports").text
    for form in FORMATS:
        assert re.search(rf"^{form.key} ", listed, re.M)
        assert f"/exports/{form.key}" in page
    wrong = CliRunner().invoke(main, ["export", str(plan), "--as", "nothing"])
    assert (wrong.exit_code, "There is no format" in wrong.output) == (1, True)


def test_paper_reads_no_file_of_the_machine_and_asks_no_network(tmp_path: Path) -> None:
    secret = tmp_path / "secret.txt"
    secret.write_text("open sesame")
    for url in (secret.as_uri(), "http://127.0.0.1:9/x", "../../../../pyproject.toml"):
        made = pdf_of(
            f'<!doctype html><link rel="attachment" href="{url}"><img src="{url}"><object data="{url}"></object><p>Only this'
        )
        assert b"sesame" not in made
        assert b"/EmbeddedFile" not in made
        assert pages(made)[0].strip() == "Only this"


def test_the_one_page_lives_from_a_disk_and_asks_for_nothing(page: Page, tmp_path: Path) -> None:
    wild = remade(curlew(), {"name": "</script><script>document.title='got'</script>", "note": '"><img src=x onerror=alert(1)>'})
    at = tmp_path / "page.html"
    at.write_bytes(export("page", Given(assess(wild)), Wanted()))
    policy = re.search(r'Content-Security-Policy" content="([^"]*)"', at.read_text())
    assert policy is not None
    assert "default-src &#39;none&#39;" in policy[1]
    assert "unsafe" not in policy[1]
    asked, wrong = list[str](), list[str]()
    page.on("request", lambda r: asked.append(r.url))
    page.on("console", lambda m: wrong.append(m.text))
    page.on("pageerror", lambda e: wrong.append(str(e)))
    page.goto(at.as_uri())
    expect(page.locator("h1")).to_have_text("</script><script>document.title='got'</script>")
    found = assess(curlew()).runtime
    assert found is not None
    expect(page.locator('[data-is="left"]')).to_have_text("5 h 00 left")
    expect(page.locator(".plot canvas")).to_have_count(2)
    before = page.locator(".map .tank-fill").get_attribute("height")
    page.get_by_label("State of charge, percent").fill("30")
    expect(page.locator('[data-is="left"]')).to_have_text("1 h 56 left")
    page.get_by_text("Peak", exact=True).click()
    after = page.locator(".map .tank-fill").get_attribute("height")
    assert [float(before or 0), float(after or 0)] == pytest.approx([114 * 0.7, 114 * 0.3], abs=0.6)
    assert asked == [at.as_uri()]
    assert wrong == []


def test_a_circuit_in_time_runs_to_where_the_first_day_stops() -> None:
    """Two hours of play from a fifth of a pack end before the day does; a tenth of an hour from a full one does not."""
    ends = []
    for soc, minutes in ((0.2, 240.0), (1.0, 6.0)):
        day = Day(name="Ferry", start_soc=soc, stretches=(Stretch(what="play", minutes=minutes),))
        given = Given(assess(remade(sanderling(), {"days": (day,)}), catalogue().stock()))
        text = str(export("session", given, Wanted()))
        ends.append((float(re.search(r"\.tran \S+ (\S+)", text)[1]), given.assessed.days[0]))  # type: ignore[index]
    (stopped, short), (whole, _) = ends
    assert stopped == pytest.approx(next(e.at_s for e in short.events if e.kind == "stops"))
    assert 600 < stopped < 240 * 60
    assert whole == pytest.approx(360)
