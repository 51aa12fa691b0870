"""The Day station driven: planned from an example, dragged, typed, plugged in as late as may be, into the weakest supply; undone."""

from __future__ import annotations

import re

from flask.testing import FlaskClient
from playwright.sync_api import Page, Route, expect

from briskcell.model.plan import plan_of
from tests.web.doors import post, stored
from tests.web.test_browser import field

SERIES, SOUND = 1, 3


def test_a_day_is_dragged_typed_and_undone(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/day")
    number = page.locator("#n-day")
    before = number.inner_text()
    handle = page.get_by_role("slider", name="Minutes of stretch 5, play")
    box = page.get_by_role("slider", name="Minutes of stretch 2, play").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 20)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2 + 200, box["y"] + 20, steps=5)
    page.mouse.up()
    expect(page.locator(".last")).to_contain_text(re.compile(r"Minutes: 119 min to 1\d\d min"))
    expect(number).not_to_have_text(before)
    handle.focus()
    held: list[Route] = []
    page.route("**/edit**", lambda route: held.append(route), times=1)
    handle.press("Shift+ArrowRight")
    while not held:
        page.wait_for_timeout(20)
    handle.press("ArrowRight")  # while the answer to the first is awaited, which draws the page anew
    held[0].continue_()
    expect(page.locator(".last")).to_contain_text("Minutes: 100 min to 101 min")
    typed = page.get_by_label("Typed")
    typed.fill("play 2h00, fly 1h00")
    page.get_by_role("button", name="Take it").click()
    expect(page.get_by_role("alert").filter(has_text="“fly 1h00” begins with none of")).to_be_visible()
    expect(typed).to_have_value("play 2h00, fly 1h00")
    typed.fill("play 20h00, off 1h00 plugged, play 20 min")
    page.get_by_role("button", name="Take it").click()
    expect(page.locator("#verdict > b").first).to_have_text("Fails")
    expect(page.locator(".surface")).to_contain_text("does not last Stops at")
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("#verdict > b").first).to_have_text("Holds")


def test_a_plug_is_put_in_as_late_as_may_be_and_into_the_weakest_supply(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SERIES}/day")
    page.get_by_role("button", name="A ferry crossing of 7 h").click()
    expect(page.locator("#verdict > b").first).to_have_text("Fails")
    expect(page.locator(".surface")).to_contain_text("the jack cuts the console out while it charges")
    page.get_by_label("Typed").fill("play 5h00, off 4h00 plugged, play 4h30")
    page.get_by_role("button", name="Take it").click()
    expect(page.locator("#verdict > b").first).to_have_text("Holds")
    page.locator("#h-plugs").scroll_into_view_if_needed()
    page.get_by_role("button", name="Plan it so").click()
    expect(page.locator(".last")).to_contain_text("plugged in as late as it may be, stretch 2")
    expect(page.locator("#verdict > b").first).to_have_text("Holds")
    later = field(page, "days/0/stretches/0/minutes")
    minutes = re.match(r"[\d.]+", later.input_value())
    assert minutes is not None
    later.fill(f"{float(minutes[0]) + 1} min")
    later.press("Enter")
    held = field(page, "days/0/stretches/1/minutes")
    left = re.match(r"[\d.]+", held.input_value())
    assert left is not None
    held.fill(f"{float(left[0]) - 1} min")
    held.press("Enter")
    expect(page.locator("#verdict > b").first).to_have_text("Fails")
    page.get_by_role("button", name="Undo").click()
    page.get_by_role("button", name="Undo").click()
    page.get_by_label("What stretch 2 is plugged into").select_option("")
    expect(page.locator("#plugs")).to_contain_text("never plugged in", timeout=20_000)
    page.get_by_label("What the console does in stretch 1").select_option("off")
    expect(page.locator(".last")).to_contain_text("stretch 1 is to off")


def test_days_are_kept_beside_each_other_and_odd_questions_refused(client: FlaskClient) -> None:
    post(client, "day", {"do": "add", "example": "A weekend away"})
    post(client, "day", {"do": "split", "day": "1", "at": "0"})
    plan = plan_of(stored(client, SOUND))
    assert [d.name for d in plan.days] == ["The morning crossing", "A weekend away"]
    assert [s.minutes for s in plan.days[1].stretches] == [90, 90, 1260, 180, 1080, 180]
    page = client.get(f"/builds/{SOUND}/day?day=1").text
    assert "The morning crossing" in page
    assert "9:00 on day 3" in page, "the weekend ends 48 h after nine"
    post(client, "day", {"do": "drop", "day": "1", "at": "0"})
    post(client, "day", {"do": "remove", "day": "0"})
    plan = plan_of(stored(client, SOUND))
    assert [(d.name, len(d.stretches)) for d in plan.days] == [("A weekend away", 5)]
    for data, status in (
        ({"do": "fly"}, 400),
        ({"do": "remove", "day": "9"}, 422),
        ({"do": "drop", "day": "0", "at": "x"}, 422),
        ({"do": "set", "day": "0", "at": "0", "plug": "mains"}, 422),
        ({"do": "set", "day": "0", "at": "0", "game": "x"}, 422),
        ({"do": "type", "day": "0", "text": "play 1h00," * 41}, 422),
        ({"do": "type", "day": "0", "text": "play 100h"}, 422),
    ):
        assert post(client, "day", data).status_code == status, data
    assert plan_of(stored(client, SOUND)) == plan
    head = client.get(f"/builds/{SOUND}/day").text
    revision = re.search(r'data-revision="[0-9a-f]{16}-([0-9a-f]{16})"', head)
    assert revision is not None
    assert client.get(f"/builds/{SOUND}/day/{revision[1]}/plugs?day=7").status_code == 404


def test_supplies_are_compared_and_a_wrong_figure_is_refused_beside_its_field(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/charge")
    page.locator("#h-supplies").scroll_into_view_if_needed()
    row = page.get_by_role("row", name=re.compile("USB supply 5 V, 0.9 A"))
    before = row.inner_text()
    page.get_by_label("From charge").fill("60 %")
    page.get_by_label("Enough is").fill("7h00")
    page.get_by_role("button", name="Work it out").click()
    expect(row).not_to_have_text(before)
    expect(page.locator("#supplies")).to_contain_text("7 h 00 of play begin at 7")
    page.get_by_label("From charge").fill("plenty")
    page.get_by_role("button", name="Work it out").click()
    expect(page.locator("#e-times")).to_contain_text("“plenty” is no charge")
    expect(row).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("^Power path"))).to_contain_text("this build")
