"""The map on the charger: what it says for each layout, use and supply, and how it is reached."""

from __future__ import annotations

import re

import pytest
from flask.testing import FlaskClient
from playwright.sync_api import Page, expect

from briskcell.core.assess import assess
from briskcell.drawing.map.plugged import sentence_of
from briskcell.library import catalogue
from briskcell.services.charge.at_socket import on_charger, sockets
from briskcell.services.demo import curlew, oystercatcher, sanderling

STOCK = catalogue().stock()


def test_the_sockets_are_the_builds_own_and_those_its_board_accepts() -> None:
    found = sockets(assess(sanderling(), STOCK))
    assert found[0].words == "USB supply 5 V, 3 A, with cable, by Switching charge board 1.5 A, power path"
    assert all(4.5 <= s.supply.voltage_v.likely <= 6.5 for s in found)
    assert len({s.key for s in found}) == len(found) > 2
    assert all(s.supply.voltage_v.likely >= 8.55 for s in sockets(assess(curlew(), STOCK))), "two in series need more than 5 V"


def test_energy_balances_on_a_power_path() -> None:
    a = assess(sanderling(), STOCK)
    on = on_charger(a, "charger", "play", 0.4)
    assert on is not None
    board, supply = on.socket.board, on.socket.supply
    flow, n = on.found.flow, len(a.op.network.loads)
    loads_w = float((flow.consumer_a[:n] * flow.consumer_v[:n]).sum())
    # In less what cable, charger, path, boards and wires lose is what loads and cells get; the charger says 0.9 or so of it.
    given_w = supply.voltage_v.likely * on.found.nodes[0].current_a
    got_w = loads_w + on.into_a * on.found.store_v
    assert 0.8 * given_w < got_w < 0.95 * given_w
    assert on.into_a == pytest.approx(board.current_a.likely)
    off = on_charger(a, "charger", "off", 0.4)
    assert off is not None
    assert off.left_h is not None
    assert off.left_h <= (on.left_h or 0.0)


def test_a_weak_supply_leaves_the_pack_less_and_takes_longer() -> None:
    a = assess(sanderling(), STOCK)
    strong, weak = on_charger(a, "charger", "play", 0.4), on_charger(a, "charger:usb-09", "play", 0.4)
    assert strong is not None
    assert weak is not None
    assert weak.found.nodes[0].current_a == pytest.approx(0.9, abs=0.01)
    assert weak.into_a < 0.5 * strong.into_a
    assert weak.left_h is None or weak.left_h > 2 * (strong.left_h or 0.0)


def test_each_layout_says_where_the_console_gets_its_power() -> None:
    builds = [assess(b(), STOCK) for b in (sanderling, oystercatcher, curlew)]
    words = {a.plan.name: sentence_of(a, on) for a in builds if (on := on_charger(a, "", "play", 0.4))}
    assert "straight from the socket" in words["Sanderling"]
    assert re.search(r"The pack still gives 0\.2\d A .* it empties, plugged in", words["Oystercatcher"])
    assert "The console is off: this layout cuts it out" in words["Curlew"]


def test_the_page_keeps_the_charger_in_its_addresses_and_a_build_without_one_says_so(client: FlaskClient) -> None:
    page = client.get("/builds/3/charge?state=plugged&use=off&by=charger:usb-09&soc=40").text
    assert "if it were USB supply 5 V, 0.9 A" in page
    assert "state=plugged&amp;use=off&amp;by=charger%3Ausb-09" in page
    odd = client.get("/builds/3/charge?state=plugged&use=nonsense&by=nothing")
    assert odd.status_code == 200
    assert "straight from the socket" in odd.text


def test_the_map_goes_on_the_charger_and_back_by_mouse_and_key(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/3/charge")
    page.get_by_text("On charger", exact=True).click()
    expect(page.locator("svg.plugged")).to_be_visible()
    expect(page.locator(".plugged-words")).to_contain_text("straight from the socket")
    page.get_by_label("The console meanwhile").select_option("off")
    expect(page.locator(".plugged-words")).not_to_contain_text("The console takes")
    page.get_by_label("Plugged into").select_option("charger:usb-09")
    expect(page.locator(".plugged-words")).to_contain_text("0.90 A of 0.90 A")
    page.locator("body").press("p")
    expect(page.locator("svg.plugged")).to_have_count(0)
    expect(page.locator("#map-drawing")).to_be_visible()
