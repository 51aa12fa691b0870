"""The Wiring station driven: a gauge changed and what answers, gauges taken, joints made and taken apart, labels printed."""

from __future__ import annotations

import re

from flask.testing import FlaskClient
from playwright.sync_api import Page, expect

from briskcell.core.assess import assess
from briskcell.core.circuit.circuit import circuit_of
from briskcell.library import catalogue
from briskcell.model.units import show
from briskcell.services.demo import oystercatcher, sanderling
from briskcell.services.wiring.steps import steps_of
from tests.web.doors import post, stored
from tests.web.test_browser import AXE, field, serious

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


def test_grounds_go_into_a_chain_and_back_and_the_volts_of_the_last_part_answer(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/wiring")
    grounds = page.locator("section", has=page.locator("#h-grounds"))
    row = grounds.get_by_role("row", name="Boost board")
    expect(row).to_contain_text("as a star")
    expect(row).to_contain_text("Wired controls")
    row.get_by_role("button", name="In a chain").click()
    expect(page.locator(".last")).to_contain_text("in a chain")
    expect(row).to_contain_text("in a chain")
    assert sum(k["kind"] == "return" for k in stored_links(page, site)) == 5
    row.get_by_role("button", name="As a star").click()
    expect(row).to_contain_text("as a star")
    assert not any(k["kind"] == "return" for k in stored_links(page, site))


def stored_links(page: Page, site: str) -> list[dict[str, str]]:
    """The links of the plan as it stands."""
    links: list[dict[str, str]] = page.request.get(f"{site}/builds/{SOUND}/plan.json").json()["links"]
    return links


def test_the_circuit_has_a_page_pad_by_pad_with_every_conductor_and_is_accessible(page: Page, site: str) -> None:
    page.add_init_script(path=AXE)
    page.goto(f"{site}/builds/{FAILING}/wiring")
    page.get_by_role("link", name="on a page of its own").click()
    expect(page.get_by_role("heading", name="Oystercatcher: circuit")).to_be_visible()
    made = circuit_of(oystercatcher())
    rows = page.locator("tbody tr")
    expect(rows).to_have_count(len(made.conductors))
    expect(rows.filter(has_text="Charge-and-boost board 5 V, charges 1 A, 2.1 A switch B+")).to_have_count(1)
    expect(rows.filter(has_text="USB supply")).to_have_count(2)
    assert serious(page) == []
    page.set_viewport_size({"width": 390, "height": 800})
    assert page.evaluate("document.documentElement.scrollWidth <= 390"), "it scrolls in its own frame"


def test_a_terminal_is_corrected_on_the_slip_and_its_print_is_on_the_drawing(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/wiring?slip=part:boost")
    slip = page.locator("#slip")
    expect(slip.locator("dl", has_text="OUT+").first).to_contain_text("to Screen 4.3 in with backlight")
    slip.get_by_text("Its terminals are others").click()
    printed = slip.get_by_label("IN+, what is printed")
    printed.fill("VBAT")
    printed.press("Enter")
    expect(page.locator(".last")).to_contain_text("terminal IN+: printed: IN+ to VBAT")
    expect(page.locator(".soldered, svg").filter(has_text="VBAT").first).to_be_visible()
    slip.get_by_text("Its terminals are others").click()
    slip.get_by_label("VBAT, its pole").select_option("-")
    expect(page.locator("#verdict")).to_contain_text("plus on minus")
    page.locator("h1").click()
    page.keyboard.press("u")
    expect(page.locator("#verdict")).not_to_contain_text("plus on minus")
    along = slip.get_by_label("VBAT, millimetres along its edge")
    slip.get_by_text("Its terminals are others").click()
    along.fill("a bit")
    along.press("Enter")
    expect(slip.locator(".error", has_text="a bit")).to_be_visible()


def test_a_half_says_what_board_it_comes_on_and_leads_there(page: Page, site: str) -> None:
    page.add_init_script(path=AXE)
    page.goto(f"{site}/builds/{FAILING}/charge?slip=part:charger")
    slip = page.locator("#slip")
    expect(slip).to_contain_text("Comes on")
    expect(slip.get_by_role("button", name="Remove it")).to_have_count(0)
    slip.get_by_role("link", name="Charge-and-boost board").click()
    expect(slip.locator("h2")).to_contain_text("Charge-and-boost board")
    expect(slip).to_contain_text("Comes with")
    assert serious(page) == []
