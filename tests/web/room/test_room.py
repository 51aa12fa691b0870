"""The Room station driven: a part dragged and the case's thickness answers, stepped, turned, laid by the search, sizes typed."""

from __future__ import annotations

import json

import pytest
from flask import Flask
from flask.testing import FlaskClient
from playwright.sync_api import Page, Route, expect

from briskcell.model.changes import altered, replaced
from briskcell.services.edits.values import Edit
from tests.web.doors import post, stored
from tests.web.test_browser import field

SOUND, FAILING = 3, 2


def test_a_part_is_dragged_and_the_case_and_its_state_answer(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/room")
    thick = page.locator("#n-room")
    before = thick.inner_text()
    block = page.get_by_role("button", name="Small four-core computer board: at")
    box = block.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 8, box["y"] + 8)
    page.mouse.down()
    page.mouse.move(box["x"] + 60, box["y"] + 20, steps=4)
    page.mouse.up()
    expect(page.locator(".last")).to_contain_text("Small four-core computer board laid at")
    height = field(page, "converters/boost/body/height_mm")
    height.fill("40")
    height.press("Enter")
    expect(thick).not_to_have_text(before)
    expect(page.locator(".clashes:not(.faces)")).to_contain_text("meet by")
    expect(page.locator("#verdict > b").first).to_have_text("Fails")
    page.get_by_role("button", name="Lay everything").click()
    expect(page.locator(".clashes:not(.faces)")).to_have_count(0)


def test_a_part_is_stepped_turned_and_taken_out_by_key(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/room")
    block = page.get_by_role("button", name="Bluetooth radio: at")
    lies = json.loads(block.get_attribute("data-block") or "{}")
    block.focus()
    held: list[Route] = []
    page.route("**/place", lambda route: held.append(route), times=1)
    block.press("ArrowRight")
    while not held:
        page.wait_for_timeout(20)
    block.press("Shift+ArrowUp")  # while the answer to the first is awaited, which draws the stack anew
    page.wait_for_timeout(400)  # and sent for by itself
    held[0].continue_()
    at = f"Bluetooth radio laid at {lies['x'] + 1:g} / {lies['y'] + 10:g} /"
    expect(page.locator(".last")).to_contain_text(at)
    page.get_by_role("button", name="Turn Bluetooth radio").click()
    expect(page.locator(".last")).to_contain_text("Bluetooth radio turned")
    page.get_by_role("button", name="Take out: Bluetooth radio").click()
    expect(page.locator("#h-stack ~ .note")).to_contain_text("Bluetooth radio")
    page.get_by_role("button", name="Work it out").click()
    expect(page.locator("#millimetres")).to_contain_text("The search lays everything in a case", timeout=40_000)


def test_places_and_sizes_are_refused_in_words(client: FlaskClient) -> None:
    odd = {"slot": "place", "station": "room"}
    assert post(client, "place", odd | {"part": "nothing", "x": "1", "y": "2"}).status_code == 422
    assert post(client, "place", odd | {"part": "board", "x": "far", "y": "2"}).status_code == 422
    assert post(client, "size", odd | {"part": "w-screen"}).status_code == 422
    assert post(client, "place", odd | {"part": "board", "x": "1", "y": "2", "z": "3"}).status_code == 200
    assert next(p for p in stored(client)["placed"] if p["part"] == "board")["z_mm"] == 3.0


def test_a_part_of_no_known_size_is_given_one_and_typed_over(client: FlaskClient, app: Flask) -> None:
    shop = app.extensions["briskcell"]
    shop.builds.change(
        SOUND,
        shop.builds.stands_at(SOUND),
        lambda a: Edit(replaced(a.plan, altered(a.plan.by_id["radio"], body=None, part_class="")), "x"),
    )
    page = " ".join(client.get(f"/builds/{SOUND}/room").text.split())
    assert "Without a size: Bluetooth radio" in page
    given = post(client, "size", {"part": "radio", "station": "room"})
    assert given.status_code == 200
    assert "Without a size" not in given.text
    body = next(p for p in stored(client, SOUND)["loads"] if p["id"] == "radio")["body"]
    assert {body["length_mm"], body["width_mm"], body["height_mm"]} == {40.0, 25.0, 8.0}
    assert post(client, "edit", {"path": "loads/radio/body/height_mm", "value": "0.3 in", "station": "room"}).status_code == 200
    assert next(p for p in stored(client, SOUND)["loads"] if p["id"] == "radio")["body"]["height_mm"] == pytest.approx(7.62)
    for wrong in ("pack", "nothing"):
        assert post(client, "size", {"part": wrong}).status_code == 422
