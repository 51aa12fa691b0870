"""The application's doors without a browser: what a page sends, sent by hand."""

from __future__ import annotations

import re
from typing import Any
from weakref import WeakKeyDictionary

from flask.testing import FlaskClient
from playwright.sync_api import Page


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


def base(client: FlaskClient, build: int = 3) -> str:
    """What a page of the build says its changes start from."""
    return str(client.application.extensions["briskcell"].builds.newest(build))


def revision(client: FlaskClient, build: int = 3) -> str:
    """The name of the revision that a page of the build stands on."""
    return base(client, build).partition("-")[2]


def key(client: FlaskClient, table: str, number: str) -> str:
    """The name of a row, as pages have it; of one that is not there, a name that nobody has."""
    return str(client.application.extensions["briskcell"].builds.key_of(table, int(number)) or "0" * 16)


def post(client: FlaskClient, path: str, form: dict[str, str] | None = None, build: int = 3) -> Any:
    """Send a change as the page's script does: units and runs by their names, a reading in its step's own field."""
    headers = {"HX-Request": "true", "X-CSRFToken": token(client), "X-Base": base(client, build)}
    sent = {"station": "draw"} | (form or {})
    sent |= {table: key(client, table, sent[table]) for table in ("unit", "run") if sent.get(table, "").isdigit()}
    if "reading" in sent:
        sent[f"read-{sent['step']}"] = sent.pop("reading")
    return client.post(f"/builds/{build}/{path}", data=sent, headers=headers)


def stored(client: FlaskClient, build: int = 3) -> dict[str, Any]:
    """The build's plan as it stands."""
    plan: dict[str, Any] = client.get(f"/builds/{build}/plan.json").get_json()
    return plan


def uneven(html: str) -> list[str]:
    """Rows of tables that have other than one cell under each heading."""
    wrong = []
    for table in re.findall(r"<table.*?</table>", html, re.DOTALL):
        head, _, body = table.partition("</thead>")
        columns = max((_cells(row) for row in _rows(head)), default=0)
        wrong += [row for row in _rows(body) if _cells(row) != columns]
    return wrong


def _rows(part: str) -> list[str]:
    return re.findall(r"<tr.*?</tr>", part, re.DOTALL)


def _cells(row: str) -> int:
    spans = (re.search(r'colspan="(\d+)"', cell) for cell in re.findall(r"<t[dh]\b[^>]*>", row))
    return sum(int(span[1]) if span else 1 for span in spans)


def found_and_marked(page: Page) -> None:
    """Pads found: on which side plus lies, and who measured it, which a step asks for before it counts."""
    page.get_by_label("Plus is on the side of").fill("the round corner")
    if not page.get_by_label("Measured by").input_value():
        page.get_by_label("Measured by").fill("Wren")
    page.get_by_role("button", name="Found and marked").click()


SEEN = {"side": "the label", "by": "Wren", "print": "same"}  # what a form says of pads that were found
