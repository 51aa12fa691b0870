"""The page of a board that nobody knows, driven: pads begun, read in their order, marked on a photograph."""

from __future__ import annotations

import io

from flask import Flask
from PIL import Image
from playwright.sync_api import Page, expect

from briskcell.services.log.entries import add_photo
from briskcell.services.workshop import Workshop

SOUND = 3


def test_pads_are_read_in_their_order_and_marked(page: Page, site: str, app: Flask, tmp_path) -> None:  # type: ignore[no-untyped-def]
    shop: Workshop = app.extensions["briskcell"]
    page.goto(f"{site}/builds/{SOUND}/pins")
    expect(page.locator(".empty")).to_contain_text("Begin a console on the bench first")
    unit = shop.benches._units.add(SOUND, "grey")
    body = io.BytesIO()
    Image.new("RGB", (320, 240), (40, 90, 60)).save(body, "JPEG")
    (tmp_path / "board.jpg").write_bytes(body.getvalue())
    add_photo(shop.logs._log, unit, tmp_path / "board.jpg", "its back")
    page.reload()
    page.get_by_label("Its pads").fill("1")
    page.get_by_role("button", name="Begin").click()
    expect(page.get_by_role("alert").filter(has_text="That is 1 pads")).to_be_visible()
    page.get_by_label("Its pads").fill("1 2 B+")
    page.get_by_role("button", name="Begin").click()
    step = page.locator(".step")
    for pad, text in (("1", "0.2"), ("2", "900"), ("B+", "2k")):
        expect(step).to_contain_text(f"{pad}: ohms to the shell")
        page.get_by_label("Reads").fill(text)
        page.get_by_role("button", name="Take it").click()
    expect(step).to_contain_text("2: diode range")
    page.get_by_label("Reads").fill("plenty")
    page.get_by_role("button", name="Take it").click()
    expect(page.get_by_role("alert").filter(has_text="plenty")).to_be_visible()
    page.get_by_label("Reads").fill("0.6")
    page.get_by_role("button", name="Take it").click()
    expect(step).to_contain_text("B+: diode range")
    page.get_by_label("Reads").fill("0.4")
    page.get_by_role("button", name="Take it").click()
    expect(page.locator(".caution")).to_contain_text("Feed B+ with 3.30 V held to 0.1 A")
    row = page.locator("tbody tr").filter(has_text="B+")
    expect(row).to_contain_text("supply")
    page.get_by_label("Photograph").select_option("its back")
    page.get_by_role("button", name="Show it").click()
    page.get_by_label("B+, from the left, of 100").focus()
    box = page.locator("svg.pad-photo").bounding_box()
    assert box is not None
    page.locator("svg.pad-photo").click(position={"x": box["width"] * 0.25, "y": box["height"] * 0.5})
    expect(page.locator("svg.pad-photo circle")).to_have_count(1)
    expect(page.get_by_label("B+, from the left, of 100")).to_have_value("25")
    expect(page.get_by_label("B+, from the top, of 100")).to_have_value("50")
    page.reload()
    expect(page.locator("svg.pad-photo text")).to_have_text("B+")
