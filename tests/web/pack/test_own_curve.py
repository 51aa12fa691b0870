"""A curve of its own for a pack's cells, pasted on the page."""

from __future__ import annotations

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
