"""Plan to answers: everything the rules, the pages and the command line read of one plan."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Self

import numpy as np

from briskcell.core.charge.charging import Charge, charge
from briskcell.core.charge.outside import outside_hours
from briskcell.core.charge.trickle import TrickleFill, starting_v, trickle_fills
from briskcell.core.charge.warmth import ChargeWarmth, charge_warmth
from briskcell.core.charge.way_in import WayIn, check_way_in, ways_in
from briskcell.core.circuit.circuit import Circuit, circuit_of
from briskcell.core.day.course import DayCourse, live_through, phases_of
from briskcell.core.day.session import Course
from briskcell.core.draw.consumption import DrawReport, draw_report
from briskcell.core.engine.network import battery_paths
from briskcell.core.engine.operating import Operating, operate
from briskcell.core.heat.drifts import Drift, drifts
from briskcell.core.heat.network import Contact
from briskcell.core.heat.steady import Heat, heat
from briskcell.core.heat.watts import WattShare, shares_of_heat
from briskcell.core.pack.fit import Fit, fit
from briskcell.core.pack.lamps import LampShow, lamp_shows
from briskcell.core.pack.reserve import Reserve, StorageLife, shutdown_reserve, storage_life
from briskcell.core.pack.resets import MAYBE, Resets, resets
from briskcell.core.pack.runtime import Runtime, runtime
from briskcell.core.pack.swaps import Starts, starts
from briskcell.core.pack.switching import Way, ways_off
from briskcell.core.pack.uncertainty import Range, chance_words
from briskcell.core.rails.board_figures import BoardFigures, board_figures
from briskcell.core.rails.headroom import Headroom, Word, headrooms, judged
from briskcell.core.rails.sharing import DirectFeed, Proposal, VoltageGuard, direct_feeds, proposals, voltage_guards
from briskcell.core.rails.signals import FirstMoment, Signal, first_moments, signals
from briskcell.core.rails.windows import VoltsGot, volts_got
from briskcell.core.room.beside import contacts
from briskcell.core.room.report import RoomReport, room_report
from briskcell.core.room.solids import WARM_C, Solid, inside, solids
from briskcell.core.room.stack import Block, blocks_of
from briskcell.core.spread.charge_times import ChargeSpread, charge_spread
from briskcell.core.spread.reach import Reach
from briskcell.core.spread.reset_chance import ResetSpread, reset_spread
from briskcell.core.spread.settle import Reading, readings
from briskcell.core.wiring.cutting import Piece, colour_of, pieces, to_buy
from briskcell.core.wiring.fuses import REFERENCE_C, FuseCheck, check_fuses, fuse_holds_a
from briskcell.core.wiring.harness import LinkCheck, check_links
from briskcell.core.wiring.order import Joint, build_order
from briskcell.core.wiring.shorts import Lead, LeadTouch, ShortCheck, check_shorts, lead_touches, unfused_leads
from briskcell.core.wiring.sundries import Sundry, sundries
from briskcell.model.changes import remade
from briskcell.model.differing import Difference, differing
from briskcell.model.parts import STATES, Colour, Converter, Link, Load, Part, State
from briskcell.model.plan import Day, Plan
from briskcell.model.stores import Balancer, Bank, Capacitor, Cell, ChargeBoard, Pack, Supply, Trickle


@dataclass(frozen=True)
class Stock:
    """Part classes within reach, from which fixes choose; ``halves`` are what comes on a board besides, by the key of its class."""

    converters: tuple[Converter, ...] = ()
    links: tuple[Link, ...] = ()
    chargers: tuple[ChargeBoard, ...] = ()
    supplies: tuple[Supply, ...] = ()
    cells: tuple[Cell, ...] = ()
    balancers: tuple[Balancer, ...] = ()
    loads: tuple[Load, ...] = ()
    trickles: tuple[Trickle, ...] = ()
    capacitors: tuple[Capacitor, ...] = ()
    banks: tuple[Bank, ...] = ()
    halves: Mapping[str, tuple[Part, ...]] = field(default_factory=dict)

    def charging_half(self, key: str) -> ChargeBoard | None:
        """The half of a board's class that charges; None of a board without."""
        return next((h for h in self.halves.get(key, ()) if isinstance(h, ChargeBoard)), None)

    @cached_property
    def plain(self) -> tuple[Converter, ...]:
        """Boards that are one thing alone."""
        return tuple(c for c in self.converters if c.part_class not in self.halves)

    def of_class(self, key: str) -> Part | Cell | None:
        """The class of that key, where it is within reach."""
        return self._classes.get(key)

    @cached_property
    def _classes(self) -> dict[str, Part | Cell]:
        lists: tuple[tuple[Part | Cell, ...], ...] = (
            self.chargers,
            self.converters,
            self.links,
            self.supplies,
            self.cells,
            self.balancers,
            self.loads,
            self.trickles,
            self.capacitors,
            self.banks,
            *self.halves.values(),
        )
        return {c.part_class: c for parts in lists for c in parts if c.part_class}


