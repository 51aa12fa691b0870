"""A run as it was asked for on the page: read, refused beside its field where it makes no sense or the plan does not allow it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import cast, get_args

from briskcell.core.answers import Answers
from briskcell.core.bench.discharge import Allowed, allowed
from briskcell.instruments.description import Description, Quantity
from briskcell.model.errors import FigureError
from briskcell.model.units import read
from briskcell.model.units import show as shown

from .instruments import UNIT, Known
from .recording import Test

LEAST_S, MOST_S = 0.02, 3600.0
LONGEST_H = 240.0
BOUNDS: dict[str, tuple[float, float]] = {
    "volts": (-100.0, 100.0),
    "amps": (-100.0, 100.0),
    "ohms": (0.0, 1e9),
    "celsius": (-60.0, 300.0),
}

Form = Callable[[str], str]


def test_of(form: Form, find: Callable[[str], Known | None], a: Answers, where: str) -> Test:
    """What a page asks for.

    Parameters
    ----------
    form : callable
        Gives what a field holds, as it was typed.
    find : callable
        Gives the instrument that a field names; None where it names none.
    a : Answers
        Of the build: what its cells, protection, fuse and wires allow.
    where : str
        Which console, in words.

    Raises
    ------
    FigureError
        If a figure makes no sense, an instrument is missing, or the plan does not allow it; the words say whose limit it is.
    """
    kind = form("kind")
    if kind not in ("watch", "discharge"):
        raise FigureError("run", "That is no run.", fix="Choose one from the list.")
    meter, load = find("meter"), find("load") if kind == "discharge" else None
    if meter is None or (kind == "discharge" and load is None):
        raise FigureError("run", "An instrument is missing.", fix="Add it below, or put the build on the simulated bench.")
    every = read(form("every") or "1 s", "s", "every")
    if not LEAST_S <= every <= MOST_S:
        raise FigureError("every", f"A reading every {every:g} s cannot be.", fix=f"Give {LEAST_S:g} s to an hour.")
    hours = read(form("after"), "h", "after") if form("after").strip() else None
    if hours is not None and not 0 < hours <= LONGEST_H:
        raise FigureError("after", f"It cannot end after {hours:g} h.", fix=f"Give up to {LONGEST_H:g} h, or nothing.")
    seconds = hours * 3600.0 if hours else None
    if load is not None:
        return _discharge(
            form,
            meter,
            load,
            a,
            Test(kind="discharge", title="", meter=meter.id, load=load.id, every_s=every, seconds=seconds, where=where),
        )
    return _watch(form, meter, Test(kind="watch", title="", meter=meter.id, every_s=every, seconds=seconds, where=where))


@dataclass(frozen=True, slots=True)
class Usual:
    """What a discharge of the first store usually asks: amps, and the volts it ends at; and the most that the plan allows."""

    may: Allowed
    amps: float
    end_v: float


def usual(a: Answers) -> Usual:
    """A fifth of the capacity an hour (IEC 61960-3, 7.3.1), down to what the plan allows."""
    may, pack = allowed(a), next(iter(a.plan.packs), None)
    fifth = 0.2 * pack.cell.capacity_ah.likely * pack.parallel if pack else 0.5
    return Usual(may, round(min(fifth, may.most_a.value), 2), may.least_v.value)


def _watch(form: Form, meter: Known, test: Test) -> Test:
    quantity = form("quantity") or "volts"
    if quantity not in get_args(Quantity) or getattr(meter.description.ask, quantity) is None:
        raise FigureError("run", f"{meter.description.name} reads no {quantity[:20]}.", fix="Choose something else to read.")
    below, above = (_limit(form, name, quantity) for name in ("below", "above"))
    title = f"Watching {'degrees' if quantity == 'celsius' else quantity}"
    return replace(test, title=title, quantity=cast(Quantity, quantity), below=below, above=above)


def _discharge(form: Form, meter: Known, load: Known, a: Answers, test: Test) -> Test:
    if not a.plan.stores:
        raise FigureError("run", "Without a pack there is nothing to discharge.", fix="Add a pack.")
    if meter.description.ask.volts is None:
        raise FigureError("run", f"{meter.description.name} reads no volts.", fix="Choose another meter.")
    may = allowed(a)
    amps = _amps(form, may, load.description)
    below = read(form("below"), "V", "below") if form("below").strip() else None
    if below is None:
        raise FigureError("below", "A pack is never discharged without an end.", fix="Give the volts below which it ends.")
    if below < may.least_v.value:
        raise FigureError(
            "below",
            f"{shown(below, 'V')} is below {shown(may.least_v.value, 'V')}: {may.least_v.whose}.",
            fix=f"End at {shown(may.least_v.value, 'V')} or above.",
        )
    if below >= may.full_v:
        raise FigureError(
            "below", f"A full pack has {shown(may.full_v, 'V')}: the run would end as it begins.", fix="Give less volts."
        )
    most_v = load.description.most.volts
    if most_v is not None and may.full_v > most_v:
        raise FigureError(
            "run",
            f"{load.description.name} stands {shown(most_v, 'V')}; the pack has up to {shown(may.full_v, 'V')}.",
            fix="Take another load.",
        )
    most_ah = read(form("most_ah"), "Ah", "most_ah") if form("most_ah").strip() else None
    if most_ah is not None and not most_ah > 0:
        raise FigureError("most_ah", "It cannot end after nothing.", fix="Give more, or leave it empty.")
    most_c = read(form("most_c"), "°C", "most_c") if form("most_c").strip() else may.most_c.value
    if most_c > may.most_c.value:
        raise FigureError(
            "most_c",
            f"{shown(most_c, '°C')} is more than {may.most_c.whose} stand: {shown(may.most_c.value, '°C')}.",
            fix="Give less.",
        )
    return replace(
        test,
        title=f"Discharge at {shown(amps, 'A')}",
        amps=amps,
        below=below,
        most_ah=most_ah,
        most_c=most_c,
        least_v=may.least_v.value,
        full=form("full") == "yes",
    )


def _amps(form: Form, may: Allowed, load: Description) -> float:
    amps = read(form("amps"), "A", "amps")
    limits = [(may.most_a.value, may.most_a.whose)]
    if load.most.amps is not None:
        limits.append((load.most.amps, load.name))
    if load.most.watts is not None:
        limits.append((load.most.watts / may.full_v, load.name))
    most, whose = min(limits)
    if not amps > 0:
        raise FigureError("amps", f"A load of {amps:g} A draws nothing.", fix="Give more than that.")
    if amps > most:
        raise FigureError(
            "amps", f"{shown(amps, 'A')} is more than {whose} stands: {shown(most, 'A')}.", fix=f"Give up to {shown(most, 'A')}."
        )
    return amps


def _limit(form: Form, name: str, quantity: str) -> float | None:
    if not form(name).strip():
        return None
    text = form(name).strip()
    minus = text.startswith(("-", "−"))
    value = read(text.lstrip("-−"), UNIT[quantity], name)  # type: ignore[index]
    value = -value if minus else value
    low, high = BOUNDS[quantity]
    if not low <= value <= high:
        raise FigureError(name, f"{text[:20]} is nothing that a bench meter reads.", fix="Give another limit, or none.")
    return value
