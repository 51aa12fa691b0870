"""A console as it was measured: one switch, and every page answers for it; what was read goes into the plan in one press and back."""

from __future__ import annotations

import math
import re

import numpy as np
import pytest
from flask import Flask
from flask.testing import FlaskClient
from playwright.sync_api import Page, expect

from briskcell.core.assess import assess
from briskcell.core.bench.ladder import ladder
from briskcell.library import catalogue
from briskcell.model.errors import FigureError
from briskcell.model.plan import plan_of
from briskcell.services.bench.proof import class_of
from briskcell.services.demo import sanderling
from briskcell.services.log.typed import typed_rows
from briskcell.services.workshop import Workshop
from tests.web.doors import key, post, revision, stored

SOUND = 3
HUNGRY = 1.25  # of its planned amps, that every part of this console draws


def read(shop: Workshop, unit: int) -> int:
    """Every step of the ladder as a meter reads it on a console whose parts draw a quarter more; how many."""
    plan = sanderling()
    steps = ladder(assess(plan, catalogue().stock()))
    for step in steps:
        value = 1.0 if not step.unit else step.likely if step.likely is not None else 1e9
        if step.key.startswith("draw:"):
            value = HUNGRY * (step.likely or 0.0)
        shop.benches._units.take(
            unit, step.key, value, "" if step.holds(value) or not step.unit else "so it is", class_of(plan, step)
        )
    return len(steps)


def hours(text: str) -> float:
    """Hours as a page shows them."""
    found = re.search(r"(\d+)\s*h\s*(\d\d)", text.replace("\xa0", " "))
    assert found is not None, text
    return int(found[1]) + int(found[2]) / 60


def spine(client: FlaskClient, name: str, query: str = "") -> str:
    page = client.get(f"/builds/{SOUND}/pack{query}").text
    return " ".join(re.search(rf'id="n-{name}">(.*?)</', page, re.S)[1].split())  # type: ignore[index]


def test_every_page_answers_for_the_console_that_is_chosen(client: FlaskClient, app: Flask) -> None:
    shop: Workshop = app.extensions["briskcell"]
    unit = shop.benches._units.add(SOUND, "grey")
    planned = hours(spine(client, "pack"))
    post(client, "log", {"unit": str(unit), "station": "log", "do": "run", "hours": "7h20", "end": "stop"})
    name = key(client, "unit", str(unit))
    as_grey = f"?console={name}"
    assert hours(spine(client, "pack")) == planned, "the plan stays as it is"
    own = hours(spine(client, "pack", as_grey))
    assert own == pytest.approx(7 + 20 / 60, rel=0.01)
    page = client.get(f"/builds/{SOUND}/pack{as_grey}").text
    assert "Sanderling, grey as measured" in page
    assert re.search(rf'value="{name}"\s+checked', page)
    for station in ("brief", "draw", "rails", "charge", "day", "wiring", "heat", "room", "bench", "log"):
        answer = client.get(f"/builds/{SOUND}/{station}{as_grey}")
        assert answer.status_code == 200
        assert "grey as measured" in answer.text, station
        assert "could not be shown" not in answer.text, station
    sheet = client.get(f"/builds/{SOUND}/sheet{as_grey}").text
    assert "grey as measured" in sheet
    assert sheet != client.get(f"/builds/{SOUND}/sheet").text
    gauge = client.get(f"/builds/{SOUND}/exports/gauge-c{as_grey}")
    assert gauge.status_code == 200
    assert gauge.data != client.get(f"/builds/{SOUND}/exports/gauge-c").data
    beside = client.get(f"/builds/{SOUND}/standing/{revision(client)}?unit={name}").text.replace("\xa0", " ")
    assert re.search(r'id="both-pack"[^>]*>grey 7 h 2\d<', beside), "both where they differ by more than the range"
    assert re.search(r'id="n-log"[^>]*>7 h 20 of 9 h 48<', beside)
    seen = client.get(f"/builds/{SOUND}/standing/{revision(client)}?console={name}").text.replace("\xa0", " ")
    assert re.search(r'id="both-pack"[^>]*>plan 9 h 48<', seen)
    sure = client.get(f"/builds/{SOUND}/sure/{revision(client)}{as_grey}").text.replace("\xa0", " ")
    assert re.search(r"It plays <b>(6 h 5|7 h 0)\d to 7 h [34]\d", " ".join(sure.split()))


def test_an_edit_on_a_console_changes_its_plan_by_that_alone(client: FlaskClient, app: Flask) -> None:
    shop: Workshop = app.extensions["briskcell"]
    unit = shop.benches._units.add(SOUND, "grey")
    post(client, "log", {"unit": str(unit), "station": "log", "do": "run", "hours": "7h20", "end": "stop"})
    name, before = key(client, "unit", str(unit)), stored(client)
    answer = post(
        client, "cells", {"pack": "pack", "part_class": "cell-21700-e50", "parallel": "3", "station": "pack", "console": name}
    )
    assert answer.status_code == 200
    after = stored(client)
    assert after["packs"][0]["parallel"] == 3
    assert after["loads"] == before["loads"], "what was learned of its draws is not put in by the way"
    assert after["evidence"] == []
    assert hours(" ".join(re.search(r'id="n-pack">(.*?)</', answer.text, re.S)[1].split())) == pytest.approx(11.0, rel=0.05)  # type: ignore[index]


