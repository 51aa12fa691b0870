"""Builds side by side: the figures of the stations, which does best, what differs, and the curves one over the other."""

from __future__ import annotations

import json
import re
from typing import Any

from flask.testing import FlaskClient
from playwright.sync_api import Page, expect

from briskcell.core.assess import assess
from briskcell.services.compare import Side, lines, parts, verdicts
from briskcell.services.demo import curlew, sanderling
from briskcell.web.compare import overlaid
from tests.web.doors import key


def test_the_best_of_each_number_is_named_and_what_both_have_is_left_out() -> None:
    sides = [Side(1, "Curlew", assess(curlew())), Side(2, "Sanderling", assess(sanderling()))]
    found = {line.name: line for line in lines(sides)}
    # Curlew holds four cells and more watt-hours, and Sanderling draws a third: it plays longer, and stays cooler.
    assert {n: set(line.best) for n, line in found.items()} == {
        "Plays": {1},
        "Charges in": {1},
        "Draws": {1},
        "Energy": {0},
        "Least spare": set(),
        "Resets over one pack": set(),
        "On the shelf": {0},
        "Skin of the case": {1},
        "Thickness needed": {1},
        "Mass": {1},
        "Cost of the parts": {1},
    }
    assert found["Energy"].shown == ("73.3 Wh", "36.7 Wh")
    first, second = verdicts(sides, list(found.values()))
    assert first == "Curlew holds most (73.3 Wh) and keeps its charge longest (1436 days); it meets every wish."
    assert second.startswith("Sanderling plays longest (9 h 48), is full soonest (7 h 04), ")
    differ = dict(parts(sides))
    assert differ["21700 energy cell, 5.0 Ah"] == (4, 2)
    assert "Class-D amplifier 3 W with small speaker" not in differ, "both have one"
    left, volts = overlaid(sides)
    for k, side in enumerate(sides):
        r = side.assessed.runtimes[0]
        drawn = [v for v in left["series"][k]["values"] if v is not None]
        assert drawn[0] == 100
        assert abs(drawn[-1] - r.stop_soc * 100) < 3
        hours = left["x"]["values"][len(drawn) - 1]
        assert r.hours is not None
        assert r.hours - 10 / 60 < hours <= r.hours + 1e-4
        assert abs(volts["series"][k]["values"][0] - float(side.assessed.op.flow.store_v(0)[1][0])) < 1e-3


def test_fewer_than_two_are_not_compared_and_one_that_cannot_be_read_is_left_out(client: FlaskClient) -> None:
    one, three = key(client, "build", "1"), key(client, "build", "3")
    for query in ("", f"?build={one}", f"?build={one}&build={one}", f"?build={one}&build={'9' * 16}", f"?build=x&build={one}"):
        assert client.get(f"/compare{query}").headers["Location"].endswith("/?few=1"), query
    page = client.get(f"/compare?build={one}&build={'9' * 16}&build={three}").get_data(as_text=True)
    assert "1 of the" in page
    assert len(re.findall(r"data-plot=", page)) == 2
    shown: list[Any] = [json.loads(p.replace("&#34;", '"')) for p in re.findall(r"data-plot='([^']*)'", page)]
    assert [s["label"] for s in shown[0]["series"]] == ["Curlew", "Sanderling"]


def test_builds_are_ticked_on_the_shelf_and_stand_side_by_side(page: Page, site: str) -> None:
    page.goto(site)
    page.get_by_label("Compare Curlew").check()
    page.get_by_role("button", name="Compare what is ticked").click()
    expect(page.get_by_role("alert")).to_contain_text("Tick two to four builds")
    page.get_by_label("Compare Curlew").check()
    page.get_by_label("Compare Sanderling").check()
    page.get_by_role("button", name="Compare what is ticked").click()
    expect(page.get_by_role("row", name=re.compile("Plays"))).to_contain_text("9 h 48, best")
    expect(page.locator(".plot canvas")).to_have_count(2)
    page.keyboard.press("Escape")
    expect(page.get_by_role("heading", name="Your builds")).to_be_visible()
