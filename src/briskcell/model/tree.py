"""Questions of a plan's tree: what feeds a part, what it feeds, where a further part may be fed from."""

from __future__ import annotations

from collections.abc import Iterator

from .parts import Converter, Fed, Link, Load, Part, Rail
from .plan import Plan, Store
from .stores import ChargeBoard, Pack, Supply


def feeders_of(plan: Plan, part: Fed) -> Iterator[Part]:
    """Every part between a part and its source, the nearest first, the source last."""
    at: Part = part
    while isinstance(at, Fed):
        at = plan.by_id[at.fed_by]
        yield at


def boards_above(plan: Plan, part: Fed) -> tuple[Converter, ...]:
    """The boards between a part and its source, the nearest to the source first."""
    return tuple(reversed([p for p in feeders_of(plan, part) if isinstance(p, Converter)]))


def source_of(plan: Plan, part: Part) -> Part:
    """The store or supply that feeds a part in the end."""
    return list(feeders_of(plan, part))[-1] if isinstance(part, Fed) else part


def on_supply(plan: Plan, part: Part) -> bool:
    """Whether a part hangs on a supply: it lies on the way in."""
    return isinstance(source_of(plan, part), Supply)


def named_feeder(plan: Plan, part: Fed) -> Part:
    """The nearest rail, board or source above a part, past the links between."""
    return next(p for p in feeders_of(plan, part) if not isinstance(p, Link))


def own_wires(plan: Plan, load: Load) -> list[Link]:
    """The wires that serve a load alone, from the load upwards."""
    own: list[Link] = []
    for at in feeders_of(plan, load):
        if not isinstance(at, Link) or at.kind != "wire" or len(plan.fed[at.id]) != 1:
            break
        own.append(at)
    return own


def feeding_point(plan: Plan, load: Load) -> str:
    """The id of what feeds a load, above the wires of its own."""
    own = own_wires(plan, load)
    return own[-1].fed_by if own else load.fed_by


def behind_links(plan: Plan, source: Part) -> Part:
    """The end of the wire, switch and fuse that follow a source, where its current first parts.

    What hangs before them does not hide them: the way on is the one link that a switch, fuse or board lies behind.
    """
    at = source
    while True:
        nexts = [p for p in plan.fed.get(at.id, ()) if not (isinstance(p, Link) and p.kind == "return")]
        if len(nexts) > 1 and at is source:
            nexts = [p for p in nexts if _leads_on(plan, p)]
        if len(nexts) != 1 or not isinstance(nexts[0], Link):
            return at
        at = nexts[0]


def wire_from(plan: Plan, store: Part) -> Link | None:
    """The first wire from a store, behind no more than what lies right at the store, such as its fuse; None where there is none."""
    at: Part | None = store
    while at is not None:
        links = [p for p in plan.fed.get(at.id, ()) if isinstance(p, Link) and p.kind != "return"]
        wire = next((p for p in links if p.kind == "wire"), None)
        if wire is not None:
            return wire
        at = links[0] if len(links) == 1 else None
    return None


def _leads_on(plan: Plan, part: Fed) -> bool:
    """Whether a switch or fuse is, or lies behind, a link."""
    if not isinstance(part, Link):
        return False
    return part.kind in ("switch", "fuse", "jack") or any(_leads_on(plan, p) for p in plan.fed.get(part.id, ()))


def store_point(plan: Plan, load: Load) -> str:
    """Where a load is fed from its store without a board: behind the switch and fuse, never before them."""
    return behind_links(plan, source_of(plan, load)).id


def load_feeders(plan: Plan) -> list[Part]:
    """What may feed a load: rails, and packs and converters without a rail of their own; last the outputs of other loads."""
    railed = {r.fed_by for r in plan.rails}
    places = [p for p in plan.parts() if p in plan.rails or (isinstance(p, (Pack, Converter)) and p.id not in railed)]
    return places + [k for k in plan.links if k.kind == "outlet"]


