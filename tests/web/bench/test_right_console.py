"""The right console and the right step: every key and button keeps the console that is looked at, a step opens with a field of its
own, who is elsewhere follows; what began outside the store is told on every page.
"""

from __future__ import annotations

import re
import socket
import subprocess
import sys
import time
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from flask import Flask
from flask.testing import FlaskClient
from playwright.sync_api import Browser, Page, expect

from briskcell.formats.plan_json import write_plan
from briskcell.instruments.description import standard
from briskcell.services.backups.taking import back_up
from briskcell.services.demo import sanderling
from briskcell.services.workshop import Workshop
from briskcell.web import exports
from tests.web.doors import SEEN, base, found_and_marked, key, post, token

SOUND = 3


def begin(page: Page, site: str, name: str) -> None:
    page.goto(f"{site}/builds/{SOUND}/bench")
    field = page.get_by_label("Name of this console").or_(page.get_by_label("One more console"))
    field.fill(name)
    page.get_by_role("button", name=re.compile("^Begin( it)?$")).click()
    expect(page.locator("#h-next")).to_contain_text(name)


def test_every_key_and_button_keeps_the_console_that_is_looked_at(page: Page, site: str, app: Flask) -> None:
    begin(page, site, "The grey one")
    begin(page, site, "The red one")
    heading = page.locator("#h-next")
    page.get_by_role("link", name="The grey one").click()
    expect(heading).to_contain_text("The grey one")
    for pressed in ("p", "m", "m", ",", "."):
        page.locator("body").press(pressed)
        page.wait_for_timeout(250)
        expect(heading).to_contain_text("The grey one")
    found_and_marked(page)
    expect(heading).to_contain_text("1 of 53 proven")
    shop: Workshop = app.extensions["briskcell"]
    assert [len(shop.benches._units.readings(u.id)) for u in shop.benches._units.units(SOUND)] == [1, 0]
    page.locator("body").press("2")  # the Draw station, and back: the console comes along
    expect(page.locator('[data-station="draw"]')).to_be_visible()
    page.locator("body").press("-")
    page.get_by_role("link", name="Bench", exact=True).click()
    expect(heading).to_contain_text("The grey one")
    page.get_by_role("link", name="Log", exact=True).click()
    expect(page.locator("#h-line")).to_contain_text("The grey one")


def test_a_step_opens_empty_and_a_double_enter_proves_one(page: Page, site: str, app: Flask) -> None:
    begin(page, site, "The grey one")
    shop: Workshop = app.extensions["briskcell"]
    for _ in range(40):
        if page.get_by_role("button", name="Found and marked").count() == 0:
            break
        before = page.locator("#h-next").inner_text()
        found_and_marked(page)
        expect(page.locator("#h-next")).not_to_have_text(before)
    box = page.locator(".reading input").first
    expect(box).to_be_focused()
    taken = len(shop.benches._units.readings(1))
    done = int(re.search(r"(\d+) of \d+ proven", page.locator("#h-next").inner_text())[1])  # type: ignore[index]
    box.fill("0.1")
    box.press("Enter")
    page.keyboard.press("Enter")
    expect(page.locator("#h-next")).to_contain_text(f"{done + 1} of")
    expect(page.locator(".reading input").first).to_have_value("")
    page.wait_for_timeout(400)
    steps = [r.step for r in shop.benches._units.readings(1)[taken:]]
    assert len(set(steps)) == 1, "what was read for one step proves no other"
    expect(page.locator("#h-next")).to_contain_text(f"{done + 1} of")


