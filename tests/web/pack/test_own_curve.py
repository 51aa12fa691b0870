"""A curve of its own for a pack's cells, pasted on the page."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from playwright.sync_api import Page, expect

SOUND = 3


def test_points_are_pasted_and_every_station_has_the_curve(page: Page, site: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/pack")
    played = page.locator("#n-pack").inner_text()
    page.get_by_text("Give its cells a curve of their own").click()
    points = page.get_by_label("A slow discharge of one cell")
    points.fill("0 4.15\nhalf 3.7")
    page.get_by_role("button", name="Use this curve").click()
    expect(page.locator("#e-curve")).to_contain_text("Line 2, “half 3.7”, is not figures.")
    expect(points).to_have_value("0 4.15\nhalf 3.7")
    points.fill("\n".join(f"{a:.2f} {4.16 - 1.2 * a / 4.4:.3f}" for a in np.linspace(0.0, 4.4, 23)))
    page.get_by_role("button", name="Use this curve").click()
    expect(page.locator("#e-curve-amps")).to_contain_text("current is missing")
    page.locator("input[name=amps]").fill("0.5 A")
    page.get_by_role("button", name="Use this curve").click()
    expect(page.locator(".last")).to_contain_text("a curve of 2")
    expect(page.locator("#n-pack")).not_to_have_text(played)
    expect(page.get_by_text("points of a slow discharge, typed by the builder")).to_be_visible()
    page.goto(f"{site}/builds/{SOUND}/charge")
    expect(page.locator("#n-charge")).not_to_have_text("7 h 04")


def test_a_discharge_that_was_logged_becomes_the_curve_by_one_press(page: Page, site: str, tmp_path: Path) -> None:
    # Two cells side by side give 1.9 A for five hours: 4.75 Ah each, from 4.15 V down to 2.75 V.
    rows = "".join(f"{60 * k},{4.15 - 1.4 * k / 300:.4f},-1.9\n" for k in range(301))
    file = tmp_path / "night.csv"
    file.write_text("time [s],voltage [V],current [A]\n" + rows)
    page.goto(f"{site}/builds/{SOUND}/log")
    page.get_by_label("Name of this console").fill("The grey one")
    page.get_by_role("button", name="Begin").click()
    page.get_by_label("CSV of any reasonable layout").set_input_files(file)
    page.get_by_role("button", name="Look at it").click()
    page.locator("form.laid select[name=kind]").select_option("discharge")
    page.get_by_role("button", name="Take it in").click()
    expect(page.locator(".log-line .measured")).to_have_count(1, timeout=8000)
    page.goto(f"{site}/builds/{SOUND}/bench")
    page.get_by_role("button", name="put its curve on the plan").click()
    expect(page.locator(".last")).to_contain_text("its cells have the curve of night.csv, 5.0")
    page.goto(f"{site}/builds/{SOUND}/pack")
    expect(page.get_by_text("unit The grey one").first).to_be_visible()
