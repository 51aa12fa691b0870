"""Rules of two sources on one rail: neither pushes back into the other, on or off."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.engine.meetings import idle_v, is_diode
from briskcell.core.moves.fix import Fix
from briskcell.model.changes import altered, put_in, remade, replaced
from briskcell.model.parts import Converter, Fed, Link, Load, Part, Rail
from briskcell.model.plan import Plan, Store
from briskcell.model.tree import feeders_of, free_id
from briskcell.model.units import show

from ..registry import Finding, missed_by, rule


@rule(
    "sources-meet",
    station="rails",
    shown=("rails/boards",),
    source="A converter's output stands what its sheet says when it is driven from outside; a cell takes only what a charger ends",
)
def sources_meet(assessed: Answers) -> Iterator[Finding]:
    """Where two sources meet on a rail, no current flows back into either of them, on or off."""
    plan = assessed.plan
    for rail in plan.rails:
        ends = (rail.fed_by, *rail.also) if rail.also else ()
        for at in ends:
            others = [e for e in ends if e != at]
            outside = max(idle_v(plan, e) for e in others)
            name = next(plan.by_id[e].name for e in others if idle_v(plan, e) == outside)
            source = _source(assessed, at)
            if source is None:
                continue
            search = partial(_one_way, assessed, rail, at)
            if isinstance(source, Store):
                cause = (
                    f"{source.name} lies on {rail.name} beside {name}, with no diode between: the one that stands higher pushes into "
                    "the other, and nothing ends that."
                )
                yield Finding("fails", source.id, cause, 2.0, search, "A diode, better an ideal one, in each way.")
            elif isinstance(source, Converter):
                yield from _driven(rail, source, outside, name, search)


def _source(assessed: Answers, at: str) -> Part | None:
    """The board or store at the end of a way that no diode guards."""
    part = assessed.plan.by_id[at]
    for p in (part, *(feeders_of(assessed.plan, part) if isinstance(part, Fed) else ())):
        if is_diode(p):
            return None
        if isinstance(p, (Converter, Store)):
            return p
    return None


def _driven(rail: Rail, board: Converter, outside_v: float, name: str, search: partial[Iterator[Fix]]) -> Iterator[Finding]:
    """What a board's output gets from outside, while it is off or stands lower."""
    gets = f"{name} drives the output of {board.name} with {show(outside_v, 'V')} over {rail.name}, whenever that is off or stands lower"
    advice = "An ideal diode behind it, or a board that lets nothing back in."
    if board.output_max_v is not None and outside_v > board.output_max_v + 1e-9:
        cause = f"{gets}; it stands {show(board.output_max_v, 'V')}."
        yield Finding("fails", board.id, cause, missed_by(outside_v, board.output_max_v), search, advice)
    elif board.blocks_back is False:
        yield Finding("fails", board.id, f"{gets}; it lets current in, which then flows through it.", 1.0, search, advice)
    elif board.blocks_back is None:
        yield Finding("close", board.id, f"{gets}; nobody has said whether it lets current in.", 0.2, search, advice)


USB_HIGH_V = 5.25  # the most that a supply of a USB socket gives, USB 2.0 ch. 7.2.1


@rule(
    "own-socket",
    station="rails",
    shown=("rails/windows",),
    source="A part fed at its pins has its own power socket on the same net: two sources meet there once something is plugged in",
)
def own_socket(assessed: Answers) -> Iterator[Finding]:
    """A supply in a part's own socket, while the pack feeds its pins, pushes into no board and no cell."""
    plan = assessed.plan
    for load in plan.loads:
        if load.jack is None or not load.jack.bypassed:
            continue
        source = _source(assessed, load.fed_by)
        gets = f"{load.name} is fed at its pins; a supply in its own socket would push into"
        advice = "An ideal diode before the part, or tape over its socket: never plug in there while the pack feeds."
        search = partial(_diode_before, assessed, load)
        if isinstance(source, Store):
            yield Finding("fails", load.id, f"{gets} {source.name}, and nothing ends that.", 1.0, search, advice)
        elif isinstance(source, Converter) and source.blocks_back is not True:
            known = "which lets current in" if source.blocks_back is False else "and nobody has said whether it lets current in"
            yield Finding("close", load.id, f"{gets} {source.name}, {known}.", 0.1, search, advice)
        elif isinstance(source, Converter) and source.output_max_v is not None and source.output_max_v < USB_HIGH_V:
            stands = show(source.output_max_v, "V")
            yield Finding("close", load.id, f"{gets} {source.name}, which stands {stands} there.", 0.1, search, advice)


def _diodes(assessed: Answers) -> list[Link]:
    """Diodes within reach, those that drop least first."""
    return sorted((k for k in assessed.stock.links if is_diode(k)), key=lambda k: k.drop_v.likely if k.drop_v else 0.0)


def _diode_before(assessed: Answers, load: Load) -> Iterator[Fix]:
    """A diode in the way to a part, the ideal one first."""
    for diode in _diodes(assessed):
        plan, _ = put_in(assessed.plan, diode, load.fed_by, "diode", [load])
        yield Fix(f"{diode.name} before {load.name}", "lets nothing back.", plan)


def _one_way(assessed: Answers, rail: Rail, at: str) -> Iterator[Fix]:
    """A diode in the way, the ideal one first; in every way that has none; then the second source left out."""
    plan = assessed.plan
    for diode in _diodes(assessed):
        yield Fix(f"{diode.name} behind {plan.by_id[at].name}", "lets nothing back.", _guarded(plan, rail, at, diode))
        bare = [e for e in (rail.fed_by, *rail.also) if _source(assessed, e) is not None]
        if len(bare) > 1:
            changed = plan
            for end in bare:
                now = changed.by_id[rail.id]
                assert isinstance(now, Rail)
                changed = _guarded(changed, now, end, diode)
            yield Fix(f"{diode.name} in each of the {len(bare)} ways", "lets nothing back.", changed)
    yield Fix(f"{rail.name} from {plan.by_id[rail.fed_by].name} alone", "has one source.", replaced(plan, altered(rail, also=())))


def _guarded(plan: Plan, rail: Rail, at: str, diode: Link) -> Plan:
    """A plan with a diode at the end of one of a rail's ways."""
    if at == rail.fed_by:
        return put_in(plan, diode, at, "diode", [rail])[0]
    new = altered(diode, id=free_id(plan, "diode"), fed_by=at)
    also = tuple(new.id if e == at else e for e in rail.also)
    return remade(
        plan,
        {
            "links": (*plan.links, new),
            "rails": tuple(altered(r, also=also) if r.id == rail.id else r for r in plan.rails),
        },
    )
