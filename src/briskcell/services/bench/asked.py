"""A run as it was asked for on the page: read, and refused beside its field where it makes no sense."""

from __future__ import annotations

from collections.abc import Callable
from typing import get_args

from briskcell.bench.description import Quantity
from briskcell.model.errors import FigureError
from briskcell.model.units import read
from briskcell.model.units import show as shown

from .instruments import UNIT
from .recording import Kind, Test

LEAST_S, MOST_S = 0.02, 3600.0
LONGEST_H = 240.0
MOST_A = 30.0


def test_of(form: Callable[[str], str], number: Callable[[str], int | None]) -> Test:
    """What a page asks for.

    Parameters
    ----------
    form : callable
        Gives what a field holds, as it was typed.
    number : callable
        Gives the instrument's number that a field holds; None where it is none.

    Raises
    ------
    FigureError
        If a figure makes no sense, or an instrument is missing.
    """
    kind, quantity = form("kind"), form("quantity") or "volts"
    if kind not in get_args(Kind) or quantity not in get_args(Quantity):
        raise FigureError("run", "That is no run.", fix="Choose one from the list.")
    discharge = kind == "discharge"
    quantity = "volts" if discharge else quantity
    unit = UNIT[quantity]  # type: ignore[index]
    meter, load = number("meter"), number("load") if discharge else None
    if meter is None or (discharge and load is None):
        raise FigureError("run", "An instrument is missing.", fix="Add it below, or put the build on the simulated bench.")
    every = read(form("every") or "1 s", "s", "run")
    if not LEAST_S <= every <= MOST_S:
        raise FigureError("run", f"A reading every {every:g} s cannot be.", fix=f"Give {LEAST_S:g} s to an hour.")
    hours = read(form("after"), "h", "run") if form("after").strip() else None
    if hours is not None and not 0 < hours <= LONGEST_H:
        raise FigureError("run", f"It cannot end after {hours:g} h.", fix=f"Give up to {LONGEST_H:g} h, or nothing.")
    below = _limit(form("below"), unit)
    amps = read(form("amps"), "A", "run") if discharge else None
    if amps is not None and not 0 < amps <= MOST_A:
        raise FigureError("run", f"A load of {amps:g} A cannot be.", fix=f"Give up to {MOST_A:g} A.")
    if discharge and not below:
        raise FigureError("run", "A pack is never discharged without an end.", fix="Give the volts below which it ends.")
    title = f"Discharge at {shown(amps, 'A')}" if amps else f"Watching {quantity}"
    return Test(
        kind=kind, title=title, meter=meter, quantity=quantity, load=load, amps=amps, every_s=every, below=below,  # type: ignore[arg-type]
        above=_limit(form("above"), unit), seconds=hours * 3600 if hours else None, full=form("full") == "yes",
    )  # fmt: skip


def _limit(text: str, unit: str) -> float | None:
    return read(text, unit, "run") if text.strip() else None
