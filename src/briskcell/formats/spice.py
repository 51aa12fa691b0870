"""The build as a circuit for an open simulator: one state of charge and load, or a session in time.

Cells are a voltage behind ohms, wires are resistors, boards and parts are behavioural sources with the losses and draws of the
plan. A node is a part's output; the list of nodes stands at the head.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.charge.charging import RISING
from briskcell.core.day.session import charger_gives, state_of, warmed
from briskcell.core.engine.converters import KIND, Losses
from briskcell.core.engine.kernel import MOST_A, stiff_v
from briskcell.core.engine.network import battery_paths, most_conductance_s, state_draws
from briskcell.core.engine.operating import Operating, operate
from briskcell.core.engine.sources import ROOM_K, StoreCurves, store_curves
from briskcell.core.heat.case import CAPACITY, case_conductance
from briskcell.model.parts import STATES, Converter, EfficiencyTable, Fed, Link, Load, State
from briskcell.model.phases import Phase
from briskcell.model.plan import Plan, Store
from briskcell.model.stores import Pack, Supply
from briskcell.model.tree import layout_of

Array = NDArray[np.float64]
FLOOR = 0.3  # of the unloaded volts, below which no draw rises further: it keeps a simulator's first guesses tame
NOTHING_OHM = 1e-6  # of a joint without resistance: a simulator wants some, and with less its own rounding keeps it from ending
JOINED_OHM = 1e-4  # where a board lets nothing back in: enough for a simulator to find its way
EDGE_S = 0.01  # that a change of what is played takes
KELVIN = 273.15
SESSION_GRID = np.linspace(0.0, 1.0, 201)  # of charge, that a store's curves are told at in a session


@dataclass(frozen=True, slots=True)
class _Sheet:
    """A netlist in the making: its lines, the number of each part's node, and the plan."""

    plan: Plan
    node: dict[str, str]
    lines: list[str]

    def add(self, *lines: str) -> None:
        self.lines.extend(lines)


def nodes_of(plan: Plan) -> dict[str, str]:
    """The node at each part's output, or at a load's terminals, by the id of the part; last the outputs of power paths."""
    parts = (*(p for p in plan.parts() if isinstance(p, Fed) or p in plan.stores), *battery_paths(plan))
    return {p.id: f"n{k}" for k, p in enumerate(parts)}


def write_circuit(plan: Plan, soc: float = 0.5, state: str = "play") -> str:
    """The build at one state of charge and load, to be solved for its voltages.

    Parameters
    ----------
    plan : Plan
        The build.
    soc : float
        State of charge of every store.
    state : str
        ``rest``, ``play`` or ``peak``; a peak rides on the polarisation of play.

    Returns
    -------
    str
        A netlist that ends with ``.op``.
    """
    op = operate(plan, np.array([soc]))
    row = STATES.index(state)
    out = _Sheet(plan, nodes_of(plan), [])
    _head(out, f"{plain_text(plan.name)}: {soc:.0%} charge, {state}")
    for k, store in enumerate(plan.stores):
        volts, ohm = behind_ohms(op, k, row)
        node = out.node[store.id]
        out.add(f"V{node} {node}e 0 {volts:.12g}", resistor(node, f"{node}e", node, ohm))
    draws = state_draws(op.network)
    figures = [
        (*(float(t[row, 0, k]) for t in (draws.power_w, draws.current_a, draws.conductance_s)), most_conductance_s(load))
        for k, load in enumerate(op.network.loads)
    ]
    _tree(out, op, [float(c.ocv_v[0]) for c in op.curves], lambda k, volts, least: drawn_by(volts, least, figures[k]))
    out.add(".options reltol=1e-7 vntol=1e-9 abstol=1e-12 itl1=500", ".op", ".end")
    return "\n".join(out.lines) + "\n"


