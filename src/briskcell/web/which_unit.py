"""Which unit of a build a page is about: the one that its view names."""

from __future__ import annotations

from dataclasses import replace

from flask import abort, request

from briskcell.core.assess import Assessment
from briskcell.services.bench.proof import Proof, Unit
from briskcell.services.builds import Opened
from briskcell.services.judge import sheltered
from briskcell.services.log.this_console import Console

from .safe import named
from .shop import benches, builds, workshop
from .view import View, view_of

ABOUT_ONE = ("bench", "log")  # stations that are about one console: the newest where none is named


def with_unit(view: View, build_id: int) -> View:
    """A view with the console that it is about, so that everything on its page keeps to it."""
    if not view.unit and view.station not in ABOUT_ONE:
        return view
    units = benches().units(build_id)
    if any(u.key == view.unit for u in units):
        return view
    return replace(view, unit=units[-1].key if units and view.station in ABOUT_ONE else "")


def shown_unit(build_id: int, view: View) -> tuple[tuple[Unit, ...], Unit | None]:
    """Every unit of a build, and the one that a view is about; None where there is none."""
    units = benches().units(build_id)
    return units, next((u for u in units if u.key == view.unit), None)


def named_unit(build_id: int) -> Unit:
    """The unit that a form names; without one of this build there is no such page."""
    wanted = named("unit", request.form.get("unit"))
    return next((u for u in benches().units(build_id) if u.id == wanted), None) or abort(404)


def proof_of(unit: Unit, assessed: Assessment, *, standing: bool = False) -> Proof:
    """The ladder of a unit; of a ``standing`` console nothing on it waits for what is below."""
    return benches().proof(unit, assessed, standing=standing)


def console_of(opened: Opened, unit: Unit) -> Console:
    """A unit as it was measured."""
    return workshop().consoles.of(opened.planned, unit, benches().units(opened.revision.build_id))


def seen(opened: Opened, console: str) -> Opened:
    """A build as the console of that name was measured; as it is planned where there is none of it."""
    units = benches().units(opened.revision.build_id) if console else ()
    unit = next((u for u in units if u.key == console), None)
    if unit is None or not opened.plan.stores:
        return opened
    return opened.seen_as(sheltered(f"unit {unit.name} as it was measured", lambda: console_of(opened, unit), None))


def shown_at(build_id: int, revision: int | None = None) -> Opened:
    """A build as a page looks at it: at one revision or as it is now, planned or as one of its consoles was measured."""
    opened = builds().open(build_id) if revision is None else builds().at(build_id, revision)
    return seen(opened, view_of(request.values).console)
