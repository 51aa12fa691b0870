"""The rule of peaks: parts that peak together do not reset the board more often than the brief accepts."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

import numpy as np

from briskcell.core.answers import Answers
from briskcell.core.moves.boards import other_boards, other_links, other_rails
from briskcell.core.moves.carrying import higher_trip
from briskcell.core.moves.fix import Fix
from briskcell.core.moves.layouts import other_layouts
from briskcell.core.moves.packs import other_packs
from briskcell.core.moves.volts import more_volts
from briskcell.core.moves.warning import higher_warning
from briskcell.core.pack.resets import HARDLY_ANY, MAYBE, Resets
from briskcell.model.parts import Converter, Link, Load
from briskcell.model.stores import Pack
from briskcell.model.units import show

from ..registry import Finding, missed_by, rule


@rule(
    "resets",
    station="pack",
    wish="resets_per_charge",
    shown=("pack/peaks",),
    source="R. Billinton, R. N. Allan, Reliability Evaluation of Power Systems, 2nd ed., ch. 3",
)
def resets_rule(assessed: Answers) -> Iterator[Finding]:
    """Peaks that meet by chance reset the board no more often than the brief accepts."""
    found, accepted = assessed.resets, assessed.plan.brief.resets_per_charge
    if found is None or found.expected <= accepted or not found.culprits or found.at_end <= 0:
        return
    worst, wanted = found.culprits[0], assessed.plan.brief.hours
    state = assessed.resets_word
    late = state == "close" and found.expected > accepted + MAYBE
    element = worst.element or assessed.plan.stores[0].id
    yield Finding(
        state,
        element,
        f"{found.words} The {show(wanted, 'h')} that are wanted come before that." if late else found.words,
        min(missed_by(found.expected, max(accepted, 1.0)), 2.0),
        partial(_apart, assessed, element),
        "Less draw at once, or a part that carries it.",
    )


def _calm(found: Resets, accepted: float) -> Iterator[float]:
    """The lowest states of charge down to which no more resets are expected than are accepted, then than count as hardly any."""
    expected = np.array([found.expected_by(h) for h in found.elapsed_h])
    for most in (accepted, accepted + MAYBE):
        yield float(found.soc[np.flatnonzero(expected <= max(most, HARDLY_ANY))[-1]])


def _apart(assessed: Answers, element: str) -> Iterator[Fix]:
    part, found = assessed.plan.by_id[element], assessed.resets
    if found is not None:
        yield from higher_warning(assessed, _calm(found, assessed.plan.brief.resets_per_charge))
    if isinstance(part, Converter):
        yield from other_boards(assessed, part)
    elif isinstance(part, Load):
        yield from more_volts(assessed, part)
        yield from other_rails(assessed, part)
    elif isinstance(part, Link):
        yield from other_links(assessed, part)
    for pack in assessed.plan.packs:
        weak = next((h for h in assessed.headrooms if h.element == pack.id and h.kind == "protection"), None)
        if weak is not None:
            yield from higher_trip(assessed.plan, weak)
        now = assessed.runtimes[assessed.plan.stores.index(pack)]
        for times in (1.0, 2.0):
            yield from other_packs(assessed, pack, least_wh=times * now.energy_wh)
        if isinstance(pack, Pack):
            yield from other_layouts(assessed, pack)
