"""The bring-up ladder: every step from the safest to the loaded, each with its probes, its window and what it depends on.

First nothing is energised: pads are found, joints and shorts measured. Then the pack alone, the charge board alone, each regulator
unloaded and with a resistor, and one real load after another. No step that joins a cell comes before pads, joints and shorts on
its way are proven.
"""

from __future__ import annotations

from collections.abc import Iterator

from briskcell.core.answers import Answers

from . import cold, live
from .console import Console, console_of
from .step import Step


def ladder(assessed: Answers) -> tuple[Step, ...]:
    """Every step that proves a build, in an order in which each comes after what it depends on.

    Parameters
    ----------
    assessed : Answers
        The build.

    Returns
    -------
    tuple of Step
        None without a store.
    """
    if not assessed.plan.stores:
        return ()
    return tuple(_steps(console_of(assessed)))


def _steps(b: Console) -> Iterator[Step]:
    dummies = {board.id: step for board in b.boards if (step := live.dummy(b, board)) is not None}
    yield from cold.pads(b)
    yield from cold.joints(b)
    yield from cold.pack(b)
    yield from cold.chargers(b)
    for board in b.boards:
        yield live.idle(b, board)
        if board.id in dummies:
            yield dummies[board.id]
            yield live.feed(b, board, dummies[board.id])
    yield from live.under_load(b, dummies)
    yield from live.loads(b, frozenset(dummies))
    yield from live.charging(b)
