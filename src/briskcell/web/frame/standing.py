"""How a console stands beside its plan: what is proven, what it played against its forecast, and where the two differ."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.stations import STATIONS
from briskcell.services.builds import Opened
from briskcell.services.log.this_console import Console

from ..units import show

COMPARED = ("draw", "rails", "pack", "charge", "heat")
APART = 0.05  # share by which a number of no range has to differ


@dataclass(frozen=True, slots=True)
class Standing:
    """``proven`` of ``steps``, and the state of that; the last run in words, and its state; where it differs, by station."""

    name: str
    proven: int
    steps: int
    bench: str
    played: str
    log: str
    differs: dict[str, str]


def standing(opened: Opened, console: Console) -> Standing:
    """How a console stands beside its plan."""
    rungs, done = console.proof.rungs, console.proof.done
    off = any(r.state == "off" for r in rungs)
    bench = "fails" if off else "holds" if rungs and done == len(rungs) else "unknown"
    played, log = _played(console)
    return Standing(console.unit.name, done, len(rungs), bench, played, log, _differs(opened, console))


def _played(console: Console) -> tuple[str, str]:
    """The last run that counts against what the plan had forecast for it, and whether that reached so far."""
    runs = [t for t in console.told if t.measured.what == "hours" and not t.left_out and not t.measured.sibling]
    if not runs:
        return "", "unknown"
    hours, plan = runs[0].measured.value, console.planned.runtime_range
    if plan is None:
        return show(hours, "h"), "unknown"
    inside = plan.low <= hours <= plan.high or not runs[0].measured.ended
    return f"{show(hours, 'h')} of {show(plan.likely, 'h')}", "holds" if inside else "close"


def _differs(opened: Opened, console: Console) -> dict[str, str]:
    """Stations whose number is another on the console, by more than its range: the one of the two that is not shown."""
    seen = opened.console is not None
    words = "plan" if seen else console.unit.name
    out: dict[str, str] = {}
    for name in COMPARED if console.measured else ():
        heads = [STATIONS[name].headline(a) for a in (console.planned, console.assessed)]
        plan, own = (h.value for h in heads)
        if plan is None or own is None:
            continue
        reach = STATIONS[name].reach(console.assessed)
        half = (reach[1] - reach[0]) / 2.0 if reach else APART * abs(own)
        if abs(plan - own) > half:
            shown = plan if seen else own
            out[name] = f"{words} {show(shown, heads[0].unit)}"
    return out
