"""The application's doors without a browser: what a page sends, sent by hand."""

from __future__ import annotations

import re
from typing import Any
from weakref import WeakKeyDictionary

from flask.testing import FlaskClient


def found(pattern: str, text: str) -> str:
    """The first group of a pattern that must be there."""
    match = re.search(pattern, text)
    assert match is not None, pattern
    return match[1]


def token(client: FlaskClient) -> str:
    """What a page has to send a change with; one holds for all that a browser asks."""
    if (kept := TOKENS.get(client)) is None:
        kept = TOKENS[client] = found(r'name="csrf" content="([^"]+)"', client.get("/help").text)
    return kept


TOKENS: WeakKeyDictionary[FlaskClient, str] = WeakKeyDictionary()


def revision(client: FlaskClient, build: int = 3) -> str:
    """The revision that a page of the build stands on."""
    return str(client.application.extensions["briskcell"].newest(build))


def post(client: FlaskClient, path: str, form: dict[str, str] | None = None, build: int = 3) -> Any:
    """Send a change as the page's script does."""
    headers = {"HX-Request": "true", "X-CSRFToken": token(client), "X-Base": revision(client, build)}
    return client.post(f"/builds/{build}/{path}", data={"station": "draw"} | (form or {}), headers=headers)


def stored(client: FlaskClient, build: int = 3) -> dict[str, Any]:
    """The build's plan as it stands."""
    plan: dict[str, Any] = client.get(f"/builds/{build}/plan.json").get_json()
    return plan
