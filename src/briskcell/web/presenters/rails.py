"""The Rails station: what each part accepts and gets, how few rails would do, and each regulator's limit."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from briskcell.core.answers import Answers
from briskcell.core.assess import Assessment
from briskcell.core.rails.board_figures import BoardFigures, board_figures, boards_above
from briskcell.core.rails.fewest import RailChoice, fewest_rails, straight_on
from briskcell.core.rails.headroom import judged
from briskcell.library import catalogue
from briskcell.model.parts import STATES, Converter, Load, Rail
from briskcell.services.parts import board_places, store_point
from briskcell.services.workshop import Opened

from ..units import show
from ..view import View
from .curves import limit_plot
from .layout import short
from .scale import Scale

ROW, TOP, LEFT, RIGHT = 27.0, 56.0, 176.0, 516.0


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


@dataclass(frozen=True, slots=True)
class Proposal:
    """One voltage that serves a group of parts: why it lies where it does, what serves them today, and what would change."""

    choice: RailChoice
    parts: tuple[Load, ...]
    why: str
    today: tuple[tuple[str, float], ...]
    set_board: Converter | None
    hang_on: Rail | None
    to_hang: tuple[str, ...]


def surface(opened: Opened, view: View) -> dict[str, Any]:
    """What the Rails station shows."""
    assessed, op = opened.assessed, opened.assessed.op
    pack = assessed.plan.packs[0] if assessed.plan.packs else None
    span = (pack.series * pack.cell.empty_v, pack.series * pack.cell.full_v) if pack else None
    tops = [p.window.high_v for p in assessed.plan.loads] + [c.output_v.likely * 1.1 for c in assessed.plan.converters]
    scale = Scale(2.0, min(max([span[1] if span else 5.0, 6.0, *tops]), 20.0) + 0.5, LEFT, RIGHT)
    figures = board_figures(op)
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
        "plot": limit_plot(op.soc, chosen["headroom"]) if chosen else None,
        "classes": catalogue().of_kind("converters"),
        "proposals": proposals(assessed),
        "places": board_places(assessed.plan),
        "idle": [r for r in assessed.plan.rails if not assessed.plan.fed.get(r.id)],
        "voltages": len({round(c.output_v.likely, 2) for c in assessed.plan.converters}),
        "straight": _straight(assessed),
        "twice": [
            (p, above) for p in op.network.loads if len(above := boards_above(op, p)) > 1
        ],
        "guarded": _guarded(assessed),
        "others": [(h, judged(h.spare, assessed.plan.brief.margins)) for h in assessed.headrooms
                   if h.kind not in ("boost", "buck", "buck_boost", "linear")],
    }  # fmt: skip


def _rows(assessed: Assessment, view: View, scale: Scale) -> list[WindowRow]:
    op = assessed.op
    reach = op.soc >= assessed.end_soc - 1e-9
    point, row = round((1 - view.soc) * (len(op.soc) - 1)), STATES.index(view.state)
    rows = []
    for k, load in enumerate(op.network.loads):
        volts = op.flow.input_v(k)
        alive, now = volts[:, reach], float(volts[row, point])
        low, high = float(alive.min()), float(alive.max())
        rows.append(
            WindowRow(load, short(load.name, LEFT - 16), TOP + ROW * (k + 0.5), scale(load.window.low_v), scale(load.window.high_v),
                      scale(low), scale(high), scale(now), now, low, assessed.element_state(load.id))
        )  # fmt: skip
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
    input_v = op.flow.input_v(len(op.network.loads) + index)[:, op.soc >= assessed.end_soc - 1e-9]
    found = next((h for h in assessed.headrooms if h.element == board.id), None)
    return {
        "board": board,
        "from": assessed.plan.by_id[board.fed_by].name,
        "input": (float(input_v.min()), float(input_v.max())),
        "headroom": found,
        "figures": figures,
        "state": judged(found.spare, assessed.plan.brief.margins) if found else "unknown",
    }


def proposals(assessed: Answers) -> list[Proposal]:
    """How few voltages would serve every part, each with its reasons."""
    plan, out = assessed.plan, []
    choices = fewest_rails(plan.loads)
    for n, choice in enumerate(choices):
        parts = tuple(p for p in plan.loads if p.id in choice.loads)
        lowest, highest = max(parts, key=lambda p: p.window.low_v), min(parts, key=lambda p: p.window.high_v)
        why = f"from {choice.low_v:.2f} V, which {lowest.name} needs, to {choice.high_v:.2f} V, the most for {highest.name}"
        if n + 1 < len(choices):
            above = max((p for p in plan.loads if p.id in choices[n + 1].loads), key=lambda p: p.window.low_v)
            why += f"; {above.name} needs {above.window.low_v:.2f} V, so it cannot join"
        feeding = {p.id: b for p in parts if (b := (boards_above(assessed.op, p) or (None,))[-1]) is not None}
        boards = list({b.id: b for b in feeding.values()}.values())
        right = [b for b in boards if choice.low_v <= b.output_v.likely <= choice.high_v]
        rail = next((r for r in plan.rails if right and r.fed_by == right[0].id), None)
        away = tuple(p.id for p in parts if rail and feeding.get(p.id) is not right[0])
        wrong = next((b for b in boards if b not in right), None) if not right else None
        out.append(
            Proposal(choice, parts, why, tuple((b.name, b.output_v.likely) for b in boards), wrong, rail if away else None, away)
        )
    return out


def _straight(assessed: Answers) -> list[tuple[Load, str, bool]]:
    """Parts whose window covers their store from full to empty: where they would hang, and whether they do already."""
    net, out = assessed.op.network, []
    for k, store in enumerate(assessed.plan.stores):
        may = straight_on(assessed.plan, store)
        mine = [p for n, p in enumerate(net.loads) if net.root_of_unknown[n] == k and p.id in may]
        out += [(p, store_point(assessed.plan, p), not boards_above(assessed.op, p)) for p in mine]
    return out


def _guarded(assessed: Assessment) -> list[dict[str, Any]]:
    """Parts that never may see 5 V: the most they get, and what waits above their regulator."""
    out = []
    for k, load in enumerate(assessed.op.network.loads):
        stands = load.window.absolute_max_v or load.window.high_v
        if stands >= 5.0:
            continue
        most = float(assessed.op.flow.input_v(k).max())
        above = boards_above(assessed.op, load)
        over = next((b for b in above[:-1] if b.output_v.likely > stands), None)
        state = "fails" if most > stands else "close" if most > load.window.high_v else "holds"
        out.append({"load": load, "most": most, "stands": stands, "state": state, "by": above[-1] if above else None, "over": over})
    return out
