"""The wide search: packs, boards and wires together, as long work beside the page."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from briskcell import __version__
from briskcell.core.answers import Answers
from briskcell.core.assess import Assessment
from briskcell.core.engine.converters import same_output
from briskcell.core.moves.charging import other_chargers
from briskcell.core.moves.filling import filling
from briskcell.core.moves.fix import placed
from briskcell.core.moves.whole_boards import seated
from briskcell.core.search.candidates import same_charge
from briskcell.core.search.choices import Filling, Offer, choose, stacked
from briskcell.core.search.scout import CHUNK, Scouted, scout
from briskcell.formats.plan_json import document_of
from briskcell.library import PartClass, catalogue
from briskcell.model.changes import altered, replaced
from briskcell.model.errors import FigureError
from briskcell.model.parts import Converter, Link
from briskcell.model.plan import Plan
from briskcell.model.stores import Cell, ChargeBoard, Pack
from briskcell.model.tree import behind_links, wire_from
from briskcell.model.units import show
from briskcell.store.drawer import DrawerRow

from .drawer.at_hand import AtHand
from .edits.values import Edit
from .jobs import Progress, Work
from .judge import assessed
from .pack.bay import bay_of_case
from .search_kept import Judged

PARALLEL = tuple(range(1, 25))
GAUGES = tuple(float(g) for g in range(10, 31))
Array = NDArray[np.float64]


# A search of all that there is, and one of what lies in the drawer alone.
KINDS = KIND, IN_DRAWER = "search", "search of the drawer"


def search(a: Assessment, judged: Judged, rows: Sequence[DrawerRow] = (), kind: str = KIND) -> Work:
    """The work of searching for a build, among the classes of the library and what is the build's own.

    What lies in the drawer costs nothing more, what is sold out is left out.

    Raises
    ------
    FigureError
        If the build is not of the kind that the search knows: one pack, a wire from it, one board that feeds the rest;
        or if nothing that it could take lies in the drawer, where that alone is asked.
    """
    plan, drawer = a.plan, AtHand(rows)
    pack, _, main = _ends(plan)

    def asked(part_class: str) -> bool:
        return drawer.have(part_class) > 0 if kind == IN_DRAWER else drawer.can_be_had(part_class)

    cells = [c for c in _with_own(pack.cell, catalogue().of_kind("cells")) if same_charge(c, pack.cell) and asked(c.part_class)]
    boards = [
        b for b in _with_own(main, catalogue().boards()) if b.kind == main.kind and same_output(b, main) and asked(b.part_class)
    ]
    if not cells or not boards:
        what = "cell that the build could take" if not cells else f"board that gives {show(main.output_v.likely, 'V')} here"
        raise FigureError(
            "search",
            f"No {what} lies in the drawer." if kind == IN_DRAWER else f"Every {what} is sold out.",
            fix="Say in the drawer what you have.",
        )
    a = replace(a, stock=replace(a.stock, chargers=tuple(c for c in a.stock.chargers if asked(c.part_class))))
    chunks = len(boards) * -(-len(cells) * len(PARALLEL) * len(GAUGES) // CHUNK)

    def work(progress: Progress) -> dict[str, Any]:
        start = time.perf_counter()
        filled = filling(a, cells, boards, max(PARALLEL))
        if filled is not None:
            filled = replace(filled, cost=np.array([0.0, *(_price(drawer, b) for b in filled.boards[1:])]))
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
        return {
            "judged": len(out.runtime_h),
            "share": len(kept) / max(chunks, 1),
            "wanted_h": plan.brief.hours,
            "chargers": len(filled.boards) if filled else 0,
            **_results(a, out, filled, drawer, alone=kind == IN_DRAWER),
            "margins": [plan.brief.margins.comfortable, plan.brief.margins.close],
            "seconds": time.perf_counter() - start,
        }

    return work


def _ends(plan: Plan) -> tuple[Pack, Link, Converter]:
    pack = plan.packs[0] if len(plan.stores) == 1 and plan.packs else None
    wire = wire_from(plan, pack) if pack else None
    behind = plan.fed.get(behind_links(plan, wire).id, ()) if wire else ()
    main = next((c for c in behind if isinstance(c, Converter)), None)
    if pack is None or wire is None or main is None or len(behind) != 1 or plan.converters[0] is not main:
        raise FigureError(
            "search",
            "The wide search knows builds of one pack, a wire from it, and one board for all.",
            fix="Use the list of packs above.",
        )
    return pack, wire, main


def _with_own(own: Any, classes: Sequence[PartClass]) -> list[Any]:
    """Classes of the library, what stands in the build with its own figures in the place of its class, or before them all."""
    return [own, *(c.part for c in classes if c.part.part_class != own.part_class)]


def _results(a: Assessment, out: Scouted, filled: Filling | None, drawer: AtHand, *, alone: bool) -> dict[str, Any]:
    """The choices, each judged on the whole build; why the others fail; near misses; the points of the frontier."""
    plan = a.plan
    bay, cost = plan.bay or bay_of_case(plan), _costs(plan, out, drawer)
    wanted = out.parallel * plan.packs[0].series
    lie = np.array([drawer.have(c.part_class) for c in out.cells], dtype=int)[out.cell] >= wanted
    thick, _, _ = stacked(plan, out, bay)
    judged: dict[Offer, dict[str, Any]] = {}

    def row(offer: Offer) -> dict[str, Any]:
        return _row(out, offer, thick, cost, filled) | {"lie": bool(lie[offer.at])}

    def holds(offer: Offer) -> bool:
        judged[offer] = made = row(offer)
        made |= _whole(a, made)
        return bool(made["state"] != "fails")

    chosen = choose(plan, out, bay, cost, filled, holds, lie if alone else None)
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


def _costs(plan: Plan, out: Scouted, drawer: AtHand) -> Array:
    """What of cells and board is to be bought; inf where a price is not known. [€]"""
    counts = np.arange(int(out.parallel.max(initial=0)) + 1) * plan.packs[0].series
    cells = np.stack([drawer.to_buy(c.part_class, counts, c.cost) for c in out.cells])
    boards = np.array([float(drawer.to_buy(b.part_class, 1, b.cost)) for b in out.boards])
    return np.asarray(cells[out.cell, out.parallel] + boards[out.board])


def _row(out: Scouted, offer: Offer, thick: Array, cost: Array, filled: Filling | None) -> dict[str, Any]:
    """One offer as a page shows it."""
    k = offer.at
    cell, board = out.cells[out.cell[k]], out.boards[out.board[k]]
    charger = filled.boards[offer.charger] if filled is not None and offer.charger is not None else None
    price = float(cost[k]) + (float(filled.cost[offer.charger]) if filled is not None and offer.charger is not None else 0.0)
    fills = float(filled.hours[offer.charger, out.cell[k], out.parallel[k]]) if filled and offer.charger is not None else None
    return {
        "cell": cell.part_class,
        "cell_name": cell.name,
        "parallel": int(out.parallel[k]),
        "board": board.part_class,
        "board_name": board.name,
        "awg": float(out.awg[k]),
        "charger": charger.part_class if charger else "",
        "charger_name": charger.name if charger else "",
        "runtime_h": round(float(out.runtime_h[k]), 4),
        "thickness_mm": round(float(thick[k]), 2) if np.isfinite(thick[k]) else None,
        "mass_g": round(float(out.mass_g[k]), 1) if np.isfinite(out.mass_g[k]) else None,
        "cost": round(price, 2) if np.isfinite(price) else None,
        "charge_h": round(fills, 4) if fills is not None else None,
    }


def _whole(a: Assessment, row: dict[str, Any]) -> dict[str, Any]:
    """What the whole build says of an offer: the state, and its worst sentence."""
    edit = take_found(a, row["cell"], row["parallel"], row["board"], row["awg"], row["charger"])
    whole = assessed(edit.plan, "a choice of the search")
    worst = whole.findings[0] if whole.findings else None
    return {
        "state": worst.state if worst and worst.state in ("fails", "close") else "holds",
        "worst": worst.cause if worst else "",
    }


def _price(drawer: AtHand, board: ChargeBoard) -> float:
    """What a charge board costs more; nothing of one that comes on a regulator."""
    return float(drawer.to_buy(board.part_class, 1, board.cost)) if board.half_of is None else 0.0


def take_found(a: Answers, cell_key: str, parallel: int, board_key: str, awg: float, charger_key: str = "") -> Edit:
    """Put a combination into the build; the charge board that is there stays unless another is named."""
    plan = a.plan
    pack, wire, main = _ends(plan)
    cell = pack.cell if cell_key == pack.cell.part_class else catalogue().find(cell_key).part
    board = main if board_key == main.part_class else catalogue().find(board_key).part
    if not isinstance(cell, Cell) or not isinstance(board, Converter) or not 1 <= parallel <= max(PARALLEL) or awg not in GAUGES:
        raise FigureError("search", "That is no combination of the search.", fix="Search again.")
    words = f"{pack.series}S{parallel}P of {cell.name}, {board.name}, {awg:.0f} AWG"
    pack = altered(pack, cell=cell, parallel=parallel, strings=())
    plan = replaced(plan, pack)
    plan = replaced(plan, altered(plan.by_id[wire.id], awg=awg, section_mm2=None))
    if board is not main:
        whole = seated(plan, a.stock, placed(main, board))
        if whole is None:
            raise FigureError("search", f"Something hangs on {main.name} that would go with it.", fix="Feed that elsewhere first.")
        plan = whole
    there = next((b for b in plan.chargers if b.charges == pack.id), None)
    if charger_key and there is not None and charger_key != there.part_class:
        fixes = other_chargers(a.of(plan), there)
        fix = next((f for f in fixes if getattr(f.plan.by_id[there.id], "part_class", "") == charger_key), None)
        if fix is None:
            raise FigureError("search", "That charge board does not suit these cells.", fix="Search again.")
        plan, words = fix.plan, f"{words}, {fix.words}"
    return Edit(plan, words)
