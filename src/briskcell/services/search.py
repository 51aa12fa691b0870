"""The wide search: packs, boards and wires together, as long work beside the page."""

from __future__ import annotations

import itertools
import time
from typing import Any

import numpy as np

from briskcell.core.engine.converters import same_output
from briskcell.core.search.candidates import same_charge
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

PARALLEL = tuple(range(1, 25))
GAUGES = tuple(float(g) for g in range(10, 31))
SHOWN = 24


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
        return {"judged": len(out.runtime_h), "wanted_h": plan.brief.hours, "found": _best(plan, out),
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


def _best(plan: Plan, out: Scouted) -> list[dict[str, Any]]:
    """The thinnest, then lightest, that play as long as wanted with spare that is at least close; else the longest."""
    good = np.flatnonzero((out.runtime_h >= plan.brief.hours) & (out.spare >= plan.brief.margins.close))
    if good.size:
        order = np.lexsort((out.awg[good] * -1, out.mass_g[good], out.thickness_mm[good]))
    else:
        good = np.arange(len(out.runtime_h))
        order = np.argsort(-out.runtime_h[good])
    picked: list[int] = []
    seen: set[tuple[int, int, int]] = set()
    for k in (int(g) for g in good[order]):
        key = int(out.cell[k]), int(out.parallel[k]), int(out.board[k])
        if key not in seen:  # the thinnest wire that does stands for all thicker ones
            seen.add(key)
            picked.append(k)
        if len(picked) == SHOWN:
            break
    return [
        {"cell": (cell := out.cells[out.cell[k]]).part_class, "cell_name": cell.name, "parallel": int(out.parallel[k]),
         "board": (board := out.boards[out.board[k]]).part_class, "board_name": board.name, "awg": float(out.awg[k]),
         "runtime_h": float(out.runtime_h[k]), "energy_wh": float(out.energy_wh[k]), "spare": float(out.spare[k]),
         "thickness_mm": float(out.thickness_mm[k]), "mass_g": float(out.mass_g[k])}
        for k in picked
    ]  # fmt: skip


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
