"""Practice: a console with a hidden fault, probes put anywhere, what would have burned, and the shortest way to have found it."""

from __future__ import annotations

import itertools
import random
from dataclasses import dataclass, replace
from functools import cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from briskcell.core.answers import Answers
from briskcell.core.bench.ladder import ladder
from briskcell.core.bench.specimen import BRIDGE_OHM, CLEAR_OHM, TRIM, Fault, Kind, Specimen, could_be
from briskcell.core.bench.step import LEADS_OHM, Step
from briskcell.model.parts import Converter, Fed, Link, Part
from briskcell.model.stores import Pack
from briskcell.model.tree import feeders_of, source_of
from briskcell.model.units import show

Mode = Literal["volts", "amps", "ohms", "pads"]
GROUND = "ground"
OPEN_OHM = 1e9
MOST = 40  # readings of one case
# Which faults each grade may hide: what a first look finds, what a reading finds, what only a reading under load finds.
GRADES: dict[int, tuple[Kind, ...]] = {
    1: ("open", "dead", "swapped", "short"),
    2: ("cold", "dead cell", "passes", "trimmer", "open", "short"),
    3: ("cold", "sagging", "hungry", "trimmer", "overcharges"),
}
METER_OFF = {1: 0.001, 2: 0.003, 3: 0.008}  # of a reading; a cheap meter makes it harder


@dataclass(frozen=True, slots=True)
class Case:
    """A hidden fault on a console, with what its owner says of it."""

    specimen: Specimen
    grade: int
    seed: int
    complaint: str

    @property
    def fault(self) -> Fault:
        return self.specimen.faults[0]


@dataclass(frozen=True, slots=True)
class Probe:
    """One reading: with the pack joined or not, how the meter was set, where its probes were, and what it showed.

    ``value`` is nan where nothing can be read so; ``words`` say what it means then, or that something was hurt.
    """

    mode: Mode
    red: str
    black: str
    joined: bool
    value: float
    words: str

    @property
    def shown(self) -> str:
        """The meter's display."""
        if self.mode == "pads" or not np.isfinite(self.value):
            return self.words
        unit = {"volts": "V", "amps": "A", "ohms": "Ω"}[self.mode]
        return "OL, open" if self.value >= OPEN_OHM else show(self.value, unit)


def case_of(a: Answers, seed: int, grade: int) -> Case | None:
    """A case of a grade; the same seed gives the same. None where the build can have no such fault that its ladder would show.

    Parameters
    ----------
    a : Answers
        The build.
    seed : int
        Which of the many.
    grade : int
        1 to 3.

    Returns
    -------
    Case or None
        With its hidden fault.
    """
    rng = random.Random(seed)
    hidden = [f for f in could_be(a) if f.kind in GRADES[grade]]
    kinds = sorted({f.kind for f in hidden})
    steps = ladder(a)
    while kinds:
        kind = rng.choice(kinds)
        choices = [f for f in hidden if f.kind == kind]
        rng.shuffle(choices)
        for fault in choices[:4]:
            specimen = Specimen(a, (fault,), rng.uniform(0.5, 0.9))
            if any(_shows(step, specimen.reads(step)) for step in steps):
                return Case(specimen, grade, seed, complaint(specimen))
        kinds.remove(kind)
    return None


def _shows(step: Step, reading: float) -> bool:
    return not step.holds(reading) if step.unit else reading == 0.0


def complaint(specimen: Specimen) -> str:
    """What the owner of a console says: what does not work, or what is odd about it.

    Parameters
    ----------
    specimen : Specimen
        The console, with one fault.

    Returns
    -------
    str
        A sentence.
    """
    a, plan = specimen.answers, specimen.plan
    fault = specimen.faults[0]
    if fault.kind in ("swapped", "short") or (fault.kind == "overcharges"):
        return "It was built last night and was never switched on. Is it safe to join the cells?"
    loads = [p for p in plan.loads if source_of(plan, p) in plan.stores]
    ids = [p.id for p in loads]
    found, sound = specimen.solved(ids), Specimen(a, (), specimen.soc).solved(ids)
    usually = Specimen(a, (), specimen.soc)
    dark = []
    for p in loads:
        volts, before = specimen.volts_at(p.id, found), usually.volts_at(p.id, sound)
        if volts < 0.5 * before or volts < p.window.low_v <= before:
            dark.append(p.name)
    if dark and len(dark) == len(loads):
        return "It does not start at all."
    if dark:
        return f"{', '.join(dark[:3])}: does nothing. The rest works."
    amps, usual = (sum(float(np.nan_to_num(x.amps[s.id][1, 0])) for s in plan.stores) for x in (found, sound))
    if amps > 1.2 * usual:
        return f"It works, and is empty after {usual / amps:.0%} of the time it should last."
    if fault.kind == "dead" and fault.where in {c.id for c in plan.chargers}:
        return "It plays, and does not charge."
    if _resets(specimen, ids) and not _resets(usually, ids):
        return "It works on the table, and resets at loud scenes."
    return OTHERWISE.get(fault.kind, "It works, and something about it is not as it was.")


