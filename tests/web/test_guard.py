"""The doors: forged requests, foreign hosts, oversized uploads, bad input, and what ships."""

from __future__ import annotations

import json
import re
import socket
import sys
import urllib.parse
import urllib.request
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner
from flask.testing import FlaskClient

from briskcell.cli import main
from briskcell.core.assess import assess
from briskcell.core.rules.registry import RULES
from briskcell.core.stations import STATIONS
from briskcell.formats.assessment_json import assessment_document
from briskcell.formats.plan_json import MOST_BYTES, document_of, write_plan
from briskcell.library import catalogue
from briskcell.model.plan import plan_of
from briskcell.services.demo import demo_plans
from briskcell.web.doors import MOST_OF_ONE
from tests.faults import FAULTS, judged
from tests.odd import odd_documents
from tests.web.doors import found, key, post, revision, stored, token, uneven

ROOT = Path(__file__).parents[2]
sys.path.insert(0, str(ROOT / "assets"))
WRAPPER = {"pack": "pack", "name": "x", "chemistry": "nmc", "label": "1 Ah", "thickness": "5", "length": "50", "most": "1 A"}
PAGES = ["/", "/new", *(f"/builds/{b}/{s}" for b in (1, 2, 3) for s in (*STATIONS, "history"))]


@pytest.mark.parametrize("path", PAGES)
def test_no_page_carries_inline_code_and_every_page_its_policy(client: FlaskClient, path: str) -> None:
    page = client.get(path)
    assert page.status_code == 200
    policy = page.headers["Content-Security-Policy"]
    assert "default-src 'none'" in policy
    assert "unsafe" not in policy
    assert not re.search(r"<style|\sstyle=|<script(?![^>]*src=)|\son[a-z]+=|javascript:|hx-on", page.text)
    assert not re.search(r"\bnan\b|\binf\b|\bNone\b(?! of )", re.sub(r"<[^>]*>", " ", page.text))
    assert set(re.findall(r'(?:src|href)="(https?://[^"]*)', page.text)) == set()


ODD = odd_documents() | {f"fault: {n}": document_of(f()) for n, f in FAULTS.items()}


@pytest.mark.parametrize("name", sorted(ODD))
def test_every_station_and_slip_of_an_odd_build_answers(app: Any, name: str) -> None:
    plan = plan_of(ODD[name])
    if not name.startswith("fault"):  # what these come to is pinned, fixes and all
        json.dumps(assessment_document(assess(plan, catalogue().stock())), allow_nan=False)
    shop, client = app.extensions["briskcell"], app.test_client()
    build = shop._store.create(document_of(plan), name)
    if name.startswith("fault"):
        shop.builds._keep(build, shop.builds.stands_at(build), judged(name.removeprefix("fault: ")))
    slips = [f"part:{p.id}" for p in plan.parts()][::5] + [f"working:{k}" for k in ("draw", "runtime", "reserve")]
    shown: tuple[str, ...] = tuple(STATIONS)
    if name.startswith("fault"):  # what a broken build breaks is its own station and the brief
        shown = tuple(s for s in shown if s in ("brief", RULES[name.removeprefix("fault: ")].station))
    paths = [*(f"{s}?soc=3&state=peak" for s in shown), f"draw?slip={slips[0]}"]
    if not name.startswith("fault"):
        head = shop.builds.stands_at(build)
        paths += [*(f"draw?slip={s}" for s in slips[1:]), f"alternatives/{head}", f"packs/{head}", "history", "search"]
        paths.append(f"find?station=draw&slip={slips[0]}")
    for path in paths:
        page = client.get(f"/builds/{build}/{path}")
        assert page.status_code == 200, path
        assert not re.search(r"\bnan\b|\binf\b|\bNone\b(?! of )", re.sub(r"<[^>]*>", " ", page.text)), path
        assert not uneven(page.text), path


def test_a_request_without_token_changes_nothing(client: FlaskClient) -> None:
    before = client.get("/builds/3/plan.json").data
    for path in ("edit", "undo", "swap", "add", "remove-part", "try", "mark", "grade", "remove"):
        assert client.post(f"/builds/3/{path}", data={"path": "brief/hours", "value": "1h", "base": "3"}).status_code == 400
    assert client.get("/builds/3/plan.json").data == before


