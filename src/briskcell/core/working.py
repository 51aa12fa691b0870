"""The working of a number: its formula, what was put in, from where, and what would move it most."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from briskcell.model.figure import Figure
from briskcell.model.parts import Converter, FixedEfficiency, LossModel
from briskcell.model.plan import Plan
from briskcell.model.units import show

from .assess import Assessment
from .changes import altered, remade, replaced

STEP = 1.10


@dataclass(frozen=True, slots=True, kw_only=True)
class Input:
    """One figure put in: symbol, name, value as shown, how it is known, and its source."""

    symbol: str
    name: str
    shown: str
    grade: str
    source: str


@dataclass(frozen=True, slots=True)
class Mover:
    """What raising one input by a tenth does to the result, as a share of it."""

    name: str
    change: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Working:
    """How one number came about."""

    title: str
    shown: str
    words: str
    formula: str
    inputs: tuple[Input, ...]
    source: str
    movers: tuple[Mover, ...]


def _figure(symbol: str, name: str, figure: Figure, unit: str) -> Input:
    return Input(symbol=symbol, name=name, shown=show(figure.likely, unit), grade=figure.grade, source=figure.source)


def _computed(symbol: str, name: str, value: float, unit: str, source: str) -> Input:
    return Input(symbol=symbol, name=name, shown=show(value, unit), grade="computed", source=source)


def _wish(symbol: str, name: str, shown: str) -> Input:
    return Input(symbol=symbol, name=name, shown=shown, grade="the brief", source="set for this build")


def working(assessed: Assessment, key: str) -> Working | None:
    """The working of a number.

    Parameters
    ----------
    assessed : Assessment
        The assessed plan.
    key : str
        ``draw``, ``runtime``, ``energy``, ``charge:BOARD``, ``headroom:ELEMENT:KIND`` or ``voltage:ELEMENT``.

    Returns
    -------
    Working or None
        None where the build has no such number.
    """
    kind, _, rest = key.partition(":")
    maker = {"draw": _draw, "runtime": _runtime, "energy": _energy, "charge": _charge, "headroom": _headroom,
             "voltage": _voltage}.get(kind)  # fmt: skip
    return maker(assessed, rest) if maker else None


def _draw(assessed: Assessment, _rest: str) -> Working:
    profile = assessed.plan.profile
    rows = [
        Input(symbol="P", name=f"{d.load.name}, mean", shown=show(d.mean_w, "W"), grade=d.worst_grade,
              source=d.load.draw.play.source)
        for d in assessed.draw.loads
    ]  # fmt: skip
    shares = f"{profile.rest:.0%} rest, {profile.play:.0%} play, {profile.peak:.0%} peak"
    return Working(
        title="Draw of all parts",
        shown=show(assessed.draw.mean_w, "W"),
        words="Each part's watts in the three states, weighed by the share of time spent in each, added up.",
        formula="P = Σ parts (rest·P_rest + play·P_play + peak·P_peak)",
        inputs=(_wish("shares", "Use profile", shares), *rows),
        source="definition; volts at half charge from the solved tree",
        movers=_movers(assessed, lambda a: a.draw.mean_w),
    )


def _runtime(assessed: Assessment, _rest: str) -> Working | None:
    found, spread = assessed.runtime, assessed.runtime_range
    if found is None or found.hours is None or spread is None or assessed.pack_index is None:
        return None
    pack = assessed.plan.packs[assessed.pack_index]
    return Working(
        title="Runtime from full",
        shown=f"{show(found.hours, 'h')}, from {show(spread.low, 'h')} to {show(spread.high, 'h')} in eight builds of ten",
        words=f"Charge over current, added up from full down to {found.stop_soc:.0%}, where {found.stop_words}.",
        formula="t = ∫ Q dsoc / I(soc), I = Σ shares · I_state",
        inputs=(
            _figure("Q", f"Capacity of one {pack.cell.name}", pack.cell.capacity_ah, "Ah"),
            Input(symbol="S, P", name="Cells in series, in parallel", shown=f"{pack.series}, {pack.parallel}", grade="the build",
                  source="set for this build"),
            _figure("r", "Resistance of one cell at half full", pack.cell.resistance_ohm, "Ω"),
            _computed("I", "Mean current out of the pack", found.mean_a, "A", "solved tree over 101 states of charge"),
            _computed("P", "Mean power out of the cells", found.mean_w, "W", "energy used over runtime"),
            _computed("E", "Energy, full to empty", found.energy_wh, "Wh", "integral of open-circuit voltage over charge"),
            _computed("E left", "Energy stranded by the stop", found.stranded_wh, "Wh", "same integral, from the stop to cut-off"),
        ),
        source="Shirmohammadi et al., IEEE Trans. Power Systems 3(2), 1988, for the tree; range by JCGM 100:2008, 5.1",
        movers=_movers(assessed, lambda a: a.runtime.hours if a.runtime else None),
    )  # fmt: skip


def _energy(assessed: Assessment, _rest: str) -> Working | None:
    if not assessed.plan.packs:
        return None
    pack, found = assessed.plan.packs[assessed.pack_index or 0], assessed.runtimes[assessed.pack_index or 0]
    return Working(
        title="Energy of the pack",
        shown=show(found.energy_wh, "Wh"),
        words="Open-circuit voltage times charge, added up from full to empty: not label volts times amp-hours.",
        formula="E = S·P·health · ∫ OCV dQ",
        inputs=(
            _figure("Q", f"Capacity of one {pack.cell.name}", pack.cell.capacity_ah, "Ah"),
            Input(symbol="S, P", name="Cells in series, in parallel", shown=f"{pack.series}, {pack.parallel}", grade="the build",
                  source="set for this build"),
            Input(symbol="OCV", name=f"Open-circuit voltage, {pack.cell.chemistry}",
                  shown=f"{pack.cell.ocv.value[0]:.2f} to {pack.cell.ocv.value[-1]:.2f} V", grade="typical",
                  source=pack.cell.resistance_ohm.source),
        ),
        source="G. L. Plett, Battery Management Systems, vol. I, 2015, ch. 2",
        movers=_movers(assessed, lambda a: a.runtimes[a.pack_index or 0].energy_wh),
    )  # fmt: skip


def _charge(assessed: Assessment, board_id: str) -> Working | None:
    found = next((c for c in assessed.charges if c.board.id == board_id), None)
    if found is None:
        return None
    board, supply = found.board, found.supply

    def hours(a: Assessment) -> float | None:
        return next((c.off.hours for c in a.charges if c.board.id == board_id), None)

    return Working(
        title=f"Charge by {board.name}",
        shown=show(found.off.hours, "h") if found.off.hours is not None else "never full",
        words=f"Charge over current from {found.off.start_soc:.0%}, where play ends, until the current has fallen to the "
        f"termination current. {found.off.why}".strip(),
        formula="t = ∫ Q dsoc / I, I = min(set, what the supply leaves, warmth, (V_float − OCV)/r)",
        inputs=(
            _figure("I set", "Charge current", board.current_a, "A"),
            _figure("I end", "Termination current", board.termination_a, "A"),
            _figure("V in", supply.name, supply.voltage_v, "V"),
            _figure("I max", "What the supply gives", supply.current_limit_a, "A"),
            _figure("R cable", "Loop resistance of the cable", supply.cable_ohm, "Ω"),
        ),
        source="G. L. Plett, Battery Management Systems, vol. I, 2015, ch. 7",
        movers=_movers(assessed, hours),
    )


def _headroom(assessed: Assessment, rest: str) -> Working | None:
    element, _, kind = rest.partition(":")
    found = next((h for h in assessed.headrooms if h.element == element and kind in ("", h.kind)), None)
    if found is None:
        return None
    part = assessed.plan.by_id[element]
    inputs = [
        _computed("I", f"Asked at {found.at_state}, {found.at_soc:.0%} charge", found.demand_a, "A", "solved tree"),
        _computed("I max", "Can give then", found.limit_a, "A", "the part's limit at that input"),
        _computed("V in", "Volts there", found.input_v, "V", "solved tree"),
    ]
    formula = "spare = 1 − I / I max"
    if isinstance(part, Converter):
        inputs.append(_figure("V out", "Output", part.output_v, "V"))
        if part.switch_current_a is not None:
            inputs.append(_figure("I switch", "Switch current", part.switch_current_a, "A"))
        if part.kind == "boost":
            formula += ", I max = (I_switch − ΔI/2)·(1 − D), 1 − D = efficiency·V_in/V_out"
        elif part.kind == "buck":
            formula += ", I max = I_switch − ΔI/2"

    def spare(a: Assessment) -> float | None:
        return next((h.spare for h in a.headrooms if h.element == element and h.kind == found.kind), None)

    return Working(
        title=f"Spare of {found.name}",
        shown=show(found.spare, "%"),
        words="What is left of the limit at the worst moment: the lowest input, the highest demand.",
        formula=formula,
        inputs=tuple(inputs),
        source="TI SLVA372D (boost), TI SLVA477B (buck); ratings as stated",
        movers=_movers(assessed, spare, relative=False),
    )


def _voltage(assessed: Assessment, element: str) -> Working | None:
    op = assessed.op
    if element not in op.network.position:
        return None
    volts = op.flow.element_v[..., op.network.position[element]]
    reach = op.soc >= assessed.end_soc - 1e-9
    inputs = [
        _computed("V most", "Highest, over charge and states", float(volts[:, reach].max()), "V", "solved tree"),
        _computed("V least", "Lowest, over charge and states", float(volts[:, reach].min()), "V", "solved tree"),
    ]
    at = assessed.plan.by_id[element]
    while (feeder := getattr(at, "fed_by", None)) is not None:
        at = assessed.plan.by_id[feeder]
        drop = getattr(at, "resistance_ohm", None)
        if isinstance(drop, Figure):
            inputs.append(_figure("R", at.name, drop, "Ω"))
        elif feeder in op.network.branches:
            ohm = float(op.network.fixed_ohm[op.network.branches.index(feeder)])
            inputs.append(_computed("R", at.name, ohm, "Ω", "length, section, copper at its temperature"))

    def lowest(a: Assessment) -> float | None:
        return float(a.op.flow.element_v[..., a.op.network.position[element]][:, reach].min())

    return Working(
        title=f"Volts at {assessed.plan.by_id[element].name}",
        shown=f"{show(float(volts[:, reach].min()), 'V')} at the worst moment",
        words="The source's volts less the drop of everything in the way, for the current that flows at that moment.",
        formula="V = V_source − Σ R·I along the path, with I = P/V of constant-power parts",
        inputs=tuple(inputs),
        source="Shirmohammadi et al., IEEE Trans. Power Systems 3(2), 1988",
        movers=_movers(assessed, lowest),
    )


def _scaled(figure: Figure) -> Figure:
    return figure.at(figure.likely * STEP, grade=figure.grade, source=figure.source)


def _variants(plan: Plan) -> Iterator[tuple[str, Plan]]:
    """The plan with one input a tenth higher, for each input that matters."""
    for load in plan.loads:
        states = load.draw
        raised = type(states)(**{s: _scaled(getattr(states, s)) for s in ("rest", "play", "peak")})
        yield f"Draw of {load.name}", replaced(plan, altered(load, **{load.kind: raised}))
    for pack in plan.packs:
        field = "measured_ah" if pack.cell.measured_ah else "label_ah"
        cell = pack.cell.model_copy(update={field: _scaled(pack.cell.capacity_ah)})
        yield f"Capacity of {pack.cell.name}", replaced(plan, altered(pack, cell=cell))
        cell = pack.cell.model_copy(update={"resistance_ohm": _scaled(pack.cell.resistance_ohm)})
        yield f"Resistance of {pack.cell.name}", replaced(plan, altered(pack, cell=cell))
    for board in plan.converters:
        if isinstance(board.loss, LossModel):
            loss: FixedEfficiency | LossModel = board.loss.model_copy(
                update={"drop_v": _scaled(board.loss.drop_v), "resistance_ohm": _scaled(board.loss.resistance_ohm)}
            )
            yield f"Losses of {board.name}", replaced(plan, altered(board, loss=loss))
        elif isinstance(board.loss, FixedEfficiency):
            lost = board.loss.efficiency
            less = lost.at(1 - (1 - lost.likely) * STEP, grade=lost.grade, source=lost.source)
            loss = board.loss.model_copy(update={"efficiency": less})
            yield f"Losses of {board.name}", replaced(plan, altered(board, loss=loss))
        if board.switch_current_a is not None:
            yield (
                f"Switch current of {board.name}",
                replaced(plan, altered(board, switch_current_a=_scaled(board.switch_current_a))),
            )
    for charger in plan.chargers:
        yield (
            f"Charge current of {charger.name}",
            replaced(plan, altered(charger, current_a=_scaled(charger.current_a))),
        )
    for supply in plan.supplies:
        yield (
            f"Current of {supply.name}",
            replaced(plan, altered(supply, current_limit_a=_scaled(supply.current_limit_a))),
        )
    wires = tuple(altered(k, length_m=k.length_m * STEP) if k.length_m and k.resistance_ohm is None else k for k in plan.links)
    if wires != plan.links:
        yield "Length of all wires", remade(plan, {"links": wires})


def _movers(assessed: Assessment, quantity: Callable[[Assessment], float | None], *, relative: bool = True) -> tuple[Mover, ...]:
    """The two inputs that move a result most when raised by a tenth, by assessing the plan again for each."""
    here = quantity(assessed)
    if here is None:
        return ()
    moved = []
    for name, plan in _variants(assessed.plan):
        there = quantity(assessed.of(plan))
        if there is None:
            continue
        change = (there - here) / abs(here) if relative and here else there - here
        if abs(change) >= 0.0005:
            moved.append(Mover(name, change))
    return tuple(sorted(moved, key=lambda m: -abs(m.change))[:2])