# What an owner says of a fault that brings nothing down by itself.
OTHERWISE: dict[Kind, str] = {
    "cold": "It works on the table, and goes off now and then when it is moved.",
    "open": "It works, but not all of it.",
    "sagging": "It works; the picture gets darker when much goes on.",
    "passes": "It works, as long as the pack is full.",
    "trimmer": "It works, and a part of it gets warmer than it did.",
    "hungry": "It works, and something in it gets warm.",
    "dead cell": "It works, and is empty far too soon.",
}


def _resets(specimen: Specimen, loads: list[str]) -> bool:
    """Whether a part is left without its volts while all are at their peak."""
    found = specimen.solved(loads, state="peak")
    return any(specimen.volts_at(p.id, found) < p.window.low_v for p in specimen.plan.loads if p.id in loads)


def probe(case: Case, mode: Mode, red: str, black: str, *, joined: bool, number: int, without: str = "") -> Probe:
    """What the meter shows.

    Parameters
    ----------
    case : Case
        The console.
    mode : str
        How the meter is set; ``pads`` looks which pad of ``red`` is plus.
    red, black : str
        Elements of the build, or ``ground``. Amps are read in the pack's plus lead, wherever the probes are said to be.
    joined : bool
        Whether the pack is joined and everything is on.
    number : int
        Which reading it is: its noise comes from that.
    without : str
        A part that is unplugged for it, with whatever is wrong with it; empty where all are joined.

    Returns
    -------
    Probe
        With what the meter shows.
    """
    specimen, plan = case.specimen, case.specimen.plan
    specimen = replace(specimen, faults=tuple(f for f in specimen.faults if f.where != without))
    rng = random.Random(case.seed * 1000 + number)
    noisy = rng.gauss(1.0, METER_OFF[case.grade])
    if mode == "pads":
        turned = specimen.has("swapped", red)
        return Probe(
            mode, red, black, joined, 0.0, "plus and minus are the other way round" if turned else "plus is where it is said to be"
        )
    if mode == "ohms":
        if joined:
            return Probe(mode, red, black, joined, float("nan"), "ohms on a live console: the meter shows nonsense, and may break")
        return Probe(mode, red, black, joined, _ohms(specimen, red, black) * noisy, "")
    loads = [p.id for p in plan.loads if p.id != without]
    if mode == "amps":
        if not joined:
            return Probe(mode, red, black, joined, 0.0, "nothing flows without the pack")
        if any(f.kind == "short" for f in specimen.faults):
            return Probe(mode, red, black, joined, float("nan"), "the meter's own fuse is gone: something is shorted")
        store = plan.stores[0].id
        return Probe(mode, red, black, joined, float(np.nan_to_num(specimen.solved(loads).amps[store][1, 0])) * noisy, "")
    volts = [_volts(specimen, at, joined, loads) for at in (red, black)]
    return Probe(mode, red, black, joined, (volts[0] - volts[1]) * noisy, "")


def _volts(specimen: Specimen, at: str, joined: bool, loads: list[str]) -> float:
    if at == GROUND:
        return 0.0
    plan = specimen.plan
    if plan.by_id[at] in plan.stores and not joined:
        return specimen.volts_of_store(at)
    if at in {c.id for c in plan.chargers}:
        return specimen.volts_of_charger(at)
    if not joined or any(f.kind == "short" for f in specimen.faults):
        return 0.0
    return specimen.volts_at(at, specimen.solved(loads))


def _ohms(specimen: Specimen, red: str, black: str) -> float:
    plan = specimen.plan
    if red == black:
        return LEADS_OHM
    if GROUND in (red, black):
        at = plan.by_id[red if black == GROUND else black]
        above = _to_board(specimen, at)
        bridged = any(specimen.has("short", p.id) for p in above)
        return BRIDGE_OHM + _along(specimen, above) if bridged else CLEAR_OHM
    for low, high in ((red, black), (black, red)):
        part = plan.by_id[low]
        way = [part, *feeders_of(plan, part)] if isinstance(part, Fed) else [part]
        names = [p.id for p in way]
        if high in names:
            between = way[: names.index(high)]
            if any(isinstance(p, Converter) for p in between):
                return CLEAR_OHM
            return _along(specimen, between)
    return CLEAR_OHM


def _to_board(specimen: Specimen, at: Part) -> list[Part]:
    """From a point up to the regulator that feeds it, itself included, or up to the store."""
    out: list[Part] = [at]
    if isinstance(at, Converter) or not isinstance(at, Fed):
        return out
    for p in feeders_of(specimen.plan, at):
        out.append(p)
        if isinstance(p, Converter):
            break
    return out