def board_feeders(plan: Plan) -> list[tuple[Part, str]]:
    """What may feed a further board: each store, behind its switch and fuse, and each rail; with words for it."""
    stores = [(behind_links(plan, s), f"{s.name}, behind switch and fuse") for s in plan.stores]
    return stores + [(r, r.name) for r in plan.rails]


def switches_of(plan: Plan) -> frozenset[str]:
    """The ids of all switches."""
    return frozenset(k.id for k in plan.links if k.kind == "switch")


def stays_connected(plan: Plan, part: Fed, store: Store, opened: frozenset[str] | None = None) -> bool:
    """Whether a part is fed from a store with no open switch between: of those given, else of all."""
    cut = switches_of(plan) if opened is None else opened
    above = list(feeders_of(plan, part))
    return above[-1].id == store.id and not any(p.id in cut for p in above)


def layout_of(plan: Plan, board: ChargeBoard) -> str:
    """What happens to the console while a board charges: its own layout, or a jack's contact that cuts the console out."""
    if board.half_of is not None:  # its socket is its own
        return board.layout
    fed = plan.fed.get(board.charges, ())
    cut = bool(fed) and all(_behind_jack(plan, p) for p in fed)
    return "cut_out" if board.layout == "on_cell" and cut else board.layout


def _behind_jack(plan: Plan, part: Fed) -> bool:
    """Whether every way on from a part leads through a jack's contact."""
    if isinstance(part, Link) and part.kind in ("jack", "return"):
        return True
    below = plan.fed.get(part.id, ())
    return isinstance(part, Link) and bool(below) and all(_behind_jack(plan, p) for p in below)


def board_of(part: Part) -> str:
    """The id of the board that a part comes on: its own, but of a half."""
    return part.half_of or part.id


def feeder_outside(plan: Plan, part: Fed) -> Fed:
    """The part of a board, itself or what feeds it there, that is fed from off the board."""
    at = part
    for above in feeders_of(plan, part):
        if isinstance(above, Rail):
            continue
        if not isinstance(above, Fed) or board_of(above) != board_of(part):
            break
        at = above
    return at


def charged_through(plan: Plan, board: ChargeBoard) -> tuple[Link, ...] | None:
    """The links between a charging half and the store: its cells hang on the pads that the board is fed at.

    None of a board of its own, and of one that is fed from elsewhere: that has pads of its own for the cells.
    """
    whole = plan.by_id.get(board.half_of or "")
    if not isinstance(whole, Converter):
        return None
    above = [p for p in feeders_of(plan, feeder_outside(plan, whole)) if not isinstance(p, Rail)]
    if not above or above[-1].id != board.charges or not all(isinstance(p, Link) for p in above[:-1]):
        return None
    return tuple(p for p in above if isinstance(p, Link))


def free_id(plan: Plan, wanted: str) -> str:
    """The id itself, or with the first free number."""
    base = wanted[:40]
    return next(i for n in range(1, 1000) if (i := base if n == 1 else f"{base}-{n}") not in plan.by_id)


def free_name(plan: Plan, wanted: str) -> str:
    """A name, with the first free number where the build has it already."""
    names = {p.name for p in plan.parts()}
    return wanted if wanted not in names else next(n for k in range(2, 1000) if (n := f"{wanted[:112]} {k}") not in names)


def made_v(plan: Plan, place: Part) -> float:
    """The volts that a rail, a board or an output gives, past links behind the board that makes them; 0 of what makes none. [V]"""
    board = place if isinstance(place, Converter) else maker_of(plan, place)
    return board.output_v.likely if board is not None else 0.0


def maker_of(plan: Plan, place: Part) -> Converter | None:
    """The board that makes a rail's or an output's volts; None where a store gives them itself."""
    if not isinstance(place, Rail) and not (isinstance(place, Link) and place.kind == "outlet"):
        return None
    return next((p for p in feeders_of(plan, place) if isinstance(p, Converter)), None)
