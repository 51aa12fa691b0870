"""The real interface, driven as a builder drives it."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any
from unittest.mock import Mock

import pytest
from playwright.sync_api import Page, expect
from sqlalchemy.exc import OperationalError

from briskcell.core.stations import STATIONS

AXE = Path(__file__).parents[1] / "vendor" / "axe.min.js"
SOUND, FAILING, SERIES = 3, 2, 1


@pytest.fixture(autouse=True)
def clean_console(page: Page) -> Any:
    """No page may complain: a blocked script or style, a failed request or a broken module fails the test."""
    said: list[str] = []
    page.on("pageerror", lambda e: said.append(str(e)))
    page.on("console", lambda m: said.append(m.text) if m.type == "error" else None)
    yield
    assert [s for s in said if not re.search("status of (4|507)", s)] == []  # what was refused is refused by intent


def field(page: Page, path: str) -> Any:
    return page.locator(f'input[aria-describedby="e-{path.replace("/", "-")}"]')


# Whether all lies within a landmark counts as moderate, and is asked of every word of a page.
RULES = "resultTypes: ['violations'], rules: {'target-size': {enabled: true}, region: {enabled: false}}"


def serious(page: Page) -> list[str]:
    found = page.evaluate(f"axe.run(document, {{{RULES}}})")
    return [f"{v['id']}: {v['nodes'][0]['html'][:160]}" for v in found["violations"] if v["impact"] in ("serious", "critical")]


def test_an_edit_moves_the_spine_is_undone_and_comes_back_from_its_file(page: Page, site: str, tmp_path: Path) -> None:
    page.goto(f"{site}/builds/{SOUND}/draw")
    page.evaluate("window.samePage = true")
    runtime = page.locator("#n-pack")
    before = runtime.inner_text()
    screen = field(page, "loads/screen/power_w/play")
    screen.fill("2.2W")
    screen.press("Enter")
    expect(runtime).not_to_have_text(before)
    expect(screen).to_have_value("2.2 W")
    changed = runtime.inner_text()
    page.keyboard.press("Escape")
    page.locator("h1").click()
    page.keyboard.press("u")
    expect(runtime).to_have_text(before)
    expect(screen).to_have_value("1.1 W")
    page.keyboard.press("Shift+U")
    expect(runtime).to_have_text(changed)
    assert page.evaluate("window.samePage")
    page.reload()
    expect(page.locator("#n-pack")).to_have_text(changed)
    page.get_by_role("link", name="Export").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="Plan, .json").click()
    plan = tmp_path / "out.json"
    download.value.save_as(plan)
    page.goto(site)
    page.set_input_files("input[type=file]", plan)
    expect(page.locator("#n-pack")).to_have_text(changed)
    assert page.evaluate("fetch(location.pathname.replace('draw', 'plan.json')).then(r => r.json())") == json.loads(
        plan.read_text()
    )


def test_what_a_full_disk_did_not_keep_stays_typed_until_it_is_kept(page: Page, site: str, app: Any) -> None:
    page.goto(f"{site}/builds/{SOUND}/draw")
    store, screen = app.extensions["briskcell"]._store, field(page, "loads/screen/power_w/play")
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(store, "save", Mock(side_effect=OperationalError("", {}, Exception("database or disk is full"))))
        screen.fill("1.7 W")
        screen.press("Tab")
        expect(page.locator("#notice")).to_contain_text("The disk is full")
    expect(screen).to_have_value("1.7 W")
    expect(screen.locator("xpath=..").locator(".error")).to_have_text("Not saved.")
    screen.fill("1.8 W")
    screen.press("Tab")
    expect(page.locator("#notice")).to_be_empty()
    expect(screen.locator("xpath=..").locator(".error")).to_be_empty()
    assert store.head(SOUND).document["loads"][1]["power_w"]["play"]["likely"] == 1.8


def test_a_wrong_entry_is_told_beside_its_field_and_keeps_what_was_typed(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/draw")
    screen, board = field(page, "loads/screen/power_w/play"), field(page, "loads/board/power_w/play")
    screen.fill("bright")
    screen.press("Tab")
    expect(page.locator("#e-loads-screen-power_w-play")).to_contain_text("not a figure")
    expect(screen).to_have_attribute("aria-invalid", "true")
    board.fill("2,5 W")
    board.press("Enter")
    expect(page.locator(".last")).to_contain_text("1.8 W to 2.5 W")
    expect(screen).to_have_value("bright")
    screen.fill("1.4 W")
    screen.press("Enter")
    expect(page.locator("#e-loads-screen-power_w-play")).to_be_empty()
    expect(page.locator(".last")).to_contain_text("1.1 W to 1.4 W")


def test_quick_edits_one_after_another_all_count(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/draw")
    page.evaluate("""() => { for (const [id, text] of [['board', '2 W'], ['screen', '1.2 W'], ['sound', '0.3 W']]) {
        const input = document.getElementById(`fe-loads-${id}-power_w-play`);
        input.value = text; input.dispatchEvent(new Event('change', {bubbles: true})); } }""")
    expect(page.locator(".saved")).to_contain_text("3 changes")
    page.reload()
    for part, value in (("board", "2 W"), ("screen", "1.2 W"), ("sound", "0.3 W")):
        expect(field(page, f"loads/{part}/power_w/play")).to_have_value(value)


def test_two_tabs_put_different_changes_together_and_choose_where_they_meet(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/draw")
    other = page.context.new_page()
    other.goto(f"{site}/builds/{SOUND}/draw")
    field(page, "loads/screen/power_w/play").fill("1.5 W")
    field(page, "loads/screen/power_w/play").press("Enter")
    expect(page.locator(".saved")).to_contain_text("1 change")
    expect(other.locator("#newer")).to_contain_text("changed elsewhere", timeout=8000)
    field(other, "loads/board/power_w/play").fill("2 W")
    field(other, "loads/board/power_w/play").press("Enter")
    expect(other.locator("#notice")).to_contain_text("1.1 W to 1.5 W")
    expect(field(other, "loads/screen/power_w/play")).to_have_value("1.5 W")
    expect(field(other, "loads/board/power_w/play")).to_have_value("2 W")
    field(page, "loads/board/power_w/play").fill("3 W")
    field(page, "loads/board/power_w/play").press("Enter")
    expect(page.locator(".conflict")).to_contain_text("2 W")
    expect(page.locator(".conflict")).to_contain_text("3 W")
    expect(field(page, "loads/board/power_w/play")).to_have_value("2 W")
    page.get_by_role("button", name="Take mine").click()
    expect(page.locator(".conflict")).to_have_count(0)
    expect(field(page, "loads/board/power_w/play")).to_have_value("3 W")
    page.keyboard.press("u")
    expect(field(page, "loads/board/power_w/play")).to_have_value("2 W")


def test_from_four_answers_to_a_draft_and_from_a_verdict_to_its_fix(page: Page, site: str) -> None:
    page.goto(f"{site}/new")
    page.fill("#name", "Ruff")
    page.fill("#hours", "soon")
    page.get_by_role("button", name="Open this draft").click()
    expect(page.locator("#e-hours")).to_contain_text("not a figure")
    expect(page.locator("#name")).to_have_value("Ruff")
    page.fill("#hours", "5h30")
    page.locator("#hours").press("Tab")
    promise = page.locator("#promise")
    expect(promise).to_contain_text("Can be had.", timeout=20_000)
    promised = promise.locator("dd").first.inner_text()
    page.get_by_role("button", name="Open this draft").click()
    expect(page.locator("h1")).to_have_text("Ruff")
    expect(page.locator("#n-pack")).to_have_text(promised)
    expect(page.locator("#verdict")).to_contain_text("Holds")
    page.wait_for_load_state()
    page.keyboard.press("4")
    page.wait_for_url(re.compile("/pack$"))
    warning = field(page, "shutdown/warning_v")
    warning.fill("2.7 V")
    warning.press("Enter")
    expect(page.locator("#verdict b").first).to_have_text("Fails")
    page.locator("#verdict").get_by_role("button", name="Try it").first.click()
    expect(page.locator("#verdict")).not_to_contain_text("comes too late")
    page.locator("h1").click()
    page.keyboard.press("u")
    expect(page.locator("#verdict")).to_contain_text("comes too late")


def test_a_build_begins_from_the_parts_at_hand_and_says_which_does_not_fit(page: Page, site: str) -> None:
    page.goto(f"{site}/new?way=parts")
    page.fill("#name", "Dunlin")
    page.select_option("#screen", "")
    page.select_option("#board", "board-x86")
    promise = page.locator("#promise")
    expect(promise).to_contain_text("no board makes it from this pack", timeout=20_000)
    page.get_by_role("button", name="Open this draft").click()
    expect(page.locator("#e-board")).to_contain_text("no board makes it from this pack")
    page.select_option("#board", "board-small4")
    expect(promise.locator("dl")).to_contain_text("h ", timeout=20_000)
    promised = promise.locator("dd").first.inner_text()
    page.get_by_role("button", name="Open this draft").click()
    expect(page.locator("h1")).to_have_text("Dunlin")
    expect(page.locator("#n-pack")).to_have_text(promised)


def test_mend_all_shows_its_changes_before_they_are_taken_in_one_step(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{FAILING}/pack")
    page.get_by_role("button", name="Mend all").click()
    found = page.locator(".mended")
    expect(found).to_contain_text("Mended whole", timeout=45_000)
    expect(found.locator("ol li").first).to_be_visible()
    expect(found.get_by_role("row", name=re.compile("^Fails"))).to_contain_text("0")
    expect(page.locator("#verdict > b").first).to_have_text("Fails")
    found.get_by_role("button", name="Take all").click()
    expect(page.locator("#verdict > b").first).not_to_have_text("Fails")
    expect(page.locator(".last")).to_contain_text("Mend all")
    page.locator("h1").click()
    page.keyboard.press("u")
    expect(page.locator("#verdict > b").first).to_have_text("Fails")


def test_keys_move_the_map_and_open_slips_without_a_mouse(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/rails")
    volts = page.locator(".map .vl").first
    before = volts.text_content() or ""
    page.keyboard.press(",")
    expect(page.locator("#at output")).to_contain_text("65 %")
    expect(volts).not_to_have_text(before)
    page.keyboard.press("p")
    expect(page.locator("input[name=state]:checked")).to_have_value("peak")
    page.keyboard.press("/")
    page.keyboard.type("spare of boost")
    page.keyboard.press("Enter")
    expect(page.locator("#slip h2")).to_contain_text("Spare of Boost board")
    expect(page.locator("#slip")).to_be_focused()
    expect(page.locator("#slip .movers li")).to_have_count(2)
    page.keyboard.press("Escape")
    expect(page.locator("#slip")).to_have_count(0)
    page.keyboard.press("m")
    expect(page.locator(".saved")).to_contain_text("compared with the mark")
    output = field(page, "converters/boost/output_v")
    output.focus()
    output.press("ArrowDown")
    expect(page.locator(".last")).to_contain_text("5.1 V to 5 V")
    expect(page.locator(".delta:visible").first).to_be_visible()
    page.locator("h1").click()
    page.keyboard.press("?")
    expect(page.locator("#keys")).to_be_visible()


def test_the_slip_grades_a_figure_and_asks_for_its_source(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/draw?slip=part:screen")
    known = page.locator("#slip .known").nth(1)
    known.locator("summary").click()
    known.locator("select").select_option("measured")
    known.get_by_label("Source").fill("")
    known.get_by_role("button", name="Keep").click()
    expect(known.locator(".error")).to_contain_text("source")
    known.get_by_label("Source").fill("meter, three levels")
    known.get_by_role("button", name="Keep").click()
    expect(known.locator(".error")).to_contain_text("needs the range")
    known.get_by_label("Range").fill("1.0..1.1..1.3 W")
    known.get_by_label("On the day").fill("2026-11-20")
    known.get_by_role("button", name="Keep").click()
    expect(page.locator(".last")).to_contain_text("now measured")


BARRED = {
    "stations": [f"/builds/{FAILING}/{s}" for s in STATIONS],
    "slips": [
        f"/builds/{FAILING}/draw?slip=part:boost",
        f"/builds/{SOUND}/pack?slip=working:runtime",
        f"/builds/{SOUND}/rails?slip=swap:boost:boost-5v-3a",
        f"/builds/{SOUND}/rails?map=open&slip=part:pack",
        f"/builds/{SOUND}/charge?state=plugged",
    ],
    "others": [
        "/",
        "/new",
        "/help",
        "/builds/999/draw",
        f"/builds/{SOUND}/history?compare=3",
        f"/builds/{SOUND}/labels",
        f"/builds/{SOUND}/sheet",
        f"/builds/{SERIES}/practice?case=4&grade=2&do=give+up",
        "/devices",
        "/backup",
    ],
    "a console": ["log", "bench", "pins"],
}

COLOURED = ("draw", "rails", "pack", "heat", "room", "log", "part:boost", "working:runtime", "/", "compare=3", "sheet", "/devices")


@pytest.mark.parametrize("group", sorted(BARRED))
def test_no_page_has_a_serious_barrier(page: Page, site: str, group: str) -> None:
    """Each page in the day theme; in the dim one those that have colours of their own, and only what hangs on these."""
    page.add_init_script(path=AXE)
    if group == "a console":
        page.goto(f"{site}/builds/{SOUND}/log")
        page.get_by_role("button", name="Begin").click()
        page.locator("[name=hours]").fill("7h20")
        page.get_by_role("button", name="Log it").first.click()
        page.locator("select[name=when]").select_option("loud")
        page.get_by_role("button", name="Write it down").first.click()
        expect(page.locator(".suspected")).to_be_visible()
        page.goto(f"{site}/builds/{SOUND}/pins")
        page.get_by_label("Its pads").fill("1 2 3")
        page.get_by_role("button", name="Begin").click()
        expect(page.locator(".step")).to_be_visible()
    for path in BARRED[group] if group != "a console" else [f"/builds/{SOUND}/{s}" for s in BARRED[group]]:
        page.goto(site + path)
        assert serious(page) == [], path
        if not path.endswith(COLOURED):
            continue
        page.evaluate("document.documentElement.dataset.theme = 'dim'")
        assert page.evaluate("axe.run(document, {runOnly: ['color-contrast']}).then(r => r.violations.length)") == 0, path


@pytest.mark.parametrize(("width", "height", "most"), [(1280, 800, 330), (820, 1100, 500), (390, 844, 700), (640, 400, 460)])
def test_the_verdict_and_the_first_decision_stand_within_the_first_screen(
    page: Page, site: str, width: int, height: int, most: int
) -> None:
    """640 by 400 is 1280 by 800 at 200 %; there the verdict has to begin and end within it, the decision right below."""
    words = {1280: "wide", 820: "narrow", 640: "narrow", 390: "phone"}
    page.context.add_cookies([{"name": "map_width", "value": words[width], "url": site}])
    page.set_viewport_size({"width": width, "height": height})
    for build, station in ((FAILING, "draw"), (SOUND, "charge"), (FAILING, "pack")):
        page.goto(f"{site}/builds/{build}/{station}")
        expect(page.locator("#verdict")).not_to_contain_text("Looking for what mends it", timeout=20_000)  # then it is put anew
        foot = page.locator("#verdict").bounding_box()
        first = page.locator(".surface h2:not(.sr-only)").first.bounding_box()
        assert foot is not None
        assert first is not None
        assert foot["y"] + foot["height"] <= min(height, most), station
        assert first["y"] <= most, station
    if width == 1280:
        page.locator("#h-search").scroll_into_view_if_needed()
        assert page.evaluate("scrollY") > 300
        kept = page.locator("#verdict").bounding_box()
        assert kept is not None
        assert 0 < kept["y"] < 330, "strip and verdict stay while the surface scrolls"


def test_no_page_is_clipped_at_the_bench(page: Page, site: str) -> None:
    page.set_viewport_size({"width": 390, "height": 800})
    for path in ("/", "/new", "/help", *(f"/builds/{FAILING}/{s}" for s in (*STATIONS, "history", "labels"))):
        page.goto(site + path)
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth"), path
