"""The local network: every route is refused to who is not paired; the code is tried five times; a revoked device is out at once."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from flask import Flask
from flask.testing import FlaskClient

from briskcell.services.workshop import Workshop
from briskcell.web.serve import own_address
from tests.web.doors import post

PHONE = {"REMOTE_ADDR": "192.168.1.23"}


@pytest.fixture
def lan(app: Flask) -> Iterator[Flask]:
    app.config["LAN"] = "http://192.168.1.2:5070/"
    yield app
    app.config["LAN"] = ""


@pytest.fixture
def phone(lan: Flask) -> FlaskClient:
    found = lan.test_client()
    found.environ_base = {**found.environ_base, **PHONE}
    return found


def pages(app: Flask) -> list[tuple[str, str]]:
    """Every route with every method, its places filled."""
    out = []
    for rule in app.url_map.iter_rules():
        path = re.sub(r"<id:\w+>", "1", rule.rule)
        path = re.sub(r"<(?:path:|string:)?station>", "draw", path)
        path = re.sub(r"<path:filename>", "build/app.css", path)
        path = re.sub(r"<[^>]+>", "x", path)
        out += [(path, m) for m in sorted((rule.methods or set()) - {"OPTIONS"})]
    return out


def paired(phone: FlaskClient, shop: Workshop, *, reads_only: bool = False) -> None:
    code = shop.devices.code(reads_only=reads_only)
    token = re.search(r'name="csrf_token" value="([^"]+)"', phone.get("/pair").text)
    assert token is not None
    answer = phone.post("/pair", data={"code": f"{code[:3]} {code[3:]}", "name": "my phone", "csrf_token": token[1]})
    assert answer.status_code == 303
    assert "Max-Age=34560000" in next(c for c in answer.headers.getlist("Set-Cookie") if "_device" in c)


def test_every_route_is_refused_to_who_is_not_paired(lan: Flask, phone: FlaskClient) -> None:
    tried = pages(lan)
    assert len(tried) > 150
    for path, method in tried:
        answer = phone.open(path, method=method)
        if path == "/pair":
            assert answer.status_code in (200, 400, 403), (path, method)
            continue
        refused = answer.status_code == 403 or (answer.status_code == 303 and answer.headers["Location"].endswith("/pair"))
        assert refused, (path, method, answer.status_code)
        assert "Sanderling" not in answer.text
    lan.config["LAN"] = ""
    for path in ("/", "/pair", "/builds/3/draw"):
        assert phone.get(path).status_code == 403, "without the network nobody else is answered"
    assert lan.test_client().get("/").status_code == 200


def test_a_paired_phone_is_in_until_it_is_shut_out(lan: Flask, phone: FlaskClient) -> None:
    shop: Workshop = lan.extensions["briskcell"]
    paired(phone, shop)
    assert "Sanderling" in phone.get("/").text
    assert post(phone, "edit", {"path": "brief/hours", "value": "7 h"}).status_code == 200
    assert "7 h 00 wanted" in lan.test_client().get("/builds/3/draw").text, "the computer sees what the phone changed"
    for own in ("/devices",):
        assert phone.get(own).status_code == 403, "only who sits at the computer lets others in"
    shop.devices.revoke(shop.devices.all()[0].key)
    assert phone.get("/", headers={"Accept": "text/html"}).headers["Location"] == "/pair"
    assert phone.get("/static/build/app.css", headers={"Accept": "text/html"}).status_code == 403
    assert post_refused(phone) == 403
    other = lan.test_client()
    other.environ_base = {**other.environ_base, **PHONE}
    other.set_cookie(f"{lan.config['SESSION_COOKIE_NAME']}_device", "MQ.forged")
    assert other.get("/").status_code == 403


def post_refused(phone: FlaskClient) -> int:
    return phone.post("/builds/3/edit", data={"path": "brief/hours", "value": "9 h"}, headers={"HX-Request": "true"}).status_code


def test_one_that_may_only_look_changes_nothing(lan: Flask, phone: FlaskClient) -> None:
    shop: Workshop = lan.extensions["briskcell"]
    paired(phone, shop, reads_only=True)
    assert "Sanderling" in phone.get("/").text
    for path, method in pages(lan):
        if method not in ("GET", "HEAD") and path != "/pair":
            assert phone.open(path, method=method).status_code == 403, path
    assert shop.devices.all()[0].reads_only


def test_guessing_the_code_is_stopped_after_five_tries(lan: Flask, phone: FlaskClient) -> None:
    shop: Workshop = lan.extensions["briskcell"]
    code = shop.devices.code()
    token = re.search(r'name="csrf_token" value="([^"]+)"', phone.get("/pair").text)
    assert token is not None
    wrong = [f"{(int(code) + k) % 10**6:06d}" for k in range(1, 6)]
    for k, guess in enumerate(wrong):
        answer = phone.post("/pair", data={"code": guess, "csrf_token": token[1]})
        assert answer.status_code == 403
        assert ("few tries are left" in answer.text) == (k < 4)
    right = phone.post("/pair", data={"code": code, "csrf_token": token[1]})
    assert right.status_code == 403, "the right one comes too late"
    assert "no longer holds" in right.text
    assert not shop.devices.all()
    assert phone.post("/pair", data={"code": shop.devices.code()}).status_code == 400, "no token"
    assert PHONE["REMOTE_ADDR"] in shop.devices.alarm, "the computer is told whence"
    assert "5 wrong codes" in lan.test_client().get("/").text
    assert "wrong codes" not in phone.get("/pair").text
    found = shop.devices.pair(shop.devices.shown, "", "")
    assert found == shop.devices.all()[0].key
    assert shop.devices.pair(shop.devices.shown, "", "") is None, "a code lets one device in"


def test_the_computer_shows_a_code_and_the_way(lan: Flask) -> None:
    client = lan.test_client()
    page = client.get("/devices").text
    assert "http://192.168.1.2:5070/" in page
    assert "not encrypted" in page
    token = re.search(r'name="csrf_token" value="([^"]+)"', page)
    assert token is not None
    shown = client.post("/devices/code", data={"csrf_token": token[1]}, follow_redirects=True).text
    shop: Workshop = lan.extensions["briskcell"]
    assert f"{shop.devices.shown[:3]} {shop.devices.shown[3:]}" in shown
    assert "data:image/svg+xml" in shown
    lan.config["LAN"] = ""
    assert "brisk-cell serve --lan" in client.get("/devices").text
    assert re.fullmatch(r"|\d+(\.\d+){3}", own_address())
