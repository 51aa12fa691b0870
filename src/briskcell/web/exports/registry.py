"""Every format there is, once: the page, the command line and the help walk this list."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable
from dataclasses import dataclass

from briskcell.formats.registry import PLAIN, Format, Wanted, written
from briskcell.model.errors import FigureError
from briskcell.services.workshop import Opened

from ..sheet import on_paper, sheet_context
from .one_page import one_page
from .paper import png_of
from .pictures import PICTURES, picture

ZIP_TIME = (2000, 1, 1, 0, 0, 0)  # of every file in an archive: the same build gives the same archive


@dataclass(frozen=True, slots=True)
class Drawn:
    """A format that is drawn: as ``Format``, but it looks at the build as it is kept."""

    key: str
    title: str
    words: str
    suffix: str
    mime: str
    draw: Callable[[Opened, Wanted], str | bytes]


def _svg(name: str) -> Callable[[Opened, Wanted], str]:
    return lambda opened, wanted: picture(opened, name, wanted.soc, wanted.state)


def _png(name: str) -> Callable[[Opened, Wanted], bytes]:
    return lambda opened, wanted: png_of(picture(opened, name, wanted.soc, wanted.state))


def _archive(opened: Opened, wanted: Wanted) -> bytes:
    """Every other format in one file; what the build has nothing of is named in a list."""
    out, missing = io.BytesIO(), list[str]()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for form in FORMATS:
            if form.key == "archive":
                continue
            try:
                archive.writestr(zipfile.ZipInfo(file_of(form), ZIP_TIME), export(form.key, opened, wanted), zipfile.ZIP_DEFLATED)
            except FigureError as error:
                missing.append(f"{file_of(form)}: {error}")
        if missing:
            archive.writestr(zipfile.ZipInfo("what is not here.txt", ZIP_TIME), "\n".join(missing) + "\n")
    return out.getvalue()


FORMATS: tuple[Format | Drawn, ...] = (
    *PLAIN,
    *(Drawn(f"{n}-svg", f"{n.capitalize()}, drawn", "lines, to be drawn at any size", ".svg", "image/svg+xml", _svg(n))
      for n in PICTURES),
    *(Drawn(f"{n}-png", f"{n.capitalize()}, picture", "dots, to be shown anywhere", ".png", "image/png", _png(n))
      for n in PICTURES),
    Drawn("sheet", "Sheet", "on paper, for the bench and the drawer", ".pdf", "application/pdf",
          lambda opened, _: on_paper(sheet_context(opened))),
    Drawn("page", "One page", "opens without a server, with map and curves alive", ".html", "text/html",
          lambda opened, _: one_page(opened)),
    Drawn("archive", "Archive", "all of these in one file", ".zip", "application/zip", _archive),
)  # fmt: skip
BY_KEY = {f.key: f for f in FORMATS}


def file_of(form: Format | Drawn) -> str:
    """The name of a format's file in an archive."""
    return form.key.removesuffix(form.suffix.replace(".", "-")) + form.suffix


def export(key: str, opened: Opened, wanted: Wanted) -> bytes:
    """A build in a format of the list.

    Raises
    ------
    FigureError
        If the build has nothing of that kind, or this machine cannot write it, in words.
    """
    form = BY_KEY[key]
    if isinstance(form, Format):
        return written(form, opened.assessed, wanted)
    made = form.draw(opened, wanted)
    return made.encode() if isinstance(made, str) else made
