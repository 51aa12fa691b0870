"""Who may share a supply voltage with whom: how few would do, what may be fed from the store, what must never see 5 V."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.engine.operating import Operating
from briskcell.model.parts import Converter, Load, Rail
from briskcell.model.tree import boards_above, store_point

from .fewest import RailChoice, fewest_rails, straight_on
from .headroom import Word

COMMON_RAIL_V = 5.0  # the rail that most boards have, and that harms a part made for less


@dataclass(frozen=True, slots=True)
class Proposal:
    """One voltage that serves a group of parts: why it lies where it does, what serves them today, and what would change.

    ``set_board`` is a board to be set to that voltage; else ``move_to`` a rail of it, and ``to_move`` the ids of the parts.
    """

    choice: RailChoice
    parts: tuple[Load, ...]
    why: str
    today: tuple[Converter, ...]
    set_board: Converter | None
    move_to: Rail | None
    to_move: tuple[str, ...]


def proposals(op: Operating) -> tuple[Proposal, ...]:
    """How few voltages would serve every part, each with its reasons.

    Parameters
    ----------
    op : Operating
        The solved build.

    Returns
    -------
    tuple of Proposal
        By rising voltage.
    """
    choices = fewest_rails(op.plan.loads)
    return tuple(_proposal(op, choices, n) for n in range(len(choices)))


def _proposal(op: Operating, choices: tuple[RailChoice, ...], n: int) -> Proposal:
    plan, choice = op.plan, choices[n]
    parts = tuple(p for p in plan.loads if p.id in choice.loads)
    lowest, highest = max(parts, key=lambda p: p.window.low_v), min(parts, key=lambda p: p.window.high_v)
    why = f"from {choice.low_v:.2f} V, which {lowest.name} needs, to {choice.high_v:.2f} V, the most for {highest.name}"
    if n + 1 < len(choices):
        above = max((p for p in plan.loads if p.id in choices[n + 1].loads), key=lambda p: p.window.low_v)
        why += f"; {above.name} needs {above.window.low_v:.2f} V, so it cannot join"
    feeding = {p.id: boards[-1] for p in parts if (boards := boards_above(plan, p))}
    boards = tuple({b.id: b for b in feeding.values()}.values())
    right = [b for b in boards if choice.low_v <= b.output_v.likely <= choice.high_v]
    rail = next((r for r in plan.rails if right and r.fed_by == right[0].id), None)
    away = tuple(p.id for p in parts if rail and feeding.get(p.id) is not right[0])
    return Proposal(
        choice=choice,
        parts=parts,
        why=why,
        today=boards,
        set_board=boards[0] if boards and not right else None,
        move_to=rail if away else None,
        to_move=away,
    )


@dataclass(frozen=True, slots=True)
class DirectFeed:
    """A part whose window covers its store from full to empty: where it would be fed from, and whether it is already."""

    load: Load
    point: str
    direct: bool


def direct_feeds(op: Operating) -> tuple[DirectFeed, ...]:
    """Parts that need no regulator.

    Parameters
    ----------
    op : Operating
        The solved build.

    Returns
    -------
    tuple of DirectFeed
        Behind switch and fuse, never before them.
    """
    out = []
    for k, store in enumerate(op.plan.stores):
        may = straight_on(op.plan, store)
        mine = [p for n, p in enumerate(op.network.loads) if op.network.store_of_load(n) == k and p.id in may]
        out += [DirectFeed(p, store_point(op.plan, p), not boards_above(op.plan, p)) for p in mine]
    return tuple(out)


@dataclass(frozen=True, slots=True)
class VoltageGuard:
    """A part that must never see 5 V: the most it gets, what it is rated to, and the board above its regulator that has more."""

    load: Load
    most_v: float
    rated_v: float
    state: Word
    regulator: Converter | None
    higher: Converter | None


def voltage_guards(op: Operating) -> tuple[VoltageGuard, ...]:
    """Parts that the common 5 V rail would harm.

    Parameters
    ----------
    op : Operating
        The solved build.

    Returns
    -------
    tuple of VoltageGuard
        Fails above what destroys the part, close above its window.
    """
    out = []
    for k, load in enumerate(op.network.loads):
        rated = load.window.absolute_max_v or load.window.high_v
        if rated >= COMMON_RAIL_V:
            continue
        most, above = float(op.flow.load_v(k).max()), boards_above(op.plan, load)
        state: Word = "fails" if most > rated else "close" if most > load.window.high_v else "holds"
        higher = next((b for b in above[:-1] if b.output_v.likely > rated), None)
        out.append(VoltageGuard(load, most, rated, state, above[-1] if above else None, higher))
    return tuple(out)
