"""Brief, Draw, Rails and Pack: deciding on the screen, with the mouse and without it."""

from __future__ import annotations

import io
import json
import re
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from briskcell.formats.plan_json import write_plan
from tests.drawing.test_map import KEYS, crowd
from tests.odd import odd_documents
from tests.web.test_browser import FAILING, SOUND, clean_console, field  # noqa: F401  the fixture serves here too

LONG = "Long name of a part that runs on and on for sixty letters or"
# Boxes of all words of a drawing that are seen, and whether any leaves the drawing.
WORDS = """async (id) => { await Promise.all([...document.fonts].map(f => f.load()));  // fallback letters are wider
  const svg = document.querySelector(id), frame = svg.getBoundingClientRect();
  const boxes = [...svg.querySelectorAll('text')].filter(t => t.checkVisibility() && t.textContent.trim()).map(t => {
    const b = t.getBoundingClientRect(); return [b.left, b.top, b.right, b.bottom, t.textContent.trim()]; });
  const out = boxes.filter(b => b[0] < frame.left - 1 || b[2] > frame.right + 1 || b[1] < frame.top - 1 || b[3] > frame.bottom + 1);
  const meet = [];
  boxes.forEach((a, i) => boxes.slice(i + 1).forEach(b => {
    const wide = Math.min(a[2], b[2]) - Math.max(a[0], b[0]), tall = Math.min(a[3], b[3]) - Math.max(a[1], b[1]);
    if (wide > 1 && tall > 4) meet.push(`${a[4]} | ${b[4]}`); }));
  return {count: boxes.length, out: out.map(b => b[4]), meet}; }"""


SIZES = ((820, "open"), (1280, "open"), (1280, ""), (820, ""), (390, ""))  # of the page, and whether the map is open
WIDTH_WORDS = {1280: "wide", 820: "narrow", 390: "phone"}


def ready(page: Page) -> None:
    expect(page.locator("#map-drawing")).to_have_attribute("data-ready", "yes")


def drag(page: Page, handle: Any, dx: float, dy: float) -> None:
    handle.scroll_into_view_if_needed()
    box = handle.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + dx, y + dy, steps=4)
    page.mouse.up()


def test_a_stranger_gets_from_nothing_to_a_known_runtime_in_a_minute(page: Page, site: str) -> None:
    page.goto(site)
    page.get_by_role("link", name="New build").click()
    page.fill("#name", "Dunlin")
    page.fill("#hours", "6h")
    page.get_by_role("button", name="Open this draft").click()
    expect(page.locator("#verdict")).to_contain_text("Holds")
    ready(page)
    page.keyboard.press("3")
    page.locator("#fe-swap-reg-main").select_option(label="Boost board 5 V, 1 A switch")
    expect(page.locator("#slip")).to_contain_text("What differs")
    expect(page.locator(".last")).to_have_count(0)
    page.get_by_role("button", name="Swap it").click()
    expect(page.locator(".last")).to_contain_text("1 A switch in place of")
    page.keyboard.press("2")
    bright = page.get_by_label("Brightness of")
    bright.fill("1")
    expect(page.locator(".last")).to_contain_text("Screen 4.3 in with backlight, brightness: 70% to 100%")
    verdict = page.locator("#verdict")
    expect(verdict.locator("b").first).to_have_text("Fails")
    expect(verdict).to_contain_text("Boost board 5 V, 1 A switch")
    verdict.get_by_role("button", name="Try it").first.click()
    expect(page.locator(".last")).to_contain_text("Tried:")
    expect(page.locator("#n-pack")).to_have_text(re.compile(r"\d+ h \d\d"))


