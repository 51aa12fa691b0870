"""How a unit's cells age: what each held against its label, and its resistance, test by test."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime

from briskcell.core.assess import Assessment
from briskcell.core.bench.course import step_ohm
from briskcell.model.stores import Pack
from briskcell.model.units import show
from briskcell.services.bench.courses import totals_of
from briskcell.services.bench.measured import capacity_of
from briskcell.services.moments import told
from briskcell.store.runs import RunRow, RunStore

WORN = 0.8  # of the label, below which makers of cells count them as worn out
NEVER = 0.9  # of the label, that a first test should show; a tenth covers age on the shelf and a test at a higher current
RISEN = 1.5  # times its first resistance, from which a cell counts as worn whatever it holds
APART_D = 14.0  # between two tests, before what lies between them is said to be age


@dataclass(frozen=True, slots=True)
class Test:
    """One discharge from full to empty: what each cell held, its share of the label, a cell's resistance where it showed."""

    at: datetime
    each_ah: float
    of_label: float
    ohm: float | None


@dataclass(frozen=True, slots=True)
class Ageing:
    """A unit's tests, the oldest first, the full charges that its log holds after the first, and what they say."""

    tests: tuple[Test, ...]
    charges: float
    words: tuple[str, ...]


def ageing(a: Assessment, runs: tuple[RunRow, ...], store: RunStore) -> Ageing | None:
    """What a unit's runs say of its cells' age; None without a test."""
    pack = next(iter(a.plan.packs), None)
    if pack is None:
        return None
    held = [(run, ah) for run in runs if (ah := capacity_of(a, run, store)) is not None]
    tests = tuple(sorted((_test(pack, run, ah, store) for run, ah in held), key=lambda t: t.at))
    if not tests:
        return None
    known = {run.id: ah for run, ah in held}
    drawn = [known[r.id] if r.id in known else totals_of(store, r.id).ah for r in runs if r.began_at > tests[0].at]
    since = sum(ah for ah in drawn if math.isfinite(ah) and ah > 0)
    charges = since / (tests[-1].each_ah * len(pack.string_cells))
    return Ageing(tests, charges, _words(tests, charges))


def _test(pack: Pack, run: RunRow, held_ah: float, store: RunStore) -> Test:
    rows = store.rows(run.id)
    strings = len(pack.string_cells)
    label = sum(c.label_ah.likely for c in pack.string_cells) / strings
    whole = step_ohm(rows[:, 0], rows[:, 1], rows[:, 2])
    besides = pack.link_resistance_ohm.likely + (pack.protection.resistance_ohm.likely if pack.protection else 0.0)
    cell = (whole - besides) * strings / pack.series if whole is not None else 0.0
    return Test(run.began_at, held_ah / strings, held_ah / strings / label, cell if cell > 0 else None)


def _words(tests: tuple[Test, ...], charges: float) -> tuple[str, ...]:
    first, last = tests[0], tests[-1]
    out = [f"A cell held {last.each_ah:.3g} Ah on {_day(last.at)}, {last.of_label:.0%} of its label."]
    days = (last.at - first.at).total_seconds() / 86_400
    if len(tests) > 1 and days >= APART_D:
        lost = first.of_label - last.of_label
        out.append(
            f"That is {abs(lost) * 100:.1f} points of the label {'less' if lost >= 0 else 'more'} than on {_day(first.at)}, "
            f"{days:.0f} days and {charges:.0f} logged full charges earlier."
        )
    if first.of_label < NEVER:
        out.append("Already the first test was well below the label: that is no age; the label promised more than the cell has.")
    if last.of_label < WORN:
        out.append("Below 80 % a cell counts as worn out: replace it, or put what it holds on the plan (Bench) and plan with that.")
    if first.ohm and last.ohm and len(tests) > 1:
        more = last.ohm / first.ohm
        out.append(f"Its resistance went from {show(first.ohm, 'Ω')} to {show(last.ohm, 'Ω')}, where the amps jumped.")
        if more >= RISEN:
            out.append("By half and more it has risen: it sags and warms more, whatever it holds. Such a cell is worn out.")
    return tuple(out)


def _day(at: datetime) -> str:
    return told(at)