def _along(specimen: Specimen, way: list[Part]) -> float:
    links = [p for p in way if isinstance(p, Link)]
    return sum(specimen.ohms_along(p.id) - LEADS_OHM for p in links) + LEADS_OHM


def burns(specimen: Specimen) -> tuple[str, ...]:
    """What would have burned, had the pack been joined (and, of a charge board, charged) with the fault still there.

    Parameters
    ----------
    specimen : Specimen
        The console.

    Returns
    -------
    tuple of str
        A sentence each; one says so where nothing would.
    """
    a, plan, out = specimen.answers, specimen.plan, list[str]()
    for fault in specimen.faults:
        part = plan.by_id[fault.where]
        if fault.kind == "swapped" and isinstance(part, Pack):
            first = [c.name for c in plan.converters if source_of(plan, c) is part and not c.built_in]
            out.append(f"{', '.join(first) or 'Everything on it'}: broken within a moment by volts the wrong way round.")
        elif fault.kind == "swapped":
            out.append(f"{part.name}: broken at once, its input the wrong way round.")
        elif fault.kind == "short":
            out.append(_shorted(a, part))
        elif fault.kind == "overcharges":
            out.append(
                f"The cells: {show(specimen.volts_of_charger(part.id), 'V')} where they bear less. Cells vent and burn of this."
            )
        elif fault.kind == "trimmer" and isinstance(part, Converter):
            volts = part.output_v.likely * TRIM
            hurt = [
                p.name
                for p in plan.loads
                if part in feeders_of(plan, p) and p.window.absolute_max_v and p.window.absolute_max_v < volts
            ]
            out += [f"{', '.join(hurt)}: more volts than it bears, {show(volts, 'V')}."] if hurt else []
        elif fault.kind == "dead cell":
            out.append("The dead cell, were it charged: a cell that was emptied to nothing may vent. Never charge it.")
        elif fault.kind == "cold":
            out.append("Nothing at once: the joint warms at every peak, and gives way one day.")
    return tuple(out) or ("Nothing: this fault hurts only the evening.",)


def _shorted(a: Answers, part: Part) -> str:
    above = {p.id for p in feeders_of(a.plan, part)} if isinstance(part, Fed) else set()
    checks = [c for c in a.shorts if c.link.id in above or c.link.fed_by == part.id] or list(a.shorts)
    if not checks:
        return f"What feeds {part.name}: a short with nothing to open it."
    worst = max(checks, key=lambda c: c.dead.reaches_c)
    opens = f"{worst.dead.opener} opens after {worst.dead.opens_s * 1000:.3g} ms" if worst.dead.opener else "nothing opens"
    return f"{worst.link.name}: {show(worst.fault_a, 'A')} flow, {opens}, and it reaches {min(worst.dead.reaches_c, 1085):.0f} °C."


@dataclass(frozen=True, slots=True)
class Tell:
    """A step of the shortest way: where to read, what the plan says, and what this console shows."""

    step: Step
    shows: float


def shortest_way(case: Case, most: int = 3) -> tuple[Tell, ...]:
    """The fewest readings of the ladder that tell the fault from every other that the build can have, and from none.

    Every fault is put into the build and every step read, so that readings which tell two apart are known; then one step is
    tried, then each two, then each three; of equals the one that joins a cell least.

    Parameters
    ----------
    case : Case
        The console.
    most : int
        Readings at the most.

    Returns
    -------
    tuple of Tell
        Empty where no so few readings tell it.
    """
    a = case.specimen.answers
    steps = ladder(a)
    sound = Specimen(a, (), case.specimen.soc)
    others = [sound, *(Specimen(a, (f,), case.specimen.soc) for f in could_be(a) if f != case.fault)]
    true = [case.specimen.reads(s) for s in steps]

    @cache
    def tells(k: int) -> NDArray[np.bool_]:
        """Which of the others a step tells from the true fault."""
        read = np.array([o.reads(steps[k]) for o in others])
        return np.asarray(np.abs(read - true[k]) > 0.03 * np.maximum(np.abs(read), abs(true[k])) + 0.02)

    # One step at least has to show that something is wrong at all, so only such a step begins a way.
    first = [k for k, s in enumerate(steps) if abs(sound.reads(s) - true[k]) > 0.03 * abs(true[k]) + 0.02]
    for count in range(1, most + 1):
        ways = {tuple(sorted({k, *more})) for k in first for more in itertools.combinations(range(len(steps)), count - 1)}
        for way in sorted((w for w in ways if len(w) == count), key=lambda w: (sum(1 + 2 * steps[k].live for k in w), w)):
            if np.logical_or.reduce([tells(k) for k in way]).all():
                return tuple(Tell(steps[k], true[k]) for k in way)
    return ()