def behind_ohms(op: Operating, store: int, row: int) -> tuple[float, float]:
    """A store as volts behind ohms, at the first state of charge that was solved: a peak rides on the polarisation of play.

    Parameters
    ----------
    op : Operating
        The solved build.
    store : int
        Which store.
    row : int
        Load state.

    Returns
    -------
    tuple of float
        [V], [Ω]
    """
    curves = op.curves[store]
    fast, slow, volts = (float(a[0]) for a in (curves.fast_ohm, curves.slow_ohm, curves.ocv_v))
    if row != State.PEAK:
        return volts, fast + slow
    return volts - slow * min(float(op.flow.branch_a[State.PLAY, 0, store]), MOST_A), fast


def write_session(op: Operating, phases: Sequence[Phase], *, start_soc: float, seconds: float, store: int) -> str:
    """A session in time: the store drains and fills, its slow polarisation and the case warm up, as the phases say.

    Parameters
    ----------
    op : Operating
        The solved build.
    phases : sequence of Phase
        What happens, in order.
    start_soc : float
        State of charge at the start.
    seconds : float
        How long to run: up to where the session ends. [s]
    store : int
        Which store.

    Returns
    -------
    str
        A netlist that ends with ``.tran``. Node ``soc`` is the state of charge, ``warm`` the case in °C.
    """
    plan, part, middle = op.plan, op.plan.stores[store], len(op.soc) // 2
    out = _Sheet(plan, nodes_of(plan), [])
    node, charger = out.node[part.id], _Charger(op, store, phases)
    curves = store_curves(part, SESSION_GRID, plan.brief.cells_c)
    _head(out, f"{plain_text(plan.name)}: a session of {len(phases)} phases")
    out.add(
        "* The store: open-circuit volts and ohms over its charge, one slow branch, what flows in from the charger",
        *_store_in_time(plan, part, curves, node, start_soc),
        *charger.lines(node),
        "* The console: it takes nothing while off, and nothing from the store where a power path feeds it",
        f"Bfed {node} 0 V=V({node}t)",
        f"Btaken {node}t 0 I=-I(Bfed)*V(draws)*(1-V(plug)*{float(charger.beside):g})",
        "* The case: one heat capacity",
        *_case_in_time(plan, node),
    )
    for k, (other, known) in enumerate(zip(plan.stores, op.curves, strict=True)):
        if k != store:
            at = out.node[other.id]
            out.add(f"V{at} {at}e 0 {known.ocv_v[middle]:.12g}", resistor(at, f"{at}e", at, float(known.steady_ohm[middle])))
    for s in STATES:
        out.add(f"V{s} w{s} 0 {_steps(phases, lambda p, s=s: _share(p, s))}")  # type: ignore[misc]
    draws = state_draws(op.network)

    def drawn(k: int, volts: str, least: float) -> str:
        terms = []
        for row, s in enumerate(STATES):
            of_draw = (float(t[row, 0, k]) for t in (draws.power_w, draws.current_a, draws.conductance_s))
            figures = (*of_draw, most_conductance_s(op.network.loads[k]))
            terms.append(f"V(w{s})*({drawn_by(volts, least, figures)})")
        return "+".join(terms)

    _tree(out, op, [float(c.ocv_v[middle]) for c in op.curves], drawn)
    step = max(min(seconds / 2000.0, 10.0), 0.1)
    out.add(".options reltol=1e-5 vntol=1e-7 abstol=1e-10 method=gear", f".tran {step:.6g} {seconds:.9g} 0 {step:.6g} uic", ".end")
    return "\n".join(out.lines) + "\n"


