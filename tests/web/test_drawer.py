"""The drawer on its page, a substitute taken from a slip, and what is still to buy."""

from __future__ import annotations

import re

from flask.testing import FlaskClient
from playwright.sync_api import Page, expect

from tests.web.doors import token

SOUND = 3


def test_parts_are_kept_and_a_wrong_figure_keeps_what_was_typed(page: Page, site: str) -> None:
    page.goto(site)
    page.get_by_role("link", name="Drawer").click()
    expect(page.get_by_text("The drawer is empty")).to_be_visible()
    page.get_by_label("Class").select_option("boost-5v-8a")
    page.get_by_label("How many", exact=True).fill("a few")
    page.get_by_label("Measured", exact=True).fill("5.08 V at 2 A")
    page.get_by_role("button", name="Put it in").click()
    expect(page.get_by_role("alert").filter(has_text="“a few” is no number of parts")).to_be_visible()
    expect(page.get_by_label("Measured", exact=True)).to_have_value("5.08 V at 2 A")
    page.get_by_label("How many", exact=True).fill("2")
    page.get_by_role("button", name="Put it in").click()
    row = page.get_by_role("row", name=re.compile("Boost board 5 V, 8 A"))
    expect(row.get_by_label("How many of")).to_have_value("2")
    page.goto(f"{site}/builds/{SOUND}/rails?slip=part:boost")
    page.get_by_role("button", name="Which other would do").click()
    expect(page.locator("#others")).to_contain_text("2 in the drawer")
    page.get_by_role("button", name=re.compile("Take it.*Boost board 5 V, 8 A")).click()
    expect(page.locator(".last")).to_contain_text("Boost board 5 V, 8 A switch in place of Boost board 5 V, 5 A switch")
    expect(page.locator("#verdict > b").first).to_have_text("Holds")
    page.goto(f"{site}/builds/{SOUND}/shopping")
    expect(page.get_by_role("row", name=re.compile("Boost board 5 V, 8 A"))).to_contain_text("nothing")


def test_the_doors_of_the_drawer(client: FlaskClient) -> None:
    assert client.post("/drawer", data={"part_class": "boost-5v-5a", "quantity": "1"}).status_code == 400, "no token"
    form = {"csrf_token": token(client)}
    assert client.post("/drawer", data=form | {"part_class": "no-such", "quantity": "1"}).status_code == 422
    assert client.post("/drawer/table", data=form).status_code == 422
    assert (
        client.post("/drawer", data=form | {"part_class": "boost-5v-5a", "quantity": "1", "measured": "<b>x</b>"}).status_code
        == 303
    )
    page = client.get("/drawer").text
    assert "<b>x</b>" not in page
    assert "&lt;b&gt;x&lt;/b&gt;" in page
    assert client.get(f"/builds/{SOUND}/substitutes/nothing").status_code == 404
    assert client.post("/drawer", data=form | {"part_class": "boost-5v-5a", "do": "out"}).status_code == 303
    assert "The drawer is empty" in client.get("/drawer").text


def test_what_the_library_says_today_is_offered_and_taken(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/library")
    expect(page.get_by_text("as the library has it today")).to_be_visible()
    page.goto(f"{site}/builds/{SOUND}/charge")
    current = page.locator('input[aria-describedby="e-chargers-charger-current_a"]').first
    current.fill("3 A")
    current.press("Enter")
    expect(page.locator(".last")).to_contain_text("3 A")
    page.goto(f"{site}/builds/{SOUND}/shopping")
    page.get_by_role("link", name="listed too").click()
    expect(page.get_by_role("row", name=re.compile("Switching charge board 1.5 A"))).to_contain_text("1.5")
    page.get_by_role("button", name=re.compile("Take the library")).click()
    expect(page.locator(".last")).to_contain_text("Switching charge board 1.5 A, power path in place of")
