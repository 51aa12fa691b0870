"""What a build's units have measured of the whole console: timed runs, meter logs, readings of the whole, tests of the cells."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from pydantic import ValidationError

from briskcell.core.assess import Assessment
from briskcell.core.log.learning import Learned, Measured, carried_over, learn, shared
from briskcell.core.pack.uncertainty import Range
from briskcell.model.changes import altered, replaced
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.services.bench.courses import totals_of
from briskcell.services.bench.measured import capacity_of
from briskcell.services.moments import told as day_told
from briskcell.store.log import EntryRow, LogStore
from briskcell.store.runs import RunRow, RunStore
from briskcell.store.units import UnitRow

MOST_RUNS = 40  # the newest
IN_PLAY = "play"  # a meter's log of the console as it was played from full until it stopped


@dataclass(frozen=True, slots=True)
class Told:
    """A measurement with where it comes from: a unit, a line of its log or a run; ``left_out`` says why it does not count, ``pack``
    with which pack it was made, as a document; empty where nobody wrote that down.
    """

    measured: Measured
    unit: UnitRow
    words: str
    entry: int | None = None
    run: str = ""
    left_out: str = ""
    pack: str = ""


def measurements(a: Assessment, unit: UnitRow, units: tuple[UnitRow, ...], log: LogStore, runs: RunStore) -> tuple[Told, ...]:
    """What a build's units measured of the whole console, left out or not; another unit's word counts less.

    The unit's own capacity test is not among them: it becomes a figure of its cells by itself.
    """
    out: list[Told] = []
    for each in units:
        sibling = each.id != unit.id
        for entry in log.of_unit(each.id):
            out += _of_entry(a, entry, each, sibling)
        for run in runs.of_unit(each.id):
            out += _of_run(a, run, each, sibling, runs)
    return tuple(out[:MOST_RUNS])


def _of_entry(a: Assessment, entry: EntryRow, unit: UnitRow, sibling: bool) -> list[Told]:
    about, left_out = entry.about, str(entry.about.get("left_out", ""))
    words = f"{unit.name}, {day_told(entry.at)}: {entry.words}"[:380]

    def made(what: str, value: float, ended: bool = True) -> Told:
        found = Measured(what, value, ended=ended, sibling=sibling, words=words)  # type: ignore[arg-type]
        return Told(found, unit, entry.words, entry=entry.id, left_out=left_out, pack=str(about.get("pack", "")))

    if entry.kind == "run":
        return [made("hours", float(about["hours"]), bool(about["ended"]))]
    if entry.kind == "whole":
        share = _of_mean(a, str(about.get("state", "play")))
        return [made("watts", float(about["watts"]) / share)] if share else []
    if entry.kind == "tested" and a.plan.packs:
        strings = len(a.plan.packs[0].string_cells) if about.get("of") == "cell" else 1
        return [made("tester", float(about["ah"]) * strings)]
    return []


def _of_mean(a: Assessment, state: str) -> float:
    """What a state draws of the mean over play, by the plan: a reading in one state says of the whole as much as that."""
    op, k = a.op, a.pack_index or 0
    rest, play, peak = (float(w) for w in (op.flow.store_v(k) * op.flow.branch_a[..., k])[:, op.half])
    use = op.plan.use
    mean = use.rest * rest + use.play * play + use.peak * (peak if math.isfinite(peak) else play)
    at = {"rest": rest, "play": play}.get(state, play)
    return at / mean if mean > 0 and math.isfinite(at) else 0.0


def _of_run(a: Assessment, run: RunRow, unit: UnitRow, sibling: bool, store: RunStore) -> list[Told]:
    left_out = str(run.about.get("left_out", ""))
    words = f"{unit.name}, {day_told(run.began_at)}: {run.title}"[:380]
    simulated = bool(run.about.get("simulated"))

    def made(what: str, value: float) -> Told:
        found = Measured(what, value, sibling=sibling, words=words)  # type: ignore[arg-type]
        return Told(
            found,
            unit,
            f"{run.title}, {SAID[what].format(value)}",
            run=run.key,
            left_out=left_out,
            pack=str(run.about.get("pack", "")),
        )

    if run.kind == IN_PLAY and not simulated:
        t = totals_of(store, run.id)
        hours = t.seconds / 3600.0
        out = [made("hours", hours)] if hours > 0 else []
        if math.isfinite(t.wh) and hours > 0 and t.wh > 0:
            out.append(made("watts", t.wh / hours))
        if math.isfinite(t.ah) and t.ah > 0:
            out.append(made("charge", t.ah))
        return out
    if sibling and (held := capacity_of(a, run, store)) is not None:
        return [made("capacity", held)]
    return []


SAID = {"hours": "{:.2f} h", "watts": "{:.3g} W in the mean", "charge": "{:.3g} Ah", "capacity": "{:.3g} Ah", "tester": "{:.3g} Ah"}


@dataclass(frozen=True, slots=True)
class Forecast:
    """Hours of another build: as its plan has it, and as was learned; how many doubts both share."""

    name: str
    before: Range
    after: Range
    shared: int


def forecast(found: Learned, other: Assessment, name: str) -> Forecast | None:
    """What was learned, for another build; None where it shares nothing, or does not play."""
    both = len(shared(found.plan, other.plan))
    before = other.runtime_range
    if not both or before is None:
        return None
    after = other.of(carried_over(found, other.plan)).runtime_range
    return Forecast(name, before, after, both) if after is not None else None


def lesson(a: Assessment, told: tuple[Told, ...]) -> Learned | None:
    """What measurements teach of a build; None where there are none that count, or nothing plays.

    What was measured with another pack than the plan has now is learned with that one, and its draws are carried over.
    """
    store, now = a.pack_index or 0, _kind_of(a.plan.packs[0]) if a.plan.packs else None
    before: dict[tuple[str, int, int], tuple[Pack, list[Measured]]] = {}
    here: list[Measured] = []
    for t in (t for t in told if not t.left_out):
        pack = _pack_of(t, a.plan)
        if pack is None or _kind_of(pack) == now:
            here.append(t.measured)
        else:
            before.setdefault(_kind_of(pack), (pack, []))[1].append(t.measured)
    found: Learned | None = None
    for pack, measured in before.values():
        older = learn(a.of(replaced(a.plan, pack)), measured, store)
        if older is not None:
            found = replace(older, plan=carried_over(older, a.plan, same_console=True))
            a = a.of(found.plan)
    newer = learn(a, here, store)
    return newer or found


def pack_written(plan: Plan) -> dict[str, str]:
    """What is kept with a measurement of the pack that it was made with."""
    return {"pack": plan.packs[0].model_dump_json(exclude_defaults=True)} if plan.packs else {}


def _kind_of(pack: Pack) -> tuple[str, int, int]:
    return pack.cell.part_class, pack.series, len(pack.string_cells)


def _pack_of(told: Told, plan: Plan) -> Pack | None:
    """The pack that a measurement was made with, in the place of the plan's own; None where that is not known."""
    try:
        made = Pack.model_validate_json(told.pack) if told.pack and plan.packs else None
    except ValidationError:
        return None
    return altered(made, id=plan.packs[0].id) if made is not None else None
