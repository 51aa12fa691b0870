"""The stages of the ladder with the pack joined: each regulator, unloaded and with a resistor, each part, and charging."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np

from briskcell.core.circuit.terminals import MINUS
from briskcell.core.engine.converters import deliverable_a
from briskcell.core.engine.resistance import link_resistance_ohm
from briskcell.model.parts import Converter, Link, State
from briskcell.model.stores import Pack
from briskcell.model.tree import board_of, feeders_of, source_of
from briskcell.model.units import show

from .console import Console, way
from .partial import Joined, Solved
from .step import (
    BURDEN_OHM,
    CONTACT_OHM,
    DUMMY_OHM,
    DUMMY_SHARE,
    METER_A,
    MILLIVOLT,
    Step,
    amps_range,
    amps_setting,
    dummy_load,
    ends,
    ends_a,
    volts_setting,
    window,
)

TAKE_AWAY = "Take the pack away before the meter goes in or out."


def idle(b: Console, board: Converter) -> Step:
    """A board on the pack with nothing behind it.

    Parameters
    ----------
    b : Console
        The build.
    board : Converter
        One of it.

    Returns
    -------
    Step
        Volts at its output.
    """
    found = Joined(b.plan, ()).solved()
    low, likely, high = ends(found.volts[board.id], board)
    return Step(
        key=f"idle:{board.id}",
        stage="boards",
        title=f"{board.name} on the pack, nothing behind it",
        element=board.id,
        red=b.out(board)[0],
        black=b.out(board)[1],
        setting=volts_setting(high),
        unit="V",
        low=low,
        likely=likely,
        high=high,
        after=(*way(b.plan, board), f"short:{board.id}"),
        live=True,
        caution="A cell is joined from here on: cover what is bare, and take the pack away before you solder.",
        why=f"It is set to {show(board.output_v.likely, 'V')}; a trimmer may stand anywhere until it is read.",
    )


def dummy(b: Console, board: Converter) -> Step | None:
    """A board with a resistor on its output, of ohms and watts that a drawer has.

    Parameters
    ----------
    b : Console
        The build.
    board : Converter
        One of it.

    Returns
    -------
    Step or None
        None where it is inside a part, or play takes next to nothing.
    """
    op, k = b.a.op, b.a.op.network.converters.index(board)
    wanted = float(op.flow.output_a(k)[State.PLAY, op.half])
    most = float(np.nanmin(deliverable_a(board, op.flow.converter_input_v(k)[State.PLAY, :]))) * DUMMY_SHARE
    volts = board.output_v.likely
    if board.built_in or not np.isfinite(wanted) or wanted < 0.005 or most <= 0:
        return None
    ohm = next((r for r in DUMMY_OHM if volts / r <= min(max(wanted, 0.01), most)), DUMMY_OHM[-1])
    watts = volts**2 / ohm
    found = Joined(b.plan, (), dummy_load(board.id, ohm)).solved()
    low, likely, high = ends(found.volts[board.id], board)
    rating = next((w for w in (0.25, 0.5, 1, 2, 5, 10, 25, 50) if w >= 2 * watts), 100)
    return Step(
        key=f"dummy:{board.id}",
        stage="dummy",
        title=f"{board.name} with {ohm:g} Ω, {rating:g} W on its output",
        element=board.id,
        red=b.out(board)[0],
        black=b.out(board)[1],
        setting=volts_setting(high),
        unit="V",
        low=low,
        likely=likely,
        high=high,
        after=(f"idle:{board.id}",),
        live=True,
        dummy_ohm=ohm,
        caution=f"The resistor gives off {show(watts, 'W')}: it gets hot. Ten seconds are enough.",
        why=f"{show(volts / ohm, 'A')} as play takes. If it falls, the board or the way to it is weak.",
    )


def feed(b: Console, board: Converter, dummy: Step) -> Step:
    """What a board with its resistor takes out of the pack: its efficiency, put to the test.

    Parameters
    ----------
    b : Console
        The build.
    board : Converter
        One of it.
    dummy : Step
        Its step with the resistor.

    Returns
    -------
    Step
        Amps out of the pack.
    """
    assert dummy.dummy_ohm is not None
    store = source_of(b.plan, board).id
    low, likely, high = ends_a(Joined(b.plan, (), dummy_load(board.id, dummy.dummy_ohm)).solved().amps[store])
    low = _burdened(low, likely, b, store)
    return Step(
        key=f"feed:{board.id}",
        stage="dummy",
        title=f"{board.name} with that resistor: amps out of the pack",
        element=board.id,
        red="the pack's plus",
        black="the lead of the console, with the resistor joined",
        setting=amps_setting(high),
        unit="A",
        low=low,
        likely=likely,
        high=high,
        after=(dummy.key,),
        live=True,
        dummy_ohm=dummy.dummy_ohm,
        caution=f"{TAKE_AWAY} {dummy.caution}",
        why="What goes in against what comes out is the board's efficiency; it can become the plan's.",
    )


def _burdened(low: float, likely: float, b: Console, store: str) -> float:
    """The low end of a window of amps with the meter's own drop in the way: before a resistor it takes some away."""
    volts = b.plan.by_id[store]
    usual = volts.series * 3.7 if isinstance(volts, Pack) else 3.7
    return max(low * (1.0 - BURDEN_OHM[amps_range(likely)] * likely / usual), 0.0)


def _starting(b: Console, joined: tuple[str, ...], store: str, high: float) -> float:
    """The most that may flow with some parts joined: all of them at their peak. [A]"""
    amps = Joined(b.plan, joined, state="peak").solved().amps[store]
    return max(float(np.nanmax(amps)) if np.isfinite(amps).any() else high, high)


