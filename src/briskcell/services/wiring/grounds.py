"""How the grounds behind each board are joined: each to the board by its own strand, or from part to part in a chain."""

from __future__ import annotations

import math
from dataclasses import dataclass

from pydantic import ValidationError

from briskcell.core.assess import Assessment
from briskcell.core.engine.operating import operate
from briskcell.core.rails.windows import volts_got
from briskcell.model.changes import altered, remade, replaced, without
from briskcell.model.errors import FigureError
from briskcell.model.parts import Converter, Link, Load
from briskcell.model.plan import Plan
from briskcell.model.tree import boards_above, free_id, own_wires
from briskcell.services.aside import kept
from briskcell.services.edits.values import Edit, field_error_of

HOP_M = 0.06  # from one part's ground to the next, at the least: a guess
GROUND = "ground-"


@dataclass(frozen=True, slots=True)
class Ground:
    """The grounds behind one board: the parts in the order of a chain, and what each way leaves the worst of them. [V]

    ``worse`` is the part that loses most by a chain.
    """

    board: Converter
    loads: tuple[Load, ...]
    chained: bool
    star_v: float
    chain_v: float
    worse: str


def behind(plan: Plan, board: Converter) -> list[Load]:
    """The loads right behind a board that have a wire of their own, the nearest first."""
    found = []
    for load in plan.loads:
        wires = own_wires(plan, load)
        if boards_above(plan, load)[-1:] == (board,) and wires and load.half_of is None:
            found.append((sum(w.length_m or 0.0 for w in wires), load))
    return [load for _, load in sorted(found, key=lambda pair: pair[0])]


def is_chained(plan: Plan, board: Converter) -> bool:
    """Whether the grounds behind a board are a chain that was laid here."""
    return any(_laid_here(load) for load in behind(plan, board))


def _laid_here(load: Load) -> bool:
    """Whether a load comes back by a hop of a chain, not by a return that the plan had before."""
    return (load.return_by or "").startswith(GROUND)


def chain(plan: Plan, board: Converter) -> Plan:
    """The plan with the grounds behind a board from part to part: each wire is one strand out, and each hop one strand back."""
    at, was = board.id, 0.0
    for load in behind(plan, board):
        wires = own_wires(plan, load)
        length = sum(w.length_m or 0.0 for w in wires)
        hop = Link(
            id=free_id(plan, f"{GROUND}{load.id}"),
            name=f"Ground of {load.name}"[:110],
            kind="return",
            fed_by=at,
            length_m=round(max(HOP_M, length - was), 3),
            awg=wires[0].awg or 24.0,
            conductors=1,
            insulation_c=wires[0].insulation_c,
        )
        plan = remade(plan, {"links": (*plan.links, hop)})
        for wire in wires:
            plan = replaced(plan, altered(wire, conductors=1))
        plan = replaced(plan, altered(plan.by_id[load.id], return_by=hop.id))
        at, was = hop.id, length
    return plan


def star(plan: Plan, board: Converter) -> Plan:
    """The plan with each ground behind a board on a strand of its own again."""
    for load in behind(plan, board):
        if _laid_here(load):
            for wire in own_wires(plan, load):
                plan = replaced(plan, altered(wire, conductors=2))
            plan = replaced(plan, altered(plan.by_id[load.id], return_by=None))
    used = {load.return_by for load in plan.loads}
    gone = {k.id for k in plan.links if k.kind == "return" and k.id.startswith(GROUND) and k.id not in used}
    return remade(plan, without(plan, gone, {}))


@kept
def grounds(assessed: Assessment) -> tuple[Ground, ...]:
    """Every board with two parts or more behind it, and what a chain of their grounds would cost."""
    out = []
    for board in assessed.plan.converters:
        loads = behind(assessed.plan, board)
        if len(loads) < 2 or any(p.return_by and not _laid_here(p) for p in loads):
            continue
        now = is_chained(assessed.plan, board)
        other = volts_got(operate(star(assessed.plan, board) if now else chain(assessed.plan, board)), assessed.ends)
        ids = {p.id for p in loads}
        mine, others = ({w.load.id: w.least_v for w in got if w.load.id in ids} for got in (assessed.windows, other))
        stars, chains = (others, mine) if now else (mine, others)
        lost = max(ids, key=lambda i: stars[i] - chains[i] if math.isfinite(stars[i] - chains[i]) else 0.0)
        worst = [min(v.values()) for v in (stars, chains)]
        out.append(Ground(board, tuple(loads), now, worst[0], worst[1], assessed.plan.by_id[lost].name))
    return tuple(out)


def join_grounds(plan: Plan, board_id: str, how: str) -> Edit:
    """Join the grounds behind a board as a star or as a chain.

    Raises
    ------
    FigureError
        If there is no such board, or no such way.
    """
    board = plan.by_id.get(board_id)
    if not isinstance(board, Converter) or how not in ("star", "chain"):
        raise FigureError("ground", "There is no such board any more.", fix="Reload the page.")
    try:
        plan = star(plan, board)
        if how == "star":
            return Edit(plan, f"Grounds behind {board.name}: each on its own strand")
        return Edit(chain(plan, board), f"Grounds behind {board.name}: in a chain")
    except ValidationError as error:
        raise field_error_of(error, "ground") from error
