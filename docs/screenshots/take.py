"""Takes the pictures that the README links, from the demo builds."""

from __future__ import annotations

import shutil
import tempfile
import threading
from pathlib import Path

import numpy as np
import structlog
from playwright.sync_api import sync_playwright
from waitress.server import create_server

from briskcell.services.edits.values import set_value
from briskcell.services.log.entries import add_complaint, add_note, add_run
from briskcell.services.workshop import Workshop
from briskcell.store.runs import Appender
from briskcell.web import create_app

HERE = Path(__file__).parent
BROWSER = shutil.which("chromium-headless-shell") or "/usr/bin/chromium"
SOUND, FAILING, SERIES = 3, 2, 1
VIEWS = {
    "brief": (f"/builds/{SOUND}/brief", {}),
    "history": (f"/builds/{SERIES}/history?compare=1", {}),
    "map-open": (f"/builds/{SOUND}/rails?map=open", {}),
    "shelf": ("/", {}),
    "new": ("/new", {"then": ".promised"}),
    "draw": (f"/builds/{SOUND}/draw", {}),
    "rails": (f"/builds/{SERIES}/rails?state=peak&soc=40", {}),
    "pack": (f"/builds/{SOUND}/pack", {}),
    "charge": (f"/builds/{SOUND}/charge?state=plugged&soc=40", {}),
    "wiring": (f"/builds/{SERIES}/wiring", {}),
    "heat": (f"/builds/{FAILING}/heat", {"theme": "dim"}),
    "room": (f"/builds/{SOUND}/room", {}),
    "slip-part": (f"/builds/{FAILING}/draw?slip=part:boost&state=peak", {}),
    "day": (f"/builds/{SOUND}/day", {}),
    "bench": (f"/builds/{SOUND}/bench", {"press": "Begin", "then": ".bench-next"}),
    "bench-phone": (f"/builds/{SOUND}/bench", {"width": 390, "height": 844, "to": "h-next"}),
    "practice": (f"/builds/{SERIES}/practice?case=4&grade=2&log=vj~board~ground.on~w-pack~ground&do=give+up", {}),
    "compare": (f"/compare?build={SERIES}&build={FAILING}&build={SOUND}", {}),
    "log": (f"/builds/{SOUND}/log", {"logged": True}),
}


def edited(shop: Workshop) -> None:
    """A few changes of one build, for its history."""
    for path, text in (("loads/screen/settings/0/position", "85 %"), ("brief/hours", "2h30"), ("packs/pack/cell/health", "92 %")):
        base = shop.builds.open(SERIES).revision.id
        shop.builds.change(SERIES, base, lambda a, path=path, text=text: set_value(a.plan, path, text))
    shop._store.name(SERIES, 1, "as drafted for the long gallery")


def logged(shop: Workshop) -> None:
    """An evening's log of the unit that was begun on the bench."""
    unit = shop.benches._units.units(SOUND)[0].id
    add_note(shop.logs._log, unit, "New toggle switch, the old one was tired")
    add_complaint(shop.logs._log, shop.builds.open(SOUND).plan, unit, "loud", "", "screen goes black in the harbour fight")
    add_run(shop.logs._log, unit, "9h20", "stop", "platform game, half volume")
    curves = shop.builds.open(SOUND).assessed.op.curves[0]
    run = shop.benches._runs.add(
        unit, "discharge", "Discharge at 2 A", {"kind": "discharge", "quantity": "volts", "full": True, "below": 3.0}, "done"
    )
    t = np.arange(0.0, 20_000.0, 20.0)
    soc = 1.0 - t * 2.0 / 3600 / (0.96 * curves.capacity_ah)
    volts = np.interp(soc, curves.soc[::-1], curves.ocv_v[::-1]) - 2.4 * np.interp(soc, curves.soc[::-1], curves.steady_ohm[::-1])
    rows = np.stack([t, volts, np.full_like(t, 2.0), np.full_like(t, np.nan)], axis=1)[(soc > 0) & (volts > 3.0)]
    appender = Appender(shop.benches._runs.path(run))
    appender.add_many(rows)
    appender.close()
    shop.benches._runs.set(run, words="Ended below 3.00 V.")


def main() -> None:
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(50))
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        app = create_app(Path(folder))
        shop = app.extensions["briskcell"]
        shop.builds.load_demo()
        edited(shop)
        server = create_server(app, host="127.0.0.1", port=0)
        threading.Thread(target=server.run, daemon=True).start()
        browser = playwright.chromium.launch(executable_path=BROWSER, args=["--no-sandbox", "--disable-gpu"])
        for name, (path, how) in VIEWS.items():
            context = browser.new_context(viewport={"width": how.get("width", 1280), "height": how.get("height", 800)})
            site = f"http://127.0.0.1:{server.effective_port}"
            context.add_cookies([{"name": "theme", "value": how.get("theme", "day"), "url": site}])
            page = context.new_page()
            if "logged" in how:
                logged(shop)
            page.goto(site + path)
            page.wait_for_timeout(900)
            if "press" in how:
                page.get_by_role("button", name=how["press"]).click()
            if "then" in how:
                page.wait_for_selector(how["then"])
            if "to" in how:
                page.evaluate("(id) => document.getElementById(id).scrollIntoView()", how["to"])
                page.wait_for_timeout(200)
            page.screenshot(path=HERE / f"{name}.png")
            context.close()
        browser.close()
        server.close()
        app.extensions["briskcell"].close()


if __name__ == "__main__":
    main()
