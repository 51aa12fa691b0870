"""The stages of the ladder with the pack joined: each regulator, unloaded and with a resistor, each part, and charging."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from briskcell.core.circuit.terminals import MINUS
from briskcell.core.engine.converters import deliverable_a
from briskcell.model.parts import Converter, State
from briskcell.model.stores import Pack
from briskcell.model.tree import board_of, feeders_of, source_of
from briskcell.model.units import show

from .console import Console, way
from .partial import Joined
from .step import DUMMY_OHM, DUMMY_SHARE, METER_A, Step, amps_setting, dummy_load, ends, ends_a, volts_setting, window


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
        caution=dummy.caution,
        why="What goes in against what comes out is the board's efficiency; it can become the plan's.",
    )


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
        yield Step(
            key=f"draw:{load.id}",
            stage="loads",
            title=f"{load.name} in use: amps out of the pack",
            element=load.id,
            red="the pack's plus",
            black=f"the lead of the console, with {len(here)} part{'s' if here[1:] else ''} joined",
            setting=amps_setting(high),
            unit="A",
            low=low,
            likely=usual,
            high=high,
            loads=here,
            live=True,
            after=(f"load:{load.id}",),
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
