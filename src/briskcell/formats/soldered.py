"""The circuit that is soldered, for others: for an open simulator, terminal by terminal, and as a netlist that KiCad reads."""

from __future__ import annotations

import re

import numpy as np

from briskcell.core.charge.plugged import Plugged, plugged
from briskcell.core.charge.supplied import given_v
from briskcell.core.circuit.circuit import Circuit, End, Place, circuit_of
from briskcell.core.circuit.terminals import MINUS, key_on_board
from briskcell.core.engine.meetings import idle_v
from briskcell.core.engine.network import battery_paths, most_conductance_s, state_draws
from briskcell.core.engine.operating import Operating, operate
from briskcell.core.engine.resistance import link_resistance_ohm
from briskcell.formats.spice import FLOOR, NOTHING_OHM, behind_ohms, board_lines, diode, drawn_by, plain_text, resistor
from briskcell.model.parts import STATES, Converter, Link, Load, Part
from briskcell.model.plan import Plan, Store
from briskcell.model.stores import ChargeBoard, Supply
from briskcell.model.tree import charged_through, layout_of, source_of

NOWHERE_OHM = 1e9  # that ties what floats to the reference, for a simulator


def write_soldered(plan: Plan, soc: float = 0.5, state: str = "play", by: ChargeBoard | None = None) -> str:
    """The build from its terminals and conductors, at one state of charge and load, on battery or on its charger.

    Parameters
    ----------
    plan : Plan
        The build.
    soc : float
        State of charge of every store.
    state : str
        ``rest``, ``play`` or ``peak``; a peak rides on the polarisation of play.
    by : ChargeBoard, optional
        The board that charges, with its supply plugged in: what it gives to the cells is a source of its current.

    Returns
    -------
    str
        A netlist that ends with ``.op``; the head names the node of each terminal.
    """
    circuit, op = circuit_of(plan), operate(plan, np.array([soc]))
    on = None if by is None else plugged(operate(plan), by, soc, state)
    node = nodes_of_terminals(circuit)
    when = "" if on is None else ", on its charger"
    out = [
        f"Brisk Cell, {plain_text(plan.name)}, as it is soldered: {soc:.0%} charge, {state}{when}",
        "* Node, terminal:",
    ]
    out += [f"* {n} {plain_text(circuit.words(end))}" for end, n in node.items()]
    for k, c in enumerate(circuit.conductors):
        out.append(resistor(f"w{k}", node[c.a], node[c.b], c.ohm))
    first = {End(plan.stores[0].id, MINUS)} if plan.stores else set()
    out += [f"Rf{k} {n} 0 {NOTHING_OHM if end in first else NOWHERE_OHM:g}" for k, (end, n) in enumerate(node.items())]
    inside = _Inside(circuit, op, node, STATES.index(state), on)
    for place in circuit.places:
        out += inside.of(place)
        out += inside.guessed(place)
    out += [".options reltol=1e-7 vntol=1e-9 abstol=1e-12 itl1=500", ".op", ".end"]
    return "\n".join(out) + "\n"


def nodes_of_terminals(circuit: Circuit) -> dict[End, str]:
    """The node of each terminal.

    Parameters
    ----------
    circuit : Circuit
        The circuit.

    Returns
    -------
    dict of End to str
        In the order of the places.
    """
    ends = [End(p.id, t.key) for p in circuit.places for t in p.terminals]
    return {end: f"t{k}" for k, end in enumerate(ends)}


