"""The wide search: packs, boards and wires together, as long work beside the page."""

from __future__ import annotations

import itertools
import time
from typing import Any

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.converters import same_output
from briskcell.core.search.candidates import same_charge
from briskcell.core.search.choices import choose, stacked
from briskcell.core.search.scout import CHUNK, Scouted, scout
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.errors import FigureError
from briskcell.model.parts import Converter, Link
from briskcell.model.plan import Plan
from briskcell.model.stores import Cell, Pack
from briskcell.model.tree import behind_links

from .edits.values import Edit
from .jobs import Progress, Work
from .judge import assessed
from .pack.bay import bay_of_case

PARALLEL = tuple(range(1, 25))
GAUGES = tuple(float(g) for g in range(10, 31))
MOST_POINTS = 300
Array = NDArray[np.float64]


KIND = "search"


def search(plan: Plan) -> Work:
    """The work of searching for a plan.

    Raises
    ------
    FigureError
        If the build is not of the kind that the search knows: one pack, a wire right behind it, one board that feeds the rest.
    """
    pack, _, main = _ends(plan)
    cells = [c.part for c in catalogue().of_kind("cells") if same_charge(c.part, pack.cell)]
    boards = [c.part for c in catalogue().boards() if c.part.kind == main.kind and same_output(c.part, main)]
    chunks = len(boards) * -(-len(cells) * len(PARALLEL) * len(GAUGES) // CHUNK)

    def work(progress: Progress) -> dict[str, Any]:
        start, asked = time.perf_counter(), itertools.count(1)

        def stop() -> bool:
            progress.at(next(asked) / max(chunks, 1))
            return progress.stopped()

        out = scout(plan, cells, PARALLEL, boards, GAUGES, stop=stop)
        return {"judged": len(out.runtime_h), "wanted_h": plan.brief.hours, **_results(plan, out),
                "margins": [plan.brief.margins.comfortable, plan.brief.margins.close],
                "seconds": time.perf_counter() - start}  # fmt: skip

    return work


def _ends(plan: Plan) -> tuple[Pack, Link, Converter]:
    pack = plan.packs[0] if len(plan.stores) == 1 and plan.packs else None
    wire = next((k for k in plan.links if pack and k.kind == "wire" and k.fed_by == pack.id), None)
    behind = plan.fed.get(behind_links(plan, wire).id, ()) if wire else ()
    main = next((c for c in behind if isinstance(c, Converter)), None)
    if pack is None or wire is None or main is None or len(behind) != 1 or plan.converters[0] is not main:
        raise FigureError("search", "The wide search knows builds of one pack, a wire right behind it, and one board for all.",
                          fix="Use the list of packs above.")  # fmt: skip
    return pack, wire, main


def _results(plan: Plan, out: Scouted) -> dict[str, Any]:
    """The choices, each judged on the whole build; why the others fail; near misses; the points of the frontier."""
    bay = plan.bay or bay_of_case(plan)
    cost = _costs(plan, out)
    chosen = choose(plan, out, bay, cost)
    thick, _, _ = stacked(plan, out, bay)
    points = [
        [round(float(v), 3) for v in (out.runtime_h[k], thick[k], out.mass_g[k], cost[k])] for k in chosen.frontier[:MOST_POINTS]
    ]
    return {
        "passing": chosen.passing,
        "reasons": [[words, count] for words, count in chosen.reasons if count],
        "found": [_row(plan, out, c.at, thick, cost) | {"good_at": ", ".join(c.good_at)} for c in chosen.choices],
        "misses": [_row(plan, out, m.at, thick, cost) | {"words": m.words} for m in chosen.misses],
        "points": points,
    }


def _costs(plan: Plan, out: Scouted) -> Array:
    """What cells and board cost; inf where that is not known. [€]"""
    cells = np.array([np.inf if c.cost is None else c.cost for c in out.cells], dtype=np.float64)
    boards = np.array([np.inf if b.cost is None else b.cost for b in out.boards], dtype=np.float64)
    return np.asarray(cells[out.cell] * out.parallel * plan.packs[0].series + boards[out.board])


def _row(plan: Plan, out: Scouted, k: int, thick: Array, cost: Array) -> dict[str, Any]:
    """One candidate as a page shows it, with what the whole build says of it: the state, and its worst sentence."""
    cell, board = out.cells[out.cell[k]], out.boards[out.board[k]]
    row = {
        "cell": cell.part_class,
        "cell_name": cell.name,
        "parallel": int(out.parallel[k]),
        "board": board.part_class,
        "board_name": board.name,
        "awg": float(out.awg[k]),
        "runtime_h": float(out.runtime_h[k]),
        "thickness_mm": float(thick[k]) if np.isfinite(thick[k]) else None,
        "mass_g": float(out.mass_g[k]),
        "cost": float(cost[k]) if np.isfinite(cost[k]) else None,
    }
    whole = assessed(
        take_found(plan, cell.part_class, row["parallel"], board.part_class, row["awg"]).plan, "a choice of the search"
    )
    worst = whole.findings[0] if whole.findings else None
    return row | {
        "state": worst.state if worst and worst.state in ("fails", "close") else "holds",
        "worst": worst.cause if worst else "",
    }


def take_found(plan: Plan, cell_key: str, parallel: int, board_key: str, awg: float) -> Edit:
    """Put a combination into the build."""
    pack, wire, main = _ends(plan)
    cell, board = catalogue().find(cell_key).part, catalogue().find(board_key).part
    if not isinstance(cell, Cell) or not isinstance(board, Converter) or not 1 <= parallel <= max(PARALLEL) or awg not in GAUGES:
        raise FigureError("search", "That is no combination of the search.", fix="Search again.")
    plan = replaced(plan, altered(pack, cell=cell, parallel=parallel, strings=()))
    plan = replaced(plan, altered(wire, awg=awg, section_mm2=None))
    plan = remade(replaced(plan, altered(board, id=main.id, fed_by=main.fed_by)), {})
    return Edit(plan, f"{pack.series}S{parallel}P of {cell.name}, {board.name}, {awg:.0f} AWG")
