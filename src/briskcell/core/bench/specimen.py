"""A console as it was really made: its plan with faults in it, and what a perfect meter shows at each step of the ladder.

It serves the simulated bench, practice and the tests; the ladder itself knows only the plan.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np

from briskcell.core.answers import Answers
from briskcell.core.bench.partial import Joined, Solved
from briskcell.core.bench.step import LEADS_OHM, Step
from briskcell.core.charge.charging import end_v
from briskcell.core.engine.resistance import link_resistance_ohm
from briskcell.model.changes import altered, replaced
from briskcell.model.errors import FigureError
from briskcell.model.figure import Figure
from briskcell.model.parts import Converter, Fed, Link, Load, Part, State
from briskcell.model.plan import Plan
from briskcell.model.stores import Capacitor, ChargeBoard, Pack, Supply
from briskcell.model.tree import feeders_of, source_of

Kind = Literal["cold", "open", "short", "swapped", "dead cell", "sagging", "passes", "dead", "trimmer", "overcharges", "hungry"]
KINDS: tuple[Kind, ...] = get_args(Kind)
WORDS: dict[Kind, str] = {
    "cold": "a cold joint",
    "open": "a joint that is open",
    "short": "a bridge of solder",
    "swapped": "plus and minus swapped",
    "dead cell": "a dead cell",
    "sagging": "a board that sags under load",
    "passes": "a boost board that passes its input on",
    "dead": "a board that gives nothing",
    "trimmer": "a trimmer set to other volts",
    "overcharges": "a charge board that passes its supply on",
    "hungry": "a part that draws far too much",
}
COLD_OHM, OPEN_OHM, BRIDGE_OHM, CLEAR_OHM = 2.0, 1e6, 0.2, 2000.0
SAG, TRIM, HUNGER = 0.2, 1.15, 2.5  # of its volts lost at play's amps; of its volts; of its draw
EVEN_V, DEAD_V = 0.01, 3.6  # that cells stand apart: a sound pack's, and where one gives nothing


@dataclass(frozen=True, slots=True)
class Fault:
    """One thing that is wrong, at one element."""

    kind: Kind
    where: str


@dataclass(frozen=True, slots=True)
class Specimen:
    """A console with faults in it, at one state of charge."""

    answers: Answers
    faults: tuple[Fault, ...] = ()
    soc: float = 0.6

    @property
    def plan(self) -> Plan:
        return self.answers.plan

    def has(self, kind: Kind, where: str) -> bool:
        """Whether it has that fault there."""
        return Fault(kind, where) in self.faults

    def reads(self, step: Step) -> float:
        """What a perfect meter shows at a step, in the step's unit; of what is looked at, 1 where it is as it should be."""
        kind = step.key.partition(":")[0]
        if kind == "pads":
            return 0.0 if self.has("swapped", step.element) else 1.0
        if kind == "joint":
            return self.ohms_along(step.element)
        if kind == "short":
            return BRIDGE_OHM if self.has("short", step.element) else CLEAR_OHM
        if kind == "polarity":
            return self.volts_of_store(step.element)
        if kind == "cells":
            return DEAD_V if self.has("dead cell", step.element) else EVEN_V
        if kind == "charger":
            return self.volts_of_charger(step.element)
        if kind == "into":
            return 0.0 if self.has("dead", step.element) else step.likely or 0.0
        if kind == "leads":
            return LEADS_OHM
        found = self.solved(step.loads, dummy=step.resistor)
        if kind == "drop":
            return self._dropped(step, found)
        if kind in ("draw", "feed"):
            amps = found.amps[source_of(self.plan, self.plan.by_id[step.element]).id]
            return _one(amps)
        return self.volts_at(step.element, found)

    def _dropped(self, step: Step, found: Solved) -> float:
        """Volts over a link while a resistor draws; where all collapses, or nothing comes through, all of the store's."""
        link = self.plan.by_id[step.element]
        assert isinstance(link, Link)
        drop = found.volts[link.fed_by] - found.volts[link.id]
        behind = self.plan.by_id.get(step.dummy_at)
        cut = behind is not None and self._cut_off(behind)
        if not np.isfinite(drop[1, 0]) or (cut and self.has("open", link.id)):
            return self.volts_of_store(source_of(self.plan, link).id)
        return 0.0 if cut else float(drop[1, 0])

    def ohms_along(self, link_id: str) -> float:
        """From end to end of a link, leads of the meter included. [Ω]"""
        link = self.plan.by_id[link_id]
        assert isinstance(link, Link)
        more = COLD_OHM if self.has("cold", link_id) else OPEN_OHM if self.has("open", link_id) else 0.0
        return link_resistance_ohm(link) + LEADS_OHM + more

    def volts_of_store(self, store_id: str) -> float:
        """Across a store by itself. [V]"""
        store = self.plan.by_id[store_id]
        if isinstance(store, Pack):
            cell = float(np.interp(self.soc, store.cell.ocv.soc, store.cell.ocv.value))
            volts = cell * (store.series - self.has("dead cell", store_id))
        else:
            volts = _one(self.solved(()).volts.get(store_id, np.zeros(1)))
        return -volts if self.has("swapped", store_id) else volts

    def volts_of_charger(self, board_id: str) -> float:
        """What a charge board gives with no cell joined. [V]"""
        board = self.plan.by_id[board_id]
        assert isinstance(board, ChargeBoard)
        store, supply = self.plan.by_id[board.charges], self.plan.by_id[board.supply]
        if self.has("overcharges", board_id) and isinstance(supply, Supply):
            return supply.voltage_v.likely
        if self.has("dead", board_id) or not isinstance(store, Pack | Capacitor):
            return 0.0
        return end_v(board, store)

    def solved(self, loads: Collection[str], *, dummy: Load | None = None, state: str = "play") -> Solved:
        """The console with some of its loads joined, its faults in place."""
        plan, ohms = self.plan, {f.where: COLD_OHM for f in self.faults if f.kind == "cold"}
        loads = [name for name in loads if not self._cut_off(plan.by_id[name])]
        for fault in self.faults:
            plan = self._altered(plan, fault)
        missing = next((f.where for f in self.faults if f.kind == "dead cell"), "")
        return Joined(plan, loads, dummy, state).solved(extra_ohm=ohms, soc=np.array([self.soc]), missing_cell=missing)

    def _cut_off(self, part: Part) -> bool:
        """Whether nothing comes to a part: something on its way is open, or dead."""
        way = [part, *feeders_of(self.plan, part)] if isinstance(part, Fed) else [part]
        return any(self.has("open", p.id) or self.has("dead", p.id) for p in way)

    def _altered(self, plan: Plan, fault: Fault) -> Plan:
        part = plan.by_id[fault.where]
        if fault.kind == "sagging" and isinstance(part, Converter):
            more = part.output_resistance_ohm.likely + sag_ohm(self.answers, part)
            return replaced(plan, altered(part, output_resistance_ohm=_figure(more)))
        if fault.kind == "trimmer" and isinstance(part, Converter):
            return replaced(plan, altered(part, output_v=_figure(part.output_v.likely * TRIM)))
        if fault.kind == "hungry" and isinstance(part, Load):
            factor = 1 / HUNGER if part.kind == "resistance_ohm" else HUNGER
            play = _figure(part.draw.play.likely * factor)
            states = part.draw.model_copy(update={"play": play, "rest": play, "peak": play})
            return replaced(plan, altered(part, **{part.kind: states}))
        return plan

    def volts_at(self, element: str, found: Solved) -> float:
        """Between an element's plus and ground, with what boards do that are broken. [V]"""
        part = self.plan.by_id[element]
        way = [part, *feeders_of(self.plan, part)] if isinstance(part, Fed) else [part]
        if self._cut_off(part):
            return 0.0
        volts = _one(found.volts[element])
        for p in way:
            if isinstance(p, Converter) and self.has("passes", p.id):
                volts = _one(found.volts[p.fed_by])
        turned = self.has("swapped", element) or any(self.has("swapped", s.id) for s in self.plan.stores if s in way)
        return -volts if turned else volts


