"""Workings of draw, runtime, energy, charge, spare and volts."""

from __future__ import annotations

import numpy as np

from briskcell.core.assess import Assessment
from briskcell.core.pack.uncertainty import capacity_figure
from briskcell.model.figure import Figure
from briskcell.model.parts import Converter
from briskcell.model.plan import Store
from briskcell.model.stores import Capacitor, Pack
from briskcell.model.units import show

from .registry import Input, Working, computed, figure, number, wish


@number("draw", "W", lambda a, _: a.draw.mean_w)
def draw(assessed: Assessment, _rest: str) -> Working:
    profile = assessed.plan.use
    rows = [
        Input(
            symbol="P", name=f"{d.load.name}, mean", shown=show(d.mean_w, "W"), grade=d.worst_grade, source=d.load.draw.play.source
        )
        for d in assessed.draw.loads
    ]
    shares = f"{profile.rest:.0%} rest, {profile.play:.0%} play, {profile.peak:.0%} peak"
    return Working(
        title="Draw of all parts",
        shown=show(assessed.draw.mean_w, "W"),
        words="Each part's watts in the three states, weighed by the share of time spent in each, added up.",
        formula="P = Σ parts (rest·P_rest + play·P_play + peak·P_peak)",
        inputs=(wish("shares", "Use profile", shares), *rows),
        source="definition; volts at half charge from the solved tree",
    )


@number("runtime", "h", lambda a, _: a.runtime.hours if a.runtime else None)
def runtime(assessed: Assessment, _rest: str) -> Working | None:
    found, spread = assessed.runtime, assessed.runtime_range
    if found is None or found.hours is None or spread is None or assessed.pack_index is None:
        return None
    store = assessed.plan.stores[assessed.pack_index]
    return Working(
        title="Runtime from full",
        shown=f"{show(found.hours, 'h')}, from {show(spread.low, 'h')} to {show(spread.high, 'h')} in eight builds of ten",
        words=f"Charge over current, added up from full down to {found.stop_soc:.0%}, where {found.stop_words}.",
        formula="t = ∫ Q dsoc / I(soc), I = Σ shares · I_state",
        inputs=(
            *_held(store),
            computed("I", "Mean current out of the pack", found.mean_a, "A", "solved tree over 101 states of charge"),
            computed("P", "Mean power out of the cells", found.mean_w, "W", "energy used over runtime"),
            computed("E", "Energy, full to empty", found.energy_wh, "Wh", "integral of open-circuit voltage over charge"),
            computed("E left", "Energy stranded by the stop", found.stranded_wh, "Wh", "same integral, from the stop to cut-off"),
        ),
        source="Shirmohammadi et al., IEEE Trans. Power Systems 3(2), 1988, for the tree; McKay et al., Technometrics 21(2), 1979",
    )


def _held(store: Store) -> tuple[Input, ...]:
    """What a store holds, as it was put in."""
    if not isinstance(store, Pack):
        unit = "F" if isinstance(store, Capacitor) else "Wh"
        return (figure("C" if unit == "F" else "E", store.name, capacity_figure(store), unit),)
    count = Input(
        symbol="S, P",
        name="Cells in series, in parallel",
        shown=f"{store.series}, {store.parallel}",
        grade="the build",
        source="set for this build",
    )
    return (
        figure("Q", f"Capacity of one {store.cell.name}", store.cell.in_series_ah(store.series), "Ah"),
        count,
        figure("r", "Resistance of one cell at half full", store.cell.resistance_ohm, "Ω"),
    )


@number("energy", "Wh", lambda a, _: a.runtimes[a.pack_index or 0].energy_wh if a.plan.stores else None)
def energy(assessed: Assessment, _rest: str) -> Working | None:
    if not assessed.plan.stores:
        return None
    index = assessed.pack_index or 0
    store, found = assessed.plan.stores[index], assessed.runtimes[index]
    if not isinstance(store, Pack):
        return Working(
            title=f"Energy of {store.name}",
            shown=show(found.energy_wh, "Wh"),
            words="Half of capacitance times volts squared."
            if isinstance(store, Capacitor)
            else "Its cells, less its converter's loss.",
            formula="E = ½·C·V²" if isinstance(store, Capacitor) else "E = E_cells · efficiency",
            inputs=_held(store),
            source="B. E. Conway, Electrochemical Supercapacitors, 1999; the bank's own sheet",
        )
    pack = store
    return Working(
        title="Energy of the pack",
        shown=show(found.energy_wh, "Wh"),
        words="Open-circuit voltage times charge, added up from full to empty: not label volts times amp-hours.",
        formula="E = S·P·health · ∫ OCV dQ",
        inputs=(
            figure("Q", f"Capacity of one {pack.cell.name}", pack.cell.in_series_ah(pack.series), "Ah"),
            Input(
                symbol="S, P",
                name="Cells in series, in parallel",
                shown=f"{pack.series}, {pack.parallel}",
                grade="the build",
                source="set for this build",
            ),
            Input(
                symbol="OCV",
                name=f"Open-circuit voltage, {pack.cell.chemistry}",
                shown=f"{pack.cell.ocv.value[0]:.2f} to {pack.cell.ocv.value[-1]:.2f} V",
                grade="typical",
                source=pack.cell.resistance_ohm.source,
            ),
        ),
        source="G. L. Plett, Battery Management Systems, vol. I, 2015, ch. 2",
    )


@number("charge", "h", lambda a, of: next((c.off.hours for c in a.charges if c.board.id == of), None))
def charge(assessed: Assessment, board_id: str) -> Working | None:
    return _charging(assessed, board_id, playing=False)


