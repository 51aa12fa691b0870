"""From a click to the repainted page, in a real browser on the loopback: median and 95th percentile on each station."""

from __future__ import annotations

import shutil
import tempfile
import threading
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, sync_playwright

from briskcell.drawing.stations import TITLES
from briskcell.web import create_app
from briskcell.web.doors import server_of

CLICKS = 20
CLICK = """async () => {
  const start = performance.now();
  const swapped = new Promise((done) => document.addEventListener("htmx:after:swap", done, { once: true }));
  document.querySelector("#at input[name=state]:not(:checked)").click();
  await swapped;
  await new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)));
  return performance.now() - start;
}"""


def of_station(page: Page, site: str, name: str) -> tuple[float, float]:
    page.goto(f"{site}/builds/3/{name}")
    page.wait_for_load_state("networkidle")
    taken = []
    for _ in range(CLICKS):
        taken.append(page.evaluate(CLICK))
        page.wait_for_timeout(120)
    return float(np.median(taken)), float(np.percentile(taken, 95))


def rows() -> list[tuple[str, str]]:
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        app = create_app(Path(folder))
        app.extensions["briskcell"].builds.load_demo()
        server = server_of(app, host="127.0.0.1", port=0)
        threading.Thread(target=server.run, daemon=True).start()
        browser = playwright.chromium.launch(
            executable_path=shutil.which("chromium-headless-shell") or "/usr/bin/chromium", args=["--no-sandbox", "--disable-gpu"]
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        site = f"http://127.0.0.1:{server.effective_port}"
        found = {title: of_station(page, site, name) for name, title in TITLES.items()}
        browser.close()
        app.extensions["briskcell"].close()
    worst = max(found.values(), key=lambda f: f[1])
    shown = ", ".join(f"{title} {median:.0f}" for title, (median, _) in found.items())
    return [
        ("click to repaint in the browser, median of each station", f"{shown} ms"),
        ("the worst of their 95th percentiles", f"{worst[1]:.0f} ms"),
    ]


if __name__ == "__main__":
    for row in rows():
        print(*row, sep=": ")