def _store_in_time(plan: Plan, part: Store, curves: StoreCurves, node: str, start_soc: float) -> list[str]:
    """A store's volts and ohms over its charge, its slow branch, and how its resistance falls as it warms."""
    room = plan.brief.cells_c
    cell = part.cell if isinstance(part, Pack) else None
    cold_b, slow_s = (cell.cold_b_k, cell.slow_s) if cell else (0.0, 1.0)
    fast, slow = warmed(part, curves, room)
    warm = f"exp({cold_b:.9g}*(1/(V(warm)+{KELVIN})-1/{ROOM_K}))/exp({cold_b:.9g}*(1/({room + KELVIN:.9g})-1/{ROOM_K}))"
    return [
        f"Bsoc 0 soc I=-I(Vstore)/{3600.0 * curves.capacity_ah:.12g}",
        f"Csoc soc 0 1 IC={start_soc:.9g}",
        f"Bohms ohms 0 V={_table('V(soc)', SESSION_GRID, slow[0])}+({_table('V(soc)', SESSION_GRID, slow[1])})*({warm})",
        f"Bslow 0 slow I=(V(ohms)*I(Vstore)-V(slow))/{slow_s:.9g}",
        "Cslow slow 0 1 IC=0",
        f"Bfast fast 0 V={_table('V(soc)', SESSION_GRID, fast[0])}+({_table('V(soc)', SESSION_GRID, fast[1])})*({warm})",
        f"Bstore {node}e 0 V={_table('V(soc)', SESSION_GRID, curves.ocv_v)}-V(slow)-V(fast)*I(Vstore)",
        f"Vstore {node}e {node}t 0",
    ]


def _case_in_time(plan: Plan, node: str) -> list[str]:
    """The case: what the console turns into heat, and what passes through its walls."""
    room = plan.brief.cells_c
    return [
        f"Bheat 0 warm I=(V(draws)*-I(Bfed)*V({node}t)+I(Vstore)*I(Vstore)*(V(fast)+V(ohms))"
        f"-{case_conductance(plan.case):.9g}*(V(warm)-{room:.9g}))/{plan.case.mass_g / 1e3 * CAPACITY:.9g}",
        f"Cwarm warm 0 1 IC={room:.9g}",
    ]


class _Charger:
    """What charges a store in a session: when it is plugged in, into which supply, and what it feeds besides."""

    def __init__(self, op: Operating, store: int, phases: Sequence[Phase]) -> None:
        self._op, self._store, self._phases = op, store, phases
        self._board = next((b for b in op.plan.chargers if b.charges == op.plan.stores[store].id), None)
        self._layout = layout_of(op.plan, self._board) if self._board else ""
        self.beside = self._layout == "power_path"

    def _way(self, phase: Phase) -> tuple[Supply | None, str | None]:
        """The supply, and the state of a console that it feeds besides."""
        return phase.by, None if phase.what == "off" or not self.beside else STATES[state_of(phase)]

    def _charged(self, way: tuple[Supply | None, str | None]) -> Callable[[Phase], float]:
        return lambda phase: float(phase.plugged and self._way(phase) == way)

    def _on(self, phase: Phase) -> float:
        return float(phase.what != "off" and not (phase.plugged and self._layout == "cut_out"))

    def lines(self, node: str) -> list[str]:
        """When it is plugged in, when the console draws, and the current of each way of charging, when it is in use."""
        phases, board = self._phases, self._board
        ways = list(dict.fromkeys(self._way(p) for p in phases if p.plugged)) if board else []
        gives = [charger_gives(self._op, board, self._store, state, by) for by, state in ways] if board else []
        currents = [f"V(plug{k})*({_table('V(soc)', RISING, amps)})" for k, amps in enumerate(gives)]
        return [
            f"Vplug plug 0 {_steps(phases, lambda p: float(p.plugged))}",
            f"Vdraws draws 0 {_steps(phases, self._on)}",
            *(f"Vplug{k} plug{k} 0 {_steps(phases, self._charged(way))}" for k, way in enumerate(ways)),
            f"Bcharger 0 {node}t I={'+'.join(currents) or '0'}",
        ]


def _share(phase: Phase, state: str) -> float:
    """How much of a phase is spent in a state, as far as its draw goes."""
    return phase.shares[STATES.index(state)] if phase.shares else float(STATES[state_of(phase)] == state)


def _steps(phases: Sequence[Phase], value: Callable[[Phase], float]) -> str:
    """A source that steps from phase to phase."""
    at, points = 0.0, []
    for phase in phases:
        points += [at + EDGE_S if at else 0.0, value(phase), at + phase.seconds, value(phase)]
        at += phase.seconds
    return "PWL(" + " ".join(f"{p:.9g}" for p in points) + ")"


def _head(out: _Sheet, title: str) -> None:
    out.add(f"Brisk Cell, {title}", "* Written by Brisk Cell. An estimate: it certifies nothing. Node, part:")
    out.add(*(f"* {node} {plain_text(out.plan.by_id[i].name)} ({i})" for i, node in out.node.items()))


