"""The Rails station: what each part accepts and gets, and each regulator's limit."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from briskcell.core.assess import Assessment
from briskcell.core.headroom import judged
from briskcell.library import catalogue
from briskcell.model.parts import STATES, Converter, Load

from .curves import numbers, plot
from .scale import Scale


@dataclass(frozen=True, slots=True)
class WindowRow:
    """One part's window of volts, and what it gets: from, to, and now."""

    load: Load
    y: float
    low_x: float
    high_x: float
    got_low_x: float
    got_high_x: float
    now_x: float
    now_v: float
    least_v: float
    state: str


def surface(assessed: Assessment, view: Any) -> dict[str, Any]:
    """What the Rails station shows."""
    op = assessed.op
    pack = assessed.plan.packs[0] if assessed.plan.packs else None
    span = (pack.series * pack.cell.empty_v, pack.series * pack.cell.full_v) if pack else None
    top_v = max(
        [span[1] if span else 5.0]
        + [p.window.high_v for p in assessed.plan.loads]
        + [c.output_v.likely for c in assessed.plan.converters]
    )
    scale = Scale(2.0, min(max(top_v, 6.0), 20.0) + 0.5, 190.0, 488.0)
    reach = op.soc >= assessed.end_soc - 1e-9
    point, row = round((1 - view.soc) * (len(op.soc) - 1)), STATES.index(view.state)
    rows = []
    for k, load in enumerate(op.network.loads):
        volts = op.flow.input_v(k)
        alive = volts[:, reach]
        now = float(volts[row, point])
        rows.append(
            WindowRow(load, 34.0 + 31.0 * k, scale(load.window.low_v), scale(load.window.high_v), scale(float(alive.min())),
                      scale(float(alive.max())), scale(now), now, float(alive.min()), assessed.element_state(load.id))
        )  # fmt: skip
    boards = [_board(assessed, k, c) for k, c in enumerate(op.network.converters)]
    chosen = next((b for b in boards if view.slip.startswith(f"part:{b['board'].id}")), None) or min(
        (b for b in boards if b["headroom"]), key=lambda b: b["headroom"].spare, default=None
    )
    return {
        "rows": rows,
        "height": 31.0 * len(rows) + 44.0,
        "ticks": [(t, scale(t)) for t in scale.ticks(7)],
        "rail_lines": [(c, scale(c.output_v.likely)) for c in op.network.converters],
        "pack_span": (scale(span[0]), scale(span[1])) if span else None,
        "boards": boards,
        "chosen": chosen,
        "plot": _plot(assessed, chosen) if chosen else None,
        "classes": catalogue().of_kind("converters"),
    }


def _board(assessed: Assessment, index: int, board: Converter) -> dict[str, Any]:
    op = assessed.op
    reach = op.soc >= assessed.end_soc - 1e-9
    input_v = op.flow.input_v(len(op.network.loads) + index)[:, reach]
    found = next((h for h in assessed.headrooms if h.element == board.id), None)
    middle, column = len(op.soc) // 2, len(op.network.loads) + index
    carried = not op.flow.collapsed[1, middle]
    taken = float(op.flow.consumer_a[1, middle, column] * op.flow.consumer_v[1, middle, column]) if carried else 0.0
    given = float(op.flow.element_w[1, middle, op.network.position[board.id]])
    lost = taken - given if carried else None
    return {
        "board": board,
        "from": assessed.plan.by_id[board.fed_by].name,
        "input": (float(input_v.min()), float(input_v.max())),
        "headroom": found,
        "state": judged(found.spare, assessed.plan.brief.margins) if found else "unknown",
        "efficiency": given / taken if lost is not None and taken > 0 else None,
        "warmth": lost * board.thermal_k_per_w.likely if lost is not None and board.thermal_k_per_w else None,
    }


def _plot(assessed: Assessment, board: dict[str, Any]) -> dict[str, Any] | None:
    found = board["headroom"]
    if not found:
        return None
    soc = assessed.op.soc
    return plot(
        f"Amps out of {found.name}, from full to empty, at {found.at_state}",
        {"label": "state of charge", "unit": "%", "values": numbers(soc * 100, 1), "reverse": True},
        [
            {"label": "can deliver", "unit": "A", "role": "limit", "values": numbers(found.limit_series)},
            {
                "label": f"asked at {found.at_state}",
                "unit": "A",
                "role": "demand",
                "values": numbers(found.demand_series),
            },
        ],
        [{"x": round(found.at_soc * 100, 1), "words": f"least spare {found.spare:.0%}"}],
    )
