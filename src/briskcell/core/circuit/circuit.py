"""The circuit of a build, read from its plan: nets, and every conductor from terminal to terminal, both poles."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal, NamedTuple

from briskcell.core.circuit.terminals import MINUS, key_on_board, terminals_of
from briskcell.core.engine.network import battery_paths
from briskcell.core.engine.resistance import link_resistance_ohm
from briskcell.model.parts import Converter, Fed, Link, Load, Part, Rail
from briskcell.model.plan import Plan, Store
from briskcell.model.stores import Bank, ChargeBoard, Pack, Supply
from briskcell.model.terminals import Terminal
from briskcell.model.tree import board_of, charged_through, feeder_outside, layout_of, on_supply, source_of

Pole = Literal["+", "-", "tap", "signal"]
IN_THE_WAY = ("switch", "fuse", "plug", "jack", "path", "trace", "flat", "diode")  # links that are parts with two ends


class End(NamedTuple):
    """One end of a conductor: the id of a place, and the terminal of it."""

    place: str
    terminal: str


@dataclass(frozen=True, slots=True)
class Place:
    """Something with terminals: a part, the protection board of a pack, or the point where wires are joined with nothing else."""

    id: str
    name: str
    part: Part | None
    terminals: tuple[Terminal, ...]

    def of(self, key: str) -> Terminal:
        """The terminal of that key."""
        return next(t for t in self.terminals if t.key == key)


@dataclass(frozen=True, slots=True, kw_only=True)
class Conductor:
    """One conductor: a strand of the wire ``link``, or a short one that the plan does not name, where that is None.

    ``share`` of its link's resistance lies in it: half of a wire out and back, all of a single one.
    """

    key: str
    a: End
    b: End
    pole: Pole
    link: Link | None = None
    share: float = 1.0

    @property
    def ohm(self) -> float:
        """Its resistance; 0 of one that the plan does not name."""
        return 0.0 if self.link is None else self.share * link_resistance_ohm(self.link)


@dataclass(frozen=True)
class Circuit:
    """Places with their terminals, the conductors between them, and the nets that these make.

    ``entered`` says at which terminal each part is fed that comes on a board with others, by its id.
    """

    plan: Plan
    places: tuple[Place, ...]
    conductors: tuple[Conductor, ...]
    entered: Mapping[str, End]

    @cached_property
    def by_id(self) -> dict[str, Place]:
        """Places by their ids."""
        return {p.id: p for p in self.places}

    @cached_property
    def nets(self) -> tuple[frozenset[End], ...]:
        """Terminals that are joined, by conductors of any kind: what a meter would call one piece."""
        group: dict[End, list[End]] = {}
        for c in self.conductors:
            one, two = group.setdefault(c.a, [c.a]), group.setdefault(c.b, [c.b])
            if one is two:
                continue
            few, many = (one, two) if len(one) < len(two) else (two, one)
            many += few
            group |= dict.fromkeys(few, many)
        return tuple(frozenset(g) for g in sorted({id(g): sorted(g) for g in group.values()}.values()))

    def at(self, place: str) -> tuple[Conductor, ...]:
        """The conductors that end at a place."""
        return self._ending.get(place, ())

    @cached_property
    def _ending(self) -> dict[str, tuple[Conductor, ...]]:
        found: dict[str, list[Conductor]] = {}
        for c in self.conductors:
            for place in {c.a.place, c.b.place}:
                found.setdefault(place, []).append(c)
        return {place: tuple(ending) for place, ending in found.items()}

    def end(self, part: Part, key: str) -> End:
        """A terminal of a part: on the board that it comes on."""
        return End(board_of(part), key_on_board(self.plan, part, key))

    def fed(self, load: Part) -> End:
        """Where a load is fed: on a board with others at the terminal that it shares with them."""
        return self.entered.get(load.id) or self.end(load, "plus")

    def words(self, end: End) -> str:
        """An end in words: the place, and what is printed beside the terminal."""
        place = self.by_id[end.place]
        printed = place.of(end.terminal).prints
        return f"{place.name} {printed}".strip()


def circuit_of(plan: Plan) -> Circuit:
    """The circuit of a plan.

    Parameters
    ----------
    plan : Plan
        The build.

    Returns
    -------
    Circuit
        Every part that one solders or plugs to, and what joins them.
    """
    made = _Maker(plan)
    made.console()
    made.supply_side()
    made.beside()
    several = [p for p in plan.parts() if isinstance(p, Fed) and (p.half_of or p.id in plan.halves)]
    return Circuit(plan, tuple(made.places.values()), tuple(made.conductors), {p.id: made.into(p) for p in several})


@dataclass
class _Maker:
    """A circuit in the making."""

    plan: Plan
    places: dict[str, Place] = field(default_factory=dict)
    conductors: list[Conductor] = field(default_factory=list)
    short: set[tuple[End, End]] = field(default_factory=set)

    def __post_init__(self) -> None:
        plan = self.plan
        for part in plan.parts():
            nowhere = isinstance(part, Rail) or (isinstance(part, Link) and part.kind not in IN_THE_WAY)
            if not nowhere and part.half_of is None:
                self.places[part.id] = Place(part.id, part.name, part, terminals_of(plan, part))
            if isinstance(part, Pack) and part.protection is not None and not part.protection.with_cells:
                self._protection(part)
            if isinstance(part, Link) and part.acts is not None and part.id in self.places:
                self._button(part)
        feeding = [b for b in plan.chargers if layout_of(plan, b) == "power_path" and not isinstance(plan.by_id[b.charges], Bank)]
        self.path_of = {b.charges: b.id for b in (*feeding, *battery_paths(plan)) if charged_through(plan, b) is None}

    def _protection(self, pack: Pack) -> None:
        """The protection board of a pack, between its cells and its leads."""
        board = f"{pack.id}-protection"
        pads = (
            Terminal(key="cells", role="cell", polarity="+", prints="B+"),
            Terminal(key="cells-minus", role="cell", polarity="-", prints="B−"),
            Terminal(key="out", role="out", polarity="+", prints="P+"),
            Terminal(key=MINUS, role="ground", polarity="-", prints="P−"),
        )
        senses = range(1, pack.series) if pack.protection and pack.protection.senses_each else ()
        taps = (Terminal(key=f"tap{k}", role="sense", prints=f"B{k}") for k in senses)
        self.places[board] = Place(board, f"Protection of {pack.name}", None, (*pads, *taps))
        self.join(f"{pack.id}:+", End(pack.id, "out"), End(board, "cells"), "+")
        self.join(f"{pack.id}:-", End(pack.id, MINUS), End(board, "cells-minus"), "-")
        for k in senses:
            self.join(f"{board}:tap{k}", End(board, f"tap{k}"), End(pack.id, f"tap{k}"), "tap")

    def _button(self, switch: Link) -> None:
        """The push button of a switch that is pressed, where it has pads for one."""
        keys = {t.key for t in self.places[switch.id].terminals}
        if not {"button", MINUS} <= keys:
            return
        button = f"{switch.id}-button"
        pads = tuple(Terminal(key=k, role="contact", prints=n, kind="lead") for k, n in (("a", "1"), ("b", "2")))
        self.places[button] = Place(button, f"Button of {switch.name}", None, pads)
        self.join(f"{button}:1", End(button, "a"), End(switch.id, "button"), "signal")
        self.join(f"{button}:2", End(button, "b"), End(switch.id, MINUS), "signal")

    def join(self, key: str, a: End, b: End, pole: Pole, link: Link | None = None, share: float = 1.0) -> None:
        """One conductor more."""
        self.conductors.append(Conductor(key=key, a=a, b=b, pole=pole, link=link, share=share))

    def end(self, part: Part, key: str) -> End:
        """A terminal of a part: on the board that it comes on."""
        return End(board_of(part), key_on_board(self.plan, part, key))

    # Where current leaves a part for what it feeds, and where it comes back.

    def lead(self, store: str, terminal: str) -> End:
        """The lead of a store: of its protection board where it has one."""
        board = f"{store}-protection"
        return End(board if board in self.places else store, terminal)

    def out(self, at: str) -> End:
        """The terminal that what hangs on a part is joined to."""
        part = self.plan.by_id[at]
        if isinstance(part, Rail):
            return self.out(part.fed_by)
        if isinstance(part, Store):
            return self.end(self.plan.by_id[self.path_of[at]], "out") if at in self.path_of else self.lead(at, "out")
        if isinstance(part, Link):
            if part.kind == "outlet":
                return End(part.fed_by, "pass")
            return self.end(part, "b") if part.kind in IN_THE_WAY else self.far_end(part, "+")
        return self.end(part, "pass" if isinstance(part, Load) else "out")

    def back(self, at: str) -> End:
        """The terminal that the negative of what hangs on a part comes back to."""
        part = self.plan.by_id[at]
        if isinstance(part, Store):
            return self.end(self.plan.by_id[self.path_of[at]], MINUS) if at in self.path_of else self.lead(at, MINUS)
        if isinstance(part, (Supply, Converter, Load)):
            return self.end(part, MINUS)
        assert isinstance(part, Fed)
        if isinstance(part, Link) and part.kind == "return":
            return self.far_end_of_return(part)
        if isinstance(part, Link) and self.is_pair(part):
            return self.far_end(part, "-")
        return self.back(part.fed_by)

    @staticmethod
    def is_pair(link: Link) -> bool:
        """Whether a link is a wire that has its way back in it."""
        return link.kind == "wire" and link.conductors >= 2

    def far_end(self, wire: Link, pole: Pole) -> End:
        """Where the far end of a wire is soldered: the one terminal it leads to, else a point where several meet."""
        found = self._only(wire, pole)
        if found is not None:
            return found
        joint = f"{wire.id}-end"
        if joint not in self.places:
            both = (
                Terminal(key="plus", role="contact", polarity="+", prints="+", kind="lead"),
                Terminal(key=MINUS, role="ground", polarity="-", prints="−", kind="lead"),
            )
            self.places[joint] = Place(joint, f"End of {wire.name}", None, both)
        return End(joint, "plus" if pole == "+" else MINUS)

    def _only(self, wire: Link, pole: Pole) -> End | None:
        """The one terminal at a wire's far end; None where several, or none, are."""
        fed = self._children(wire)
        if pole == "+":
            ends = {None if isinstance(c, Link) and c.kind in ("wire", "return", "outlet") else self.into(c) for c in fed}
        else:
            ends = {self._minus_below(c) for c in fed}
        ends |= {self.end(b, "in" if pole == "+" else "in-") for b in self.plan.chargers if b.fed_by == wire.id}
        return ends.pop() if len(ends) == 1 else None

    def _minus_below(self, part: Fed) -> End | None:
        """The one negative terminal that lies behind a part, past what has none."""
        if isinstance(part, Converter):
            return self.end(part, "in-")
        if isinstance(part, Load):
            return None if part.return_by else self.end(part, MINUS)
        if isinstance(part, Link) and part.kind in ("wire", "return"):
            return None
        ends = {self._minus_below(p) for p in self._children(part)}
        return ends.pop() if len(ends) == 1 else None

    def _children(self, part: Part) -> list[Fed]:
        out: list[Fed] = []
        for child in self.plan.fed.get(part.id, ()):
            out += self._children(child) if isinstance(child, Rail) else [child]
        return out

    def into(self, part: Part) -> End:
        """The terminal that a part is fed at."""
        if isinstance(part, Fed) and (part.half_of is not None or part.id in self.plan.halves):
            first, whole = feeder_outside(self.plan, part), self.plan.by_id[board_of(part)]
            if first is not part:  # what feeds it is on its board
                return self.out(part.fed_by)
            if isinstance(whole, Converter) and part.fed_by == feeder_outside(self.plan, whole).fed_by:
                return End(whole.id, "in")
        if isinstance(part, Link):
            return self.end(part, "a")
        return self.end(part, "in" if isinstance(part, (Converter, ChargeBoard)) else "plus")

    # The conductors.

    def console(self) -> None:
        """All that hangs on a store."""
        for part in self.plan.parts():
            if not isinstance(part, Fed) or isinstance(part, Rail) or on_supply(self.plan, part):
                continue
            if isinstance(part, Link) and part.kind == "outlet":
                continue
            if isinstance(part, Link) and part.kind not in IN_THE_WAY:
                self._wire(part)
                continue
            if not (isinstance(part, Converter) and part.built_in):
                self._joined(part)
        for rail in self.plan.rails:
            for k, other in enumerate(rail.also):
                self.join(f"{rail.id}:also{k}", self.out(other), self.out(rail.fed_by), "+")

    def _wire(self, wire: Link) -> None:
        if wire.kind == "return":
            self.join(f"{wire.id}:-", self.far_end_of_return(wire), self.back(wire.fed_by), "-", wire)
            return
        pair = self.is_pair(wire) and not self._shares_return(wire)
        self.join(f"{wire.id}:+", self.out(wire.fed_by), self.far_end(wire, "+"), "+", wire, 0.5 if pair else 1.0)
        if self.is_pair(wire):
            self.join(f"{wire.id}:-", self.far_end(wire, "-"), self.back(wire.fed_by), "-", wire if pair else None, 0.5)

    def _shares_return(self, wire: Link) -> bool:
        """Whether what hangs on a wire comes back by a shared return: then all of its resistance is in the way out."""
        left: list[Part] = [wire]
        while left:
            for child in self.plan.fed.get(left.pop().id, ()):
                if isinstance(child, Load) and child.return_by:
                    return True
                left.append(child)
        return False

    def far_end_of_return(self, wire: Part) -> End:
        """The ground of the one load that comes back by a return, else the point where the negatives of several meet."""
        loads = [p for p in self.plan.loads if p.return_by == wire.id]
        if len(loads) == 1:
            return self.end(loads[0], MINUS)
        joint = f"{wire.id}-end"
        both = (Terminal(key=MINUS, role="ground", polarity="-", prints="−", kind="lead"),)
        self.places.setdefault(joint, Place(joint, f"End of {wire.name}", None, both))
        return End(joint, MINUS)

    def _joined(self, part: Fed) -> None:
        """A part joined where its wire ends, or straight to what feeds it."""
        feeder, into = self.out(part.fed_by), self.into(part)
        self._to(f"{part.id}:+", feeder, into, "+")
        if isinstance(part, (Converter, Load)):
            if feeder_outside(self.plan, part) is not part:
                return
            minus = self.end(part, "in-" if isinstance(part, Converter) else MINUS)
            back = self.back(part.fed_by)
            if isinstance(part, Load) and part.return_by:
                back = self.far_end_of_return(self.plan.by_id[part.return_by])
            self._to(f"{part.id}:-", minus, back, "-")

    def supply_side(self) -> None:
        """From each supply's outlet to its charge boards, and from those to what they fill."""
        plan = self.plan
        for link in plan.links:
            if on_supply(plan, link):
                if link.kind == "wire":
                    self._wire(link)
                else:
                    self.join(f"{link.id}:+", self.out(link.fed_by), End(link.id, "a"), "+")
        for board in plan.chargers:
            at = board.fed_by or board.supply
            store, jack = plan.by_id[board.charges], self._jack(board)
            out, back = self.out(at), self.back(at)
            if jack is not None:  # the plug of the charger goes into the jack, which opens its contact by that
                self.join(f"{jack.id}:tip", out, End(jack.id, "tip"), "+")
                self.join(f"{jack.id}:sleeve", End(jack.id, "sleeve"), back, "-")
                out, back = End(jack.id, "tip"), End(jack.id, "sleeve")
            self._to(f"{board.id}:in+", out, self.end(board, "in"), "+")
            self._to(f"{board.id}:in-", self.end(board, "in-"), back, "-")
            if isinstance(store, Bank):
                continue
            if charged_through(plan, board) is None:
                self.join(f"{board.id}:bat+", self.end(board, "bat"), self.lead(store.id, "out"), "+")
                self.join(f"{board.id}:bat-", self.end(board, "bat-"), self.lead(store.id, MINUS), "-")
            if board.balancing and isinstance(store, Pack):
                self._taps(board, store, range(1, store.series))

    def _jack(self, board: ChargeBoard) -> Link | None:
        """The jack that cuts out what hangs on a board's store, where it does."""
        if layout_of(self.plan, board) != "cut_out":
            return None
        jacks = (k for k in self.plan.links if k.kind == "jack" and source_of(self.plan, k).id == board.charges)
        return next(jacks, None)

    def _to(self, key: str, a: End, b: End, pole: Pole) -> None:
        """A short conductor, but where its ends are one, or where the halves of a board have it already."""
        if a != b and (a, b) not in self.short:
            self.short.add((a, b))
            self.join(key, a, b, pole)

    def beside(self) -> None:
        """Balancers and trickle sources."""
        for balancer in self.plan.balancers:
            pack = self.plan.by_id[balancer.charges]
            assert isinstance(pack, Pack)
            self.join(f"{balancer.id}:tap0", End(balancer.id, "tap0"), End(pack.id, MINUS), "tap")
            self._taps(balancer, pack, range(1, pack.series))
            self.join(f"{balancer.id}:tap{pack.series}", End(balancer.id, f"tap{pack.series}"), End(pack.id, "out"), "tap")
        for source in self.plan.trickles:
            self.join(f"{source.id}:+", End(source.id, "out"), self.lead(source.charges, "out"), "+")
            self.join(f"{source.id}:-", End(source.id, MINUS), self.lead(source.charges, MINUS), "-")

    def _taps(self, board: Part, pack: Pack, which: Iterable[int]) -> None:
        for k in which:
            self.join(f"{board.id}:tap{k}", self.end(board, f"tap{k}"), End(pack.id, f"tap{k}"), "tap")
