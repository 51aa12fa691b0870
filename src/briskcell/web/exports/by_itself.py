"""A plan in a format without a server: as the command line asks for it."""

from __future__ import annotations

import io
import tempfile
from pathlib import Path

from briskcell.formats.plan_json import write_plan
from briskcell.formats.registry import Wanted
from briskcell.model.plan import Plan

from ..app import create_app
from .registry import export


def exported(plan: Plan, key: str, wanted: Wanted) -> bytes:
    """A plan in a format of the list, out of a folder that is gone afterwards.

    Raises
    ------
    FigureError
        If the build has nothing of that kind, in words.
    """
    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Path(folder))
        shop = app.extensions["briskcell"]
        try:
            with app.test_request_context("/"):
                return export(key, shop.open(shop.import_plan(io.BytesIO(write_plan(plan)))), wanted)
        finally:
            shop.close()
