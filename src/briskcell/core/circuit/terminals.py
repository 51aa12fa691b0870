"""The terminals of every part that one solders or plugs to: its own where it states them, else the usual ones of its kind."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

from briskcell.core.engine.resistance import link_rating_a
from briskcell.model.parts import Converter, Link, Load, Part
from briskcell.model.plan import Plan
from briskcell.model.stores import Balancer, Bank, Capacitor, ChargeBoard, Pack, Supply, Trickle
from briskcell.model.terminals import Terminal
from briskcell.model.tree import charged_through, layout_of

MINUS = "gnd"  # what the negative of most parts is called here


def terminals_of(plan: Plan, part: Part) -> tuple[Terminal, ...]:
    """The terminals of a part.

    Parameters
    ----------
    plan : Plan
        The build: what a charge board is joined to depends on what it charges.
    part : Part
        Any part but a wire and a rail, which have ends and no terminals.

    Returns
    -------
    tuple of Terminal
        Its own where it states them; else the usual ones of its kind, where nobody knows where on its body they are.
    """
    own = {t.key: t for t in part.terminals}
    usual = [own.pop(t.key, t) for t in (*_usual(plan, part), *_of_halves(plan, part))]
    return (*usual, *own.values())


def key_on_board(plan: Plan, part: Part, key: str) -> str:
    """The key of a half's terminal among those of its board.

    Parameters
    ----------
    plan : Plan
        The build.
    part : Part
        Any part.
    key : str
        The terminal's key, as it would be on a board of its own.

    Returns
    -------
    str
        The key itself of what is no half; grounds are the board's own, and so are the cells of a charging half.
    """
    if part.half_of is None:
        return key
    whole = plan.by_id[part.half_of]
    if isinstance(part, ChargeBoard):
        cells = charged_through(plan, part) is not None
        on_board = {"in": "charge", "in-": "charge-", "out": "sys", MINUS: MINUS}
        return (on_board | {"bat": "in", "bat-": "in-"} if cells else on_board).get(key, key)
    if key == "in-":
        return key if isinstance(whole, Converter) else MINUS
    shared = key == MINUS and not isinstance(whole, Load)  # what takes several volts has a ground beside each
    return key if shared else f"h{plan.halves[whole.id].index(part) + 1}-{key}"


def _of_halves(plan: Plan, whole: Part) -> Iterator[Terminal]:
    """What the halves of a board add to its terminals; nobody joins anything to those of kind ``trace``."""
    have = {t.key for t in _usual(plan, whole)}
    for half in plan.halves.get(whole.id, ()):
        volts = f"{half.output_v.likely:.3g}V" if isinstance(half, Converter) else ""
        for t in _usual(plan, half):
            key = key_on_board(plan, half, t.key)
            if key in have:
                continue
            have.add(key)
            inside = key == "sys" or (isinstance(half, Link) and t.key in "ab")
            by_volts = volts if t.key == "out" else _printed(half) if isinstance(half, Load) and t.polarity == "+" else ""
            yield t.model_copy(update={"key": key, "prints": by_volts or t.prints, "kind": "trace" if inside else t.kind})


def _printed(load: Load) -> str:
    """What stands beside a supply pad of a part that takes several."""
    return f"{(load.window.low_v + load.window.high_v) / 2.0:.3g}V"


_terminal = lru_cache(maxsize=4096)(Terminal)  # they are frozen, and the same few come in every edit


def _pair(key: str, role: str, prints: tuple[str, str], kind: str, stands_a: float | None = None) -> Iterator[Terminal]:
    """A positive and its negative."""
    minus = MINUS if key in ("out", "") else f"{key}-"
    yield _terminal(key=key or "plus", role=role, polarity="+", prints=prints[0], kind=kind, stands_a=stands_a)
    yield _terminal(key=minus, role="ground", polarity="-", prints=prints[1], kind=kind, stands_a=stands_a)


def _usual(plan: Plan, part: Part) -> Iterator[Terminal]:
    if isinstance(part, Supply):
        yield from _pair("out", "out", ("5V" if part.voltage_v.likely < 6 else "+", "GND"), "socket", part.current_limit_a.likely)
    elif isinstance(part, ChargeBoard):
        yield from _charge_board(plan, part)
    elif isinstance(part, Converter):
        cells = any(isinstance(h, ChargeBoard) and charged_through(plan, h) is not None for h in plan.halves.get(part.id, ()))
        yield from _pair("in", "cell" if cells else "supply_in", ("B+", "B-") if cells else ("IN+", "IN-"), "pad")
        limit = part.output_limit_a.likely if part.output_limit_a else None
        yield from _pair("out", "rail", ("OUT+", "OUT-"), "pad", limit)
    elif isinstance(part, (Pack, Capacitor, Bank)):
        kind = "socket" if isinstance(part, Bank) else "lead"
        yield from _pair("out", "out", ("+", "-"), kind)
        for k in range(1, part.series) if isinstance(part, Pack) else ():
            yield _terminal(key=f"tap{k}", role="sense", prints=f"B{k}", kind="lead")
    elif isinstance(part, Balancer):
        series = getattr(plan.by_id[part.charges], "series", 1)
        for k in range(series + 1):
            yield _terminal(key=f"tap{k}", role="sense", prints=f"B{k}", kind="pad")
    elif isinstance(part, Trickle):
        yield from _pair("out", "out", ("+", "-"), "lead")
    elif isinstance(part, Link):
        yield from _contacts(part)
    elif isinstance(part, Load):
        several = part.half_of or any(isinstance(h, Load) for h in plan.halves.get(part.id, ()))
        prints = (_printed(part), "GND") if several else ("+", "-")
        yield from _pair("", "supply_in", prints, "socket" if part.jack and not part.jack.bypassed else "pad")
        if any(isinstance(p, (Link, Converter)) for p in plan.fed.get(part.id, ())):
            yield _terminal(key="pass", role="rail", polarity="+", prints="5V", kind="pin")


def _charge_board(plan: Plan, board: ChargeBoard) -> Iterator[Terminal]:
    kind = "pad" if board.socket in (None, "barrel") else "socket"
    yield from _pair("in", "supply_in", ("IN+", "IN-"), kind)
    yield from _pair("bat", "cell", ("B+", "B-"), "pad", board.battery_path_a.likely if board.battery_path_a else None)
    if layout_of(plan, board) == "power_path":
        yield from _pair("out", "out", ("OUT+", "OUT-"), "pad", board.battery_path_a.likely if board.battery_path_a else None)
    pack = plan.by_id[board.charges]
    if board.balancing and isinstance(pack, Pack):
        for k in range(1, pack.series):
            yield _terminal(key=f"tap{k}", role="sense", prints=f"B{k}", kind="pad")


def _contacts(link: Link) -> Iterator[Terminal]:
    """The two ends of what lies in the way; a jack that cuts out takes the charger's plug as well."""
    stands = link_rating_a(link)
    kind = {"plug": "spring", "fuse": "spring", "jack": "socket", "flat": "spring"}.get(link.kind, "lead")
    prints = ("A", "K") if link.kind == "diode" else ("1", "2")
    yield _terminal(key="a", role="contact", polarity="+", prints=prints[0], kind=kind, stands_a=stands)
    yield _terminal(key="b", role="contact", polarity="+", prints=prints[1], kind=kind, stands_a=stands)
    if link.kind == "jack":
        yield _terminal(key="tip", role="supply_in", polarity="+", prints="tip", kind=kind, stands_a=stands)
        yield _terminal(key="sleeve", role="ground", polarity="-", prints="sleeve", kind=kind, stands_a=stands)