def test_a_foreign_host_is_refused(client: FlaskClient) -> None:
    assert client.get("/", headers={"Host": "evil.example"}).status_code == 400
    assert client.get("/", headers={"Host": "localhost:5070"}).status_code == 200


def upload(client: FlaskClient, raw: bytes) -> Any:
    head = '--edge\r\nContent-Disposition: form-data; name="'
    body = f'{head}csrf_token"\r\n\r\n{token(client)}\r\n{head}plan"; filename="plan.json"\r\n\r\n'.encode()
    return client.post("/import", data=body + raw + b"\r\n--edge--\r\n", content_type="multipart/form-data; boundary=edge")


def test_uploads_are_bounded_and_a_bad_plan_is_told_what_to_change(client: FlaskClient) -> None:
    assert upload(client, b"x" * (MOST_BYTES + 200_000)).status_code == 413
    bad = upload(client, write_plan(demo_plans()[0]).replace(b'"fed_by": "w-screen"', b'"fed_by": "nobody"'))
    assert bad.status_code == 422
    assert "feeds nothing" in bad.text
    assert "Name a store" in bad.text
    assert upload(client, write_plan(demo_plans()[1])).status_code == 303


@pytest.mark.parametrize(
    ("path", "form"),
    [
        ("edit", {"path": "brief/hours", "value": "nan"}),
        ("edit", {"path": "../../etc", "value": "1"}),
        ("edit", {"path": "loads/nobody/power_w/play", "value": "1 W"}),
        ("edit", {"path": "packs/pack/series", "value": "two"}),
        ("edit", {"path": "packs/pack/cell/ocv", "value": "4"}),
        ("edit", {"path": "loads", "value": ""}),
        ("edit", {"path": "name", "value": " "}),
        ("edit", {"path": "loads/board/fed_by", "value": "board"}),
        ("swap", {"part": "boost", "part_class": "nothing"}),
        ("swap", {"part": "nobody", "part_class": "boost-5v-3a"}),
        ("add", {"part_class": "light", "behind": "nobody"}),
        ("add", {"part_class": "fuse-2", "at": "usb"}),
        ("add", {"part_class": "board-x86"}),
        ("connect", {"part": "boost", "field": "fed_by", "to": "rail-5"}),
        ("connect", {"part": "boost", "field": "name", "to": "pack"}),
        ("protect", {"part": "boost"}),
        ("remove-part", {"part": "pack"}),
        ("remove-part", {"part": "usb"}),
        ("duplicate", {"part": "pack"}),
        ("move", {"part": "", "before": "board"}),
        ("feed", {"part": "board", "fed_by": "w-pack"}),
        ("feed", {"part": "nobody", "fed_by": "rail-5"}),
        ("feed", {"part": "", "fed_by": "nowhere"}),
        ("own", {"name": "", "rest": "0", "play": "1 W", "peak": "1 W", "low_v": "3", "high_v": "5"}),
        ("own", {"name": "Buzzer", "rest": "0", "play": "1 W..0.2 W", "peak": "1 W", "low_v": "3", "high_v": "5"}),
        ("own", {"name": "Buzzer", "rest": "0", "play": "1 W", "peak": "1 W", "low_v": "5", "high_v": "3"}),
        ("own", {"name": "Buzzer", "rest": "0", "play": "900 W", "peak": "1 W", "low_v": "3", "high_v": "5"}),
        ("game", {"remove": "0"}),
        ("edit", {"path": "profile", "value": "10 / 20 / 30"}),
        ("edit", {"path": "loads/screen/settings/0/position", "value": "140 %"}),
        ("edit", {"path": "loads/screen/settings/7/position", "value": "40 %"}),
        ("edit", {"path": "brief/mass_g", "value": "heavy"}),
        ("edit", {"path": "brief/charge_ports", "value": "many"}),
        ("edit", {"path": "bay/length_mm", "value": "0"}),
        ("bay", {"do": "free", "number": "3"}),
        ("cells", {"pack": "pack", "part_class": "light", "parallel": "2"}),
        ("cells", {"pack": "pack", "part_class": "pouch-p30", "parallel": "99"}),
        (
            "wrapper",
            {"pack": "pack", "name": "x", "chemistry": "coal", "label": "1 Ah", "thickness": "5", "length": "50", "most": "1 A"},
        ),
        (
            "wrapper",
            {"pack": "pack", "name": "x", "chemistry": "nmc", "label": "-1 Ah", "thickness": "5", "length": "50", "most": "1"},
        ),
        ("table/take", {"csv": "name,play\n,"}),
        ("table/preview", {"csv": "no table"}),
        ("search/take", {"cell": "light", "parallel": "1", "board": "boost-5v-3a", "awg": "20"}),
        ("power", {}),
        ("rail", {"part_class": "boost-9v-3a", "fed_by": "w-pack", "name": "x"}),
        ("rail", {"remove": "rail-5"}),
        ("knob", {"part": "board", "remove": "2"}),
        ("try", {"fix": "headroom:boost"}),
        ("grade", {"path": "loads/board/power_w/play", "grade": "proven", "source": "me"}),
    ],
)
def test_bad_input_is_an_error_in_its_slot_and_loses_nothing(client: FlaskClient, path: str, form: dict[str, str]) -> None:
    before = client.get("/builds/3/plan.json").data
    answer = post(client, path, form)
    assert answer.status_code == 422
    assert answer.headers["HX-Retarget"].startswith("#e-")
    assert len(answer.text.strip()) > 10
    assert client.get("/builds/3/plan.json").data == before