@pytest.mark.parametrize("drawn", ["", "open"])
def test_the_slider_answers_from_what_the_page_has_and_the_server_agrees(page: Page, site: str, drawn: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/rails?map={drawn}")
    ready(page)
    asked: list[str] = []
    page.on("request", lambda r: asked.append(r.url))
    frames = page.evaluate("""async () => { const s = document.querySelector('#at [name=soc]'), out = [];
      for (const v of [40, 8, 63]) { s.value = v; const t = performance.now();
        s.dispatchEvent(new Event('input', {bubbles: true})); out.push(performance.now() - t); } return out; }""")
    assert asked == []
    assert max(frames) < 1000, "answered at once, not by a later request"
    read = """() => [...document.querySelectorAll('#map-drawing text, #map-drawing .band, circle.now, #at output span')].map(
      e => e.getAttribute('stroke-width') || e.getAttribute('cx') || e.textContent.trim())"""
    for state, charge in (("play", 63), ("peak", 12), ("rest", 97)):
        page.evaluate(
            """([state, soc]) => { const f = document.getElementById('at'); f.elements.soc.value = soc;
          f.querySelector(`[value=${state}]`).checked = true;
          f.elements.soc.dispatchEvent(new Event('input', {bubbles: true})); }""",
            [state, charge],
        )
        by_itself = page.evaluate(read)
        with page.expect_response(re.compile("/rails")):
            page.evaluate("document.querySelector('#at [name=soc]').dispatchEvent(new Event('change', {bubbles: true}))")
        page.wait_for_selector(f"#map-drawing[aria-label*=', {state}']")
        by_server = page.evaluate(read)
        assert len(by_itself) == len(by_server) > 20
        for mine, theirs in zip(by_itself, by_server, strict=True):
            figure = re.fullmatch(r"[\d.]+", mine) and re.fullmatch(r"[\d.]+", theirs)
            same = abs(float(mine) - float(theirs)) < 0.21 if figure else mine == theirs
            assert same, f"{state} {charge} %: {mine} | {theirs}"


@pytest.mark.browser_context_args(java_script_enabled=False)  # words stand where the server puts them
@pytest.mark.parametrize("group", ["demo", "crowded", "odd"])
def test_no_words_of_the_map_meet_or_leave_it(page: Page, site: str, app: Any, group: str) -> None:
    shop = app.extensions["briskcell"]
    plans = [crowd([KEYS[k % 7] for k in range(n)], LONG) for n in (3, 15, 30)]
    odd = list(odd_documents().values())[::2]
    files = {
        "crowded": [write_plan(p) for p in plans],
        "odd": [json.dumps(d, default=lambda v: v.model_dump()).encode() for d in odd],
    }
    builds = [shop.builds.import_plan(io.BytesIO(f)) for f in files.get(group, ())] or [SOUND, FAILING, 1]
    sizes = {"demo": SIZES, "crowded": (SIZES[1], SIZES[4]), "odd": SIZES[:1]}[group]
    for build in builds:
        for width, state in sizes:
            page.context.add_cookies([{"name": "map_width", "value": WIDTH_WORDS[width], "url": site}])
            page.set_viewport_size({"width": width, "height": 800})
            page.goto(f"{site}/builds/{build}/brief?map={state}")
            if page.locator("#map-drawing").count():
                found = page.evaluate(WORDS, "#map-drawing")
                assert found["count"]
                assert (found["out"], found["meet"]) == ([], []), (build, width, state)
            assert page.evaluate("document.documentElement.scrollWidth <= innerWidth"), build


def test_handles_are_dragged_and_stepped_and_end_in_their_fields(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/draw")
    edge = page.get_by_role("slider", name="Rest ends")
    drag(page, edge, 60, 0)
    expect(page.locator(".last")).to_contain_text("use profile: 10% / 85% / 5%")
    expect(edge).not_to_have_attribute("aria-valuenow", "10.0")
    edge.focus()
    edge.press("Home")
    expect(page.locator(".legend").first).to_contain_text("rest 0 %")
    page.keyboard.press("3")
    volts = page.get_by_role("slider", name="Output of Boost board")
    volts.focus()
    volts.press("ArrowLeft")
    expect(page.locator(".last")).to_contain_text("output: 5.1 V to 5.05 V")
    drag(page, volts, -12, 0)
    expect(field(page, "converters/boost/output_v")).not_to_have_value("5.05 V")
    page.keyboard.press("4")
    wall = page.get_by_role("slider", name="Depth of the bay")
    drag(page, wall, 0, -40)
    expect(page.locator("#h-bay + .columns")).to_contain_text("does not fit")
    expect(page.locator("#verdict")).to_contain_text("fit")
    wall.focus()
    wall.press("End")
    expect(page.locator("#h-bay + .columns")).not_to_contain_text("does not fit")


def test_parts_are_found_in_spite_of_typing_moved_doubled_and_typed_in(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/draw")
    ready(page)
    page.keyboard.press("/")
    page.keyboard.type("blutooth rado add")
    page.keyboard.press("Enter")
    expect(page.locator(".last")).to_contain_text("Bluetooth radio 2 added")
    grip = page.locator("#grip-sound")
    grip.focus()
    grip.press("ArrowUp")
    grip.press("ArrowUp")  # sooner than the first is answered
    expect(page.locator("tbody tr[data-part]").first).to_have_attribute("data-part", "sound")
    grip.press("ArrowDown")
    expect(page.locator("tbody tr[data-part]").nth(1)).to_have_attribute("data-part", "sound")
    expect(grip).to_be_focused()
    page.locator("#grip-sound").drag_to(page.locator("#row-board"), target_position={"x": 40, "y": 3})
    expect(page.locator("tbody tr[data-part]").first).to_have_attribute("data-part", "sound")
    page.get_by_role("button", name="Duplicate Wired controls").click()
    expect(page.get_by_role("link", name="Wired controls 2", exact=True).first).to_be_visible()
    form = page.locator("form.own")
    form.get_by_label("Name").fill("Museum label lamp")
    form.get_by_label("Play").fill("bright")
    form.get_by_role("button", name="Add it").click()
    expect(page.locator("#e-own-play")).to_contain_text("not a figure")
    form.get_by_label("Play").fill("0.2..0.4 W")
    form.get_by_role("button", name="Add it").click()
    expect(page.locator(".last")).to_contain_text("Museum label lamp added")
    expect(form.get_by_label("Name")).to_have_value("")


def test_any_class_goes_in_behind_what_is_pointed_at_and_comes_out_again(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/rails?map=open")
    ready(page)
    page.get_by_role("button", name="Add a part behind Boost board").click()
    expect(page.locator("#found li").first).to_be_attached()
    page.keyboard.type("30 mm fan")
    page.keyboard.press("Enter")
    expect(page.locator(".last")).to_contain_text("30 mm fan added")
    slip = page.locator("#slip")
    expect(slip.locator("h2")).to_have_text("30 mm fan")
    expect(slip).to_be_focused()
    expect(slip.get_by_label("What 30 mm fan is fed from")).to_have_value("rail-5")
    slip.get_by_label("Put in before it").select_option(label="Plug pair, 2.0 mm pitch, 3 A")
    expect(page.locator(".last")).to_contain_text("put in")
    expect(slip.locator("h2")).to_have_text("Plug pair, 2.0 mm pitch, 3 A")
    slip.get_by_role("button", name="Remove it").click()
    expect(page.locator(".last")).to_contain_text("removed")
    page.get_by_role("button", name="Add a part", exact=True).click()
    page.keyboard.type("bank 10 stays")
    expect(page.locator("#found li:visible").first).to_contain_text("as a store of its own")
    page.keyboard.press("Enter")
    expect(page.locator("#slip h2")).to_contain_text("Power bank, 10 Ah")
    expect(page.get_by_text("more store", exact=False)).to_have_count(0)
    page.keyboard.press("o")
    expect(page.locator("#map-drawing.strip")).to_contain_text("and 1 more store")
    page.get_by_role("button", name="Add a part", exact=True).click()
    page.keyboard.type("x86 mini board")
    expect(page.locator("#found li:visible").first).to_contain_text("cannot be added")


def test_a_table_of_parts_is_shown_line_by_line_before_it_is_taken(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/draw")
    page.fill(
        "#csv",
        "Part;Typical;Max;Vmin;Vmax;Rail\nBuzzer;80 mA;120 mA;3;5,5;5 V rail\n"
        "<b>Odd</b>;lots;;;;\nSensor;0,05;;3.0;3.5;3.3 V rail\n",
    )
    page.get_by_role("button", name="See what it holds").click()
    preview = page.locator("#table-preview")
    expect(preview).to_contain_text("left out")
    expect(preview).to_contain_text("“lots” is not a figure")
    expect(page.locator(".last")).to_have_count(0)
    line = preview.get_by_label("Line 3")
    line.fill("Odd; 0,2 W;;4;5,5;5 V rail")
    preview.get_by_role("button", name="Look again").click()
    preview.get_by_role("button", name="Take 3 parts").click()
    expect(page.locator(".last")).to_contain_text("3 parts taken from a table")
    expect(page.locator('tr[data-place="rail-33"] a', has_text="Sensor")).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("link", name="Take the parts away").click()
    assert "Buzzer" in download.value.path().read_text("utf-8-sig")


def test_the_baseline_shows_on_every_number_and_history_goes_back_and_branches(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/pack")
    ready(page)
    page.keyboard.press("m")
    expect(page.locator(".saved")).to_contain_text("compared with the mark")
    page.locator("#fe-packs-pack-parallel").fill("3")
    page.locator("#fe-packs-pack-parallel").press("Enter")
    for row in ("Runtime", "Energy", "Mass of the cells"):
        expect(page.get_by_role("row", name=re.compile(f"^{row}")).locator(".delta")).to_be_visible()
    expect(page.locator("#map-drawing .tank")).to_have_class(re.compile("changed"))
    page.locator("h1").click()
    page.keyboard.press("h")
    page.wait_for_url(re.compile("/history$"))
    page.get_by_role("link", name="compare").first.click()
    expect(page.locator("main")).to_contain_text("cells in parallel")
    oldest = page.locator(".revisions tbody tr").last
    oldest.get_by_role("textbox").fill("as it was lent out")
    oldest.get_by_role("button", name="keep").click()
    page.locator(".revisions tbody tr").last.get_by_role("button", name="go back").click()
    expect(page.locator(".revisions tbody tr").first).to_contain_text("Back to “as it was lent out”")
    page.locator(".revisions tbody tr").nth(1).get_by_role("button", name="copy as a variant").click()
    expect(page.locator("h1")).to_have_text("Sanderling, variant")
    expect(page.locator(".saved")).to_contain_text("0 changes")


def test_the_pack_is_chosen_from_all_that_fit_or_typed_from_its_wrapper(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/pack")
    packs = page.locator(".packs")
    expect(packs).to_contain_text("this build")
    rows = packs.locator("tbody tr")
    hours = [int(m[1]) * 60 + int(m[2]) for t in rows.all_inner_texts() if (m := re.search(r"(\d+) h (\d\d)", t))]
    assert hours == sorted(hours, reverse=True)
    rows.get_by_role("button").first.click()
    expect(page.locator(".last")).to_contain_text("in place of")
    page.get_by_text("Type a cell from its wrapper").click()
    form = page.locator("details.wrapper form").first
    form.get_by_label("Name").fill("Drawer cell, 9900 mAh it says")
    form.get_by_label("Capacity printed").fill("9900 mAh")
    form.get_by_role("button", name="Use this cell").click()
    expect(page.locator(".last")).to_contain_text("typed from its wrapper")
    expect(page.locator("#verdict")).to_contain_text("9.90 Ah")  # a promise no cell of that size keeps is found out


@pytest.mark.usefixtures("short_search")
def test_the_wide_search_shows_its_progress_and_can_be_stopped(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/pack")
    search = page.locator("#search")
    expect(page.locator(".later[aria-busy]")).to_have_count(0)  # nothing comes in above it and moves it under the pointer
    search.get_by_role("button", name="Search packs").click()
    expect(search.get_by_role("progressbar")).to_be_visible()
    search.get_by_role("button", name="Stop").click()
    expect(search.get_by_role("progressbar")).to_have_count(0)
    expect(search).to_contain_text(re.compile("[Ss]topped"))
    search.get_by_role("button", name="Go on from").click()
    expect(search.locator(".scatters")).to_be_visible(timeout=60_000)
    expect(search).to_contain_text(re.compile(r"[\d ]+ combinations judged, each with \d+ charge boards"))
    left, every = search.locator("[data-left]"), search.locator(".scatters svg").first.locator("circle").count()
    expect(left).to_have_text(str(every))
    rows = search.locator("tr[data-figures]:visible").count()
    drawing = search.locator(".scatters svg").first
    drawing.scroll_into_view_if_needed()
    box = drawing.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] - 4, box["y"] + 30)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] - 2, box["y"] + 70, steps=3)
    page.mouse.up()
    least = search.get_by_label("plays at least")
    assert 0 < int(left.inner_text()) < every
    for other in search.locator(".scatters svg").all():
        expect(other.locator("circle:not(.out)")).to_have_count(int(left.inner_text()))
    assert search.locator("tr[data-figures]:visible").count() < rows
    least.fill("0")
    expect(left).to_have_text(str(every))
    search.get_by_role("button", name="step through them").click()
    said = search.locator(".picked p").inner_text()
    hours = re.search(r": (\d+ h \d\d)", said)
    assert hours is not None
    search.get_by_role("button", name="Take it").click()
    expect(page.locator(".last")).to_contain_text(said.split(",")[0])
    expect(page.locator("#n-pack")).to_have_text(re.compile(hours[1][:-2]))


def test_units_are_a_preference_in_and_out(page: Page, site: str) -> None:
    page.goto(site)
    page.get_by_text("Preferences").click()
    page.get_by_label("Lengths").select_option("in")
    page.get_by_label("Temperatures").select_option("°F")
    page.get_by_role("button", name="Keep these units").click()
    page.goto(f"{site}/builds/{SOUND}/brief")
    thick = field(page, "brief/thickness_mm")
    expect(thick).to_have_value(re.compile(r"^1\.18\d* in$"))
    thick.fill("1")
    thick.press("Enter")
    expect(page.locator(".last")).to_contain_text("30 mm to 25.4 mm")
    expect(page.get_by_role("row", name=re.compile("^Thickness"))).to_contain_text("fails")
    room = field(page, "brief/room_c")
    expect(room).to_have_value("75.2 °F")


def test_both_schools_stand_side_by_side_and_the_other_is_a_click_away(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{FAILING}/rails")
    table = page.locator(".alternatives")
    expect(table).to_contain_text("this build")
    table.get_by_role("button", name="Go this way").click()
    expect(page.locator(".last")).to_contain_text("A charger and a boost, apart instead")
    expect(page.locator("#h-fewest")).to_contain_text("voltage")
    page.get_by_role("button", name=re.compile("Feed it there")).click()
    expect(page.locator(".last")).to_contain_text("fed from")


@pytest.mark.parametrize("station", ["brief", "draw", "rails", "pack"])
def test_every_figure_of_a_station_is_reached_by_keyboard(page: Page, site: str, station: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/{station}")
    page.wait_for_load_state("networkidle")
    reached = page.evaluate("""() => [...document.querySelectorAll(
        ['a', 'button', 'input', 'select', '[role=slider]', 'summary'].map(k => `#build ${k}`).join())]
      .filter(e => e.checkVisibility() && !e.disabled && !e.closest('dialog'))
      .filter(e => { e.focus(); return document.activeElement !== e; })
      .map(e => e.outerHTML.slice(0, 120))""")
    assert reached == []
