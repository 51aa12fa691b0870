"""The wide search: packs, boards and wires together, beside the page, with its progress shown and a way to stop it."""

from __future__ import annotations

import time
from dataclasses import dataclass, field
from threading import Event, Thread

import numpy as np
import structlog

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

PARALLEL = tuple(range(1, 25))
GAUGES = tuple(float(g) for g in range(10, 31))
SHOWN = 24


@dataclass(frozen=True, slots=True)
class Found:
    """One combination that was found, with what it comes to."""

    cell: Cell
    parallel: int
    board: Converter
    awg: float
    runtime_h: float
    energy_wh: float
    spare: float
    thickness_mm: float
    mass_g: float


@dataclass
class Search:
    """A search under way or done. ``share`` is how much of it is done."""

    plan: Plan
    chunks: int = 1
    asked: int = 0
    judged: int = 0
    seconds: float = 0.0
    found: tuple[Found, ...] = ()
    failed: str = ""
    stopped: Event = field(default_factory=Event)
    ended: Event = field(default_factory=Event)

    @property
    def share(self) -> float:
        return 1.0 if self.ended.is_set() else min(self.asked / self.chunks, 0.99)


def begin_search(plan: Plan) -> Search:
    """Start searching for a plan.

    Raises
    ------
    FigureError
        If the build is not of the kind that the search knows: one pack, a wire right behind it, one board that feeds the rest.
    """
    pack, _, main = _ends(plan)
    shelf = catalogue()
    cells = [c.part for c in shelf.of_kind("cells") if same_charge(c.part, pack.cell)]
    boards = [
        c.part for c in shelf.of_kind("converters")
        if c.part.kind == main.kind and same_output(c.part, main)
    ]  # fmt: skip
    count = len(cells) * len(PARALLEL) * len(GAUGES)
    search = Search(plan, chunks=len(boards) * -(-count // CHUNK))

    def stop() -> bool:
        search.asked += 1
        return search.stopped.is_set()

    def run() -> None:
        start = time.perf_counter()
        try:
            out = scout(plan, cells, PARALLEL, boards, GAUGES, stop=stop)
            search.judged, search.found = len(out.runtime_h), _best(plan, out)
        except Exception as error:  # whatever it is, the page is told, the log has it whole, and the thread ends
            structlog.get_logger("brisk-cell").exception("search failed", build=plan.name)
            search.failed = str(error) or type(error).__name__
        search.seconds = time.perf_counter() - start
        search.ended.set()

    Thread(target=run, name="search", daemon=True).start()
    return search


def _ends(plan: Plan) -> tuple[Pack, Link, Converter]:
    pack = plan.packs[0] if len(plan.stores) == 1 and plan.packs else None
    wire = next((k for k in plan.links if pack and k.kind == "wire" and k.fed_by == pack.id), None)
    behind = plan.fed.get(behind_links(plan, wire).id, ()) if wire else ()
    main = next((c for c in behind if isinstance(c, Converter)), None)
    if pack is None or wire is None or main is None or len(behind) != 1 or plan.converters[0] is not main:
        raise FigureError("search", "The wide search knows builds of one pack, a wire right behind it, and one board for all.",
                          fix="Use the list of packs above.")  # fmt: skip
    return pack, wire, main


def _best(plan: Plan, out: Scouted) -> tuple[Found, ...]:
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
    return tuple(
        Found(out.cells[out.cell[k]], int(out.parallel[k]), out.boards[out.board[k]], float(out.awg[k]), float(out.runtime_h[k]),
              float(out.energy_wh[k]), float(out.spare[k]), float(out.thickness_mm[k]), float(out.mass_g[k]))
        for k in picked
    )  # fmt: skip


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


class Searches:
    """The searches under way or done, one for each build."""

    def __init__(self) -> None:
        self._kept: dict[int, Search] = {}

    def of(self, build_id: int) -> Search | None:
        """The build's search; None without one."""
        return self._kept.get(build_id)

    def begin(self, build_id: int, plan: Plan) -> None:
        """Start one; the build's last is stopped."""
        self.stop(build_id, wait_s=0.0)
        self._kept[build_id] = begin_search(plan)

    def stop(self, build_id: int, wait_s: float = 5.0) -> None:
        """Stop the build's search, and wait that long for what it found so far."""
        if (found := self._kept.get(build_id)) is not None:
            found.stopped.set()
            found.ended.wait(wait_s)
