"""Practice: the bench as a trainer, on a page of its own that changes nothing."""

from __future__ import annotations

import secrets
from typing import Any

from flask import Response, abort, redirect, request, url_for
from werkzeug.wrappers import Response as Redirect

from briskcell.core.bench.practice import GRADES
from briskcell.core.bench.specimen import KINDS, WORDS
from briskcell.drawing.wiring.points import points as drawn_points
from briskcell.services.bench.trainer import SEEDS, points, practised
from briskcell.web.build import bp
from briskcell.web.htmx import page_or_partial
from briskcell.web.safe import row_number
from briskcell.web.shop import builds

LETTER = {"volts": "v", "amps": "a", "ohms": "o", "pads": "p"}
TITLES = {1: "Found at a first look", 2: "Found by a reading", 3: "Found only under load, with a cheap meter"}


@bp.get("/practice")
def practice(build_id: int) -> Response | Redirect:
    """A console with a hidden fault, as far as it was measured. Without a case, a new one is drawn."""
    opened = builds().open(build_id)
    seed, grade = row_number(request.args.get("case")), row_number(request.args.get("grade")) or 1
    if seed is None:
        return redirect(url_for("build.practice", build_id=build_id, case=secrets.randbelow(SEEDS), grade=grade))
    if not opened.plan.stores:
        abort(404)
    says = f"{request.args.get('kind', '')},{request.args.get('where', '')}" if request.args.get("do") == "say" else ""
    played = practised(
        opened.assessed,
        seed,
        grade,
        request.args.get("log", "")[:9000],
        more=_more(),
        says=says[:200],
        gives_up=request.args.get("do") == "give up",
    )
    context: dict[str, Any] = {
        "id": build_id,
        "plan": opened.plan,
        "played": played,
        "seed": seed,
        "grade": grade if grade in GRADES else 1,
        "titles": TITLES,
        "points": points(opened.plan),
        "kinds": [(k, WORDS[k]) for k in KINDS],
        "harness": drawn_points(opened.assessed, request.args.get("red", ""), request.args.get("black", "")),
        "at": {name: request.args.get(name, "") for name in ("mode", "joined", "red", "black", "without", "kind", "where")},
    }
    return page_or_partial("practice.html", "bench/_practice.html", **context)


def _more() -> str:
    """One more reading, as the form asks for it."""
    letter = LETTER.get(request.args.get("mode", ""))
    if letter is None or request.args.get("do") != "read":
        return ""
    joined = "j" if request.args.get("joined") == "yes" else "n"
    without = request.args.get("without", "")[:80]
    at = f"{letter}{joined}~{request.args.get('red', '')[:80]}~{request.args.get('black', '')[:80]}"
    return f"{at}~{without}" if without else at
