"""The page that lists every format, and the files themselves."""

from __future__ import annotations

from flask import abort, make_response, render_template, request
from werkzeug.wrappers import Response

from briskcell.exports.form import Given, Wanted
from briskcell.exports.registry import BY_KEY, FORMATS, export
from briskcell.model.errors import FigureError
from briskcell.services.builds import Opened

from ..build import bp
from ..htmx import download
from ..safe import file_name
from ..shop import workshop
from ..view import view_of
from ..which_unit import shown_at
from .turns import in_turn


def _list(opened: Opened, problem: str = "") -> str:
    return render_template("exports/list.html", id=opened.revision.build_id, opened=opened, formats=FORMATS, problem=problem)


@bp.get("/exports")
def exports(build_id: int) -> str:
    """Every format, with what it is for."""
    return _list(shown_at(build_id))


@bp.get("/exports/<key>")
def exported(build_id: int, key: str) -> Response:
    """The build in a format; the list again, with why and what to do, where it has nothing of that kind."""
    form, opened = BY_KEY.get(key) or abort(404), shown_at(build_id)
    view, record = view_of(request.args), workshop().record(build_id)

    def made() -> Response:
        try:
            body = export(key, Given(opened.assessed, record), Wanted(view.soc, view.state))
        except FigureError as error:
            return make_response(_list(opened, f"{form.title}: {error}"), 422)
        return download(body, form.mime, f"{file_name(opened.plan.name)}-{key}{form.suffix}")

    return in_turn(made) if form.slow else made()
