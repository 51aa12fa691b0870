"""Workings of single parts: what one draws, what a board loses and warms, what a pack leaves behind, cost and mass."""

from __future__ import annotations

from briskcell.core.assess import Assessment
from briskcell.core.draw.bill import bill, part_figures
from briskcell.core.draw.consumption import LoadDraw
from briskcell.core.rails.board_figures import BoardFigures
from briskcell.model.parts import STATES, Load
from briskcell.model.stores import Pack
from briskcell.model.tree import boards_above
from briskcell.model.units import show

from .registry import Input, Working, computed, figure, number, wish


def _drawn(assessed: Assessment, load_id: str) -> LoadDraw | None:
    return next((d for d in assessed.draw.loads if d.load.id == load_id), None)


def _board(assessed: Assessment, board_id: str) -> BoardFigures | None:
    return assessed.board_figures.get(board_id)


@number("part-draw", "W", lambda a, of: d.mean_w if (d := _drawn(a, of)) else None)
def part_draw(assessed: Assessment, load_id: str) -> Working | None:
    found = _drawn(assessed, load_id)
    if found is None:
        return None
    load, use = found.load, assessed.plan.use
    unit = {"power_w": "W", "current_a": "A", "resistance_ohm": "Ω"}[load.kind]
    rows = [figure(f"P {s}", f"Draw, {s}", getattr(load.draw, s), unit) for s in STATES]
    knobs = [
        Input(
            symbol="s",
            name=s.name,
            shown=f"{s.position:.0%}, quoted at {s.quoted_at:.0%}",
            grade="the build",
            source=f"it governs {s.share:.0%} of the draw",
        )
        for s in load.settings
    ]
    return Working(
        title=f"Draw of {load.name}",
        shown=f"{show(found.mean_w, 'W')}, {found.share:.0%} of the whole",
        words="Its watts in the three states, at its settings, weighed by the share of time spent in each.",
        formula="P = Σ shares · P_state · Π (1 − g·(1 − s)) / (1 − g·(1 − s_quoted))",
        inputs=(*rows, *knobs, wish("shares", "Use profile", f"{use.rest:.0%} rest, {use.play:.0%} play, {use.peak:.0%} peak")),
        source="definition; volts at half charge from the solved tree",
    )


@number("guessed", "%", lambda a, _: a.draw.guessed)
def guessed(assessed: Assessment, _rest: str) -> Working:
    poor = [d for d in assessed.draw.loads if d.worst_grade == "guessed"]
    return Working(
        title="Guessed share of the draw",
        shown=show(assessed.draw.guessed, "%"),
        words="Watts whose figure is a guess, weighed like the whole draw. Measuring the largest of them narrows the runtime most.",
        formula="g = Σ guessed shares · P_state / Σ shares · P_state",
        inputs=tuple(computed("P", d.load.name, d.mean_w, "W", "a guess") for d in sorted(poor, key=lambda d: -d.mean_w)),
        source="definition",
    )


@number("efficiency", "%", lambda a, of: b.efficiency if (b := _board(a, of)) else None)
def efficiency(assessed: Assessment, board_id: str) -> Working | None:
    found = _board(assessed, board_id)
    if found is None or found.efficiency is None:
        return None
    return Working(
        title=f"Efficiency of {found.board.name}",
        shown=f"{show(found.efficiency, '%')} in play, half charged",
        words="Watts out over watts in, at half charge in play.",
        formula="η = P_out / P_in, P_in = P_out + V_in·I_q + k·I_in + R·I_in²",
        inputs=(
            computed("P in", "Taken", found.taken_w, "W", "solved tree"),
            computed("P out", "Given", found.given_w, "W", "solved tree"),
            computed("P lost", "Lost as heat", found.lost_w, "W", "the difference"),
        ),
        source="R. W. Erickson, D. Maksimovic, Fundamentals of Power Electronics, 3rd ed., 2020, ch. 3",
    )


number("lost", "W", lambda a, of: b.lost_w if (b := _board(a, of)) else None)(efficiency)


@number("warmth", "K", lambda a, of: b.rise_k if (b := _board(a, of)) else None)
def warmth(assessed: Assessment, board_id: str) -> Working | None:
    found = _board(assessed, board_id)
    if found is None or found.rise_k is None or found.board.thermal_k_per_w is None:
        return None
    return Working(
        title=f"Warmth of {found.board.name}",
        shown=f"{found.rise_k:.0f} K over the air in the case",
        words="Its loss in play at half charge, times how much it warms per watt.",
        formula="ΔT = θ · P_lost",
        inputs=(
            figure("θ", "Warmth per watt", found.board.thermal_k_per_w, "K/W"),
            computed("P lost", "Lost as heat", found.lost_w, "W", "watts in less watts out"),
        ),
        source="F. P. Incropera et al., Fundamentals of Heat and Mass Transfer, 7th ed., 2011",
    )


