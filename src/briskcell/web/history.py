"""A build's history: every revision, two of them side by side, back again, variants."""

from __future__ import annotations

from flask import abort, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from briskcell.services.edits.differences import differences
from briskcell.services.workshop import Conflict

from .build import bp, form, render
from .frame.frame import figures_of
from .shelf import workshop
from .view import view_of


@bp.get("/history")
def history(build_id: int) -> str:
    """Every revision of the build, the newest first; two of them side by side."""
    shop = workshop()
    opened, wanted = shop.open(build_id), request.args.get("compare", type=int)
    other = shop.at(build_id, wanted) if wanted else None
    rows = differences(other.plan, opened.plan) if other else []
    return render_template("history.html", opened=opened, plan=opened.plan, rows=shop.history(build_id), other=other,
                           compared=figures_of(other, opened) if other else [], differences=rows)  # fmt: skip


@bp.post("/history/<int:revision>/<action>")
def act_on(build_id: int, revision: int, action: str) -> Response:
    """Name a revision, mark it, go back to it, or start a variant from it."""
    shop, back = workshop(), url_for("build.history", build_id=build_id)
    name = form("name").strip()[:120]
    if action == "name":
        shop.name_revision(build_id, revision, name)
    elif action == "mark":
        shop.mark(build_id, revision)
    elif action == "restore":
        if isinstance(done := shop.restore(build_id, revision), Conflict):
            return render(done, view_of(request.form))
    elif action == "variant":
        back = url_for("build.station", build_id=shop.variant(build_id, revision, name or "Variant"), station="draw")
    else:
        abort(404)
    return redirect(back, 303)
