"""A build's history: every revision, two of them side by side, back again, variants."""

from __future__ import annotations

from typing import Any

from flask import abort, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from briskcell.services.builds import HISTORY_PAGE, Conflict
from briskcell.services.compare import Side
from briskcell.services.edits.differences import differences
from briskcell.services.judge import sheltered

from .build import bp, form, render
from .compare import overlaid
from .frame.frame import figures_of
from .safe import is_name, named, row_number
from .shop import builds
from .view import view_of


@bp.get("/history")
def history(build_id: int) -> str:
    """Every revision of the build, the newest first; two of them side by side."""
    wanted, page = _revision("compare"), min(row_number(request.args.get("page")) or 0, 10**6)
    opened = sheltered("what stands", lambda: builds().open(build_id), None)
    other = sheltered("what is compared", lambda: builds().at(build_id, wanted), None) if wanted and opened else None
    second = _revision("with")
    to = sheltered("what it is compared with", lambda: builds().at(build_id, second), None) if second and other else opened
    rows, count = builds().history(build_id, page)
    beside: dict[str, Any] = {"compared": [], "differences": [], "came": [], "went": [], "plots": []}
    if other and to:
        had, has = ({f.key: f"{f.state}: {f.cause}" for f in o.assessed.findings} for o in (other, to))
        beside = {
            "compared": figures_of(other, to),
            "differences": differences(other.plan, to.plan),
            "came": [words for key, words in has.items() if key not in had],
            "went": [words for key, words in had.items() if key not in has],
            "plots": overlaid([Side(0, "Then", other.assessed), Side(0, "Now", to.assessed)]),
        }
    return render_template(
        "history.html",
        id=build_id,
        opened=opened,
        rows=rows,
        count=count,
        page=page,
        other=other,
        to=to,
        pages=-(-count // HISTORY_PAGE),
        **beside,
    )


def _revision(arg: str) -> int | None:
    """The revision that an address names; None where it names none, no such page where there is none of that name."""
    name = request.args.get(arg, "")
    found = named("revision", name)
    return abort(404) if found is None and is_name(name) else found


@bp.post("/history/<revision:revision>/<action>")
def act_on(build_id: int, revision: int, action: str) -> Response:
    """Name a revision, mark it, go back to it, or start a variant from it."""
    back = url_for("build.history", build_id=build_id)
    name = form("name").strip()[:120]
    if action == "name":
        builds().name_revision(build_id, revision, name)
    elif action == "mark":
        builds().mark(build_id, revision)
    elif action == "restore":
        if isinstance(done := builds().restore(build_id, revision), Conflict):
            return render(done, view_of(request.form))
    elif action == "variant":
        back = url_for("build.station", build_id=builds().variant(build_id, revision, name or "Variant"), station="draw")
    else:
        abort(404)
    return redirect(back, 303)