def test_adding_swapping_and_removing_parts_through_the_door(client: FlaskClient) -> None:
    def send(path: str, **form: str) -> Any:
        return post(client, path, form)

    assert "30 mm fan" in send("add", part_class="fan-30", behind="rail-5").text
    assert stored(client, 3)["loads"][-1]["id"] == "fan-30"
    assert send("remove-part", part="fan-30").status_code == 200
    plan = stored(client, 3)
    assert "fan-30" not in str(plan["loads"]) + str(plan["links"])
    assert send("swap", part="boost", part_class="boost-5v-2a").status_code == 200
    assert "2 A switch" in client.get("/builds/3/rails").text
    assert "To the shelf" in client.get("/builds/3/nowhere").text


def test_a_removed_build_can_be_put_back(client: FlaskClient) -> None:
    data = {"csrf_token": token(client)}
    page = client.post("/builds/2/remove", data=data, follow_redirects=True)
    assert "Oystercatcher</a>" not in page.text
    assert "Put it back" in page.text
    assert "Oystercatcher</a>" in client.post("/builds/2/restore", data=data, follow_redirects=True).text


def test_the_command_line_assesses_measures_and_tells_what_is_wrong(tmp_path: Path) -> None:
    good, bad = tmp_path / "good.json", tmp_path / "bad.json"
    good.write_bytes(write_plan(demo_plans()[1]))
    bad.write_text('{"name": "x", "loads": [{"id": "a", "name": "a", "fed_by": "b", "power_w": {"rest": "dim"}}]}')
    run = CliRunner().invoke(main, ["assess", str(good), "--soc", "0.3", "--state", "peak"])
    assert run.exit_code == 0
    for name in ("runtime_h", "stop_cause", "energy_wh", "charge_h", "headroom", "nodes", "findings"):
        assert f'"{name}"' in run.output
    refused = CliRunner().invoke(main, ["assess", str(bad)])
    assert refused.exit_code == 2
    assert "loads/0/power_w/rest" in refused.output
    measured = CliRunner().invoke(main, ["measure", str(good), "--node", "rail-5"])
    assert re.search(r"predicted (4\.\d+) V, read (4\.\d+) V", measured.output)
    assert CliRunner().invoke(main, ["measure", str(good), "--node", "moon"]).exit_code == 1


def test_built_assets_are_as_new_as_their_sources() -> None:
    import stamp

    assert stamp.STAMP.read_text().strip() == stamp.digest(), "run make assets"


def test_the_maps_figures_are_plain_json_and_only_of_this_build(client: FlaskClient) -> None:
    base = revision(client)
    answer = client.get(f"/builds/3/flows/{base}.json")
    assert answer.headers["Cache-Control"] == "no-store", "a data folder begun afresh numbers its revisions again"
    known = json.loads(answer.data, parse_constant=lambda name: pytest.fail(f"{name} in the map's figures"))
    assert len(known["soc"]) == 101
    marks = [rows for mark in known["marks"].values() for name, rows in mark.items() if name != "bands"]
    bands = [band[n] for mark in known["marks"].values() for band in mark["bands"] for n in ("y", "thick")]
    assert all(len(rows) == 3 and len(rows[0]) == 101 for rows in (*marks, *bands, *(r["w"] for r in known["rows"].values())))
    drawn = client.get(f"/builds/3/flows/{base}.json?map=open&width=narrow").get_json()
    assert len(drawn["rows"]) > len(known["rows"]), "the open map has a row for each load"
    assert client.get(f"/builds/1/flows/{base}.json").status_code == 404
    assert client.get("/builds/3/flows/999999.json").status_code == 404


