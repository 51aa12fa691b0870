"""The Rails station: what each part accepts and gets, how few rails would do, and each regulator's limit."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from briskcell.core.assess import Assessment
from briskcell.core.rails.board_figures import BoardFigures
from briskcell.drawing.rails.curves import limit_plot
from briskcell.drawing.scale import Scale
from briskcell.drawing.words import short
from briskcell.model.parts import STATES, Converter, Load
from briskcell.model.tree import board_feeders, boards_above
from briskcell.services.builds import Opened
from briskcell.services.library import classes
from briskcell.web.sections import Section
from briskcell.web.units import show
from briskcell.web.view import View

ROW, TOP, LEFT, RIGHT = 27.0, 56.0, 176.0, 516.0

SECTIONS = (
    Section("h-windows", "Windows"),
    Section("h-boards", "Regulators"),
    Section("h-fewest", "Fewest rails"),
    Section("h-straight", "On the pack itself"),
    Section("h-alternatives", "One board or two"),
)


@dataclass(frozen=True, slots=True)
class WindowRow:
    """One part's window of volts, and what it gets: from, to, and now."""

    load: Load
    name: str
    y: float
    low_x: float
    high_x: float
    got_low_x: float
    got_high_x: float
    now_x: float
    now_v: float
    least_v: float
    state: str


@dataclass(frozen=True, slots=True)
class Handle:
    """A regulator's output, as a line that can be dragged; ``level`` keeps the words of near ones apart."""

    board: Converter
    x: float
    level: int
    words: str


def surface(opened: Opened, view: View) -> dict[str, Any]:
    """What the Rails station shows."""
    assessed, op = opened.assessed, opened.assessed.op
    pack = assessed.plan.packs[0] if assessed.plan.packs else None
    span = (pack.series * pack.cell.empty_v, pack.series * pack.cell.full_v) if pack else None
    tops = [p.window.high_v for p in assessed.plan.loads] + [c.output_v.likely * 1.1 for c in assessed.plan.converters]
    scale = Scale(2.0, min(max([span[1] if span else 5.0, 6.0, *tops]), 20.0) + 0.5, LEFT, RIGHT)
    figures = assessed.board_figures
    boards = [_board(assessed, k, c, figures[c.id]) for k, c in enumerate(op.network.converters)]
    chosen = next((b for b in boards if view.slip.startswith(f"part:{b['board'].id}")), None) or min(
        (b for b in boards if b["headroom"]), key=lambda b: b["headroom"].spare, default=None
    )
    rows = _rows(assessed, view, scale)
    return {
        "rows": rows,
        "height": TOP + ROW * len(rows) + 30.0,
        "top": TOP - 14.0,
        "scale": scale,
        "ticks": [(t, scale(t)) for t in scale.ticks(7)],
        "handles": _handles(op.network.converters, scale),
        "pack_span": (scale(span[0]), scale(span[1])) if span else None,
        "boards": boards,
        "chosen": chosen,
        "plot": limit_plot(op.soc, chosen["headroom"]) if chosen and chosen["headroom"] else None,
        "classes": classes("converters"),
        "proposals": assessed.proposals,
        "places": board_feeders(assessed.plan),
        "idle": [r for r in assessed.plan.rails if not assessed.plan.fed.get(r.id)],
        "voltages": len({round(c.output_v.likely, 2) for c in assessed.plan.converters}),
        "straight": assessed.direct_feeds,
        "twice": [(p, above) for p in op.network.loads if len(above := boards_above(op.plan, p)) > 1],
        "guarded": assessed.voltage_guards,
        "others": [
            (h, assessed.judged(h.spare)) for h in assessed.headrooms if h.kind not in ("boost", "buck", "buck_boost", "linear")
        ],
    }


def _rows(assessed: Assessment, view: View, scale: Scale) -> list[WindowRow]:
    op = assessed.op
    point, row = op.index(view.soc), STATES.index(view.state)
    rows = []
    for k, got in enumerate(assessed.windows):
        load, now = got.load, float(op.flow.load_v(k)[row, point])
        rows.append(
            WindowRow(
                load,
                short(load.name, LEFT - 16),
                TOP + ROW * (k + 0.5),
                scale(load.window.low_v),
                scale(load.window.high_v),
                scale(got.least_v),
                scale(got.most_v),
                scale(now),
                now,
                got.least_v,
                assessed.element_state(load.id),
            )
        )
    return rows


def _handles(boards: tuple[Converter, ...], scale: Scale) -> list[Handle]:
    out: list[Handle] = []
    for board in sorted(boards, key=lambda c: c.output_v.likely):
        x = scale(board.output_v.likely)
        near = {h.level for h in out if abs(h.x - x) < 52}
        level = next(k for k in range(len(boards) + 1) if k not in near)
        out.append(Handle(board, x, level % 3, show(board.output_v.likely, "V")))
    return out


def _board(assessed: Assessment, index: int, board: Converter, figures: BoardFigures) -> dict[str, Any]:
    op = assessed.op
    input_v = op.flow.converter_input_v(index)[:, op.down_to(assessed.end_of(board.id))]
    found = next((h for h in assessed.headrooms if h.element == board.id), None)
    return {
        "board": board,
        "from": assessed.plan.by_id[board.fed_by].name,
        "input": (float(input_v.min()), float(input_v.max())),
        "headroom": found,
        "figures": figures,
        "state": assessed.judged(found.spare) if found else "unknown",
    }