def path_efficiency(assessed: Assessment, load_id: str) -> float | None:
    """Watts a part gets over watts its store gives for it, through every board between; wires apart."""
    load, boards = assessed.plan.by_id.get(load_id), assessed.board_figures
    if not isinstance(load, Load):
        return None
    share = 1.0
    for board in boards_above(assessed.plan, load):
        if (each := boards[board.id].efficiency) is None:
            return None
        share *= each
    return share


@number("path", "%", path_efficiency)
def path(assessed: Assessment, load_id: str) -> Working | None:
    load, found = assessed.plan.by_id.get(load_id), path_efficiency(assessed, load_id)
    if not isinstance(load, Load) or found is None:
        return None
    boards = assessed.board_figures
    above = boards_above(assessed.plan, load)
    return Working(
        title=f"From the pack to {load.name}",
        shown=f"{show(found, '%')} arrives",
        words="The efficiencies of the boards in a row, multiplied; the wires between come on top.",
        formula="η = Π η_board",
        inputs=tuple(computed("η", b.name, boards[b.id].efficiency or 0.0, "%", "in play at half charge") for b in above),
        source="R. W. Erickson, D. Maksimovic, Fundamentals of Power Electronics, 3rd ed., 2020, ch. 3",
    )


@number("stranded", "Wh", lambda a, _: a.runtime.stranded_wh if a.runtime else None)
def stranded(assessed: Assessment, _rest: str) -> Working | None:
    found = assessed.runtime
    if found is None:
        return None
    return Working(
        title="Energy stranded by the stop",
        shown=show(found.stranded_wh, "Wh"),
        words=f"Left inside when {found.stop_words}: what the pack would still give down to its own end.",
        formula="E = Q · ∫ OCV dsoc, from the stop to the pack's own end",
        inputs=(
            computed("soc", "Charge at the stop", found.stop_soc, "%", found.stop_cause),
            computed("soc end", "Charge at the pack's own end", found.own_end_soc, "%", "its cut-off"),
            computed("E", "Energy, full to empty", found.energy_wh, "Wh", "integral of open-circuit voltage over charge"),
            computed("t", "What mending this stop alone would add", found.gain_if_fixed_h, "h", f"then {found.next_words}"),
        ),
        source="G. L. Plett, Battery Management Systems, vol. I, 2015, ch. 2",
    )


def _cells_mass(assessed: Assessment, pack_id: str) -> float | None:
    pack = assessed.plan.by_id.get(pack_id)
    return part_figures(pack)[1] if isinstance(pack, Pack) else None


@number("cells-mass", "g", _cells_mass)
def cells_mass(assessed: Assessment, pack_id: str) -> Working | None:
    pack, total = assessed.plan.by_id.get(pack_id), _cells_mass(assessed, pack_id)
    if not isinstance(pack, Pack) or total is None:
        return None
    cells = [(s.cell, pack.series) for s in pack.strings] or [(pack.cell, pack.series * pack.parallel)]
    return Working(
        title=f"Mass of the cells of {pack.name}",
        shown=show(total, "g"),
        words="Cells times the mass of one; holder, wrap and wiring come on top.",
        formula="m = Σ n·m_cell",
        inputs=tuple(computed("m", f"{n} × {c.name}", c.mass_g or 0.0, "g", "stated for one cell") for c, n in cells),
        source="definition",
    )


@number("cost", "€", lambda a, _: bill(a.plan).cost)
def cost(assessed: Assessment, _rest: str) -> Working:
    return _summed(assessed, "Cost of the parts", "€", bill(assessed.plan).cost, bill(assessed.plan).unpriced, "cost")


@number("mass", "g", lambda a, _: max(a.plan.case.mass_g, bill(a.plan).mass_g))
def mass(assessed: Assessment, _rest: str) -> Working:
    total = bill(assessed.plan)
    return _summed(assessed, "Mass of the parts that state it", "g", total.mass_g, total.unweighed, "mass_g")


def _summed(assessed: Assessment, title: str, unit: str, total: float, missing: tuple[str, ...], field: str) -> Working:
    parts = [(p.name, getattr(p, field, None)) for p in assessed.plan.parts()]
    for pack in assessed.plan.packs:
        each = getattr(pack.cell, field)
        parts.append((f"{pack.series * pack.parallel} × {pack.cell.name}", each and each * pack.series * pack.parallel))
    stated = sorted(((n, v) for n, v in parts if v), key=lambda p: -p[1])
    return Working(
        title=title,
        shown=show(total, unit),
        words=f"Added up. {len(missing)} parts state none: {', '.join(missing[:6])}{' …' if len(missing) > 6 else ''}."
        if missing
        else "Added up; every part states its own.",
        formula="Σ parts",
        inputs=tuple(computed("", name, float(value), unit, "as stated for the part") for name, value in stated),
        source="definition",
    )