def test_history_is_changed_only_with_a_token_and_only_for_revisions_of_the_build(client: FlaskClient) -> None:
    page = client.get("/builds/3/history").text
    revision = re.search(r"history/([0-9a-f]{16})/mark", page)[1]  # type: ignore[index]
    assert client.post(f"/builds/3/history/{revision}/mark").status_code == 400
    form = {"csrf_token": token(client), "base": revision, "name": "<b>lent & out</b>"}
    assert client.post(f"/builds/3/history/{revision}/name", data=form).status_code == 303
    named = client.get("/builds/3/history").text
    assert "&lt;b&gt;lent &amp; out&lt;/b&gt;" in named
    assert "<b>lent" not in named
    for path in (f"/builds/1/history/{revision}/mark", "/builds/3/history/424242/variant", f"/builds/3/history/{revision}/burn"):
        assert client.post(path, data=form).status_code == 404
    assert client.get(f"/builds/3/history?compare={'4' * 16}").status_code == 404


@pytest.mark.parametrize("kept", ["in|°F|mm²|oz|$", "in", "furlong|°F", "|||", "x" * 3000])
def test_any_preference_of_units_shows_whole_pages_and_reads_its_own_figures_back(client: FlaskClient, kept: str) -> None:
    client.set_cookie("units", kept)
    for station in STATIONS:
        assert client.get(f"/builds/3/{station}").status_code == 200
    page = client.get("/builds/3/brief").text
    for path in ("brief/thickness_mm", "brief/room_c", "brief/mass_g", "brief/budget"):
        shown = found(rf'value="([^"]*)"\s+autocomplete[^>]*aria-describedby="e-{path.replace("/", "-")}"', page)
        before = stored(client, 3)["brief"]
        answer = post(client, "edit", {"path": path, "value": shown})
        assert answer.status_code == 200, (path, shown)
        after = stored(client, 3)["brief"]
        field = path.partition("/")[2]
        assert after[field] == pytest.approx(before[field], rel=1e-4), (path, shown)


@pytest.mark.parametrize(
    "back",
    [
        "//evil.test",
        "/\t/evil.test",
        "\\\\evil.test",
        "https://evil.test/",
        "/\r\nX: 1",
        "javascript:alert(1)",
        "/nowhere",
        "",
        "/%09/evil.test",
    ],
)
def test_nothing_redirects_off_the_site(client: FlaskClient, back: str) -> None:
    answer = client.post("/theme", data={"theme": "dim", "back": back, "csrf_token": token(client)})
    assert (answer.status_code, answer.headers["Location"]) == (303, "/")
    home = client.post("/theme", data={"theme": "dim", "back": "/builds/3/pack?soc=40", "csrf_token": token(client)})
    assert home.headers["Location"] == f"/builds/{key(client, 'build', '3')}/pack"


@pytest.mark.parametrize(
    ("name", "file"),
    [
        ("Regenpfeifer", "regenpfeifer.json"),
        ("Кулик", "кулик.json"),
        ("../../etc/passwd", "etc-passwd.json"),
        ("\u202egnp.x", "gnp-x.json"),
        ("💥", "build.json"),
    ],
)
def test_a_build_is_exported_under_its_own_name(client: FlaskClient, name: str, file: str) -> None:
    assert post(client, "edit", {"path": "name", "value": name}).status_code == 200
    said = client.get("/builds/3/plan.json").headers["Content-Disposition"]
    assert urllib.parse.quote(file) in said or file in said
    assert said.isascii(), "as RFC 6266 has it"
    assert not re.search(r"[\r\n]", said)