def under_load(b: Console, dummies: Mapping[str, Step]) -> Iterator[Step]:
    """The millivolts over each joint while a resistor draws: what ohms alone miss and invent.

    The resistor is that of the board which the joint feeds, or is fed by: then at the far end, in the place of the part.

    Parameters
    ----------
    b : Console
        The build.
    dummies : mapping of str to Step
        Boards that were tried with a resistor, with that step.

    Yields
    ------
    Step
        One a link that a resistor can be put behind.
    """
    solved: dict[tuple[str, float], Solved] = {}
    for link in b.plan.links:
        if link.kind in ("outlet", "return") or link.half_of is not None:
            continue
        board = next((p for p in _behind(b, link) if p.id in dummies), None) or next(
            (p for p in feeders_of(b.plan, link) if isinstance(p, Converter)), None
        )
        tried = dummies.get(board.id) if board else None
        if board is None or tried is None or tried.dummy_ohm is None:
            continue
        at = board.id if link in feeders_of(b.plan, board) else link.id
        key = (at, tried.dummy_ohm)
        if key not in solved:
            solved[key] = Joined(b.plan, (), dummy_load(at, tried.dummy_ohm)).solved()
        found = solved[key].volts
        drop = np.asarray(found[link.fed_by]) - np.asarray(found[link.id])
        if not np.isfinite(drop).any():
            continue
        likely = float(np.nanmedian(drop))
        amps = likely / max(link_resistance_ohm(link), 1e-6)
        red, black = b.ends(link)
        yield Step(
            key=f"drop:{link.id}",
            stage="under-load",
            title=f"{link.name}: millivolts from end to end, while the resistor draws",
            element=link.id,
            red=red,
            black=black,
            setting="volts DC, lowest range",
            unit="V",
            low=0.0,
            likely=likely,
            high=float(np.nanmax(drop)) * 1.5 + amps * CONTACT_OHM + MILLIVOLT,
            after=(tried.key, f"joint:{link.id}"),
            live=True,
            dummy_ohm=tried.dummy_ohm,
            dummy_at=at,
            caution=tried.caution,
            why=f"{show(amps, 'A')} through it; a joint that drops more is cold, however well it rings. The resistor is "
            f"{'on ' + board.name if at == board.id else 'at its far end, in the place of the part'}.",
        )


def _behind(b: Console, link: Link) -> Iterator[Converter]:
    """Boards that a link leads to, nearest first."""
    yield from (c for c in b.boards if link in feeders_of(b.plan, c))


def loads(b: Console, dummies: frozenset[str]) -> Iterator[Step]:
    """One real load after another, the smallest first: volts at its pads, and amps out of the pack.

    Parameters
    ----------
    b : Console
        The build.
    dummies : frozenset of str
        Boards that were tried with a resistor.

    Yields
    ------
    Step
        In their order.
    """
    before: list[str] = []
    for load in b.loads:
        had, here = tuple(before), (*before, load.id)
        found = Joined(b.plan, here).solved()
        store = source_of(b.plan, load).id
        above = next((p for p in feeders_of(b.plan, load) if isinstance(p, Converter)), None)
        low, likely, high = ends(found.volts[load.id], above)
        boards = tuple(f"dummy:{p.id}" for p in feeders_of(b.plan, load) if p.id in dummies)
        earlier = (f"draw:{had[-1]}",) if had else ()
        yield Step(
            key=f"load:{load.id}",
            stage="loads",
            title=f"{load.name}, joined to what is proven: volts at its pads",
            element=load.id,
            red=b.fed_at(load),
            black=b.at(load, MINUS),
            setting=volts_setting(high),
            unit="V",
            low=max(low, load.window.low_v),
            likely=likely,
            high=min(high, load.window.high_v),
            loads=here,
            live=True,
            after=(*way(b.plan, load), *boards, *earlier),
            why=f"It accepts {window(load.window)}; the lower end is with the pack nearly empty.",
        )
        low, usual, high = ends_a(found.amps[store])
        low = _burdened(low, usual, b, store)
        most = _starting(b, here, store, high)
        yield Step(
            key=f"draw:{load.id}",
            stage="loads",
            title=f"{load.name} in use: amps out of the pack",
            element=load.id,
            red="the pack's plus",
            black=f"the lead of the console, with {len(here)} part{'s' if here[1:] else ''} joined",
            setting=amps_setting(most),
            unit="A",
            low=low,
            likely=usual,
            high=high,
            loads=here,
            live=True,
            after=(f"load:{load.id}",),
            caution=TAKE_AWAY,
            why="What all parts that are joined take together; then try the unit, before the next part.",
        )
        before.append(load.id)


def charging(b: Console) -> Iterator[Step]:
    """Each charge board into the half-full pack."""
    for found in b.a.charges:
        if not found.off.current_a.size or found.off.why:
            continue
        start = float(np.interp(0.5, found.off.soc, found.off.current_a))
        after = (f"charger:{found.board.id}", f"polarity:{found.store.id}", f"pads:{board_of(found.board)}")
        spread = (f"cells:{found.store.id}",) if isinstance(found.store, Pack) and found.store.series > 1 else ()
        yield Step(
            key=f"into:{found.board.id}",
            stage="charge",
            title=f"{found.board.name}: amps into the half-full pack, console off",
            element=found.board.id,
            red=b.at(found.board, "bat"),
            black="the pack's plus, with the meter between",
            setting="amps DC, 10 A range",
            unit="A",
            low=start * 0.8 - METER_A,
            likely=start,
            high=start * 1.15 + METER_A,
            after=(*after, *spread),
            live=True,
            caution="Charge attended, on a surface that does not burn; stop on heat or smell.",
            why=f"It is set to {show(found.board.current_a.likely, 'A')}, less what its supply and cable hold down.",
        )
