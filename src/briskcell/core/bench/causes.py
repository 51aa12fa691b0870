"""What is wrong where a reading is off: each fault is put into the build and solved, and held against what was read."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

import numpy as np

from briskcell.core.answers import Answers
from briskcell.core.bench.partial import Joined
from briskcell.core.bench.step import Step
from briskcell.core.charge.charging import end_v
from briskcell.core.engine.resistance import link_resistance_ohm
from briskcell.model.parts import Converter, Fed, Link
from briskcell.model.stores import Capacitor, ChargeBoard, Pack, Supply
from briskcell.model.tree import feeders_of

MOST = 3
COLD_OHM = (0.5, 2.0, 8.0)  # of a joint that looks made and is not
OPEN_OHM = 1e4  # above which nothing is joined
EMPTY = np.array([0.05])
ELSE = 0.03  # how often it is something else than what is listed
CLEARED = 0.03  # of its weight that is left of a cause whose own step was read and held
OWN = {  # steps that tell a cause by itself
    "cold": ("joint", "drop"),
    "open": ("joint", "drop"),
    "trimmer": ("idle",),
    "dead": ("idle",),
    "passes": ("idle",),
    "weak": ("dummy",),
    "hungry": ("draw",),
    "dead cell": ("cells", "polarity"),
    "empty": ("polarity",),
}
NEAR = {"V": (0.015, 0.03), "A": (0.06, 0.02), "Ω": (0.3, 0.2)}  # share of a prediction, and beside it, that a reading strays


@dataclass(frozen=True, slots=True)
class Cause:
    """What may be wrong: its name, words with what to do, the reading it would give, how well that explains the one taken, and its
    share beside all others, something else counted.
    """

    key: str
    words: str
    reading: float
    weight: float
    share: float = 0.0


def causes(assessed: Answers, step: Step, reading: float, held: Mapping[str, bool] | None = None) -> tuple[Cause, ...]:
    """The likeliest causes of a reading that is off, the best first.

    Parameters
    ----------
    assessed : Answers
        The build as it is planned.
    step : Step
        Of its ladder.
    reading : float
        What was read, in the step's unit.
    held : mapping of str to bool, optional
        Of the other steps that were read, whether each held: what was read right is no cause.

    Returns
    -------
    tuple of Cause
        Three at the most; each weighs by how often it happens, how near its reading is, and what else was read.
    """
    share, beside = NEAR.get(step.unit, (0.05, 0.05))
    found: dict[str, Cause] = {}
    for key, words, would, often in _faults(assessed, step, reading):
        if not np.isfinite(would):
            continue
        off = abs(reading - would) / (share * abs(would) + beside)
        often *= _cleared(key, step, held or {})
        weight = often * float(np.exp(-0.5 * min(off, 12.0) ** 2)) + 1e-9 * often / (1.0 + off)
        if key not in found or found[key].weight < weight:
            found[key] = Cause(key, words, would, weight)
    whole = sum(c.weight for c in found.values()) + ELSE * max((c.weight for c in found.values()), default=1.0)
    ranked = sorted(found.values(), key=lambda c: -c.weight)[:MOST]
    return tuple(replace(c, share=c.weight / whole) for c in ranked)


def _cleared(key: str, step: Step, held: Mapping[str, bool]) -> float:
    """How much of a cause is left by the other readings: little where its own step held, more than before where it did not."""
    kind, _, element = key.partition(":")
    own = [f"{name}:{element or step.element}" for name in OWN.get(kind, ())]
    read = [held[k] for k in own if k in held and k != step.key]
    return 1.0 if not read else CLEARED if all(read) else 3.0


Fault = tuple[str, str, float, float]


def _faults(a: Answers, step: Step, reading: float) -> Iterator[Fault]:
    kind = step.key.partition(":")[0]
    if kind == "joint":
        yield (
            "open",
            "It is not joined at all: a break, a wrong pad, a switch that is off. Find the end that does not ring.",
            max(reading, OPEN_OHM),
            0.5,
        )
        for ohm in COLD_OHM:
            yield "cold", "A cold joint or a tired contact: solder it anew, clean or change it.", (step.likely or 0.0) + ohm, 0.4
        yield "cold", "A cold joint or a tired contact: solder it anew, clean or change it.", min(reading, OPEN_OHM / 10), 0.1
    elif kind == "drop":
        amps = (step.likely or 0.0) / max(link_resistance_ohm(a.plan.by_id[step.element]), 1e-6)  # type: ignore[arg-type]
        for ohm in (0.1, 0.3, *COLD_OHM):
            yield (
                "cold",
                "A cold joint or a tired contact: solder it anew, clean or change it.",
                (step.likely or 0.0) + amps * ohm,
                0.4,
            )
        yield "cold", "A cold joint or a tired contact: solder it anew, clean or change it.", reading, 0.1
        yield "other resistor", "The resistor is another one, and draws more: read its ohms with nothing joined.", reading, 0.03
    elif kind == "leads":
        yield "broken lead", "A lead of the meter is broken, or its plug is loose: bend it while you read.", reading, 0.5
    elif kind == "short":
        yield "bridge", "A bridge of solder, or wires that touch: look along the pads, then lift one end after another.", 0.2, 0.6
        yield "part", "A part behind it is broken: take the parts off one after another until it is gone.", 3.0, 0.3
        yield "charging", "A capacitor that still charges: wait, and read again.", reading, 0.05
    elif kind in ("polarity", "cells"):
        yield from _of_the_pack(a, step, reading)
    elif kind == "charger":
        yield from _of_the_charger(a, step, reading)
    elif kind in ("idle", "dummy", "load"):
        yield from _of_volts(a, step, reading)
    elif kind in ("draw", "feed", "into"):
        yield from _of_amps(a, step, reading)


def _of_the_pack(a: Answers, step: Step, reading: float) -> Iterator[Fault]:
    store = a.plan.by_id[step.element]
    series = store.series if isinstance(store, Pack) else 1
    usual = step.likely or 0.0
    if step.key.startswith("cells"):
        yield "uneven", "The cells are charged unevenly: charge each by itself to the same volts, then join them.", reading, 0.4
        yield "dead cell", "One cell is empty or broken: change it, and do not charge it.", usual + 1.5, 0.3
        yield "dead cell", "One cell is empty or broken: change it, and do not charge it.", usual + 3.0, 0.3
        return
    for volts in (step.low or 0.0, usual, step.high or 0.0):
        yield "swapped", "The leads are swapped: mark them, and turn them before anything is joined.", -volts, 0.3
        for missing in range(1, series):
            yield (
                "dead cell",
                "A cell is dead, or its tab is off: read each cell by itself.",
                volts * (series - missing) / series,
                0.15,
            )
        yield "more cells", "There are more cells in series than planned: count them.", volts * (series + 1) / series, 0.05
    yield "tripped", "The protection board has tripped, or a tab is off: wake it on its charger, read each cell.", 0.0, 0.3
    if 0.05 < reading < (step.low or 0.0):
        yield "deep", "It is emptied below what it bears: do not charge it; take it to where cells are collected.", reading, 0.02


def _of_the_charger(a: Answers, step: Step, reading: float) -> Iterator[Fault]:
    board = a.plan.by_id[step.element]
    assert isinstance(board, ChargeBoard)
    store, supply = a.plan.by_id[board.charges], a.plan.by_id[board.supply]
    assert isinstance(store, Pack | Capacitor)
    assert isinstance(supply, Supply)
    volts = end_v(board, store)
    series = store.series if isinstance(store, Pack) else 1
    yield "no supply", "Nothing comes in: look at the supply, its cable and the socket.", 0.0, 0.4
    yield (
        "dead",
        "The board gives nothing: its enable pad, its solder, or it is broken. Try it with another supply first.",
        0.0,
        0.3,
    )
    yield "swapped", "The probes or the pads are swapped.", -volts, 0.2
    for other in {1, 2, 3, 4} - {series}:
        yield "other cells", "The board is made for another number of cells: do not join them.", volts * other / series, 0.2
    yield (
        "passes on",
        "The board passes its supply on: it is broken, or another board than thought. Do not join a cell.",
        float(supply.voltage_v.likely),
        0.2,
    )
    if reading > volts / 2:
        words = "It ends at other volts than the cells: a board for another chemistry. Do not join them."
        yield "other chemistry", words, reading, 0.03


def _path(a: Answers, step: Step) -> list[Link]:
    part = a.plan.by_id[step.element]
    return [p for p in feeders_of(a.plan, part) if isinstance(p, Link)] if isinstance(part, Fed) else []


def _of_volts(a: Answers, step: Step, reading: float) -> Iterator[Fault]:
    part, plan = a.plan.by_id[step.element], a.plan
    usual, links, bench = step.likely or 0.0, _path(a, step), Joined(plan, step.loads, step.resistor)
    yield (
        "swapped",
        "The probes or the pads are swapped: turn the probes; if it stays, the pads are not what they were taken for.",
        -usual,
        0.3,
    )
    for link in links:
        yield f"open:{link.id}", f"{link.name} is open: read it again from end to end, with the pack away.", 0.0, 0.3 / len(links)
        for ohm in COLD_OHM:
            volts = bench.solved(extra_ohm={link.id: ohm}).volts[part.id]
            yield (
                f"cold:{link.id}",
                f"{link.name} has a cold joint: read it again from end to end, with the pack away.",
                float(np.nanmedian(volts)) if np.isfinite(volts).any() else 0.0,
                0.3 / len(links),
            )
    above = [part, *feeders_of(plan, part)] if isinstance(part, Fed) else []
    board = next((p for p in above if isinstance(p, Converter)), None)
    solved = bench.solved()
    if board is not None:
        yield f"dead:{board.id}", f"{board.name} is off or broken: look at its enable pin and its input.", 0.0, 0.15
        if board.kind == "boost":
            for fed in solved.volts[board.fed_by].ravel():
                yield f"passes:{board.id}", f"{board.name} passes its input on: it does not boost.", float(fed), 0.2 / 4
        for share in (0.85, 0.9, 1.1, 1.2):
            yield (
                f"trimmer:{board.id}",
                f"{board.name} is set to other volts: turn its trimmer with nothing behind it.",
                usual * share,
                0.04,
            )
        if step.dummy_ohm:
            yield f"weak:{board.id}", f"{board.name} cannot carry this: a weaker board than thought.", reading, 0.02
    low = bench.solved(soc=EMPTY).volts[part.id]
    yield (
        "empty",
        "The pack is nearly empty: charge it, and read again.",
        float(np.nanmedian(low)) if np.isfinite(low).any() else 0.0,
        0.15,
    )
    for store in plan.packs:
        if store.series > 1:
            volts = bench.solved(missing_cell=store.id).volts[part.id]
            if np.isfinite(volts).any():
                yield "dead cell", "A cell of the pack gives nothing: read each by itself.", float(np.nanmedian(volts)), 0.1


def _of_amps(a: Answers, step: Step, reading: float) -> Iterator[Fault]:
    usual = step.likely or 0.0
    yield "swapped", "The meter is in the other way round: turn its leads.", -usual, 0.3
    yield "open", "No current flows: a switch that is off, a fuse that is gone, the meter's own fuse.", 0.0, 0.4
    if step.key.startswith("draw"):
        last = a.plan.by_id[step.element]
        before = Joined(a.plan, step.loads[:-1]).solved().amps
        for amps in before.values():
            yield f"asleep:{last.id}", f"{last.name} does not run: look whether it starts.", float(np.nanmedian(amps)), 0.25
        yield (
            f"hungry:{last.id}",
            f"{last.name} draws more than planned: put what you read on it, and see what that does to the build.",
            max(reading, usual),
            0.2,
        )
        yield (
            f"short:{last.id}",
            f"Something about {last.name} is shorted or too warm: take the pack away now.",
            3.0 * (step.high or 1.0),
            0.15,
        )
    elif step.key.startswith("feed"):
        board = a.plan.by_id[step.element]
        yield f"lossy:{board.id}", f"{board.name} loses more than its class: put what you read on it.", max(reading, usual), 0.3
        yield f"other resistor:{board.id}", "The resistor is another one: read it with nothing joined.", usual / 2, 0.1
    else:
        yield "full", "The pack is nearly full, and the current is falling: read again at half charge.", usual * 0.3, 0.2
        yield "weak supply", "The supply or its cable is weak: read its volts at the socket while it charges.", usual * 0.6, 0.25
        yield "console", "The console is on, and takes its share: switch it off.", usual * 0.5, 0.1
        yield "other current", "The board is set to another current: look at the resistor that sets it.", reading, 0.05