@pytest.mark.parametrize("number", ["0", str(2**53 + 1), str(2**63), "9" * 400, "-1", "1e3", "x", "f" * 17])
def test_numbers_that_no_row_can_have_are_no_builds(client: FlaskClient, number: str) -> None:
    assert client.get(f"/builds/{number}/draw").status_code == 404
    assert client.get(f"/builds/3/history?compare={number}").status_code in (200, 404)
    assert client.get(f"/?page={number}&removed={number}").status_code == 200
    headers = {"HX-Request": "true", "X-CSRFToken": token(client), "X-Base": number}
    assert client.post("/builds/3/undo", headers=headers).status_code in (200, 400, 404)


def test_a_body_that_is_too_large_is_refused_before_it_is_kept(site: str) -> None:
    host, port = site.removeprefix("http://").split(":")
    with socket.create_connection((host, int(port)), timeout=10) as line:
        line.sendall(b"POST /import HTTP/1.1\r\nHost: 127.0.0.1\r\nTransfer-Encoding: chunked\r\n\r\n")
        sent = 0
        try:
            while sent < 40_000_000:
                line.sendall(b"10000\r\n" + b"x" * 65536 + b"\r\n")
                sent += 65536
        except OSError:
            pass
        assert sent < 40_000_000, "the line was closed"


def test_connections_that_never_ask_lock_nobody_out(site: str) -> None:
    host, port = site.removeprefix("http://").split(":")
    idle = [socket.create_connection((host, int(port)), timeout=10) for _ in range(450)]
    try:
        for line in idle[-MOST_OF_ONE:]:
            line.sendall(b"GET / HTTP/1.1\r\nHost: 127")
        with urllib.request.urlopen(site, timeout=10) as page:
            assert page.status == 200
        assert idle[0].recv(1) == b""  # the longest silent ones were closed for those that came
    finally:
        for line in idle:
            line.close()


def test_the_shelf_pages_and_searches_and_keeps_what_it_shows(client: FlaskClient) -> None:
    shop = client.application.extensions["briskcell"]
    document = shop._store.head(3).document
    for k in range(120):
        shop._store.create(document | {"name": f"Dunlin {k:03}"}, "made", shop.builds.shelf()[0][0].known)
    first, last = client.get("/").text, client.get("/?page=2").text
    assert "page 1 of 3" in first
    assert "Dunlin 119" in first
    assert "Sanderling" in last
    found = client.get("/?like=unlin 07").text
    assert found.count('class="name"') == 10
    assert "No build answers to that" in client.get("/?like=%25").text
    assert client.get("/?page=99").status_code == 200
    fails = client.get("/?state=fails").text
    assert ("Oystercatcher" in fails, "Curlew" in fails, "1 build" in fails) == (True, False, True)
    named = client.get("/?order=name&state=holds").text
    assert named.index("Curlew") < named.index("Dunlin 000")
    longest = client.get("/?order=draw").text
    assert longest.index("Curlew") < longest.index("Oystercatcher") < longest.index("Dunlin"), "8.88, 3.53 and 3.30 W"


def test_any_two_revisions_are_compared_with_what_came_and_went(client: FlaskClient) -> None:
    for path, value in (("loads/screen/window/low_v", "5.09 V"), ("brief/hours", "3 h"), ("loads/screen/window/low_v", "4.5 V")):
        assert post(client, "edit", {"path": path, "value": value}).status_code == 200
    made, sees, asks, back = (r.key for r in reversed(client.application.extensions["briskcell"]._store.history(3)[0]))
    one = client.get(f"/builds/3/history?compare={made}&with={sees}").text
    assert "Came with it" in one
    assert "Screen 4.3 in with backlight sees" in one
    assert "Hours wanted" not in one[one.index("Side by side") : one.index("Came with it")]
    other = client.get(f"/builds/3/history?compare={sees}&with={back}").text
    assert ("Went with it" in other, "Came with it" in other, str(asks) in other) == (True, False, True)


def test_a_long_history_is_paged_and_undo_reads_numbers_alone(client: FlaskClient) -> None:
    shop = client.application.extensions["briskcell"]
    head = shop._store.head(3)
    for k in range(220):
        head = shop._store.save(3, head.id, head.document, f"step {k}", None)
    page = client.get("/builds/3/history").text
    assert "page 1 of 3, 221 changes" in page
    assert "Demo build" in client.get("/builds/3/history?page=2").text
    for k in range(219, 199, -1):
        back = shop._store.step(3, head.id, back=True)
        assert back.redoes == f"step {k}"
        head = back
    assert shop._store.step(3, head.id, back=False).words == "step 200"
