"""The bench with instruments, driven: a ladder climbed by the meter, a run watched, cut and resumed, a reading kept while the
server is away, practice on a hidden fault.
"""

from __future__ import annotations

import json
import re
import time

import numpy as np
import pytest
from flask import Flask
from flask.testing import FlaskClient
from playwright.sync_api import Page, expect

from briskcell.core.assess import assess
from briskcell.core.bench.ladder import ladder
from briskcell.core.bench.partial import Joined
from briskcell.core.bench.practice import GRADES, GROUND, Case, case_of, complaint, probe
from briskcell.core.bench.specimen import Fault, Specimen, could_be
from briskcell.core.bench.step import dummy_load
from briskcell.library import catalogue
from briskcell.services.bench.proof import class_of
from briskcell.services.bench.trainer import practised
from briskcell.services.demo import curlew, demo_plans, sanderling
from briskcell.services.workshop import Workshop
from tests.web.doors import found_and_marked, key, post, stored

SERIES, SOUND = 1, 3
LOOK = "pn~pack~ground"  # one reading of practice
STOCK = catalogue().stock()
METER, LOAD = "1000000000", "1000000002"


def on_bench(client: FlaskClient, build: int = SOUND, **more: str) -> str:
    post(client, "unit", {"name": "The grey one", "station": "bench"}, build)
    page: str = post(client, "simulate", {"unit": "1", "station": "bench"} | more, build).text
    return page


