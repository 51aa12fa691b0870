"""Fuses put in: behind a board that holds its limit through a short, or in a branch with thin wires."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from briskcell.core.answers import Answers
from briskcell.core.wiring.fuses import FUSE_SHARE
from briskcell.core.wiring.shorts import check_short
from briskcell.model.changes import put_in
from briskcell.model.parts import Converter, Link
from briskcell.model.plan import Plan
from briskcell.model.units import show

from .fix import Fix

FEW = 2  # wires that are given a fuse each; more of them share one


def usual_fuses(assessed: Answers) -> list[tuple[Link, float]]:
    """Fuses within reach and their ratings, smallest first; of one rating those that open for good before those that reset.

    Parameters
    ----------
    assessed : Answers
        The build, with its stock.

    Returns
    -------
    list of tuple of Link and float
        [A]
    """
    rated = [(k, k.rating_a.likely) for k in assessed.stock.links if k.kind == "fuse" and k.rating_a]
    return sorted(rated, key=lambda pair: (pair[1], pair[0].resettable))


def fused_branches(assessed: Answers, wires: Sequence[Link]) -> Iterator[Fix]:
    """A fuse before some wires that nothing guards well enough: one each where they are few, else one behind their board.

    Parameters
    ----------
    assessed : Answers
        The build.
    wires : sequence of Link
        Those that do not outlive every current.

    Yields
    ------
    Fix
        Plans in which all of them do; the smallest fuses that hold the peak.
    """
    peaks = {c.link.id: c.amps for c in assessed.links}
    if 0 < len(wires) <= FEW:
        plan, named = assessed.plan, []
        for wire in wires:
            fuse = next((f for f, a in usual_fuses(assessed) if FUSE_SHARE * a >= peaks.get(wire.id, 0.0)), None)
            if fuse is None:
                return
            plan, _ = put_in(plan, fuse, wire.fed_by, f"fuse-{wire.id}", [wire])
            named.append(f"{fuse.name} before {wire.name}")
        yield from _if_it_helps(assessed, plan, wires, " and ".join(named))
        return
    for board in assessed.plan.converters:
        fed = _at(assessed.plan, board)
        if not wires or not all(w.fed_by in fed for w in wires):
            continue
        most = sum(peaks.get(k.id, 0.0) for k in assessed.plan.links if k.fed_by in fed)
        for fuse, rating_a in usual_fuses(assessed):
            if FUSE_SHARE * rating_a >= most:
                plan, _ = put_in(assessed.plan, fuse, board.id, f"fuse-{board.id}")
                yield from _if_it_helps(assessed, plan, wires, f"{fuse.name} behind {board.name}")


def _at(plan: Plan, board: Converter) -> set[str]:
    """What stands for a board's output: itself and the rails right at it."""
    return {board.id, *(r.id for r in plan.rails if r.fed_by == board.id)}


def _if_it_helps(assessed: Answers, plan: Plan, wires: Sequence[Link], words: str) -> Iterator[Fix]:
    changed = assessed.of(plan)
    now = [k for k in plan.links if k.id in {w.id for w in wires}]
    if all(check_short(changed.op, k, changed.heat.air_c).safe for k in now):
        lets = show(max(c.lets_a for c in changed.fuses if c.fuse.id not in assessed.plan.by_id), "A")
        yield Fix(words, f"lets no more than {lets} pass for long.", plan)