def test_a_reading_is_bound_to_its_own_step(client: FlaskClient, app: Flask) -> None:
    post(client, "unit", {"name": "one", "station": "bench"})
    unit = key(client, "unit", "1")
    headers = {"HX-Request": "true", "X-CSRFToken": token(client), "X-Base": base(client)}
    shop: Workshop = app.extensions["briskcell"]
    for step in (r.key for r in shop.builds.open(SOUND).assessed.ladder if not r.unit):
        client.post(f"/builds/{SOUND}/reading", data={"unit": unit, "step": step} | SEEN, headers=headers)
    leads = {"unit": unit, "step": "leads:pack", "read-leads:pack": "0.2"}
    assert client.post(f"/builds/{SOUND}/reading", data=leads, headers=headers).status_code == 200
    pads = {"unit": unit, "step": "pads:sound", "by": "Wren"}
    answer = client.post(f"/builds/{SOUND}/reading", data=pads, headers=headers)
    assert (answer.status_code, "Not said yet: on which side plus lies" in answer.text) == (422, True), (
        "words it asks for come first"
    )
    data = {"unit": unit, "step": "joint:w-pack", "read-joint:switch": "0.1"}
    answer = client.post(f"/builds/{SOUND}/reading", data=data, headers=headers)
    assert (answer.status_code, "Nothing was typed" in answer.text) == (422, True)
    answer = client.post(f"/builds/{SOUND}/reading", data=data | {"read-joint:w-pack": "710 kΩ"}, headers=headers)
    assert answer.status_code == 200
    client.post(f"/builds/{SOUND}/reading", data=data | {"read-joint:w-pack": "0.21"}, headers=headers)
    kept = next(r for r in reversed(shop.benches._units.readings(1)) if r.step == "joint:w-pack")
    assert kept.value == pytest.approx(0.01), "the meter's own 0.2 Ω are taken off"


def test_on_a_phone_a_step_opens_at_its_title_and_a_page_elsewhere_follows(browser: Browser, page: Page, site: str) -> None:
    begin(page, site, "The grey one")
    phone = browser.new_page(viewport={"width": 390, "height": 740})
    phone.goto(page.url if "unit=" in page.url else f"{site}/builds/{SOUND}/bench")
    found_and_marked(phone)
    expect(phone.locator("#h-next")).to_contain_text("1 of")
    phone.wait_for_timeout(200)
    top = phone.locator(".bench-next").bounding_box()
    assert top is not None
    assert -2 <= top["y"] <= 120, "the title stands at the top, not above the window"
    assert phone.evaluate("document.activeElement.matches('.step')"), "no keyboard comes up over the caution"
    expect(page.locator("#h-next")).to_contain_text("1 of", timeout=5000)
    phone.close()


def test_a_tab_from_before_a_restore_is_told_and_keeps_what_was_typed(page: Page, site: str, app: Flask, tmp_path: Path) -> None:
    shop: Workshop = app.extensions["briskcell"]
    back_up(tmp_path, tmp_path / "all.zip")
    page.goto(f"{site}/builds/{SOUND}/brief")
    field = page.locator('input[aria-describedby="e-brief-hours"]')
    name = shop.uploads.begin()
    shop.uploads.add(name, 0, (tmp_path / "all.zip").read_bytes())
    shop.backups.put_back(name)
    field.fill("11 h")
    field.press("Enter")
    expect(page.locator("#notice")).to_contain_text("Another shelf stands here now")
    expect(page.locator("#notice")).to_contain_text("Nothing was changed")
    expect(field).to_have_value("11 h")
    assert shop.builds.open(SOUND).plan.brief.hours != 11
    page.reload()
    field.fill("11 h")
    field.press("Enter")
    expect(page.locator(".last")).to_contain_text("11h00")