NOTHING = Stock()
ANSWERS = (
    "op",
    "draw",
    "runtimes",
    "runtime_range",
    "readings",
    "headrooms",
    "charges",
    "ways_in",
    "heat",
    "links",
    "fuses",
    "reserve",
    "storage",
    "fits",
    "game_hours",
    "trickles",
    "idle_warmths",
    "played_warmths",
    "resets",
    "starts",
    "days",
    "proposals",
    "direct_feeds",
    "voltage_guards",
    "ways_off",
    "lamps",
    "shorts",
    "laid",
    "drifts",
    "room",
    "left_h",
    "windows",
    "heat_shares",
    "leads",
    "lead_touches",
    "circuit",
    "pieces",
    "to_buy",
    "sundries",
    "colours",
    "joints",
    "signals",
    "first_moments",
    "board_figures",
    "starting_v",
)
# What hangs on the currents alone; and of a plan what these do not hang on.
LATE = ("boost", "buck", "buck_boost", "linear", "protection")  # what resets a console and harms nothing
OF_CURRENTS = (
    "draw",
    "runtimes",
    "pack_index",
    "left_h",
    "_reach",
    "runtime_range",
    "readings",
    "headrooms",
    "spare_range",
    "resets",
    "collapse",
    "ends",
)
BESIDE = {
    "name",
    "note",
    "brief",
    "boot_s",
    "days",
    "shutdown",
    "case",
    "bay",
    "supplies",
    "chargers",
    "trickles",
    "balancers",
    "placed",
    "joined",
}
Report = Callable[[str, Exception], None]


def raised(what: str, error: Exception) -> None:  # noqa: ARG001  the name of what failed is for those who log it
    """What is done with a failure where nobody says otherwise: it is a fault of the program, and is raised.

    Parameters
    ----------
    what : str
        The answer or rule.
    error : Exception
        Its failure.

    Returns
    -------
    None
        Never: the failure is raised.
    """
    raise error


def same_currents(one: Plan, other: Plan) -> bool:
    """Whether the same currents flow in two plans while the console runs from its stores.

    Parameters
    ----------
    one, other : Plan
        The plans.

    Returns
    -------
    bool
        True where they differ at most in what lies beside that: charging, case, brief, days.
    """
    return (
        all(getattr(one, f) == getattr(other, f) for f in Plan.model_fields if f not in BESIDE)
        and one.brief.cells_c == other.brief.cells_c
        and [s.id for s in one.supplies] == [s.id for s in other.supplies]
        and _paths(one) == _paths(other)
    )


def _paths(plan: Plan) -> list[tuple[object, ...]]:
    """What of the charge boards carries the console's current on battery."""
    return [(b.id, b.name, b.charges, b.battery_path_ohm, b.battery_path_a) for b in battery_paths(plan)]


