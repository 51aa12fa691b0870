"""What comes from outside, made safe: numbers of rows, addresses to go back to, names of files."""

from __future__ import annotations

import re
import unicodedata

from flask import current_app, url_for
from werkzeug.exceptions import HTTPException
from werkzeug.routing import IntegerConverter, Map, RequestRedirect

MOST_ID = 2**53  # SQLite takes ten bits more, but a page's script counts no further


class IdConverter(IntegerConverter):
    """The number of a row in an address; what no row can have is no address."""

    def __init__(self, map: Map) -> None:
        super().__init__(map, max=MOST_ID)


def row_number(text: str | None) -> int | None:
    """The number of a row as sent; None where it is none."""
    found = int(text) if text and text.isascii() and text.isdigit() and len(text) < 17 else None
    return found if found is not None and found <= MOST_ID else None


def back_to(wanted: str) -> str:
    """An address of this site to go back to, found by the application's own router and written anew; else the shelf's."""
    path, _, _ = wanted.partition("?")
    try:
        endpoint, values = current_app.url_map.bind("127.0.0.1").match(path, method="GET")
        return url_for(endpoint, **values)
    except (HTTPException, RequestRedirect, ValueError):
        return url_for("shelf.shelf")


def file_name(name: str) -> str:
    """A name for a file from that of a build: letters of any alphabet, no signs that a system or a terminal would act on."""
    plain = unicodedata.normalize("NFC", name)
    kept = re.sub(r"[^\w-]+", "-", plain.lower()).strip("-_")[:60]
    return kept or "build"