def test_a_backup_by_the_page_leaves_nothing_behind(page: Page, site: str, tmp_path: Path, app: Flask) -> None:
    shop: Workshop = app.extensions["briskcell"]
    whole = page.request.get(f"{site}/backup/brisk-cell.zip").body()
    assert whole[:2] == b"PK"
    host, port = site.removeprefix("http://").split(":")
    with socket.create_connection((host, int(port))) as line:  # somebody who goes away in the middle
        line.sendall(b"GET /backup/brisk-cell.zip HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
        line.recv(100)
    until = time.monotonic() + 5
    while (list(tmp_path.glob(".copy-*")) or shop.benches._recorder._leases.all("copy")) and time.monotonic() < until:
        time.sleep(0.02)
    assert not list(tmp_path.glob(".copy-*"))
    assert shop.benches._recorder._leases.all("copy") == ()


def test_a_device_starts_no_load_and_adds_no_instrument_unless_it_may_and_its_stream_ends_with_it(app: Flask) -> None:
    app.config["LAN"] = "http://192.168.1.2:5070/"
    try:
        _as_a_phone(app)
    finally:
        app.config["LAN"] = ""


def _as_a_phone(app: Flask) -> None:
    shop: Workshop = app.extensions["briskcell"]
    phone, here = app.test_client(), app.test_client()
    phone.environ_base = {**phone.environ_base, "REMOTE_ADDR": "192.168.1.23"}
    sent = re.search(r'name="csrf_token" value="([^"]+)"', phone.get("/pair").text)
    assert sent is not None
    phone.post("/pair", data={"code": shop.devices.code(), "name": "my phone", "csrf_token": sent[1]})
    (device,) = shop.devices.all()
    post(here, "unit", {"name": "one", "station": "bench"})
    post(here, "simulate", {"unit": "1", "soc": "90 %", "speed": "1"})
    asked = {
        "unit": "1",
        "do": "begin",
        "kind": "discharge",
        "meter": "1000000000",
        "load": "1000000002",
        "amps": "1 A",
        "below": "3.5 V",
    }
    for path, more in (
        ("run", asked),
        ("simulate", {"do": "clear"}),
        ("instrument", {"address": "127.0.0.1:9", "description": "x"}),
    ):
        answer = post(phone, path, {"unit": "1"} | more)
        assert (answer.status_code, "may not add instruments, or let a load draw" in answer.text) == (422, True), path
    assert post(phone, "run", {"unit": "1", "do": "begin", "kind": "watch", "meter": "1000000000"}).status_code == 200
    form = {"device": device.key, "may_load": "yes", "csrf_token": token(here)}
    assert here.post("/devices/allow", data=form).status_code == 303
    assert "may let loads draw" in here.get("/devices").text
    assert phone.post("/devices/allow", data=form, headers={"X-CSRFToken": token(phone)}).status_code == 403
    post(here, "run", {"unit": "1", "do": "stop", "run": "1"})
    assert post(phone, "run", asked).status_code == 200
    stream = phone.get(f"/builds/{SOUND}/runs/{key(here, 'run', '2')}/stream?seen=0", buffered=False)
    lines = iter(stream.response)
    next(lines), next(lines)
    here.post("/devices/revoke", data={"device": device.key, "csrf_token": token(here)})
    began = time.monotonic()
    for _ in lines:
        pass
    assert time.monotonic() - began < 2.0
    assert post(here, "run", {"unit": "1", "do": "stop", "run": "2"}).status_code == 200


def test_names_leave_as_what_a_simulator_and_a_picture_may_read(client: FlaskClient) -> None:
    assert post(client, "edit", {"path": "name", "value": ".include /etc/hosts"}).status_code == 200
    assert post(client, "edit", {"path": "loads/screen/name", "value": ".control \x07 shell"}).status_code == 200
    circuit = client.get(f"/builds/{SOUND}/exports/circuit").text
    assert circuit.splitlines()[0].startswith("Brisk Cell, .include")
    assert not [line for line in circuit.splitlines()[1:] if line.lower().startswith((".include", ".control", ".lib"))]
    from xml.etree import ElementTree

    for form in ("map-svg", "harness-svg", "bay-svg"):
        ElementTree.fromstring(client.get(f"/builds/{SOUND}/exports/{form}").data)


def test_paper_waits_its_turn_without_holding_the_pages(client: FlaskClient) -> None:
    turns = exports.turns.TURNS
    held = [turns.acquire(blocking=False) for _ in range(exports.turns.AT_ONCE)]
    try:
        assert all(held)
        answer = client.get(f"/builds/{SOUND}/sheet.pdf?paper=a4")
        assert (answer.status_code, answer.headers["Refresh"]) == (503, f"2; url=/builds/{SOUND}/sheet.pdf?paper=a4")
        assert client.get(f"/builds/{SOUND}/exports/answers").status_code == 200
    finally:
        for _ in held:
            turns.release()


def serve(folder: Path) -> tuple[subprocess.Popen[str], str]:
    command = [sys.executable, "-c", "from briskcell.cli import main; main()", "demo", "--data", str(folder), "--port", "0"]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    found = (re.search(r"http://127\.0\.0\.1:\d+", line) for line in process.stdout)
    return process, next(f for f in found if f)[0]


def test_killed_in_a_discharge_the_next_start_says_so_on_every_page_and_the_load_is_off(page: Page, tmp_path: Path) -> None:
    plan = tmp_path / "plan.json"
    plan.write_bytes(write_plan(sanderling()))
    bench = subprocess.Popen(
        [sys.executable, "-c", "from briskcell.cli import main; main()", "bench-sim", str(plan), "--port", "0", "--charge", "0.8"],
        stdout=subprocess.PIPE,
        text=True,
    )
    server: subprocess.Popen[str] | None = None
    try:
        assert bench.stdout is not None
        ports = [int(bench.stdout.readline().split("::")[2]) for _ in range(3)]
        server, site = serve(tmp_path / "shelf")
        begin(page, site, "The grey one")
        for port, name in ((ports[0], "meter"), (ports[2], "load")):
            if not page.get_by_label("Address").is_visible():
                page.locator("summary").filter(has_text="Add an instrument").click()
            page.get_by_label("Address").fill(f"127.0.0.1:{port}")
            page.get_by_label("How it is talked to").fill(standard(f"simulated-{name}"))
            page.get_by_role("button", name="Add it").click()
            expect(
                page.get_by_role("button", name=re.compile("^remove Simulated")).nth(0 if name == "meter" else 1)
            ).to_be_visible()
        form = page.locator("form", has=page.get_by_role("button", name="Let it draw"))
        if not form.is_visible():
            page.locator("summary").filter(has_text="Discharge the pack").click()
        form.get_by_role("button").click()
        expect(page.locator("#told")).to_contain_text("draws 1.96 A from Sanderling, The grey one", timeout=8000)
        assert asked(ports[2], "MEAS:CURR?") > 1.9
        server.kill()
        server.wait()
        assert server.stdout is not None
        server.stdout.close()
        assert asked(ports[2], "MEAS:CURR?") > 1.9, "nobody was there to put it off"
        say(ports[2], "SIM:MANNER frozen")
        server, site = serve(tmp_path / "shelf")
        for where in ("/", f"/builds/{SOUND}/draw", "/drawer", "/backup", "/help"):
            page.goto(f"{site}{where}")
            expect(page.locator("#told")).to_contain_text("may still draw from Sanderling, The grey one")
            expect(page.locator("#told")).to_contain_text("Brisk Cell ended while it drew")
        say(ports[2], "SIM:MANNER sound")
        expect(page.locator("#told")).not_to_contain_text("may still draw", timeout=9000)
        assert abs(asked(ports[2], "MEAS:CURR?")) < 0.01
        assert asked(ports[2], "SIM:LOWEST?") > 3.0
        page.goto(f"{site}/builds/{SOUND}/bench")
        expect(page.locator(".runs")).to_contain_text("Brisk Cell ended while it ran")
    finally:
        for process in (server, bench):
            if process is not None:
                process.kill()
                process.wait()
                assert process.stdout is not None
                process.stdout.close()


def asked(port: int, question: str) -> float:
    with closing(socket.create_connection(("127.0.0.1", port), timeout=5)) as line, line.makefile("rb") as answers:
        line.sendall(f"{question}\n".encode())
        return float(answers.readline())


def say(port: int, words: str) -> None:
    with closing(socket.create_connection(("127.0.0.1", port), timeout=5)) as line:
        line.sendall(f"{words}\n".encode())
    time.sleep(0.1)


def test_moments_are_shown_in_this_computers_zone(client: FlaskClient, monkeypatch: pytest.MonkeyPatch, app: Any) -> None:
    monkeypatch.setenv("TZ", "Asia/Kolkata")
    time.tzset()
    try:
        shop: Workshop = app.extensions["briskcell"]
        post(client, "unit", {"name": "one", "station": "log"})
        post(client, "log", {"unit": "1", "do": "change", "words": "a note", "at": "2026-11-26T14:30"})
        assert [e.at.isoformat() for e in shop.logs._log.of_unit(1)] == ["2026-11-26T09:00:00"], "kept as the world's one time"
        assert "14:30 IST" in client.get(f"/builds/{SOUND}/log").text
        assert post(client, "log", {"unit": "1", "do": "change", "words": "x", "at": "0001-01-01T00:00"}).status_code in (200, 422)
        assert client.get(f"/builds/{SOUND}/log").status_code == 200
    finally:
        monkeypatch.undo()
        time.tzset()
