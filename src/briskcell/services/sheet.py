"""The sheet of a build: what is taken to the bench and kept with the console."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime

from pydantic import BaseModel

from briskcell.core.assess import Assessment
from briskcell.core.bench.course import Totals
from briskcell.core.draw.bill import bought, is_bought
from briskcell.core.pack.rated import rated_wh
from briskcell.model.figure import GRADES, Figure
from briskcell.model.parts import Converter, Load, State
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.model.units import show

from .bench.courses import Run
from .bench.proof import Proof

SECTIONS = {
    "numbers": "What it comes to",
    "parts": "Parts",
    "wires": "Wires to cut",
    "order": "Order to build in",
    "points": "Test points",
    "units": "What was read",
    "thresholds": "Thresholds",
    "off": "Switched off",
    "sure": "How sure it is",
    "cautions": "Cautions",
}


@dataclass(frozen=True, slots=True)
class Record:
    """What is kept of a build beside its plan: when it was last changed and how often, its consoles' ladders, and their runs.

    Of a plan out of a file nothing is: ``changed_at`` is None.
    """

    changed_at: datetime | None = None
    changes: int = 0
    proofs: tuple[Proof, ...] = ()
    runs: Mapping[int, Sequence[tuple[Run, Totals]]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class PartLine:
    """Parts of one kind: how many, their name, what one costs and all together; None where nobody says."""

    count: int
    name: str
    each: float | None
    cost: float | None


@dataclass(frozen=True, slots=True)
class TestPoint:
    """Where to put the probes, and the volts expected there: full at rest, half in play, at the end of play."""

    name: str
    full_v: float
    half_v: float
    end_v: float


def part_lines(plan: Plan) -> tuple[PartLine, ...]:
    """What to have on the bench; wire and what else joins it are sundries."""
    lines: dict[str, tuple[int, float | None]] = {}
    for part in plan.parts():
        for name, _, cost in bought(part) if is_bought(part) else ():
            lines[name] = lines.get(name, (0, cost))[0] + 1, cost
    return tuple(PartLine(n, name, each, None if each is None else n * each) for name, (n, each) in lines.items())


def test_points(assessed: Assessment) -> tuple[TestPoint, ...]:
    """Volts expected at stores, boards' outputs and loads; empty where nothing plays."""
    op, found = assessed.op, assessed.runtime
    if found is None or found.hours is None or not found.hours:
        return ()
    end = max(op.index(found.stop_soc) - 1, 0)
    out = []
    for name, place in op.network.position.items():
        part = assessed.plan.by_id[name]
        if not isinstance(part, (Pack, Converter, Load)):
            continue
        volts = op.flow.element_v[..., place]
        circuit = assessed.circuit
        words = circuit.words(circuit.fed(part) if isinstance(part, Load) else circuit.end(part, "out"))
        at = (volts[State.REST, 0], volts[State.PLAY, op.half], volts[State.PLAY, end])
        out.append(TestPoint(words, *(float(v) for v in at)))
    return tuple(out)


def thresholds(assessed: Assessment) -> tuple[tuple[str, str], ...]:
    """Every volt and ampere at which something cuts, warns or gives up, with its words."""
    plan, out = assessed.plan, []
    for pack in plan.packs:
        out.append((f"{pack.name}, cells empty", show(pack.cell.empty_v * pack.series, "V")))
        if pack.protection is not None:
            out.append((f"{pack.name}, protection cuts off", show(pack.protection.cutoff_cell_v * pack.series, "V")))
            if pack.protection.over_cell_v is not None:
                out.append((f"{pack.name}, protection ends a charge", show(pack.protection.over_cell_v * pack.series, "V")))
            out.append((f"{pack.name}, protection trips", show(pack.protection.trip_a.likely, "A")))
    if plan.shutdown.warning_v is not None:
        out.append(("Warning before shutdown, under load", show(plan.shutdown.warning_v, "V")))
    out += [(f"{c.name}, locks out", show(c.lockout_v, "V")) for c in plan.converters if c.lockout_v is not None]
    out += [
        (f"{k.name}, rated", show(k.rating_a.likely, "A"))
        for k in plan.links
        if k.rating_a and k.kind in ("fuse", "switch", "outlet")
    ]
    out += [(f"{p.name}, lights", show(p.lamp.lights_below_v.likely, "V")) for p in plan.loads if p.lamp]
    for board in plan.chargers:
        out.append((f"{board.name}, charges with", show(board.current_a.likely, "A")))
        out.append((f"{board.name}, ends at", show(board.termination_a.likely, "A")))
    return tuple(out)


def carrier_wh(plan: Plan) -> float:
    """The watt-hours a carrier asks for: those of the labels. [Wh]"""
    return sum(rated_wh(p) for p in plan.packs)


def grades(plan: Plan) -> Counter[str]:
    """How many figures of the plan are measured, printed, typical, guessed."""
    found: Counter[str] = Counter()

    def walk(at: object) -> None:
        if isinstance(at, Figure):
            found[at.grade] += 1
        elif isinstance(at, tuple):
            for each in at:
                walk(each)
        elif isinstance(at, BaseModel):
            for name in type(at).model_fields:
                walk(getattr(at, name))

    walk(plan)
    return Counter({g: found[g] for g in GRADES if found[g]})
