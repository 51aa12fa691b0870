"""Every format there is, once: the page, the command line, the archive and the help walk this list."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable

from briskcell.drawing.picture import png
from briskcell.drawing.registry import DRAWINGS, drawing
from briskcell.drawing.svg import document
from briskcell.model.errors import FigureError

from .form import Form, Given, Wanted
from .one_page import one_page
from .plain import PLAIN
from .sheet import on_paper

ZIP_TIME = (2000, 1, 1, 0, 0, 0)  # of every file in an archive: the same build gives the same archive


def _svg(key: str) -> Callable[[Given, Wanted], str]:
    return lambda given, wanted: document(drawing(key, given.assessed, wanted.soc, wanted.state))


def _png(key: str) -> Callable[[Given, Wanted], bytes]:
    return lambda given, wanted: png(drawing(key, given.assessed, wanted.soc, wanted.state))


def _archive(given: Given, wanted: Wanted) -> bytes:
    """Every other format in one file; what the build has nothing of is named in a list."""
    out, missing = io.BytesIO(), list[str]()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for form in FORMATS:
            if form.key == "archive":
                continue
            try:
                archive.writestr(zipfile.ZipInfo(file_of(form), ZIP_TIME), export(form.key, given, wanted), zipfile.ZIP_DEFLATED)
            except FigureError as error:
                missing.append(f"{file_of(form)}: {error}")
        if missing:
            archive.writestr(zipfile.ZipInfo("what is not here.txt", ZIP_TIME), "\n".join(missing) + "\n")
    return out.getvalue()


FORMATS: tuple[Form, ...] = (
    *PLAIN,
    *(
        Form(f"{d.key}-svg", f"{d.title}, drawn", "lines, to be drawn at any size", ".svg", "image/svg+xml", _svg(d.key))
        for d in DRAWINGS
    ),
    *(
        Form(f"{d.key}-png", f"{d.title}, picture", "dots, to be shown anywhere", ".png", "image/png", _png(d.key))
        for d in DRAWINGS
    ),
    Form(
        "sheet",
        "Sheet",
        "on paper, for the bench and the drawer",
        ".pdf",
        "application/pdf",
        lambda given, _: on_paper(given),
        slow=True,
    ),
    Form(
        "page",
        "One page",
        "opens without a server, with map and curves alive",
        ".html",
        "text/html",
        lambda given, _: one_page(given),
    ),
    Form("archive", "Archive", "all of these in one file", ".zip", "application/zip", _archive, slow=True),
)
BY_KEY = {f.key: f for f in FORMATS}


def file_of(form: Form) -> str:
    """The name of a format's file in an archive."""
    return form.key.removesuffix(form.suffix.replace(".", "-")) + form.suffix


def export(key: str, given: Given, wanted: Wanted) -> bytes:
    """A build in a format of the list.

    Raises
    ------
    FigureError
        If the build has nothing of that kind, or this machine cannot write it, in words.
    """
    made = BY_KEY[key].write(given, wanted)
    return made.encode() if isinstance(made, str) else made
