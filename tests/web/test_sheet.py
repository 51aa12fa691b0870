"""The sheet: what it holds, sections and paper chosen, and that it prints without what belongs to the screen."""

from __future__ import annotations

import pytest
from flask.testing import FlaskClient
from playwright.sync_api import Page, expect

from briskcell.core.assess import assess
from briskcell.core.pack.rated import rated_wh
from briskcell.library import catalogue
from briskcell.model.plan import plan_of
from briskcell.services import sheet
from briskcell.services.demo import curlew, sanderling

STOCK = catalogue().stock()


def test_parts_are_counted_and_priced_and_wires_left_to_the_reel() -> None:
    lines = {line.name: line for line in sheet.part_lines(curlew())}
    cell = curlew().packs[0].cell
    assert lines[cell.name].count == 4
    assert not any(n.startswith("Wire ") for n in lines)
    priced = sum(line.cost or 0.0 for line in lines.values())
    assert priced == pytest.approx(166.0, abs=0.01), "what the shelf says that its parts cost"


def test_test_points_are_what_the_tree_solves_to() -> None:
    a = assess(sanderling(), STOCK)
    points = {p.name: p for p in sheet.test_points(a)}
    pack = points["Pack +"]
    assert pack.full_v == pytest.approx(4.17, abs=0.03)
    assert pack.full_v > pack.half_v > pack.end_v > 2.8
    boost = points["Boost board 5 V, 5 A switch OUT+"]
    assert (boost.full_v, boost.end_v) == (pytest.approx(5.1, abs=0.05), pytest.approx(5.1, abs=0.05))
    assert sheet.test_points(assess(plan_of({"name": "Empty"}), STOCK)) == ()


def test_thresholds_and_the_carriers_figure() -> None:
    said = dict(sheet.thresholds(assess(curlew(), STOCK)))
    assert said["Pack, cells empty"] == "6.00 V"
    assert said["Pack, protection cuts off"] == "5.60 V"
    assert said["Pack, protection ends a charge"] == "8.56 V"
    assert said["Low-battery lamp, two in series, 7.0 V, lights"] == "7.00 V"
    pack = curlew().packs[0]
    assert sheet.carrier_wh(curlew()) == pytest.approx(rated_wh(pack))
    assert rated_wh(pack) == pytest.approx(4 * pack.cell.label_ah.likely * 3.67, rel=0.03)
    assert sum(sheet.grades(curlew()).values()) > 50


def test_sections_and_paper_are_chosen_and_print_leaves_the_choosing_out(page: Page, site: str, client: FlaskClient) -> None:
    page.goto(f"{site}/builds/3/sheet")
    expect(page.get_by_role("heading", level=2)).to_have_count(len(sheet.SECTIONS) - 1)  # no unit is begun yet
    page.get_by_label("Paper").select_option("letter")
    for title in ("Cautions", "Order to build in"):
        page.get_by_label(title).uncheck()
    page.get_by_role("button", name="Show these").click()
    expect(page.get_by_role("heading", level=2)).to_have_count(len(sheet.SECTIONS) - 3)
    expect(page.locator(".sheet.letter")).to_have_count(1)
    page.emulate_media(media="print")
    expect(page.locator(".choose")).to_be_hidden()
    assert "A carrier asks for" in client.get("/builds/1/sheet").text
    assert client.get("/builds/1/sheet?with=nothing&paper=skin").text.count("<h2>") == len(sheet.SECTIONS) - 1