@number("charge-play", "h", lambda a, of: next((c.play.hours for c in a.charges if c.board.id == of), None))
def charge_in_play(assessed: Assessment, board_id: str) -> Working | None:
    return _charging(assessed, board_id, playing=True)


def _charging(assessed: Assessment, board_id: str, *, playing: bool) -> Working | None:
    found = next((c for c in assessed.charges if c.board.id == board_id), None)
    if found is None:
        return None
    board, supply, course = found.board, found.supply, found.play if playing else found.off
    taken = course.system_a[np.isfinite(course.system_a)]
    system_a = float(taken.mean()) if playing and taken.size else 0.0
    first = (computed("I system", "What the console takes first, on average", system_a, "A", "solved tree in play"),)
    return Working(
        title=f"Charge by {board.name}{', in play' if playing else ''}",
        shown=show(course.hours, "h") if course.hours is not None else "never full",
        words=f"Charge over current from {course.start_soc:.0%}, where play ends, until the current has fallen to the "
        f"termination current. {course.why}".strip(),
        formula="t = ∫ Q dsoc / I, I = min(set, what the supply leaves, warmth, (V_float − OCV)/r)",
        inputs=(
            figure("I set", "Charge current", board.current_a, "A"),
            figure("I end", "Termination current", board.termination_a, "A"),
            figure("V in", supply.name, supply.voltage_v, "V"),
            figure("I max", "What the supply gives", supply.current_limit_a, "A"),
            figure("R cable", "Loop resistance of the cable", supply.cable_ohm, "Ω"),
            *(first if playing else ()),
        ),
        source="G. L. Plett, Battery Management Systems, vol. I, 2015, ch. 7",
    )


def _spare(assessed: Assessment, rest: str) -> float | None:
    element, _, kind = rest.partition(":")
    return next((h.spare for h in assessed.headrooms if h.element == element and kind in ("", h.kind)), None)


@number("headroom", "%", _spare)
def headroom(assessed: Assessment, rest: str) -> Working | None:
    element, _, kind = rest.partition(":")
    found = next((h for h in assessed.headrooms if h.element == element and kind in ("", h.kind)), None)
    if found is None:
        return None
    part = assessed.plan.by_id[element]
    inputs = [
        computed("I", f"Asked at {found.at_state}, {found.at_soc:.0%} charge", found.demand_a, "A", "solved tree"),
        computed("I max", "Can give then", found.limit_a, "A", "the part's limit at that input"),
        computed("V in", "Volts there", found.input_v, "V", "solved tree"),
    ]
    formula = "spare = 1 − I / I max"
    if isinstance(part, Converter):
        inputs.append(figure("V out", "Output", part.output_v, "V"))
        if part.switch_current_a is not None:
            inputs.append(figure("I switch", "Switch current", part.switch_current_a, "A"))
        if part.kind == "boost":
            formula += ", I max = (I_switch − ΔI/2)·(1 − D), 1 − D = efficiency·V_in/V_out"
        elif part.kind == "buck":
            formula += ", I max = I_switch − ΔI/2"

    return Working(
        title=f"Spare of {found.name}",
        shown=show(found.spare, "%"),
        words="What is left of the limit at the worst moment: the lowest input, the highest demand.",
        formula=formula,
        inputs=tuple(inputs),
        source="TI SLVA372D (boost), TI SLVA477B (buck); ratings as stated",
    )


def _lowest(assessed: Assessment, element: str) -> float | None:
    """Least volts at an element, from a full pack to its end."""
    op = assessed.op
    if element not in op.network.position:
        return None
    reach = op.down_to(assessed.end_of(element))
    return float(op.flow.element_v[..., op.network.position[element]][:, reach].min())


@number("voltage", "V", _lowest)
def voltage(assessed: Assessment, element: str) -> Working | None:
    op = assessed.op
    if element not in op.network.position:
        return None
    volts = op.flow.element_v[..., op.network.position[element]]
    reach = op.down_to(assessed.end_of(element))
    inputs = [
        computed("V most", "Highest, over charge and states", float(volts[:, reach].max()), "V", "solved tree"),
        computed("V least", "Lowest, over charge and states", float(volts[:, reach].min()), "V", "solved tree"),
    ]
    at = assessed.plan.by_id[element]
    while (feeder := getattr(at, "fed_by", None)) is not None:
        at = assessed.plan.by_id[feeder]
        drop = getattr(at, "resistance_ohm", None)
        if isinstance(drop, Figure):
            inputs.append(figure("R", at.name, drop, "Ω"))
        elif feeder in op.network.branches:
            ohm = float(op.network.fixed_ohm[op.network.branches.index(feeder)])
            inputs.append(computed("R", at.name, ohm, "Ω", "length, section, copper at its temperature"))

    return Working(
        title=f"Volts at {assessed.plan.by_id[element].name}",
        shown=f"{show(float(volts[:, reach].min()), 'V')} at the worst moment",
        words="The source's volts less the drop of everything in the way, for the current that flows at that moment.",
        formula="V = V_source − Σ R·I along the path, with I = P/V of constant-power parts",
        inputs=tuple(inputs),
        source="Shirmohammadi et al., IEEE Trans. Power Systems 3(2), 1988",
    )


def _limited(assessed: Assessment, rest: str) -> tuple[float, float] | tuple[None, None]:
    element, _, kind = rest.partition(":")
    found = next((h for h in assessed.headrooms if h.element == element and kind in ("", h.kind)), None)
    return (found.demand_a, found.limit_a) if found else (None, None)


number("asked", "A", lambda a, rest: _limited(a, rest)[0])(headroom)
number("limit", "A", lambda a, rest: _limited(a, rest)[1])(headroom)
