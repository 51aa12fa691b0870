"""What comes from outside, made safe: names and numbers of rows, addresses to go back to, names of files."""

from __future__ import annotations

import re
import unicodedata

from flask import Flask, current_app, url_for
from werkzeug.exceptions import HTTPException
from werkzeug.routing import BaseConverter, IntegerConverter, Map, RequestRedirect, ValidationError

from briskcell.services.builds import Named

from .shop import EXTENSION, builds

KEY = 16  # characters of a row's name
MOST_ID = 2**53  # SQLite takes ten bits more, but a page's script counts no further


class IdConverter(IntegerConverter):
    """The number of a row in an address; what no row can have is no address."""

    def __init__(self, map: Map) -> None:
        super().__init__(map, max=MOST_ID)


class NameConverter(BaseConverter):
    """A row in an address: by its name, which no restore hands out again. A number, as earlier versions wrote it, is read too."""

    regex = r"[0-9a-f]{16}|\d{1,15}"
    table: Named

    def to_python(self, value: str) -> int:
        """The row's number."""
        found = int(value) if len(value) < KEY else builds().id_of(self.table, value)
        if found is None:
            raise ValidationError
        return found

    def to_url(self, value: int) -> str:
        """The row's name; of a row that is gone, its number: what it leads to says so."""
        return builds().key_of(self.table, value) or str(value)


class BuildConverter(NameConverter):
    """A build in an address."""

    table = "build"


class RevisionConverter(NameConverter):
    """A revision in an address."""

    table = "revision"


class RunConverter(NameConverter):
    """A run in an address."""

    table = "run"


CONVERTERS = {"id": IdConverter, "build": BuildConverter, "revision": RevisionConverter, "run": RunConverter}


def named(table: Named, key: str | None) -> int | None:
    """The number of the row that a form names; None where there is none."""
    return builds().id_of(table, key) if key and is_name(key) else None


def is_name(text: str) -> bool:
    """Whether a text could be the name of a row."""
    return re.fullmatch(r"[0-9a-f]{16}", text) is not None


def pages_of_this_shelf(app: Flask) -> None:
    """Take changes from pages of the shelf that stands here alone: one that was made before a restore is told so."""
    app.config["WTF_CSRF_SECRET_KEY"] = "-".join((app.config["SECRET_KEY"], app.extensions[EXTENSION].builds.epoch))


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