@dataclass(frozen=True)
class Answers:
    """The answers for one plan. Each is computed when first asked for, and kept.

    ``report`` is told of a rule or answer that fails, which then counts as one that could not be judged.
    """

    plan: Plan
    stock: Stock = field(default=NOTHING, repr=False)
    report: Report = field(default=raised, repr=False)

    def of(self, plan: Plan, report: Report | None = None) -> Self:
        """Another plan, assessed with the same stock; where the same currents flow, what hangs on them alone is not asked again."""
        made = type(self)(plan, self.stock, report or self.report)
        if "op" in self.__dict__ and same_currents(self.plan, plan):
            made.__dict__["op"] = self.op.of_same(plan)
            if plan.shutdown.warning_v != self.plan.shutdown.warning_v:
                return made  # the same currents, for another time
            made.__dict__.update({name: self.__dict__[name] for name in OF_CURRENTS if name in self.__dict__})
        return made

    @cached_property
    def aside(self) -> dict[Hashable, Any]:
        """What others worked out of this and keep with it, by what they asked."""
        return {}

    @cached_property
    def op(self) -> Operating:
        """The build solved over charge and states."""
        return operate(self.plan)

    @cached_property
    def draw(self) -> DrawReport:
        """Watts of the parts."""
        return draw_report(self.op)

    @cached_property
    def runtimes(self) -> tuple[Runtime, ...]:
        """Runtime of each pack."""
        return tuple(runtime(self.op, k) for k in range(len(self.plan.stores)))

    @cached_property
    def pack_index(self) -> int | None:
        """The pack that ends play: of those that feed something, the first to stop; None without one."""
        hours = {k: r.hours for k, r in enumerate(self.runtimes) if r.hours is not None}
        return min(hours, key=lambda k: hours[k] or 0.0) if hours else None

    @cached_property
    def left_h(self) -> tuple[float | None, ...]:
        """Hours of play left at each state of charge of the store that ends it; None from its stop down, or where nothing draws."""
        found = self.runtime
        if found is None or found.hours is None:
            return tuple(None for _ in self.op.soc)
        left = found.hours - found.elapsed_h
        return tuple(float(h) if s > found.stop_soc and h > 0 else None for s, h in zip(self.op.soc, left, strict=True))

    @property
    def runtime(self) -> Runtime | None:
        """The runtime of the build; None while nothing draws from a pack."""
        return None if self.pack_index is None else self.runtimes[self.pack_index]

    @cached_property
    def starts(self) -> Starts | None:
        """What a start takes, and how long all sets of cells play."""
        found, k = self.runtime, self.pack_index
        return starts(self.op, found, k or 0) if found else None

    @cached_property
    def days(self) -> tuple[DayCourse, ...]:
        """The days that are kept, lived through; none while nothing plays."""
        return () if self.runtime is None or not self.runtime.hours else tuple(self.live(d) for d in self.plan.days)

    def live(self, day: Day) -> DayCourse:
        """A day on this build.

        Parameters
        ----------
        day : Day
            Any day, kept or not.

        Returns
        -------
        DayCourse
            Its course on the store that ends play first.
        """
        known = {s.part_class: s for s in self.stock.supplies}
        warns = self.reserve.under_load_v if self.reserve and self.plan.shutdown.warning_v is None else None
        lamps = [(lamp.load.name, lamp.soc) for lamp in self.lamps if lamp.soc is not None]
        course = self._course.begun(day.start_soc)
        return live_through(course, day, phases_of(self.plan, day, known), warning_v=warns, lamps=lamps, chance=self.resets)

    @cached_property
    def _course(self) -> Course:
        return Course(self.op, self.pack_index or 0)

    @cached_property
    def resets(self) -> Resets | None:
        """How often parts peak together so that something is overrun, along the discharge; None where nothing plays."""
        found = self.runtime
        if found is None or not found.hours or self.pack_index is None:
            return None
        return resets(self.op, found)

    @cached_property
    def game_hours(self) -> tuple[float | None, ...]:
        """Hours of play with each game alone: the solved build is the same, only the shares of the time differ."""
        if self.pack_index is None:
            return tuple(None for _ in self.plan.games)
        alone = [remade(self.plan, {"games": (), "profile": g.profile}) for g in self.plan.games]
        return tuple(runtime(replace(self.op, plan=p), self.pack_index).hours for p in alone)

    @cached_property
    def _reach(self) -> Reach:
        return Reach(self.op, self.pack_index or 0)

    @cached_property
    def runtime_range(self) -> Range | None:
        """The runtime's 10, 50 and 90 % points."""
        found = self.runtime
        return None if found is None or found.hours is None or self.pack_index is None else self._reach.hours(found.hours)

    @cached_property
    def readings(self) -> tuple[Reading, ...]:
        """Readings that would narrow the hours, the best first, with by how much; none where nothing plays."""
        found = self.runtime
        return () if found is None or not found.hours or self.pack_index is None else readings(self._reach)

    def chance_of(self, hours: float) -> float:
        """The chance that it plays so long; 0 where nothing plays. ``hours`` in h."""
        found = self.runtime
        if found is None or not found.hours or self.pack_index is None:
            return 0.0
        return float((self._reach.sampled_hours(found.hours) >= hours).mean())

    def chance_said(self, hours: float) -> str:
        """The same in words: never as certain."""
        return chance_words(self.chance_of(hours))

    @property
    def barely_lasts(self) -> bool:
        """Whether it likely plays as long as the brief asks, but by less than the margin that counts as close."""
        found, brief = self.runtime, self.plan.brief
        if found is None or found.hours is None or self.falls_short:
            return False
        return found.hours < brief.hours * (1.0 + brief.margins.close) - 1e-9

    @property
    def falls_short(self) -> bool:
        """Whether it likely plays less long than the brief asks; False where nothing plays."""
        found = self.runtime
        return found is not None and found.hours is not None and found.hours < self.plan.brief.hours - 1e-9

    @cached_property
    def spare_range(self) -> Range | None:
        """The least spare's 10, 50 and 90 % points."""
        least = self.least_spare()
        return None if least is None or self.pack_index is None else self._reach.spare(least.spare)

    @cached_property
    def reset_spread(self) -> ResetSpread | None:
        """Resets over one pack as a range; None where nothing plays or nothing peaks."""
        return reset_spread(self.op, self.pack_index) if self.resets and self.pack_index is not None else None

    @cached_property
    def charge_spread(self) -> ChargeSpread | None:
        """Hours on the first charger over what is uncertain of them."""
        return charge_spread(self.op, self.charges[0]) if self.charges else None

    @cached_property
    def ends(self) -> tuple[float, ...]:
        """State of charge of each store when play ends: all that is judged along a discharge is judged down to here."""
        return self._after(min((r.judged_h for r in self.runtimes if r.judged_h is not None), default=None))

    @cached_property
    def needed_ends(self) -> tuple[float, ...]:
        """State of charge of each store when the hours of the brief have been played; where play ends if that is sooner."""
        found = self.runtime
        return self.ends if found is None or self.falls_short else self._after(self.plan.brief.hours)

    def _after(self, hours: float | None) -> tuple[float, ...]:
        """State of charge of each store after some hours of play; where it stops if that is sooner, or where nothing draws."""
        out = []
        for found in self.runtimes:
            if found.judged_h is None or hours is None or hours >= found.judged_h:
                out.append(found.judged_soc)
            else:
                out.append(max(float(np.interp(hours, found.elapsed_h, self.op.soc)), found.judged_soc))
        return tuple(out)

    @property
    def end_soc(self) -> float:
        """State of charge, when play ends, of the store that ends it."""
        return self.ends[self.pack_index or 0] if self.ends else 0.0

    def end_of(self, element: str) -> float:
        """State of charge, when play ends, of the store that an element is fed from."""
        return self.ends[self.op.network.store_of(element)]

    @cached_property
    def collapse(self) -> tuple[float, str, int] | None:
        """The fullest (state of charge, state, store) at which a tree collapses before play ends; None if nowhere."""
        if not self.plan.stores:
            return None
        asked = np.stack([self.op.down_to(end) for end in self.ends], axis=-1)
        gone = self.op.flow.lost[..., : len(self.ends)] & asked
        if not gone.any():
            return None
        point = int(np.flatnonzero(gone.any(axis=(0, 2)))[0])
        state, store = np.argwhere(gone[:, point])[0]
        return float(self.op.soc[point]), STATES[state], int(store)

    @cached_property
    def headrooms(self) -> tuple[Headroom, ...]:
        """Spare of everything with a limit, down to where play ends."""
        return headrooms(self.op, self.ends)

    @cached_property
    def needed_headrooms(self) -> tuple[Headroom, ...]:
        """The same, down to where the hours of the brief have been played."""
        return headrooms(self.op, self.needed_ends)

    @property
    def resets_word(self) -> Word:
        """The word for the resets to expect: those after the hours that are wanted are *close*, as a warning ends play before."""
        found, accepted = self.resets, self.plan.brief.resets_per_charge
        if found is None or found.expected <= accepted:
            return "holds"
        late = not self.falls_short and found.expected_by(self.plan.brief.hours) <= accepted + MAYBE
        return "fails" if found.expected > accepted + MAYBE and not late else "close"

    @cached_property
    def needed_windows(self) -> tuple[VoltsGot, ...]:
        """What each part gets down to where the hours of the brief have been played."""
        return volts_got(self.op, self.needed_ends)

    def word_of(self, spare: Headroom) -> Word:
        """The word for what has a limit. What a board falls short of after the hours that are wanted is *close*: a warning ends
        play before. What can harm a cell or a wire is judged to the end."""
        word = self.judged(spare.spare)
        if word != "fails" or spare.kind not in LATE:
            return word
        sooner = next((h for h in self.needed_headrooms if (h.element, h.kind) == (spare.element, spare.kind)), spare)
        return "fails" if self.judged(sooner.spare) == "fails" else "close"

    @cached_property
    def charges(self) -> tuple[Charge, ...]:
        """One for each charge board, from where play ends."""
        return tuple(charge(self.op, b, self.end_of(b.charges)) for b in self.plan.chargers)

    @cached_property
    def differences(self) -> dict[str, list[Difference]]:
        """By id of a part, where it differs from the class it names; of a pack, where its cell does."""
        out = {}
        for part in self.plan.parts():
            described = part.cell if isinstance(part, Pack) else part
            known = self.stock.of_class(described.part_class)
            if known is not None and type(known) is type(described) and (found := differing(described, known)):
                out[part.id] = found
        return out

    @cached_property
    def idle_warmths(self) -> tuple[ChargeWarmth, ...]:
        """How warm the cells get while each board fills them with the console off."""
        return tuple(w for c in self.charges if (w := charge_warmth(self.op, self.beside, c, playing=False)) is not None)

    @cached_property
    def played_warmths(self) -> tuple[ChargeWarmth, ...]:
        """How warm the cells get while each board fills them and someone plays, where that can be done."""
        return tuple(w for c in self.charges if (w := charge_warmth(self.op, self.beside, c, playing=True)) is not None)

    @cached_property
    def trickles(self) -> tuple[TrickleFill, ...]:
        """One for each crank, generator and panel."""
        return trickle_fills(self.op)

    @cached_property
    def starting_v(self) -> dict[str, float | None]:
        """Of each store that a crank or panel fills, the least volts at rest from which it starts the console. [V]"""
        stores = {t.store.id: self.op.network.stores.index(t.store.id) for t in self.trickles}
        return {name: starting_v(self.op, k) for name, k in stores.items()}

    @cached_property
    def proposals(self) -> tuple[Proposal, ...]:
        """The fewest supply voltages that serve every part."""
        return proposals(self.op)

    @cached_property
    def windows(self) -> tuple[VoltsGot, ...]:
        """What each part gets within its window, down to the end of play."""
        return volts_got(self.op, self.ends)

    @cached_property
    def board_figures(self) -> dict[str, BoardFigures]:
        """What each board does in play at half charge, by id."""
        return board_figures(self.op)

    @cached_property
    def signals(self) -> tuple[Signal, ...]:
        """Every part that says at which level it listens, and who drives it."""
        return signals(self.plan)

    @cached_property
    def first_moments(self) -> tuple[FirstMoment, ...]:
        """What each part that states its inrush pulls, against what its board can give."""
        return first_moments(self.op, self.ends)

    @cached_property
    def direct_feeds(self) -> tuple[DirectFeed, ...]:
        """Parts that may be fed from their store without a regulator."""
        return direct_feeds(self.op)

    @cached_property
    def voltage_guards(self) -> tuple[VoltageGuard, ...]:
        """Parts that must never see 5 V."""
        return voltage_guards(self.op)

    @cached_property
    def heat(self) -> Heat:
        """Temperatures in play."""
        return heat(self.op, self.beside)

    @cached_property
    def beside(self) -> tuple[Contact, ...]:
        """What cells lie beside, over and under, where they are laid."""
        if not self.plan.placed:
            return ()
        known, _ = solids(self.plan, frozenset(), self.stock.of_class)
        return contacts(blocks_of(known, self.plan.placed)[0], inside(self.plan.case), self.plan.case)

    @cached_property
    def heat_shares(self) -> tuple[tuple[WattShare, ...], ...]:
        """Where every watt becomes heat at half charge, in each load state, the largest first."""
        return tuple(shares_of_heat(self.op, state) for state in State)

    @cached_property
    def drifts(self) -> tuple[Drift, ...]:
        """What changes with the warmth of the air inside."""
        resettable = [(c, c.fuse.rating_a.likely) for c in self.fuses if c.fuse.resettable and c.fuse.rating_a]
        cold = [fuse_holds_a(rating_a, REFERENCE_C, resettable=True) for _, rating_a in resettable]
        told = [(c.fuse.id, c.fuse.name, c.holds_a, a, c.peak_a) for (c, _), a in zip(resettable, cold, strict=True)]
        return drifts(self.op, self.heat, told)

    @cached_property
    def links(self) -> tuple[LinkCheck, ...]:
        """Every conductor at its worst moment; last those between the supplies and their charge boards."""
        return (*check_links(self.op, self.ends, self.heat.air_c), *check_way_in(self.ways_in, self.heat.air_c))

    @cached_property
    def outside_h(self) -> float | None:
        """Hours that a charger outside the case takes, of what nothing inside fills; None where a board does."""
        return outside_hours(self.op, self.ends)

    @cached_property
    def ways_in(self) -> tuple[WayIn, ...]:
        """Every charge board at its supply, at the most it takes."""
        return ways_in(self.op)

    @cached_property
    def fuses(self) -> tuple[FuseCheck, ...]:
        """Every fuse."""
        return check_fuses(self.op, self.ends, self.heat.air_c, {s.link.id: s.worst for s in self.shorts if s.guard})

    @cached_property
    def laid(self) -> tuple[tuple[Block, ...], tuple[Solid, ...]]:
        """The blocks that lie in the case, and what has a size and lies nowhere yet."""
        return blocks_of(self.solids[0], self.plan.placed)

    @cached_property
    def solids(self) -> tuple[tuple[Solid, ...], tuple[str, ...]]:
        """What needs room in the case, and the names of parts whose size nobody knows."""
        warm = frozenset(p.element for p in self.heat.parts if p.celsius >= WARM_C)
        return solids(self.plan, warm, self.stock.of_class)

    @cached_property
    def room(self) -> RoomReport:
        """What meets, the case that is needed, the faces, and the room of the wires, as everything lies."""
        return room_report(self.plan, self.solids[0], self.laid[0], self.pieces)

    @cached_property
    def shorts(self) -> tuple[ShortCheck, ...]:
        """Every wire with a short at its far end."""
        return check_shorts(self.op, self.heat.air_c)

    @cached_property
    def leads(self) -> tuple[Lead, ...]:
        """What lies between each store and the first fuse behind it."""
        return unfused_leads(self.op)

    @cached_property
    def lead_touches(self) -> tuple[LeadTouch, ...]:
        """What the bare leads of each store carry as they touch."""
        return lead_touches(self.op)

    @cached_property
    def circuit(self) -> Circuit:
        """The circuit that is soldered."""
        return circuit_of(self.plan)

    @cached_property
    def pieces(self) -> tuple[Piece, ...]:
        """Every piece of wire to cut."""
        return pieces(self.circuit)

    @cached_property
    def to_buy(self) -> dict[tuple[str, Colour], float]:
        """Metres of each wire to buy, by gauge in words and colour. [m]"""
        return to_buy(self.pieces)

    @cached_property
    def sundries(self) -> tuple[Sundry, ...]:
        """What the drawing takes besides the parts of the plan."""
        return sundries(self.circuit, self.to_buy)

    @cached_property
    def colours(self) -> dict[str, Colour]:
        """The colour of each conductor's positive strand, by id."""
        return {k.id: colour_of(self.plan, k) for k in self.plan.links}

    @cached_property
    def joints(self) -> tuple[Joint, ...]:
        """The order to build in, the far ends first."""
        return build_order(self.plan)

    @cached_property
    def reserve(self) -> Reserve | None:
        """Where the warning before shutdown belongs; None where nothing plays or too little is left even when full."""
        found = self.runtime
        return None if found is None or self.pack_index is None else shutdown_reserve(self.op, found, self.pack_index)

    @cached_property
    def ways_off(self) -> tuple[Way, ...]:
        """Every way that the build is switched off."""
        return ways_off(self.plan, None if self.reserve is None else self.reserve.enough)

    @cached_property
    def lamps(self) -> tuple[LampShow, ...]:
        """What each lamp shows over a discharge; empty where nothing plays."""
        found = self.runtime
        return () if found is None or not found.hours else lamp_shows(self.op, found)

    @cached_property
    def storage(self) -> tuple[StorageLife, ...]:
        """Days that each store lasts with everything off."""
        return tuple(storage_life(self.op, k) for k in range(len(self.plan.stores)))

    @cached_property
    def fits(self) -> tuple[Fit, ...]:
        """Whether each pack fits the bay; empty without one."""
        bay = self.plan.bay
        return () if bay is None else tuple(fit(p.cell, p.series * p.parallel, bay) for p in self.plan.packs)

    def judged(self, spare: float) -> Word:
        """The word for a spare, by the margins of the brief."""
        return judged(spare, self.plan.brief.margins)

    def least_spare(self) -> Headroom | None:
        """The element with the least spare."""
        return min(self.headrooms, key=lambda h: h.spare, default=None)