def plain_text(text: str) -> str:
    """Words of a comment: one line of plain signs, that no simulator reads as anything else."""
    return "".join(c if " " <= c <= "~" else "?" for c in text)


def _tree(out: _Sheet, op: Operating, ocv: Sequence[float], drawn: Callable[[int, str, float], str]) -> None:
    """Wires, boards and loads; ``drawn`` gives the current of a load at its volts, of which so many are the least asked of.

    A simulator begins at the volts of the unloaded build, from which it comes to the upper of two solutions.
    """
    plan, net = out.plan, op.network
    ohms = dict(zip(net.branches, net.fixed_ohm, strict=True))
    inside = {*net.elements}
    load_feeder = {p.id: p.fed_by for p in plan.loads}
    path_of, main_of = {b.charges: b.id for b in net.paths}, {m.rail: m.main for m in net.meetings}

    def feeder(part: Fed) -> str:
        at = main_of.get(part.id, part.fed_by)
        at = path_of.get(at, at)
        while at in load_feeder:  # what a load passes on comes past its own draw
            at = load_feeder[at]
        return out.node[at]

    idle = dict(zip((store.id for store in plan.stores), ocv, strict=True))
    idle |= {b.id: idle[b.charges] for b in net.paths}

    def unloaded(part_id: str) -> float:
        """Volts at a part's output while nothing draws."""
        if part_id not in idle:
            part = plan.by_id[part_id]
            assert isinstance(part, Fed)
            fed = unloaded(main_of.get(part_id, part.fed_by))
            idle[part_id] = (
                stiff_v(KIND[part.kind], part.output_v.likely, part.dropout_v.likely, 0.0, fed, 0.0)
                if isinstance(part, Converter)
                else fed
            )
        return idle[part_id]

    returns = {p.id for p in plan.links if p.kind == "return"}
    out.add("* Wires, switches, fuses, plugs, rails")
    for part in plan.parts():
        if not isinstance(part, Fed) or part.id not in inside or isinstance(part, (Load, Converter)):
            continue
        node = out.node[part.id]
        if isinstance(part, Link) and part.kind == "return":
            below = "0" if part.fed_by in {s.id for s in plan.stores} | {c.id for c in plan.converters} else out.node[part.fed_by]
            out.add(resistor(node, node, below, ohms[part.id]))
        elif isinstance(part, Link) and part.kind == "diode":
            out.add(diode(node, feeder(part), node, part.drop_v.likely if part.drop_v else 0.0, ohms[part.id]))
        else:
            out.add(resistor(node, feeder(part), node, ohms.get(part.id, 0.0)))
    _joined(out, op, ohms)
    out.add("* Boards")
    for k, board in enumerate(plan.converters):
        if board.id in inside:
            fed = FLOOR * unloaded(board.fed_by)
            out.add(*board_lines(out.node[board.id], feeder(board), fed, board, net.losses[k], ohms[board.id]))
    out.add("* Loads")
    for k, load in enumerate(plan.loads):
        plus, minus = feeder(load), out.node[load.return_by] if load.return_by and load.return_by in out.node else "0"
        node = out.node[load.id]
        out.add(
            f"E{node} {node} 0 {plus} {minus} 1",
            f"B{node} {plus} {minus} I={drawn(k, f'V({plus},{minus})', FLOOR * unloaded(load.id))}",
        )
    out.add(*(f".nodeset V({node})={unloaded(i):.6g}" for i, node in out.node.items() if i in inside and i not in returns))


def _joined(out: _Sheet, op: Operating, ohms: dict[str, float]) -> None:
    """The ways from the cells through power paths, and where second sources meet a rail."""
    net = op.network
    if net.paths:
        out.add("* From the cells through a power path")
        out.add(*(resistor(out.node[b.id], out.node[b.charges], out.node[b.id], ohms[b.id]) for b in net.paths))
    for k, met in enumerate(net.meetings):
        end, rail = out.node[met.other], out.node[met.rail]
        by_itself = met.other_one_way and not met.by_diode
        out.add("* A second source of a rail")
        out.add(diode(f"m{k}", end, rail, 0.0, JOINED_OHM) if by_itself else resistor(f"m{k}", end, rail, 0.0))