def sag_ohm(a: Answers, board: Converter) -> float:
    """The resistance that a sagging board has within: a fifth of its volts at the amps of play.

    Parameters
    ----------
    a : Answers
        The build.
    board : Converter
        One of its regulators.

    Returns
    -------
    float
        [Ω]
    """
    amps = float(a.op.flow.output_a(a.op.network.converters.index(board))[State.PLAY, a.op.half])
    return SAG * board.output_v.likely / max(amps if np.isfinite(amps) else 0.0, 0.01)


def could_be(a: Answers) -> tuple[Fault, ...]:
    """Every single fault that a build can have and that a step of its ladder can show.

    Parameters
    ----------
    a : Answers
        The build.

    Returns
    -------
    tuple of Fault
        One at a time; none in a part that no store feeds.
    """
    plan = a.plan
    out = [Fault(kind, k.id) for k in plan.links if k.kind != "outlet" for kind in ("cold", "open")]
    for pack in plan.packs:
        out += [Fault("swapped", pack.id), Fault("short", pack.id)]
        out += [Fault("dead cell", pack.id)] if pack.series > 1 else []
    for board in plan.converters:
        if board.built_in or source_of(plan, board) not in plan.stores:
            continue
        out += [Fault(kind, board.id) for kind in ("short", "swapped", "dead", "trimmer")]
        out += [Fault("passes", board.id)] if board.kind == "boost" else []
        out += [Fault("sagging", board.id)] if sag_ohm(a, board) < 1e3 else []
    for charger in plan.chargers:
        if isinstance(plan.by_id[charger.charges], Pack | Capacitor):
            out += [Fault("dead", charger.id), Fault("overcharges", charger.id)]
    out += [Fault(kind, p.id) for p in plan.loads if source_of(plan, p) in plan.stores for kind in ("swapped", "hungry")]
    return tuple(out)


def fault_of(plan: Plan, kind: str, where: str) -> Fault:
    """A fault by its words.

    Parameters
    ----------
    plan : Plan
        The build.
    kind : str
        One of ``KINDS``.
    where : str
        Id of an element.

    Returns
    -------
    Fault
        Whether such an element can have it is not asked.

    Raises
    ------
    FigureError
        If there is no such fault, or no such element.
    """
    if kind not in KINDS:
        raise FigureError("fault", f"There is no fault “{kind}”.", fix=f"Choose from {', '.join(KINDS)}.")
    if where not in plan.by_id:
        raise FigureError("fault", f"The build has no element “{where}”.", fix=f"It has {', '.join(list(plan.by_id)[:12])}.")
    return Fault(kind, where)


def _figure(value: float) -> Figure:
    return Figure(low=value, likely=value, high=value, source="a fault")


def _one(values: np.ndarray) -> float:
    """The likely value at the one charge; where nothing flows any more, none."""
    v = float(values[1, 0]) if values.ndim == 2 else float(values.ravel()[0])
    return v if np.isfinite(v) else 0.0