class _Inside:
    """What lies between the terminals of a place, as far as current flows in it on battery."""

    def __init__(self, circuit: Circuit, op: Operating, node: dict[End, str], row: int, on: Plugged | None = None) -> None:
        self.circuit, self.op, self.node, self.row, self.plan, self.on = circuit, op, node, row, op.plan, on
        self.paths = {b.id for b in battery_paths(op.plan)}
        self.ocv_v = {s.id: float(c.ocv_v[0]) for s, c in zip(op.plan.stores, op.curves, strict=True)}

    def of(self, place: Place) -> list[str]:
        part = place.part
        if part is None:  # a protection board's own resistance is counted in its pack
            keys, n = {t.key for t in place.terminals}, {t.key: self.node[End(place.id, t.key)] for t in place.terminals}
            joined = (("cells", "out"), ("cells-minus", MINUS)) if "cells" in keys else ()
            return [resistor(f"i{n[a]}", n[a], n[b], 0.0) for a, b in joined]
        return [line for p in (part, *self.plan.halves.get(part.id, ())) for line in self._part(p)]

    def _n(self, part: Part, key: str) -> str:
        return self.node[self.circuit.end(part, key)]

    def _fed_at(self, part: Part, key: str) -> str:
        """The node a part is fed at: where it comes on a board with a power path, behind that."""
        end = self.circuit.entered.get(part.id)
        if end is None:
            return self._n(part, key)
        halves = self.plan.halves.get(end.place, ())
        path = any(isinstance(h, ChargeBoard) and h.id in self.paths and charged_through(self.plan, h) is not None for h in halves)
        return self.node[End(end.place, "sys")] if path and end.terminal == "in" else self.node[end]

    def _part(self, part: Part) -> list[str]:
        if isinstance(part, Store):
            return self._store(part, self._n(part, "out"), self._n(part, MINUS))
        if isinstance(part, ChargeBoard):
            return self._charge_board(part)
        if isinstance(part, Supply):
            return self._supply(part)
        if isinstance(part, Converter):
            k = self.op.network.converters.index(part)
            ohm = float(self.op.network.fixed_ohm[self.op.network.branch[part.id]])
            least = FLOOR * self._unloaded(part.fed_by)
            out, minus = self._n(part, "out"), self._n(part, MINUS)
            lines = board_lines(out, self._fed_at(part, "in"), least, part, self.op.network.losses[k], ohm, minus)
            alone = part.half_of is None
            return [*lines, *([resistor(f"i{self._n(part, 'in-')}", self._n(part, "in-"), minus, 0.0)] if alone else [])]
        if isinstance(part, Load):
            return self._load(part, self._fed_at(part, "plus"), self._n(part, MINUS))
        if isinstance(part, Link):
            a, b = self._fed_at(part, "a"), self._n(part, "b")
            if part.kind == "jack" and self.on is not None and self.on.layout == "cut_out":
                return []  # its contact is open while a plug is in it
            if part.kind == "diode":
                return [diode(a, a, b, part.drop_v.likely if part.drop_v else 0.0, link_resistance_ohm(part))]
            return [resistor(f"i{b}", a, b, link_resistance_ohm(part))]
        return []

    def guessed(self, place: Place) -> list[str]:
        """Where a simulator begins: at the volts of the unloaded build, from which it comes to the upper of two solutions."""
        known: dict[str, float] = {}
        if place.part is None and place.id.endswith("-protection"):
            known = dict.fromkeys(("cells", "out"), self._unloaded(place.id.removesuffix("-protection")))
        for part in (place.part, *self.plan.halves.get(place.id, ())) if place.part is not None else ():
            known |= {key_on_board(self.plan, part, k): v for k, v in self._guess(part).items()}
        keys = {t.key for t in place.terminals}
        return [f".nodeset V({self.node[End(place.id, k)]})={v:.6g}" for k, v in known.items() if k in keys]

    def _guess(self, part: Part) -> dict[str, float]:
        if isinstance(part, Store):
            return {"out": self._unloaded(part.id)}
        if isinstance(part, ChargeBoard):
            known = dict.fromkeys(("bat", "out"), self._unloaded(part.charges))
            return known if self.on is None or self.on.board != part else known | {"in": self.on.nodes[-1].voltage_v}
        if isinstance(part, Converter):
            return {"in": self._unloaded(part.fed_by), "out": self._unloaded(part.id)}
        if isinstance(part, Load):
            return dict.fromkeys(("plus", "pass"), self._unloaded(part.fed_by))
        if isinstance(part, Link) and not isinstance(source_of(self.plan, part), Supply):
            return dict.fromkeys(("a", "b"), self._unloaded(part.fed_by))
        return {}

    def _supply(self, supply: Supply) -> list[str]:
        """The outlet, with its cable, where it is plugged in."""
        if self.on is None or self.on.board.supply != supply.id:
            return []
        out, ohm = self._n(supply, "out"), supply.own_resistance_ohm.likely + supply.cable_ohm.likely
        return [
            f"V{out} {out}e {self._n(supply, MINUS)} {given_v(self.on.board, supply):.12g}",
            resistor(f"i{out}", f"{out}e", out, ohm),
        ]

    def _store(self, store: Store, plus: str, minus: str) -> list[str]:
        volts, ohm = behind_ohms(self.op, self.op.plan.stores.index(store), self.row)
        if self.on is not None and self.on.board.charges == store.id:
            volts, ohm = self.on.store_v - self.on.into_a * self.on.store_ohm, self.on.store_ohm
        return [f"V{plus} {plus}e {minus} {volts:.12g}", resistor(f"i{plus}", f"{plus}e", plus, ohm)]

    def _charge_board(self, board: ChargeBoard) -> list[str]:
        minus, back = self._n(board, "in-"), self._n(board, "bat-")
        lines = [resistor(f"i{minus}", minus, back, 0.0)]
        if self.on is not None and self.on.board == board:
            return [*lines, *self._charging(board, self.on)]
        if layout_of(self.plan, board) == "power_path":
            ohm = board.battery_path_ohm.likely if board.id in self.paths and board.battery_path_ohm else 0.0
            out = self._n(board, "out")
            lines += [resistor(f"i{out}", self._n(board, "bat"), out, ohm), *self._own_ground(board)]
        return lines

    def _own_ground(self, board: ChargeBoard) -> list[str]:
        """The ground at the output of a charge board of its own; a half has that of its board."""
        minus = self._n(board, MINUS)
        return [resistor(f"i{minus}", self._n(board, "bat-"), minus, 0.0)] if board.half_of is None else []

    def _charging(self, board: ChargeBoard, on: Plugged) -> list[str]:
        """What a board gives to its cells and takes of its supply, and the way from its input to the console it feeds."""
        fed, minus, cells, back = (self._n(board, key) for key in ("in", "in-", "bat", "bat-"))
        takes = f"{on.charge_a:.12g}"
        if board.kind != "linear":
            least = FLOOR * on.nodes[-1].voltage_v
            takes = f"{on.charge_a:.12g}*V({cells},{back})/({board.efficiency.likely:.12g}*max(V({fed},{minus}),{least:.6g}))"
        lines = [f"I{cells} {back} {cells} {on.charge_a:.12g}", f"B{fed} {fed} {minus} I={takes}"]
        if on.layout == "power_path":
            lines += [resistor(f"p{fed}", fed, self._n(board, "out"), board.path_resistance_ohm.likely), *self._own_ground(board)]
        return lines

    def _load(self, load: Load, plus: str, minus: str) -> list[str]:
        k, draws = self.op.network.loads.index(load), state_draws(self.op.network)
        of_draw = (float(t[self.row, 0, k]) for t in (draws.power_w, draws.current_a, draws.conductance_s))
        least = FLOOR * self._unloaded(load.fed_by)
        amps = drawn_by(f"V({plus},{minus})", least, (*of_draw, most_conductance_s(load)))
        passed = self.circuit.end(load, "pass")
        more = [resistor(f"i{self.node[passed]}", plus, self.node[passed], 0.0)] if passed in self.node else []
        return [f"B{plus}load{k} {plus} {minus} I={amps}", *more]

    def _unloaded(self, at: str) -> float:
        """Volts at a part's output while nothing draws: what a simulator's first guesses are kept above."""
        return idle_v(self.plan, at, self.ocv_v)