def test_thirty_seven_readings_go_into_the_plan_in_one_press_and_back_in_another(page: Page, site: str, app: Flask) -> None:
    shop: Workshop = app.extensions["briskcell"]
    unit = shop.benches._units.add(SOUND, "grey")
    count = read(shop, unit)
    page.goto(f"{site}/builds/{SOUND}/bench")
    expect(page.locator("#h-next")).to_contain_text(f"{count} of {count} proven")
    expect(page.locator("#n-bench")).to_have_text(f"{count} of {count}")
    expect(page.locator("#h-after")).to_be_visible()
    before = hours(page.locator("#n-pack").inner_text())
    expect(page.locator("#both-pack")).to_contain_text("grey 7 h")
    page.get_by_role("button", name="readings").click()
    expect(page.locator("#n-pack")).not_to_have_text(f"{int(before)} h {round(before % 1 * 60):02d}")
    after = hours(page.locator("#n-pack").inner_text())
    assert after == pytest.approx(before / HUNGRY, rel=0.03), "a quarter more amps, by hand"
    plan = shop.builds.open(SOUND).plan
    assert {p.draw.play.grade for p in plan.loads} == {"measured"}
    assert "unit grey" in plan.loads[0].draw.play.source
    reach = shop.builds.open(SOUND).assessed.runtime_range
    assert reach is not None
    assert (reach.high - reach.low) / 2 / reach.likely < 0.14, "known now"
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("#n-pack")).to_have_text(re.compile(rf"{int(before)}\s*h\s*{round(before % 1 * 60):02d}"))
    assert {p.draw.play.grade for p in shop.builds.open(SOUND).plan.loads} == {"typical"}


def test_some_are_ticked_and_runs_are_taken_with_their_evidence(client: FlaskClient, app: Flask) -> None:
    shop: Workshop = app.extensions["briskcell"]
    unit = shop.benches._units.add(SOUND, "grey")
    read(shop, unit)
    post(client, "log", {"unit": str(unit), "station": "log", "do": "run", "hours": "7h00", "end": "stop"})
    assert post(client, "take-in", {"unit": str(unit), "take": "nothing"}).status_code == 422
    assert post(client, "take-in", {"unit": str(unit), "take": "draw:board", "station": "log"}).status_code == 200
    plan = plan_of(stored(client))
    grades = {p.id: p.draw.play.grade for p in plan.loads}
    assert grades.pop("board") == "measured"
    assert set(grades.values()) == {"typical"}, "one was ticked"
    answer = post(client, "take-in", {"unit": str(unit), "take": "runs", "station": "log"})
    assert answer.status_code == 200
    assert hours(" ".join(re.search(r'id="n-pack">(.*?)</', answer.text, re.S)[1].split())) == pytest.approx(7.0, rel=0.02)  # type: ignore[index]
    kept = stored(client)["evidence"]
    assert len(kept) == 1
    assert "grey" in kept[0]["words"]
    assert kept[0]["off"] == pytest.approx(0.03)


def test_whole_readings_testers_and_typed_rows_count(client: FlaskClient, app: Flask) -> None:
    shop: Workshop = app.extensions["briskcell"]
    unit = str(shop.benches._units.add(SOUND, "grey"))
    name = key(client, "unit", unit)
    asked = {"unit": unit, "station": "log"}
    for wrong in (
        {"do": "whole", "watts": "plenty"},
        {"do": "tested", "ah": "0 mAh", "of": "cell"},
        {"do": "rows", "rows": "0:00 4.1"},
    ):
        assert post(client, "log", asked | wrong).status_code == 422
    planned = assess(sanderling(), catalogue().stock())
    play_w = float(planned.op.flow.store_v(0)[1, planned.op.half] * planned.op.flow.branch_a[1, planned.op.half, 0])
    assert post(client, "log", asked | {"do": "whole", "watts": f"{1.3 * play_w:.3f} W", "state": "play"}).status_code == 200
    by_watts = hours(spine(client, "pack", f"?console={name}"))
    assert by_watts == pytest.approx(9.8 / 1.3, rel=0.04)
    post(client, "log", asked | {"do": "tested", "ah": "3900 mAh", "of": "cell"})
    less = hours(spine(client, "pack", f"?console={name}"))
    assert 0.80 * by_watts < less < 0.95 * by_watts, "a tester's counter counts, though less than a meter's"
    post(client, "log", asked | {"do": "leave", "entry": "1", "why": "meter"})
    post(client, "log", asked | {"do": "leave", "entry": "2", "why": "meter"})
    assert hours(spine(client, "pack", f"?console={name}")) == pytest.approx(9.8, rel=0.01)
    t, volts = np.linspace(0, 6.0, 13), np.linspace(4.15, 3.05, 13)
    rows = "\n".join(f"{int(h)}:{round(h % 1 * 60):02d} {v:.2f} {4.6 / v:.3f}" for h, v in zip(t, volts, strict=True))
    assert post(client, "log", asked | {"do": "rows", "rows": rows, "full": "yes", "title": "A grey day"}).status_code == 200
    assert hours(spine(client, "pack", f"?console={name}")) == pytest.approx(6.0, rel=0.03)


def test_typed_rows_by_hand() -> None:
    rows = typed_rows("time V A\n0:00 4,10 0.80\n0:30 3.9 0.84\n1:00:30 3.7 0.9")
    assert rows[:, 0].tolist() == [0.0, 1800.0, 3630.0]
    assert rows[:, 1:3].tolist() == [[4.1, 0.8], [3.9, 0.84], [3.7, 0.9]]
    assert math.isnan(rows[0, 3])
    for text, says in (
        ("0 4.1\n5 4.0", "2 readings"),
        ("0 4.1\n5 4.0\n4 3.9", "Reading 3 is not later"),
        ("0 4.1\n5 99\n9 3.9", "Line 2"),
        ("0 4.1\n5 4.0 x3\n9 3.9", "Line 2"),
    ):
        with pytest.raises(FigureError, match=says):
            typed_rows(text)
