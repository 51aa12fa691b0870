"""The order to build in: joints from the far ends to the store, so that no circuit to a cell closes before the last one."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.engine.resistance import link_resistance_ohm
from briskcell.model.parts import Converter, Fed, Link, Load, Part, Rail
from briskcell.model.plan import Plan, Store
from briskcell.model.stores import Balancer, ChargeBoard, Supply, Trickle
from briskcell.model.tree import board_of, charged_through, feeder_outside, feeders_of, source_of

LAST = "last"
Beside = ChargeBoard | Balancer | Trickle


@dataclass(frozen=True, slots=True, kw_only=True)
class Joint:
    """One joint: what is joined to what, what has to be made before it, and what to know while it is made.

    ``guard`` is the id of the fuse that will stand before it once the pack is joined, empty where nothing will; ``ohm`` is the
    resistance of the piece that is joined.
    """

    key: str
    part: str
    to: str
    after: tuple[str, ...]
    guard: str
    ohm: float
    live_later: bool


def build_order(plan: Plan) -> tuple[Joint, ...]:
    """Every joint of a build once, the far ends first; the last one joins the stores themselves.

    Until then the leads of every store are free: what is fed from one is joined to its lead, never to the cells.

    Parameters
    ----------
    plan : Plan
        The build.

    Returns
    -------
    tuple of Joint
        In an order in which each comes after those it depends on; the last one depends on all. Empty without a store.
    """
    if not plan.stores:
        return ()
    console = [p for p in plan.parts() if isinstance(p, Fed) and _is_a_joint(plan, p)]
    on_supply = [p for p in console if isinstance(source_of(plan, p), Supply)]
    # A half that charges has its cells at the board's own pads; what is left of it to join is what lies before its socket.
    apart = (b for b in plan.chargers if charged_through(plan, b) is None or b.fed_by is not None)
    beside: tuple[Beside, ...] = (*apart, *plan.balancers, *plan.trickles)
    order = sorted((p for p in console if p not in on_supply), key=lambda p: -len(list(feeders_of(plan, p))))
    joints = [_joint(plan, p, _fed_from(plan, p)) for p in (*on_supply, *order)]
    joints += [
        Joint(
            key=b.id,
            part=b.id,
            to=b.charges if not isinstance(b, ChargeBoard) or charged_through(plan, b) is None else b.fed_by or b.supply,
            after=tuple(p.id for p in on_supply if _leads_to(plan, p, b)),
            guard="",
            ohm=0.0,
            live_later=True,
        )
        for b in beside
    ]
    stores = [s.id for s in plan.stores]
    last = Joint(key=LAST, part=stores[0], to=stores[0], after=tuple(j.key for j in joints), guard="", ohm=0.0, live_later=True)
    return (*joints, last)


def _is_a_joint(plan: Plan, part: Fed) -> bool:
    """A rail is a name, and outputs and built-in regulators belong to their part: nobody joins them."""
    inside = (isinstance(part, Link) and part.kind == "outlet") or (isinstance(part, Converter) and part.built_in)
    if part.half_of is not None or part.id in plan.halves:
        inside = inside or _on_its_board(plan, part)
    return not (isinstance(part, Rail) or inside or (isinstance(plan.by_id[part.fed_by], Supply) and not isinstance(part, Link)))


def _on_its_board(plan: Plan, part: Fed) -> bool:
    """Whether a part of a board is fed on it, or at the pads where another of its parts comes first."""
    whole, first = plan.by_id[board_of(part)], feeder_outside(plan, part)
    if first is not part:
        return True
    leads = feeder_outside(plan, whole) if isinstance(whole, Converter) else part
    return leads is not part and leads.fed_by == part.fed_by


def _fed_from(plan: Plan, part: Fed) -> Part:
    """What a part is joined to: the board that makes a rail, the part that has an output."""
    at = plan.by_id[part.fed_by]
    while isinstance(at, Fed) and not _is_a_joint(plan, at) and not isinstance(at, Load):
        at = plan.by_id[at.fed_by]
    return at


def _below(plan: Plan, part: Part) -> list[Fed]:
    """The joints that hang right on a part, past what is inside it."""
    out: list[Fed] = []
    for child in plan.fed.get(part.id, ()):
        out += [child] if _is_a_joint(plan, child) else _below(plan, child)
    return out


def _joint(plan: Plan, part: Fed, to: Part) -> Joint:
    above = list(feeders_of(plan, part))
    fuse = next((p.id for p in above if isinstance(p, Link) and p.kind == "fuse"), "")
    switched = any(isinstance(p, Link) and p.kind == "switch" for p in above)
    return Joint(
        key=part.id,
        part=part.id,
        to=to.id,
        after=tuple(p.id for p in _below(plan, part)),
        guard=fuse,
        ohm=link_resistance_ohm(part) if isinstance(part, Link) else 0.0,
        live_later=isinstance(above[-1], Store) and not switched,
    )


def _leads_to(plan: Plan, part: Fed, board: Beside) -> bool:
    if not isinstance(board, ChargeBoard) or board.fed_by is None:
        return False
    at: str | None = board.fed_by
    while at is not None and at != part.id:
        feeder = plan.by_id[at]
        at = feeder.fed_by if isinstance(feeder, Fed) else None
    return at == part.id


def needed_by(order: tuple[Joint, ...], key: str) -> frozenset[str]:
    """The joints that depend on one: what has to be taken apart with it.

    Parameters
    ----------
    order : tuple of Joint
        The whole order.
    key : str
        The joint that is undone.

    Returns
    -------
    frozenset of str
        The keys of those that depend on it, itself included.
    """
    gone = {key}
    for joint in order:  # each comes after what it depends on
        if gone & set(joint.after):
            gone.add(joint.key)
    return frozenset(gone)