def write_kicad(circuit: Circuit) -> str:
    """The circuit as a netlist in the s-expressions that KiCad's board editor reads.

    Parameters
    ----------
    circuit : Circuit
        The circuit.

    Returns
    -------
    str
        Components, and nets with the pads that lie on them.
    """
    number = {p.id: f"J{k + 1}" for k, p in enumerate(circuit.places)}
    out = ['(export (version "E")', f'  (design (source {_quoted(circuit.plan.name)}) (tool "Brisk Cell"))', "  (components"]
    for place in circuit.places:
        out.append(f'    (comp (ref {_quoted(number[place.id])}) (value {_quoted(place.name)}) (footprint ""))')
    out += ["  )", "  (nets"]
    for code, net in enumerate(circuit.nets, start=1):
        ends = sorted(net, key=lambda e: (e.place, e.terminal))
        name = f"{circuit.words(ends[0])}"
        out.append(f"    (net (code {_quoted(str(code))}) (name {_quoted(name)})")
        for end in ends:
            pad = circuit.by_id[end.place].of(end.terminal)
            where = f"(ref {_quoted(number[end.place])}) (pin {_quoted(pad.key)})"
            out.append(f"      (node {where} (pinfunction {_quoted(pad.prints)}))")
        out.append("    )")
    return "\n".join([*out, "  )", ")"]) + "\n"


def _quoted(text: str) -> str:
    return '"' + re.sub(r'[\\"\r\n]', " ", text) + '"'
