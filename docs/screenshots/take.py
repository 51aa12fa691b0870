"""Takes the pictures that the README links, from the demo builds."""

from __future__ import annotations

import tempfile
import threading
from pathlib import Path

import structlog
from playwright.sync_api import sync_playwright
from waitress.server import create_server

from briskcell.web import create_app

HERE = Path(__file__).parent
SOUND, FAILING, SERIES = 3, 2, 1
VIEWS = {
    "shelf": ("/", {}),
    "new": ("/new", {}),
    "draw": (f"/builds/{SOUND}/draw", {}),
    "rails": (f"/builds/{SERIES}/rails?state=peak&soc=40", {}),
    "rails-failing-dim": (f"/builds/{FAILING}/rails?state=peak&soc=30", {"theme": "dim"}),
    "pack": (f"/builds/{SOUND}/pack", {}),
    "charge": (f"/builds/{SOUND}/charge", {}),
    "slip-part": (f"/builds/{FAILING}/draw?slip=part:boost&state=peak", {}),
    "slip-working": (f"/builds/{SOUND}/pack?slip=working:runtime", {}),
    "bench-phone": (f"/builds/{FAILING}/pack", {"width": 390}),
}


def main() -> None:
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(50))
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        app = create_app(Path(folder))
        app.extensions["briskcell"].load_demo()
        server = create_server(app, host="127.0.0.1", port=0)
        threading.Thread(target=server.run, daemon=True).start()
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox", "--disable-gpu"])
        for name, (path, how) in VIEWS.items():
            context = browser.new_context(viewport={"width": how.get("width", 1280), "height": 800})
            site = f"http://127.0.0.1:{server.effective_port}"
            context.add_cookies([{"name": "theme", "value": how.get("theme", "day"), "url": site}])
            page = context.new_page()
            page.goto(site + path)
            page.wait_for_timeout(600)
            page.screenshot(path=HERE / f"{name}.png")
            context.close()
        browser.close()
        server.close()
        app.extensions["briskcell"].store.close()


if __name__ == "__main__":
    main()
