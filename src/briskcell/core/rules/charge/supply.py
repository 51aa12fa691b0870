"""Rules of what stands before a charge board: what its source gives it, what it asks of it, and the way in."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.charge.outside import unfilled
from briskcell.core.charge.supplied import PLAIN_V, given_v, gives_nothing, holds_to_a
from briskcell.core.charge.way_in import WayIn
from briskcell.core.engine.resistance import link_rating_a
from briskcell.core.moves.charging import currents, first_chargers, other_chargers, other_supplies
from briskcell.core.moves.fix import Fix, placed, within
from briskcell.core.moves.suiting import carries
from briskcell.core.rails.headroom import spare_of
from briskcell.core.wiring.fuses import fuse_holds_a
from briskcell.core.wiring.harness import LinkCheck
from briskcell.model.changes import altered, replaced
from briskcell.model.stores import ChargeBoard, Pack
from briskcell.model.units import show

from ..registry import Finding, missed_by, rule

TOLERATED = 1.02  # of what a source gives, that nobody would notice
THICK_AWG = 18.0  # of a wire to a socket, that is easily laid


@rule(
    "chargeable",
    station="charge",
    wish="charged_outside",
    shown=("charge/charging", "brief/brief"),
    source="A pack that nothing fills is played once",
)
def chargeable(assessed: Answers) -> Iterator[Finding]:
    """Every pack that can be charged is: by a board inside, or outside the case."""
    if assessed.plan.brief.charged_outside:
        return
    for pack in unfilled(assessed.plan):
        cause = f"Nothing charges {pack.name}: no board inside, and the brief does not say that it is charged outside the case."
        advice = (
            "A charge board with its supply; or say in the brief that it is charged outside, by a balance charger or cell by cell."
        )
        yield Finding("fails", pack.id, cause, 0.8, partial(first_chargers, assessed, pack), advice)


@rule(
    "socket-gives",
    station="charge",
    shown=("charge/charging",),
    source="USB Type-C 2.0, 4.5.1.2: a source gives volts once it sees 5.1 kΩ; USB PD 3: more than 5 V only where asked; from memory",
)
def socket_gives(assessed: Answers) -> Iterator[Finding]:
    """What is plugged in gives the board the volts that the plan counts on."""
    for way in assessed.ways_in:
        board, supply = way.board, way.supply
        if gives_nothing(board, supply):
            cause = (
                f"{supply.name} gives nothing at {board.name}: a reversible outlet waits for a resistor of 5.1 kΩ on each of two "
                "contacts, and the socket has none."
            )
            yield Finding("fails", board.id, cause, 1.5, partial(_seen, assessed, way), "Two resistors of 5.1 kΩ at the socket.")
        elif given_v(board, supply) < supply.voltage_v.low:
            cause = (
                f"{supply.name} gives {show(supply.voltage_v.likely, 'V')} only where it is asked for them; nothing at {board.name} "
                f"asks, and it gets {show(PLAIN_V, 'V')}."
            )
            yield Finding(
                "fails",
                board.id,
                cause,
                1.2,
                partial(_asked, assessed, way),
                "A socket that asks for the volts, or another supply.",
            )


def _seen(assessed: Answers, way: WayIn) -> Iterator[Fix]:
    made = altered(way.board, socket="reversible")
    yield Fix(f"Two resistors of 5.1 kΩ at the socket of {way.board.name}", "let the outlet see it.", replaced(assessed.plan, made))
    yield from other_supplies(assessed, way.board)
    yield from other_chargers(assessed, way.board)


def _asked(assessed: Answers, way: WayIn) -> Iterator[Fix]:
    made, store = altered(way.board, socket="negotiating"), assessed.plan.by_id[way.board.charges]
    if isinstance(store, Pack) and carries(way.supply, made, store.series):
        words = f"A socket that asks for {show(way.supply.voltage_v.likely, 'V')} before {way.board.name}"
        yield Fix(words, "gets them.", replaced(assessed.plan, made))
    yield from other_supplies(assessed, way.board)
    yield from other_chargers(assessed, way.board)


@rule(
    "input-limit",
    station="charge",
    shown=("charge/charging",),
    source="USB 2.0, 7.2.1: a port gives 0.5 A; a charge board without an input limit asks its set current of any source",
)
def input_limit(assessed: Answers) -> Iterator[Finding]:
    """A charge board asks no more of its source than that gives."""
    for way in assessed.ways_in:
        board, gives = way.board, way.supply.current_limit_a.likely
        asks = min(way.wanted_a, holds_to_a(board, way.supply))
        if asks <= gives * TOLERATED:
            continue
        how = {
            "not": "does not hold itself back",
            "set": f"is set to take up to {show(holds_to_a(board, way.supply), 'A')}",
        }.get(board.limits_input or "", "may not hold itself back: nobody has said whether it does")
        cause = (
            f"{board.name} asks {show(asks, 'A')} of {way.supply.name}, which gives {show(gives, 'A')}; the board {how}. A source that "
            "is asked for more lets its volts fall or switches off."
        )
        search = partial(_held, assessed, way, gives)
        state = "fails" if board.limits_input else "close"
        advice = "A lower charge current, a board that holds itself back, or a stronger source."
        yield Finding(state, board.id, cause, missed_by(asks, gives), search, advice)


def _held(assessed: Answers, way: WayIn, gives: float) -> Iterator[Fix]:
    """A lower limit or current, a stronger source, a board that holds itself back."""
    board = way.board
    limited = within(board, "input_limit_a", gives) if board.limits_input == "set" else None
    if limited is not None:
        yield Fix(
            f"{board.name} set to take up to {show(gives, 'A')}", "is what the source gives.", replaced(assessed.plan, limited)
        )
    yield from currents(assessed, board, (gives / way.wanted_a * 0.98, 0.8 * gives / way.wanted_a))
    yield from other_supplies(assessed, board)
    yield from other_chargers(assessed, board)


@rule(
    "way-in",
    station="charge",
    shown=("charge/charging", "wiring/contacts"),
    source="The contacts' ratings; Churchill and Chu; the board's own window",
)
def way_in(assessed: Answers) -> Iterator[Finding]:
    """Plug, switch, fuse and wire before a charge board stand what it takes, and enough volts arrive."""
    ids = {link.id for way in assessed.ways_in for link in way.links}
    for check in assessed.links:
        if check.link.id in ids and (found := _past(assessed, check)) is not None:
            yield found
    for way in assessed.ways_in:
        window = None if way.board.limits_input == "sags" else way.board.input  # that holds its volts by taking less
        if window is not None and way.input_v < window.low_v <= given_v(way.board, way.supply):
            cause = (
                f"{show(way.input_v, 'V')} of {way.supply.name} arrive at {way.board.name} while it takes {show(way.taken_a, 'A')}; it "
                f"works from {show(window.low_v, 'V')}."
            )
            yield Finding(
                "close", way.board.id, cause, 0.1, partial(_arrives, assessed, way), "A better cable, or a lower charge current."
            )


def _past(assessed: Answers, check: LinkCheck) -> Finding | None:
    """What a contact or fuse on the way in is asked past its comfort."""
    link, rated = check.link, link_rating_a(check.link)
    if rated is None or link.kind in ("wire", "trace"):
        return None
    amps = check.amps
    if link.kind == "fuse":  # it carries short peaks of twice its rating
        rated = fuse_holds_a(rated, assessed.heat.air_c, resettable=link.resettable)
        amps = sum(w.steady_a for w in assessed.ways_in if link in w.links)
    state = assessed.judged(float(spare_of(amps, rated)))
    if state == "holds":
        return None
    stands = "holds" if link.kind == "fuse" else "is rated"
    cause = f"{link.name} {stands} {show(rated, 'A')}; charging takes {show(amps, 'A')} through it."
    search = partial(_stronger, assessed, check, amps)
    return Finding(state, link.id, cause, missed_by(amps, rated), search, "A stronger one, or a lower charge current.")


def _stronger(assessed: Answers, check: LinkCheck, amps: float) -> Iterator[Fix]:
    for other in sorted(assessed.stock.links, key=lambda k: k.cost or 0.0):
        rated = link_rating_a(other)
        if other.kind == check.link.kind and rated is not None and assessed.judged(float(spare_of(amps, rated))) == "holds":
            yield Fix(
                f"{other.name} in its place", f"stands {show(rated, 'A')}.", replaced(assessed.plan, placed(check.link, other))
            )


def _arrives(assessed: Answers, way: WayIn) -> Iterator[Fix]:
    yield from currents(assessed, way.board, (0.75, 0.5, 0.3))
    yield from other_supplies(assessed, way.board)
    yield from _shorter(assessed, way.board)


def _shorter(assessed: Answers, board: ChargeBoard) -> Iterator[Fix]:
    """The thickest usual wire on the way in."""
    thin = [k for k in next(w.links for w in assessed.ways_in if w.board.id == board.id) if k.awg is not None and k.awg > THICK_AWG]
    plan = assessed.plan
    for wire in thin:
        plan = replaced(plan, altered(wire, awg=THICK_AWG))
    if thin:
        yield Fix(f"{THICK_AWG:.0f} AWG for {thin[0].name}", "drops less on the way in.", plan)
