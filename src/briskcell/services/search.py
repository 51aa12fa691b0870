"""The wide search: packs, boards and wires together, as long work beside the page."""

from __future__ import annotations

import time
from typing import Any

import numpy as np
from numpy.typing import NDArray

from briskcell import __version__
from briskcell.core.answers import Answers
from briskcell.core.assess import Assessment
from briskcell.core.engine.converters import same_output
from briskcell.core.moves.charging import other_chargers
from briskcell.core.moves.filling import filling
from briskcell.core.search.candidates import same_charge
from briskcell.core.search.choices import Filling, Offer, choose, stacked
from briskcell.core.search.scout import CHUNK, Scouted, scout
from briskcell.formats.plan_json import document_of
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
from .judged import Judged
from .pack.bay import bay_of_case

PARALLEL = tuple(range(1, 25))
GAUGES = tuple(float(g) for g in range(10, 31))
Array = NDArray[np.float64]


KIND = "search"


def search(a: Assessment, judged: Judged) -> Work:
    """The work of searching for a build.

    Raises
    ------
    FigureError
        If the build is not of the kind that the search knows: one pack, a wire right behind it, one board that feeds the rest.
    """
    plan = a.plan
    pack, _, main = _ends(plan)
    cells = [c.part for c in catalogue().of_kind("cells") if same_charge(c.part, pack.cell)]
    boards = [c.part for c in catalogue().boards() if c.part.kind == main.kind and same_output(c.part, main)]
    chunks = len(boards) * -(-len(cells) * len(PARALLEL) * len(GAUGES) // CHUNK)

    def work(progress: Progress) -> dict[str, Any]:
        start = time.perf_counter()
        filled = filling(a, cells, max(PARALLEL))
        kept = judged.load(document_of(plan), [c.part_class for c in cells], [b.part_class for b in boards], __version__)

        def stop() -> bool:
            progress.at(len(kept) / max(chunks, 1))
            judged.note(kept)
            return progress.stopped()

        out = scout(plan, cells, PARALLEL, boards, GAUGES, stop=stop, kept=kept)
        if progress.stopped():
            judged.note(kept, now=True)
        else:
            judged.forget()
        return {"judged": len(out.runtime_h), "share": len(kept) / max(chunks, 1), "wanted_h": plan.brief.hours,
                "chargers": len(filled.boards) if filled else 0, **_results(a, out, filled),
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


def _results(a: Assessment, out: Scouted, filled: Filling | None) -> dict[str, Any]:
    """The choices, each judged on the whole build; why the others fail; near misses; the points of the frontier."""
    plan = a.plan
    bay, cost = plan.bay or bay_of_case(plan), _costs(plan, out)
    thick, _, _ = stacked(plan, out, bay)
    judged: dict[Offer, dict[str, Any]] = {}

    def row(offer: Offer) -> dict[str, Any]:
        return _row(out, offer, thick, cost, filled)

    def holds(offer: Offer) -> bool:
        judged[offer] = made = row(offer)
        made |= _whole(a, made)
        return bool(made["state"] != "fails")

    chosen = choose(plan, out, bay, cost, filled, holds)
    fallen = sorted({made["worst"] for made in judged.values() if made["state"] == "fails"})
    return {
        "passing": chosen.passing,
        "reasons": [[words, count] for words, count in chosen.reasons if count],
        "found": [judged[c.offer] | {"good_at": ", ".join(c.good_at)} for c in chosen.choices],
        "misses": [row(Offer(m.at, None)) | {"words": m.words} for m in chosen.misses],
        "points": [judged[offer] for offer in chosen.frontier],
        "unbeaten": chosen.unbeaten,
        "fallen": [sum(made["state"] == "fails" for made in judged.values()), fallen[0] if fallen else ""],
    }


def _costs(plan: Plan, out: Scouted) -> Array:
    """What cells and board cost; inf where that is not known. [€]"""
    cells = np.array([np.inf if c.cost is None else c.cost for c in out.cells], dtype=np.float64)
    boards = np.array([np.inf if b.cost is None else b.cost for b in out.boards], dtype=np.float64)
    return np.asarray(cells[out.cell] * out.parallel * plan.packs[0].series + boards[out.board])


def _row(out: Scouted, offer: Offer, thick: Array, cost: Array, filled: Filling | None) -> dict[str, Any]:
    """One offer as a page shows it."""
    k = offer.at
    cell, board = out.cells[out.cell[k]], out.boards[out.board[k]]
    charger = filled.boards[offer.charger] if filled is not None and offer.charger is not None else None
    price = float(cost[k]) + (float(filled.cost[offer.charger]) if filled is not None and offer.charger is not None else 0.0)
    fills = float(filled.hours[offer.charger, out.cell[k], out.parallel[k]]) if filled and offer.charger is not None else None
    return {
        "cell": cell.part_class, "cell_name": cell.name, "parallel": int(out.parallel[k]),
        "board": board.part_class, "board_name": board.name, "awg": float(out.awg[k]),
        "charger": charger.part_class if charger else "", "charger_name": charger.name if charger else "",
        "runtime_h": round(float(out.runtime_h[k]), 4),
        "thickness_mm": round(float(thick[k]), 2) if np.isfinite(thick[k]) else None,
        "mass_g": round(float(out.mass_g[k]), 1) if np.isfinite(out.mass_g[k]) else None,
        "cost": round(price, 2) if np.isfinite(price) else None,
        "charge_h": round(fills, 4) if fills is not None else None,
    }  # fmt: skip


def _whole(a: Assessment, row: dict[str, Any]) -> dict[str, Any]:
    """What the whole build says of an offer: the state, and its worst sentence."""
    edit = take_found(a, row["cell"], row["parallel"], row["board"], row["awg"], row["charger"])
    whole = assessed(edit.plan, "a choice of the search")
    worst = whole.findings[0] if whole.findings else None
    return {
        "state": worst.state if worst and worst.state in ("fails", "close") else "holds",
        "worst": worst.cause if worst else "",
    }


def take_found(a: Answers, cell_key: str, parallel: int, board_key: str, awg: float, charger_key: str = "") -> Edit:
    """Put a combination into the build; the charge board that is there stays unless another is named."""
    plan = a.plan
    pack, wire, main = _ends(plan)
    cell, board = catalogue().find(cell_key).part, catalogue().find(board_key).part
    if not isinstance(cell, Cell) or not isinstance(board, Converter) or not 1 <= parallel <= max(PARALLEL) or awg not in GAUGES:
        raise FigureError("search", "That is no combination of the search.", fix="Search again.")
    words = f"{pack.series}S{parallel}P of {cell.name}, {board.name}, {awg:.0f} AWG"
    pack = altered(pack, cell=cell, parallel=parallel, strings=())
    there = next((b for b in plan.chargers if b.charges == pack.id), None)
    if charger_key and there is not None and charger_key != there.part_class:
        fixes = other_chargers(a, there, pack=pack)
        fix = next((f for f in fixes if getattr(f.plan.by_id[there.id], "part_class", "") == charger_key), None)
        if fix is None:
            raise FigureError("search", "That charge board does not suit these cells.", fix="Search again.")
        plan, words = fix.plan, f"{words}, {fix.words}"
    plan = replaced(plan, pack)
    plan = replaced(plan, altered(plan.by_id[wire.id], awg=awg, section_mm2=None))
    plan = remade(replaced(plan, altered(board, id=main.id, fed_by=main.fed_by)), {})
    return Edit(plan, words)
