"""The stages of the ladder with no circuit closed: pads, joints and shorts, the pack alone, the charge board alone."""

from __future__ import annotations

from collections.abc import Iterator

from briskcell.core.charge.charging import end_v
from briskcell.core.engine.resistance import link_resistance_ohm
from briskcell.model.parts import Converter, Link, Part
from briskcell.model.plan import Store
from briskcell.model.stores import Bank, Capacitor, Pack
from briskcell.model.tree import board_of
from briskcell.model.units import show

from .console import Console, above
from .step import LEADS_OHM, METER_V, MOST_LEADS_OHM, OHMS_OFF, SHORT_OHM, SPREAD_V, Step, volts_setting


def pads(b: Console) -> Iterator[Step]:
    """Which pad is plus, of everything that has pads of its own."""
    parts: list[Part] = [*b.plan.stores, *b.plan.chargers, *(b for b in b.boards if not b.built_in), *b.loads]
    for p in (p for p in parts if p.half_of is None):
        if isinstance(p, Pack | Bank | Capacitor):
            yield _live_leads(p)
            continue
        yield Step(
            key=f"pads:{p.id}",
            stage="pads",
            title=f"Find plus and minus of {p.name}",
            element=p.id,
            red=f"each pad in turn{_prints(b, p)}",
            black="its ground: a shield, a mounting hole, a socket's shell",
            setting="continuity",
            unit="",
            low=None,
            likely=None,
            high=None,
            after=(),
            caution="Clones swap pads; the print is not a proof.",
            why="The pad that rings with ground is minus. Write it on the unit before anything is joined.",
        )


def _live_leads(store: Store) -> Step:
    """Which lead of a store is plus: by its volts, since it is live whatever is joined."""
    return Step(
        key=f"pads:{store.id}",
        stage="pads",
        title=f"Find plus and minus of {store.name}, by its volts",
        element=store.id,
        red="one lead",
        black="the other lead",
        setting=volts_setting(19.0),
        unit="",
        low=None,
        likely=None,
        high=None,
        after=(),
        caution="Never ohms or continuity on a live cell. Cover the other lead while one is touched.",
        why="Where it reads above nothing, the red probe is on plus. Write it on the leads.",
    )


def _prints(b: Console, part: Part) -> str:
    """What is printed beside the pads of a part that have a pole."""
    place = b.a.circuit.by_id.get(part.id)
    named = [t.prints for t in place.terminals if t.polarity and t.prints] if place is not None else []
    return f": {', '.join(dict.fromkeys(named))}" if named else ""


def joints(b: Console) -> Iterator[Step]:
    """Each link from end to end, and that nothing is shorted behind a board or on the lead of a store."""
    if b.plan.stores:
        yield _touched(b.plan.stores[0])
    yield from (_end_to_end(b, k) for k in b.plan.links if k.kind != "outlet" and k.half_of is None)
    yield from (_no_short_behind(b, board) for board in b.boards)
    yield from (_no_short_on_lead(store) for store in b.plan.stores)


def _touched(store: Store) -> Step:
    """What the meter's own leads have: taken off what is read of joints afterwards."""
    return Step(
        key=f"leads:{store.id}",
        stage="joints",
        title="Touch the probes together: what the leads of the meter have",
        element=store.id,
        red="the black probe",
        black="the red probe",
        setting="ohms, lowest range",
        unit="Ω",
        low=0.0,
        likely=LEADS_OHM,
        high=MOST_LEADS_OHM,
        after=(),
        why="It is taken off each joint that is read from here on.",
    )


def _end_to_end(b: Console, link: Link) -> Step:
    """A link from end to end."""
    red, black = b.ends(link)
    ohm = link_resistance_ohm(link)
    shut = {"switch": ", switched on", "jack": ", with no plug in it"}.get(link.kind, "")
    return Step(
        key=f"joint:{link.id}",
        stage="joints",
        title=f"{link.name} from end to end{shut}",
        element=link.id,
        red=red,
        black=black,
        setting="ohms, lowest range",
        unit="Ω",
        low=0.0,
        likely=ohm,
        high=ohm * 1.5 + OHMS_OFF,
        after=tuple(f"leads:{s.id}" for s in b.plan.stores[:1]),
        why=f"{show(ohm, 'Ω')} of its own, the leads taken off. That it is joined at all; how well, millivolts under load tell.",
    )


