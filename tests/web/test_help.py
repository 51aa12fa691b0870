"""The tour, the help of each station and the glossary."""

from __future__ import annotations

from flask.testing import FlaskClient
from playwright.sync_api import Page, expect

from briskcell.core.stations import STATIONS
from briskcell.web.help import GLOSSARY, HELP, TOUR


def test_every_station_says_what_it_decides_and_the_tour_is_short(client: FlaskClient) -> None:
    assert set(HELP) == set(STATIONS)
    assert len(TOUR) <= 5
    terms = [term for term, _ in GLOSSARY]
    assert terms == sorted(terms[:-1], key=str.lower) + terms[-1:], "in the order they are looked up; how it is known is last"
    page = client.get("/help").text
    assert all(h.decides in page for h in HELP.values())


def test_a_first_visit_is_shown_around_once(page: Page, site: str) -> None:
    page.goto(site)
    tour = page.get_by_label("A first look")
    expect(tour.locator("li")).to_have_count(len(TOUR))
    tour.get_by_role("button", name="Enough").click()
    expect(tour).to_have_count(0)
    page.goto(f"{site}/builds/3/pack")
    expect(page.get_by_label("A first look")).to_have_count(0)
    page.get_by_role("button", name="Help").click()
    expect(page.get_by_role("dialog")).to_contain_text(HELP["pack"].decides)
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)


def test_capacities_are_shown_and_read_in_milliampere_hours_where_that_is_preferred(client: FlaskClient) -> None:
    client.set_cookie("units", "mAh")
    page = client.get("/builds/3/pack").text
    assert "4900 mAh" in page or "5000 mAh" in page
