"""The Wiring station driven: a gauge changed and what answers, gauges taken, joints made and taken apart, labels printed."""

from __future__ import annotations

import re

from flask.testing import FlaskClient
from playwright.sync_api import Page, expect

from briskcell.core.assess import assess
from briskcell.library import catalogue
from briskcell.model.units import show
from briskcell.services.demo import sanderling
from briskcell.services.wiring.steps import steps_of
from tests.web.doors import post, stored
from tests.web.test_browser import field

SOUND, FAILING = 3, 2


def test_a_gauge_is_changed_and_drop_warmth_and_hours_answer(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{FAILING}/wiring")
    drop, hours = page.locator("#n-wiring"), page.locator("#n-pack")
    before, played = drop.inner_text(), hours.inner_text()
    gauge = field(page, "links/w-pack/awg")
    gauge.fill("18")
    gauge.press("Enter")
    expect(page.locator(".last")).to_contain_text("gauge: 26 AWG to 18 AWG")
    screen = field(page, "links/w-screen/awg")
    screen.fill("0.25 mm2")
    screen.press("Enter")
    expect(drop).not_to_have_text(before)
    expect(hours).not_to_have_text(played)
    page.get_by_label("Colour of Wire from the pack").select_option("blue")
    expect(page.locator(".harness .strand.blue")).to_have_count(1)


def test_the_finder_answers_as_it_is_typed_and_what_it_found_is_taken(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{FAILING}/wiring")
    found = page.locator("#gauges")
    row = found.get_by_role("row", name="Wire to Screen")
    expect(row).to_contain_text("24 AWG")
    page.get_by_label("From the gauges I have").fill("26, 22")
    page.get_by_label("From the gauges I have").press("Enter")
    expect(row).to_contain_text("22 AWG")
    row.get_by_role("button").click()
    expect(page.locator(".last")).to_contain_text("22 AWG for Wire to Screen")
    expect(field(page, "links/w-screen/awg")).to_have_value("22 AWG")
    page.get_by_label("From the gauges I have").fill("thick")
    page.get_by_label("From the gauges I have").press("Enter")
    expect(page.locator("#e-owned")).to_contain_text("is no list of gauges")


def test_joints_are_made_one_by_one_and_survive_a_reload(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/wiring")
    order = page.locator(".joints")
    expect(order.locator("li").last).to_contain_text("First the pack alone: its volts and which side is plus.")
    order.get_by_role("button", name="It is joined: Bluetooth radio").click()
    expect(order.locator(".done")).to_have_count(1)
    order.get_by_role("button", name="It is joined: Wire to Bluetooth radio").click()
    expect(order.locator(".done")).to_have_count(2)
    page.reload()
    expect(order.locator(".done")).to_have_count(2)
    order.get_by_role("button", name="Take apart: Bluetooth radio").click()
    expect(order.locator(".done")).to_have_count(0)
    expect(page.locator(".last")).to_contain_text("taken apart, and 1 that depend on it")


def test_a_part_picks_out_its_wires_and_thirty_runs_do_not_meet(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/wiring?slip=part:screen")
    expect(page.locator(".harness .picked")).to_have_count(1)
    words = """() => { const b = [...document.querySelectorAll('.harness text')].filter(t => t.textContent.trim()).map(t =>
      t.getBoundingClientRect()), out = [];
      for (let i = 0; i < b.length; i++) for (let k = i + 1; k < b.length; k++)
        if (b[i].left < b[k].right - 1 && b[k].left < b[i].right - 1 && b[i].top < b[k].bottom - 2 && b[k].top < b[i].bottom - 2)
          out.push([i, k]); return out; }"""
    assert page.evaluate(words) == []


def test_labels_name_both_ends_of_every_strand(client: FlaskClient) -> None:
    page = client.get(f"/builds/{SOUND}/labels").text
    assert page.count("<li><b>") == 2 * 7, "seven wires, out and back"
    assert re.search(
        r"<b>Boost board 5 V, 5 A switch OUT\+</b><span>.*?orange, 24 AWG, 0\.14.m</span><b>Screen 4\.3 in with backlight \+</b>",
        page,
        re.DOTALL,
    )
    assert re.search(r"0\.64.m of 24 AWG, black", page)


def test_odd_joints_and_gauges_are_refused_beside_their_field(client: FlaskClient) -> None:
    answer = post(client, "joint", {"joint": "nothing", "slot": "joint", "station": "wiring"})
    assert (answer.status_code, "no such joint" in answer.text) == (422, True)
    assert post(client, "gauges", {"drop": "much", "slot": "gauges", "station": "wiring"}).status_code == 422
    assert client.get("/builds/3/gauges/1?drop=much", headers={"HX-Request": "true"}).status_code == 422
    assert stored(client)["joined"] == []


def test_a_joint_says_what_touching_it_would_do() -> None:
    a = assess(sanderling(), catalogue().stock())
    steps = {s.joint.key: s.live for s in steps_of(a)}
    short = next(s for s in a.shorts if s.link.id == "w-pack")
    assert f"would draw {short.fault_a:.0f} A: protection of Pack opens after" in steps["w-pack"]
    assert f"the wire gets to {short.dead.reaches_c:.0f} °C" in steps["w-pack"]
    volts, ohm = float(a.op.curves[0].ocv_v[0]), float(a.op.curves[0].fast_ohm[0])
    assert f"Its {volts:.2f} V do nothing to dry skin" in steps["last"]
    trip_a = a.plan.packs[0].protection.trip_a.likely  # type: ignore[union-attr]
    assert volts / ohm > short.fault_a > trip_a, "the leads come behind the protection board, as every short does"
    assert f"carry up to {show(short.fault_a, 'A')} and burn" in steps["last"]