def _no_short_behind(b: Console, board: Converter) -> Step:
    """No short behind a board."""
    parallel = sum(1.0 / p.draw.play.likely for p in b.loads if p.kind == "resistance_ohm" and above(b.plan, p) == board.id)
    least = min(0.7 / parallel, SHORT_OHM) if parallel else SHORT_OHM
    return _no_short(
        board,
        f"behind {board.name}",
        b.out(board),
        least,
        f"Below {least:.3g} Ω plus and minus are joined. Capacitors make it climb: wait until it stands.",
        after=() if board.built_in else (f"pads:{board_of(board)}",),
    )


def _no_short_on_lead(store: Store) -> Step:
    """No short on the lead of a store."""
    return _no_short(
        store,
        f"on the lead for {store.name}",
        (f"plus of the lead for {store.name}, switched on", "its minus"),
        SHORT_OHM,
        f"Below {SHORT_OHM:g} Ω the pack would feed a short.",
        after=(f"pads:{store.id}",),
        caution=f"{store.name} itself is not joined: the lead is measured, not the cells.",
    )


def _no_short(
    part: Part, where: str, at: tuple[str, str], least: float, why: str, *, after: tuple[str, ...], caution: str = ""
) -> Step:
    """That at least so many ohms lie between plus and minus somewhere."""
    return Step(
        key=f"short:{part.id}",
        stage="joints",
        title=f"No short {where}",
        element=part.id,
        red=at[0],
        black=at[1],
        setting="ohms, 2 kΩ range",
        unit="Ω",
        low=least,
        likely=None,
        high=None,
        after=after,
        caution=caution,
        why=why,
    )


def pack(b: Console) -> Iterator[Step]:
    """Each store alone: its volts and which lead is plus; of cells in series, how far they stand apart."""
    for store in b.plan.stores:
        if isinstance(store, Pack):
            low, high = store.series * store.cell.empty_v, store.series * store.cell.full_v * 1.005
        elif isinstance(store, Capacitor):
            low, high = 0.0, store.rating_v
        else:
            low, high = store.output_v.likely * 0.95, store.output_v.likely * 1.05
        middle = (low + high) / 2
        yield Step(
            key=f"polarity:{store.id}",
            stage="pack",
            title=f"{store.name} alone: volts, and which lead is plus",
            element=store.id,
            red="the lead that is to be plus",
            black="the other lead",
            setting=volts_setting(high),
            unit="V",
            low=low,
            likely=middle,
            high=high,
            after=(f"pads:{store.id}",),
            caution="A cell is live now: one lead at a time, the other covered.",
            why=f"Anything from empty to full, {low:.2f} to {high:.2f} V. Below nothing, the leads are swapped.",
        )
        if isinstance(store, Pack) and store.series > 1:
            yield Step(
                key=f"cells:{store.id}",
                stage="pack",
                title=f"Each cell of {store.name}: how far they stand apart",
                element=store.id,
                red="plus of each cell in turn",
                black="its minus",
                setting=volts_setting(store.cell.full_v),
                unit="V",
                low=0.0,
                likely=0.01,
                high=SPREAD_V,
                after=(f"polarity:{store.id}",),
                caution="Do not bridge two cells with a probe.",
                why=f"The highest less the lowest. Above {SPREAD_V} V charge them apart first; a cell that falls back is bad.",
            )


def chargers(b: Console) -> Iterator[Step]:
    """Each charge board from its supply, with no cell joined."""
    for board in b.plan.chargers:
        store = b.plan.by_id[board.charges]
        if isinstance(store, Bank) or not isinstance(store, Pack | Capacitor):
            continue
        volts = end_v(board, store)
        yield Step(
            key=f"charger:{board.id}",
            stage="charger",
            title=f"{board.name} from its supply, no cell joined",
            element=board.id,
            red=b.at(board, "bat"),
            black=b.at(board, "bat-"),
            setting=volts_setting(volts),
            unit="V",
            low=volts * 0.96,
            likely=volts,
            high=volts * 1.01 + METER_V,
            after=(f"pads:{board_of(board)}",),
            caution="No cell is joined for this; take the supply away before the next step.",
            why=f"It ends at {volts:.2f} V. More would overcharge the cells: do not join them.",
        )
