"""Pages on paper, by WeasyPrint; it needs Pango on the machine, and says so where that is missing."""

from __future__ import annotations

import atexit
from functools import cache
from threading import Lock
from typing import Any

import structlog

from briskcell.model.errors import FigureError

from .pages import STATIC


def _printer() -> Any:
    try:
        import weasyprint
    except OSError as error:
        structlog.get_logger("brisk-cell").error("no Pango", exc_info=error)
        raise FigureError(
            "paper",
            "This machine has no Pango, which lays out what is printed.",
            fix="Install it (Debian: apt-get install libpango-1.0-0 libpangoft2-1.0-0), or print the page from the browser.",
        ) from error
    return weasyprint


@cache
def _fonts() -> Any:
    """The fonts that pages ask for, each unpacked once for all of them."""
    from weasyprint.text.fonts import FontConfiguration

    return FontConfiguration()


atexit.register(_fonts.cache_clear)  # with it go the unpacked files
ONE_AT_A_TIME = Lock()  # Pango's maps of fonts are not for two threads


def pdf_of(html: str) -> bytes:
    """A page as PDF. It may use the styles, fonts and pictures that ship with the application, and nothing else.

    Raises
    ------
    FigureError
        If Pango is missing.
    """
    printer = _printer()

    class Own(printer.URLFetcher):  # type: ignore[misc, name-defined]
        """Files under ``static`` alone: no page makes the machine read another file or ask the network."""

        def fetch(self, url: str, headers: Any = None) -> Any:
            if not url.startswith(STATIC.as_uri() + "/") or ".." in url:
                raise ValueError(f"{url} does not ship with the application")
            return super().fetch(url, headers)

    page = printer.HTML(string=html, base_url=STATIC.as_uri() + "/", url_fetcher=Own())
    with ONE_AT_A_TIME:
        made: bytes = page.write_pdf(font_config=_fonts())
    return made