def test_the_ladder_is_climbed_by_the_meter_and_a_reading_becomes_the_plans(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/bench")
    page.get_by_label("Name of this console").fill("The grey one")
    page.get_by_role("button", name="Begin").click()
    page.get_by_role("button", name="Put it there").click()
    expect(page.get_by_role("button", name="remove Simulated digital multimeter")).to_be_visible()
    steps = ladder(assess(sanderling(), STOCK))
    for n, step in enumerate(steps, start=1):
        if not step.unit:
            page.get_by_label("The print beside it says").select_option("other")
            page.get_by_label("Measured by").fill("Wren")
            found_and_marked(page)
        else:
            page.get_by_role("button", name="Read Simulated").click()
        expect(page.locator("#h-next")).to_contain_text(f"{n} of {len(steps)}", timeout=8000)
    expect(page.get_by_text("everything is proven")).to_be_visible()
    pads = page.locator(".rungs li").first
    page.locator("summary").filter(has_text="Pads").click()
    expect(pads).to_contain_text("the print is the other way round")
    expect(pads).to_contain_text("by Wren")
    page.locator("summary").filter(has_text="with a resistor").click()
    row = page.locator(".rungs li").filter(has_text="Boost board 5 V, 5 A switch with that resistor")
    expect(row).to_contain_text("simulated")
    row.locator("summary").click()
    row.get_by_role("button", name="put the simulated figure on it all the same").click()
    expect(page.locator("#slip, #notice, .spine").first).to_be_visible()
    expect(page.get_by_role("button", name="Undo")).to_be_enabled()


def test_each_kind_of_reading_becomes_its_figure(client: FlaskClient, app: Flask) -> None:
    on_bench(client, soc="70 %")
    plan_before = sanderling()
    steps = ladder(assess(sanderling(), STOCK))
    shop: Workshop = app.extensions["briskcell"]
    for step in steps:
        value = shop.benches.instruments.read(int(METER), step) if step.unit else 1.0
        by = {"by": "Simulated digital multimeter", "off": "0.001"}
        shop.benches._units.take(1, step.key, value, "", class_of(plan_before, step), by)
        if step.key == "joint:w-pack":
            assert post(client, "measured", {"unit": "1", "step": step.key}).status_code == 422, "6 mΩ drown in the meter's leads"
            shop.benches._units.take(1, step.key, 0.5, "an old switch", class_of(plan_before, step))
    plan = sanderling()
    pack, board, wire = (plan.by_id[i] for i in ("pack", "boost", "w-pack"))
    for step_key in ("feed:boost", "idle:boost", "joint:w-pack"):
        assert post(client, "measured", {"unit": "1", "step": step_key}).status_code == 200, step_key
    kept = stored(client)
    by_id = {p["id"]: p for kind in ("links", "converters") for p in kept[kind]}
    ohm = by_id["w-pack"]["resistance_ohm"]
    assert ohm["grade"] == "measured"
    assert ohm["likely"] == pytest.approx(0.5), "the leads were taken off as it was read"
    assert (ohm["low"], ohm["high"]) == (pytest.approx(0.34), pytest.approx(0.66)), "a lowest range of ohms is 0.15 Ω off, and 2 %"
    assert by_id["boost"]["output_v"]["likely"] == pytest.approx(board.output_v.likely, rel=0.01)  # type: ignore[attr-defined]
    assert "Simulated digital multimeter ±0.001" in by_id["boost"]["output_v"]["source"]
    loss = by_id["boost"]["loss"]
    assert loss["grade"] == "measured"
    # The bench plays the plan, so what is measured is the plan's own efficiency, within what volts of the pack and noise leave.
    dummy = next(s for s in steps if s.key == "dummy:boost")
    solved = Joined(plan, (), dummy_load("boost", dummy.dummy_ohm or 0.0)).solved(soc=np.array([0.7]))
    volts, before, amps = (float(v[1, 0]) for v in (solved.volts["boost"], solved.volts["fuse"], solved.amps["pack"]))
    assert loss["points"][1]["efficiency"] == pytest.approx(volts**2 / (dummy.dummy_ohm or 0.0) / (before * amps), abs=0.01)
    assert pack is not wire
    assert post(client, "undo").status_code == 200


def test_a_discharge_is_refused_cut_and_watched_to_its_end_and_what_is_simulated_is_asked_twice(
    page: Page, site: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    # A moment that a busy machine stalls is half an hour of what runs so fast, and no reason to give a load up.
    monkeypatch.setattr("briskcell.core.bench.gate.GAP_SHARE", 0.9)
    monkeypatch.setattr("briskcell.services.bench.letting_go.ANSWERS_S", 6.0)
    monkeypatch.setattr("briskcell.services.bench.recording.SLACK_S", 10.0)
    page.goto(f"{site}/builds/{SOUND}/bench")
    page.get_by_label("Name of this console").fill("The grey one")
    page.get_by_role("button", name="Begin").click()
    page.get_by_label("Its pack is charged to").fill("100 %")
    page.get_by_label("Time runs").fill("2000")
    page.get_by_role("button", name="Put it there").click()
    form = page.locator("form", has=page.get_by_role("button", name="Let it draw"))
    expect(form).to_contain_text("The plan allows up to 5.00 A (Fuse 5 A) and down to 3.00 V")
    form.get_by_label("Keep a reading every").fill("0.05 s")
    form.get_by_label("the pack is full now").check()
    for label, text, says in (
        ("End below", "", "never discharged without an end"),
        ("End below", "-5 V", "is below 3.00 V"),
        ("End below", "2.9 V", "is below 3.00 V: the cells are empty there"),
        ("End below", "4.5 V", "end as it begins"),
        ("It draws", "30 A", "30 A is more than Fuse 5 A stands: 5.00 A"),
        ("End above", "90 °C", "more than the cells stand"),
    ):
        box = form.get_by_label(label, exact=True)
        before = box.input_value()
        box.fill(text)
        form.get_by_role("button").click()
        expect(form.get_by_role("alert").filter(has_text=says)).to_be_visible()
        expect(box).to_have_value(text)
        box.fill(before)
    form.get_by_label("It draws").fill("2 A")
    form.get_by_role("button").click()
    told, said = page.locator("#told"), page.locator("[data-said]")
    expect(told).to_contain_text(
        "Simulated electronic load draws 2.00 A from Sanderling, The grey one, down to 3.00 V", timeout=8000
    )
    page.get_by_text("Put this build on the simulated bench").click()
    page.get_by_role("button", name="clear it").click()
    expect(page.get_by_role("alert").filter(has_text="A run uses that instrument")).to_be_visible()
    page.get_by_role("button", name="cut its line").click()
    for _ in range(40):
        shelf = page.request.get(f"{site}/").text()
        if "may still draw from Sanderling, The grey one" in shelf:
            break
        page.wait_for_timeout(50)
    assert "Meanwhile pull its red lead off the pack" in shelf, "every page says so while the line is cut"
    expect(said).to_contain_text("Ended: the line to the load was cut", timeout=8000)
    page.goto(f"{site}/")
    expect(told).not_to_contain_text("may still draw", timeout=9000)  # the line is back, and it reads 0 A
    page.goto(f"{site}/builds/{SOUND}/bench")
    expect(page.locator(".runs")).not_to_contain_text("put its capacity")  # cut short, it says nothing
    page.get_by_text("Put this build on the simulated bench").click()
    page.get_by_label("Its pack is charged to").fill("100 %")
    page.get_by_label("Time runs").fill("1000")
    page.get_by_role("button", name="Put it there").click()
    page.get_by_text("Discharge the pack, and count").click()
    form.get_by_label("It draws").fill("4.5 A")
    form.get_by_label("Keep a reading every").fill("0.05 s")
    form.get_by_label("the pack is full now").check()
    form.get_by_role("button").click()
    expect(page.locator(".runs li")).to_have_count(2)
    expect(said).to_contain_text("Ended", timeout=60000)
    page.reload()
    expect(page.locator(".live-plot canvas")).to_be_visible()
    expect(page.locator(".run h3")).to_contain_text("The grey one Discharge at 4.50 A simulated")
    expect(page.locator(".runs li").first).to_contain_text("put its capacity on the plan")
    page.locator("summary").filter(has_text="put its capacity on the plan").click()
    page.get_by_role("button", name="put the simulated figure on it all the same").click()
    expect(page.get_by_role("button", name="Undo")).to_be_enabled()
    expect(page.locator(".last")).to_contain_text("from the simulated bench")


def test_runs_keep_what_came_end_by_their_limits_and_refuse_nonsense(client: FlaskClient, app: Flask) -> None:
    shop: Workshop = app.extensions["briskcell"]
    page = on_bench(client, soc="90 %", speed="500")
    assert "Put it there" in page
    asked = {
        "unit": "1",
        "do": "begin",
        "kind": "discharge",
        "meter": METER,
        "load": LOAD,
        "amps": "2 A",
        "every": "0.02 s",
        "below": "3.9 V",
        "after": "12 h",
        "full": "yes",
    }
    for wrong, says in (
        ({"amps": "99 A"}, "99 A is more than"),
        ({"every": "0 s"}, "A reading every 0 s"),
        ({"meter": "7"}, "An instrument is missing"),
        ({"kind": "burn"}, "no run"),
        ({"load": ""}, "An instrument is missing"),
        ({"after": "900 h"}, "It cannot end after"),
    ):
        answer = post(client, "run", asked | wrong)
        assert answer.status_code == 422, wrong
        assert says in answer.text
    assert post(client, "run", asked).status_code == 200
    for path, more in (("run", asked), ("simulate", {"do": "clear"}), ("instrument", {"do": "remove", "instrument": LOAD})):
        assert "A run uses that instrument" in post(client, path, {"unit": "1"} | more).text
    events = client.get(f"/builds/{SOUND}/runs/{key(client, 'run', '1')}/stream?seen=0", buffered=False)
    seen, state = 0, "running"
    for text in events.response:
        for found in re.findall(r"data: (.+)\n", text.decode() if isinstance(text, bytes) else text):
            news = json.loads(found)
            assert news["seen"] >= seen
            seen, state = news["seen"], news["state"]
    assert state == "done"
    rows = shop.benches._runs.rows(1)
    assert len(rows) == seen
    assert rows[-1, 1] < 3.9 <= rows[-2, 1], "it ends with the first reading below"
    run = shop.benches._runs.get(1)
    assert run is not None
    assert (run.about["simulated"], run.about["end"], run.state) == (True, "volts", "done")
    held = float(((rows[1:, 0] - rows[:-1, 0]) * (rows[1:, 2] + rows[:-1, 2]) / 2).sum()) / 3600
    assert held == pytest.approx(2.0 * rows[-1, 0] / 3600, rel=0.01), "2 A all the way"
    shop.benches.instruments.with_bench(lambda b: _says(b.world.load_on is False))
    text = " ".join(client.get(f"/builds/{SOUND}/bench").text.split())
    assert "no capacity: It ended at 3.90 V; empty is 3.00 V." in text
    assert "put its capacity" not in text
    assert post(client, "run", {"unit": "1", "do": "remove", "run": "1"}).status_code == 200
    assert shop.benches._runs.get(1) is None
    assert not shop.benches._runs.path(1).exists()
    assert client.get(f"/builds/{SERIES}/runs/1/stream").status_code == 404


def _says(true: bool) -> None:
    assert true


def test_a_reading_is_kept_while_the_server_is_away_and_sent_later(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/bench")
    page.get_by_label("Name of this console").fill("The grey one")
    page.get_by_role("button", name="Begin").click()
    page.route("**/reading", lambda route: route.abort())
    found_and_marked(page)
    expect(page.locator("#notice")).to_contain_text(
        "Kept on this machine until Brisk Cell answers: The grey one, Find plus and minus of Pack"
    )
    expect(page.locator("#h-next")).to_contain_text("0 of")
    page.reload()
    expect(page.locator("#notice")).to_contain_text("Kept on this machine")
    page.unroute("**/reading")
    expect(page.locator("#h-next")).to_contain_text("1 of", timeout=8000)


@pytest.mark.parametrize("grade", GRADES)
def test_practice_hides_a_fault_of_its_grade_and_tells_the_shortest_way(grade: int) -> None:
    for plan in demo_plans():
        a = assess(plan, STOCK)
        for seed in (grade,):
            case = case_of(a, seed, grade)
            assert case is not None
            assert case.fault.kind in GRADES[grade]
            assert case == case_of(a, seed, grade), "the same seed, the same case"
            guessed = practised(a, seed, grade, "", says=f"{case.fault.kind},{case.fault.where}")
            assert guessed is not None
            assert guessed.verdict is not None
            assert (guessed.verdict.right, guessed.verdict.unread, guessed.verdict.truth) == (False, True, ""), (
                "a guess is no finding"
            )
            played = practised(a, seed, grade, LOOK, says=f"{case.fault.kind},{case.fault.where}")
            assert played is not None
            assert played.verdict is not None
            assert played.verdict.right
            assert played.verdict.burned
            for tell in played.verdict.way:
                assert not (tell.step.unit and tell.step.holds(tell.shows) and len(played.verdict.way) == 1), (
                    "one reading that tells is off"
                )
            other = next(f for f in could_be(a) if f.where != case.fault.where and f.kind != case.fault.kind)
            wrong = practised(a, seed, grade, LOOK, says=f"{other.kind},{other.where}")
            assert wrong is not None
            assert wrong.verdict is not None
            assert not wrong.verdict.right
            assert not wrong.verdict.truth, "the truth is not told with a wrong answer"
            assert (wrong.wrong, wrong.score - 3 * bool(wrong.hurt)) == (1, 4), "a reading, and three for the answer"
            after = practised(a, seed, grade, wrong.log, says=f"{case.fault.kind},{case.fault.where}")
            assert after is not None
            assert (after.wrong, after.score) == (1, wrong.score), "it stays counted"
            assert after.par == (len(played.verdict.way) or None)


def test_sentences_fit_the_fault_and_a_part_can_be_unplugged() -> None:
    a = assess(sanderling(), STOCK)
    said = {f: complaint(Specimen(a, (f,))) for f in could_be(a)}
    for fault, words in said.items():
        if "resets at loud scenes" in words:
            loads = [p.id for p in a.plan.loads]
            s = Specimen(a, (fault,))
            found = s.solved(loads, state="peak")
            assert any(s.volts_at(p.id, found) < p.window.low_v for p in a.plan.loads), (fault, "it has to reset, if that is said")
    assert said[Fault("cold", "w-light")] == "It works on the table, and goes off now and then when it is moved."
    hungry = Case(Specimen(a, (Fault("hungry", "screen"),)), 3, 1, "")
    whole = probe(hungry, "amps", "pack", GROUND, joined=True, number=1).value
    without = probe(hungry, "amps", "pack", GROUND, joined=True, number=2, without="screen").value
    sound = Specimen(a).solved([p.id for p in a.plan.loads if p.id != "screen"]).amps["pack"]
    assert without == pytest.approx(float(sound[1, 0]), rel=0.03), "its fault is out with it"
    assert whole > 1.5 * without


def test_probes_of_practice_by_hand() -> None:
    a = assess(curlew(), STOCK)
    case = next(c for c in (case_of(a, n, 2) for n in range(60)) if c and c.fault.kind == "dead cell")
    alone = probe(case, "volts", "pack", "ground", joined=False, number=1)
    assert 3.3 < alone.value < 4.2, "one of two cells in series"
    assert probe(case, "volts", "pack", "w-pack", joined=True, number=2).value == pytest.approx(0.0, abs=0.2)
    assert probe(case, "ohms", "w-pack", "pack", joined=False, number=3).value < 0.3
    assert probe(case, "ohms", "w-pack", "ground", joined=False, number=3).value == pytest.approx(2000.0, rel=0.02)
    assert "nonsense" in probe(case, "ohms", "w-pack", "ground", joined=True, number=4).shown
    short = next(c for c in (case_of(a, n, 1) for n in range(60)) if c and c.fault.kind == "short")
    assert probe(short, "ohms", short.fault.where, "ground", joined=False, number=1).value == pytest.approx(0.3, rel=0.01), (
        "bridge and leads"
    )
    assert "fuse is gone" in probe(short, "amps", "pack", "ground", joined=True, number=2).shown


def test_practice_driven(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SERIES}/practice?grade=1&case=5")
    case = case_of(assess(curlew(), STOCK), 5, 1)
    assert case is not None
    expect(page.locator(".said")).to_contain_text(case.complaint)
    page.locator('[data-point="w-pack"]').first.click()
    page.locator('[data-point="pack"]').first.click()
    expect(page.locator("select[name=red]")).to_have_value("w-pack")
    expect(page.locator("select[name=black]")).to_have_value("pack")
    page.locator("select[name=mode]").select_option("ohms")
    page.get_by_role("button", name="Read").click()
    expect(page.locator(".readings tbody tr")).to_have_count(1)
    page.locator("select[name=kind]").select_option("trimmer")
    page.get_by_role("button", name="That is it").click()
    expect(page.locator(".told")).to_contain_text("Not a trimmer")
    page.locator("select[name=kind]").select_option(case.fault.kind)
    page.locator("select[name=where]").select_option(case.fault.where)
    page.get_by_role("button", name="That is it").click()
    expect(page.locator(".told")).to_contain_text("Right:")
    expect(page.locator(".told")).to_contain_text("The shortest way to it")
    page.reload()
    expect(page.locator(".readings tbody tr")).to_have_count(1)
    started = time.perf_counter()
    page.get_by_role("link", name="Go to grade 3").click()
    expect(page.locator("h2").first).to_contain_text("grade 3")
    assert time.perf_counter() - started < 5.0
