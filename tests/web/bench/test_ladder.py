"""The Bench station driven: the whole ladder of each demo build, a reading that is off, passed, taken back; a second unit."""

from __future__ import annotations

import re
from typing import Any

import pytest
from flask.testing import FlaskClient
from playwright.sync_api import Page, expect

from briskcell.core.assess import assess
from briskcell.core.bench.ladder import ladder
from briskcell.library import catalogue
from briskcell.services.demo import curlew, oystercatcher, sanderling
from tests.web.doors import SEEN, found_and_marked, post, stored

SERIES, FAILING, SOUND = 1, 2, 3


def typed(step: Any) -> str:
    """A reading as a builder types it."""
    if step.likely is None:
        return "OL"
    return f"{step.likely:.4f} {step.unit}"


@pytest.mark.parametrize(("build", "made"), [(SERIES, curlew), (FAILING, oystercatcher), (SOUND, sanderling)])
def test_the_whole_ladder_of_a_demo_build_is_climbed(client: FlaskClient, build: int, made: Any) -> None:
    steps = ladder(assess(made(), catalogue().stock()))
    before = stored(client, build)
    page = post(client, "unit", {"name": "First", "station": "bench"}, build).text
    assert f"0 of {len(steps)} proven" in page
    for n, step in enumerate(steps, start=1):
        assert step.title in page
        if step.live:
            assert n > sum(not s.live for s in steps[:n]), "what is live comes after what is not"
        value = {"reading": typed(step)} if step.unit else SEEN
        page = post(client, "reading", {"unit": "1", "step": step.key, "station": "bench"} | value, build).text
        assert f"{n} of {len(steps)} proven" in page, step.key
    assert "everything is proven" in page
    assert stored(client, build) == before, "the bench changes no plan"


def test_what_is_off_is_explained_passed_for_a_reason_and_taken_back(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SERIES}/bench")
    page.get_by_label("Name of this console").fill("The grey one")
    page.get_by_role("button", name="Begin").click()
    pads = len([s for s in ladder(assess(curlew(), catalogue().stock())) if s.stage == "pads"])
    for n in range(1, pads + 1):
        found_and_marked(page)
        expect(page.locator("#h-next")).to_contain_text(f"{n} of")
    box = page.get_by_role("textbox", name="Reading")
    box.fill("0.2")
    page.get_by_role("button", name="Take it").click()
    expect(page.locator("#h-next")).to_contain_text(f"{pads + 1} of")
    pads += 1  # and the leads of the meter
    box.fill("plenty")
    page.get_by_role("button", name="Take it").click()
    expect(page.get_by_role("alert").filter(has_text="plenty")).to_be_visible()
    expect(box).to_have_value("plenty")
    box.fill("2.4")
    page.get_by_role("button", name="Take it").click()
    expect(page.locator(".step")).to_contain_text("Off: 2.2 Ω.")
    expect(page.locator(".causes li").first).to_contain_text("cold joint")
    page.get_by_role("button", name="Pass it").click()
    expect(page.locator(".step")).to_contain_text("Off: 2.2 Ω.")  # a reason is asked for
    page.get_by_label("Go on in spite of it").fill("measured with long leads")
    page.get_by_role("button", name="Pass it").click()
    expect(page.locator("#h-next")).to_contain_text(f"{pads + 1} of")
    passed = page.locator(".rungs .passed")
    expect(passed).to_contain_text("passed: measured with long leads")
    passed.get_by_role("button", name="take back").click()
    expect(page.locator("#h-next")).to_contain_text(f"{pads} of")
    page.reload()
    expect(page.locator("#h-next")).to_contain_text(f"{pads} of")
    page.get_by_label("One more console").fill("The red one")
    page.get_by_role("button", name="Begin it").click()
    expect(page.locator("#h-next")).to_contain_text("The red one")
    expect(page.locator("#h-next")).to_contain_text("0 of")


def test_what_waits_is_refused_and_another_class_is_read_again(client: FlaskClient) -> None:
    post(client, "unit", {"name": "", "station": "bench"})
    steps = ladder(assess(sanderling(), catalogue().stock()))
    idle = next(s for s in steps if s.key == "idle:boost")
    early = post(client, "reading", {"unit": "1", "step": idle.key, "reading": "5.1 V"})
    assert early.status_code == 422
    assert "not proven yet" in early.text
    for step in steps:
        if step.key == "load:light":
            break
        post(client, "reading", {"unit": "1", "step": step.key, "reading": typed(step)} | ({} if step.unit else SEEN))
    page = client.get(f"/builds/{SOUND}/bench").text
    done = len([s for s in steps if s.stage not in ("loads", "charge")])
    assert f"{done} of {len(steps)} proven" in page
    post(client, "swap", {"part": "boost", "part_class": "boost-5v-8a"})
    page = client.get(f"/builds/{SOUND}/bench").text
    assert "Again, another class is there now." in page
    found = re.search(r"(\d+) of \d+ proven", page)
    assert found is not None
    assert int(found[1]) < done, "its pads, its shorts and its volts are asked again; wires and pack stay proven"
    assert int(found[1]) >= done - 8 - len([s for s in steps if s.stage == "under-load"]), "joints are tried with its resistor"
    for data, status in (
        ({"unit": "9", "step": idle.key}, 404),
        ({"unit": "1", "step": "nothing"}, 422),
        ({"unit": "1", "step": "pads:pack", "reason": "x"}, 422),
    ):
        assert post(client, "reading", data).status_code == status
    assert client.post(f"/builds/{SOUND}/reading", data={"unit": "1", "step": idle.key, "reading": "5"}).status_code == 400, (
        "no token"
    )


def test_a_reading_becomes_a_figure_and_stands_in_the_passport(client: FlaskClient) -> None:
    post(client, "unit", {"name": "The grey one", "station": "bench"})
    steps = ladder(assess(sanderling(), catalogue().stock()))
    by_key = {s.key: s for s in steps}
    for step in steps:
        if step.stage == "charge":
            break
        reading = typed(step)
        if step.key == "draw:board":  # the last part draws a tenth more than the plan foresaw
            with_it, without = step.likely or 0.0, by_key["draw:screen"].likely or 0.0
            reading = f"{without + 1.1 * (with_it - without):.5f} A"
        post(client, "reading", {"unit": "1", "step": step.key, "reading": reading} | ({} if step.unit else SEEN))
    before = sanderling().by_id["board"].draw.play  # type: ignore[attr-defined]
    page = post(client, "measured", {"unit": "1", "step": "draw:board", "station": "bench"}).text
    play = stored(client)["loads"][[p["id"] for p in stored(client)["loads"]].index("board")]["power_w"]["play"]
    assert play["likely"] == pytest.approx(1.1 * before.likely, rel=1e-3)
    assert (play["low"], play["high"]) == (pytest.approx(0.98 * play["likely"]), pytest.approx(1.02 * play["likely"]))
    assert play["grade"] == "measured"
    assert "unit The grey one" in play["source"]
    assert "draws 1.98 W in play, measured" in page
    assert post(client, "measured", {"unit": "1", "step": "load:board"}).status_code == 422
    post(client, "undo")
    sheet = client.get(f"/builds/{SOUND}/sheet?with=units").text
    assert "The grey one, 52 of 53 proven" in sheet
    assert "Indicator light with resistor in use: amps out of the pack" in sheet
    assert "The grey one" not in client.get(f"/builds/{SOUND}/sheet?with=cautions").text
