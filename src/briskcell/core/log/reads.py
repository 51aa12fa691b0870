"""Readings of a unit as evidence: which steps of the ladder a fault puts off, and which step parts the suspects most."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from typing import Protocol

from briskcell.core.bench.step import Step
from briskcell.model.parts import Converter, Fed
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.model.tree import feeders_of, source_of

Reads = Mapping[str, float]  # by the key of a step: what it read, in the step's unit
OWN = {  # steps of a fault's own element that it puts off
    "joint": ("joint", "drop"),
    "board": ("dummy",),
    "trimmer": ("idle", "dummy"),
    "cells": ("cells", "polarity"),
    "hungry": ("draw",),
}
FINDS, PASSES = 0.95, 0.03  # that a fault's own step is off; that a step is off where nothing is wrong with it
BELOW, SLIGHTLY = 0.85, 0.12  # that a step further down the way is off as well: where a cold joint would show there, and where not
COLLAPSED = 0.55  # of its volts, below which a board does not sag but collapses
WRONG = 0.1  # that what is off is so by such a size, though the fault would make another
COLD_OHM, CELL_V = 1.5, 3.7  # a cold joint as it is found; volts of a cell, about
LIVE = 2.0  # how much more a step costs that joins a cell


class Accused(Protocol):
    """What may be at fault: its kind, and the elements it may sit in."""

    @property
    def kind(self) -> str: ...

    @property
    def elements(self) -> tuple[str, ...]: ...


def off_chance(plan: Plan, kind: str, elements: tuple[str, ...], step: Step) -> float:
    """The chance that a step is off, where such a fault sits in one of some elements.

    Parameters
    ----------
    plan : Plan
        The build.
    kind : str
        Of the fault.
    elements : tuple of str
        Where it may sit.
    step : Step
        Of the ladder.

    Returns
    -------
    float
        From nearly none to nearly certain.
    """
    own, what = OWN.get(kind, ()), step.key.partition(":")[0]
    if not elements:
        return PASSES
    if step.element in elements and what in own:
        return PASSES + (FINDS - PASSES) / len(elements)
    part = plan.by_id.get(step.element)
    if not (step.live and isinstance(part, Fed) and own and what in ("load", "dummy", "link")):
        return PASSES
    way = [p.id for p in feeders_of(plan, part)]
    if kind == "joint" and set(way) & set(elements):
        return max(_shows(plan, step, e) for e in elements if e in way)
    return SLIGHTLY if set(way) & set(elements) else PASSES


def _through(plan: Plan, step: Step, link: str) -> tuple[bool, float, float]:
    """Of a step under load: whether a link lies before a board on its way, the volts there, and the watts through it."""
    part = plan.by_id[step.element]
    assert isinstance(part, Fed)
    way = [p.id for p in feeders_of(plan, part)]
    before_board = any(isinstance(plan.by_id[p], Converter) for p in way[: way.index(link)]) or isinstance(part, Converter)
    joined = [p for p in plan.loads if p.id in step.loads and link in {x.id for x in feeders_of(plan, p)}]
    watts = sum(p.draw.play.likely for p in joined if p.kind == "power_w")
    out_v = step.likely or 5.0
    if step.dummy_ohm:
        watts += out_v**2 / step.dummy_ohm
    store = source_of(plan, part)
    return before_board, (store.series * CELL_V if isinstance(store, Pack) else CELL_V) if before_board else out_v, watts


def _shows(plan: Plan, step: Step, link: str) -> float:
    """The chance that a cold joint puts a step under load off: by the volts it drops, or before a board by its collapse."""
    before_board, volts, watts = _through(plan, step, link)
    if before_board:
        return BELOW if watts > volts**2 / (4.0 * COLD_OHM) else SLIGHTLY
    spare = (step.likely or 0.0) - (step.low or 0.0)
    return BELOW if watts / volts * COLD_OHM > spare else SLIGHTLY


def _suits(plan: Plan, kind: str, elements: tuple[str, ...], step: Step, value: float) -> float:
    """How well the size of what is off suits a fault: a weak board sags, what hangs behind a cold joint sags or collapses."""
    if step.key.partition(":")[0] not in ("dummy", "load") or not step.likely:
        return 1.0
    collapsed = value / step.likely < COLLAPSED
    if kind in ("board", "trimmer"):
        return WRONG / 2.0 if collapsed else 1.0
    if kind == "cells":
        return 0.5 if collapsed else 0.3
    part = plan.by_id[step.element]
    way = [p.id for p in feeders_of(plan, part)] if isinstance(part, Fed) else []
    on_way = [e for e in elements if e in way]
    if kind != "joint" or not on_way:
        return 0.3
    before_board, volts, watts = _through(plan, step, on_way[0])
    if before_board:
        steps_up = any(isinstance(p, Converter) and p.kind == "boost" for p in (part, *(plan.by_id[w] for w in way)))
        return 1.0 if collapsed else WRONG if steps_up else 0.6
    return (1.0 if watts > volts**2 / (4.0 * COLD_OHM) else WRONG) if collapsed else 1.0


def fits_reads(plan: Plan, steps: Sequence[Step], reads: Reads, faults: Sequence[tuple[str, tuple[str, ...]]]) -> float:
    """How well faults explain which readings held and which did not.

    Parameters
    ----------
    plan : Plan
        The build.
    steps : sequence of Step
        Its ladder.
    reads : mapping of str to float
        What was read.
    faults : sequence of tuple
        That it has, all of them: kind, and where it may sit.

    Returns
    -------
    float
        A likelihood: a product of chances.
    """
    log = 0.0
    for step in steps:
        if step.key in reads:
            off, value = max(off_chance(plan, kind, elements, step) for kind, elements in faults), reads[step.key]
            log += math.log(1.0 - off if step.holds(value) else off * max(_suits(plan, k, e, step, value) for k, e in faults))
    return math.exp(log)


def parting(plan: Plan, steps: Iterable[Step], reads: Reads, accused: Sequence[tuple[Accused, float]]) -> Step | None:
    """The step that tells the suspects apart best: what it is expected to say, for what it costs [1]_.

    Parameters
    ----------
    plan : Plan
        The build.
    steps : iterable of Step
        Its ladder; what was read already says no more.
    reads : mapping of str to float
        What was read.
    accused : sequence of tuple
        Suspects with their shares.

    Returns
    -------
    Step or None
        None where no reading says anything.

    References
    ----------
    .. [1] D. V. Lindley, On a measure of the information provided by an experiment, Annals of Mathematical Statistics 27(4), 1956.
    """
    whole = sum(w for _, w in accused) or 1.0
    best: tuple[float, Step] | None = None
    for step in steps:
        if not step.unit or step.key in reads:
            continue
        chances = [(off_chance(plan, s.kind, s.elements, step), w / whole) for s, w in accused]
        says = _entropy(sum(p * w for p, w in chances)) - sum(w * _entropy(p) for p, w in chances)
        worth = says / (LIVE if step.live else 1.0)
        if says > 0.01 and (best is None or worth > best[0]):
            best = worth, step
    return best[1] if best else None


def _entropy(p: float) -> float:
    return -p * math.log2(p) - (1.0 - p) * math.log2(1.0 - p) if 0.0 < p < 1.0 else 0.0