def drawn_by(volts: str, least: float, figures: tuple[float, ...]) -> str:
    power, amps, conductance, most = figures
    by_power = f"{power:.12g}/max({volts},{least:.6g})"
    limited = by_power if math.isinf(most) else f"min({by_power},{volts}*{most:.12g})"
    return f"{limited}+{amps:.12g}+{volts}*{conductance:.12g}"


def board_lines(node: str, fed: str, least: float, board: Converter, loss: Losses, ohm: float, ground: str = "0") -> list[str]:
    """A board: stiff volts behind its resistance at the output, and at the input the current that its losses make of it."""
    volts, out_v, amps = f"V({fed},{ground})", f"V({node}s,{ground})", f"I(V{node}o)"
    set_v = f"{board.output_v.likely:.12g}"
    drop, path = board.dropout_v.likely, board.dropout_ohm.likely
    stiff = {
        "boost": f"max({volts},{set_v})",
        "buck_boost": set_v,
    }.get(board.kind, f"min(max({volts}-{drop:.12g}-{path:.12g}*{amps},0),{set_v})")
    safe = f"max({volts},{least:.6g})"
    power = f"({amps}*{out_v})"
    if board.kind == "linear":
        taken = f"{amps}+{loss.quiescent_a:.12g}"
    elif loss.by_output and (loss.drop_v or loss.resistance_ohm):
        lost = f"{volts}*({loss.quiescent_a:.12g}+{loss.switching:.12g}*{amps})+{loss.drop_v:.12g}*{amps}"
        taken = f"({power}+{lost}+{loss.resistance_ohm:.12g}*{amps}*{amps})/{safe}"
    elif loss.drop_v or loss.resistance_ohm:
        demand, push = f"({power}+{volts}*{loss.quiescent_a:.12g})", f"({volts}-{loss.drop_v:.12g})"
        taken = f"2*{demand}/max({push}+sqrt(max({push}*{push}-4*{loss.resistance_ohm:.12g}*{demand},0)),{least:.6g})"
    else:
        efficiency = _surface(loss.table, volts, amps) if loss.table else f"{loss.efficiency:.12g}"
        taken = f"{power}/(({efficiency})*{safe})+{loss.quiescent_a:.12g}"
    return [
        f"B{node} {node}s {ground} V={stiff}",
        f"V{node}o {node}s {node}r 0",
        resistor(node, f"{node}r", node, ohm),
        f"B{node}i {fed} {ground} I={taken}",
    ]


def _surface(table: EfficiencyTable, volts: str, amps: str) -> str:
    """Efficiency over both axes: each row of the table by its amperes, rows weighed by how near the volts are."""
    at, rows = np.asarray(table.input_v, dtype=float), np.asarray(table.efficiency, dtype=float)
    return "+".join(
        f"({_table(amps, np.asarray(table.output_a, dtype=float), row)})*({_table(volts, at, np.eye(len(at))[k])})"
        for k, row in enumerate(rows)
    )


def _table(of: str, x: Array, y: Array) -> str:
    """A value read by straight lines, held at its ends; written as a sum of ramps where few, as the simulator's table else."""
    if len(x) == 1 or np.ptp(y) == 0:
        return f"{float(y[0]):.12g}"
    points = ",".join(f"{a:.9g},{b:.12g}" for a, b in zip(x, y, strict=True))
    return f"pwl(min(max({of},{x[0]:.9g}),{x[-1]:.9g}),{points})"


def diode(name: str, a: str, b: str, drop: float, ohm: float) -> str:
    return f"B{name} {a} {b} I=max(V({a})-V({b})-{drop:.12g},0)/{max(ohm, NOTHING_OHM):.12g}"


def resistor(name: str, a: str, b: str, ohm: float) -> str:
    return f"R{name} {a} {b} {max(ohm, NOTHING_OHM):.12g}"
