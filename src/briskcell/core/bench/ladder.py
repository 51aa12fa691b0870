"""The bring-up ladder: every step from the safest to the loaded, each with its probes, its window and what it depends on.

First nothing is energised: pads are found, joints and shorts measured. Then the pack alone, the charge board alone, each regulator
unloaded and with a resistor, and one real load after another. No step that joins a cell comes before pads, joints and shorts on
its way are proven.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.answers import Answers
from briskcell.core.bench.partial import joined
from briskcell.core.charge.charging import end_v
from briskcell.core.engine.converters import deliverable_a
from briskcell.core.engine.resistance import link_resistance_ohm
from briskcell.model.parts import Converter, Fed, Link, Load, Part, Rail, State, Window
from briskcell.model.stores import Bank, Capacitor, Pack
from briskcell.model.tree import feeders_of, source_of
from briskcell.model.units import show

STAGES = {
    "pads": "Pads, with nothing joined",
    "joints": "Joints and shorts, with nothing live",
    "pack": "The pack alone",
    "charger": "The charge board alone",
    "boards": "Each regulator, unloaded",
    "dummy": "Each regulator, with a resistor",
    "loads": "One part after another",
    "charge": "Charging",
}
DUMMY_OHM = (1.0, 2.2, 3.3, 4.7, 6.8, 10.0, 15.0, 22.0, 33.0, 47.0, 68.0, 100.0, 220.0, 470.0, 1000.0)  # of a drawer
LEADS_OHM, SHORT_OHM = 0.3, 10.0  # of a meter's own leads, left in; below which two rails count as joined
METER_SHARE, METER_V, METER_A = 0.01, 0.02, 0.01  # what a meter of the bench may be off: of its reading, and beside
SPREAD_V = 0.05  # that cells in series may stand apart
DUMMY_SHARE = 0.7  # of what a board can give, that a resistor asks at the most


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One reading: where the probes go, how the instrument is set, the window with why, and what has to be proven before.

    ``unit`` is empty where it is looked at and not measured; an end of the window is None where it is open. ``live`` says that
    a cell is joined for it. ``loads`` are joined, and ``dummy`` stands for a resistor of so many ohms on ``element``.
    """

    key: str
    stage: str
    title: str
    element: str
    red: str
    black: str
    setting: str
    unit: str
    low: float | None
    likely: float | None
    high: float | None
    why: str
    after: tuple[str, ...]
    caution: str = ""
    live: bool = False
    loads: tuple[str, ...] = ()
    dummy_ohm: float | None = None

    def holds(self, reading: float) -> bool:
        """Whether a reading lies in the window."""
        return (self.low is None or reading >= self.low) and (self.high is None or reading <= self.high)


def ladder(assessed: Answers) -> tuple[Step, ...]:
    """Every step that proves a build, in an order in which each comes after what it depends on.

    Parameters
    ----------
    assessed : Answers
        The build.

    Returns
    -------
    tuple of Step
        None without a store.
    """
    if not assessed.plan.stores:
        return ()
    return tuple(_Ladder(assessed).steps())


def _volts_setting(volts: float) -> str:
    """How a meter is set for volts: the range above them."""
    most = next((r for r in (2, 20, 200) if abs(volts) < r), 200)
    return f"volts DC, {most} V range"


def _amps_setting(amps: float) -> str:
    return f"amps DC, {'10 A' if amps > 0.19 else '200 mA'} range, in the plus lead"


class _Ladder:
    def __init__(self, assessed: Answers) -> None:
        self.a, self.plan = assessed, assessed.plan
        self.boards = sorted((c for c in self.plan.converters if self._fed(c)), key=lambda c: len(list(feeders_of(self.plan, c))))
        self.loads = sorted((p for p in self.plan.loads if self._fed(p)), key=lambda p: (p.draw.play.likely, p.id))
        self.loads.sort(key=lambda p: len([x for x in feeders_of(self.plan, p) if isinstance(x, Load)]))

        self.dummies = {b.id: step for b in self.boards if (step := self._dummy(b)) is not None}

    def _fed(self, part: Fed) -> bool:
        return not isinstance(part, Converter | Load) or source_of(self.plan, part) in self.plan.stores

    def steps(self) -> Iterator[Step]:
        yield from self._pads()
        yield from self._joints()
        yield from self._pack()
        yield from self._chargers()
        for board in self.boards:
            yield self._idle(board)
            if board.id in self.dummies:
                yield self.dummies[board.id]
                yield self._feed(board, self.dummies[board.id])
        yield from self._loads()
        yield from self._charging()

    def _pads(self) -> Iterator[Step]:
        parts: list[Part] = [*self.plan.stores, *self.plan.chargers, *(b for b in self.boards if not b.built_in), *self.loads]
        for p in parts:
            yield Step(
                key=f"pads:{p.id}",
                stage="pads",
                title=f"Find plus and minus of {p.name}",
                element=p.id,
                red="each pad in turn",
                black="its ground: a shield, a mounting hole, a socket's shell",
                setting="continuity",
                unit="",
                low=None,
                likely=None,
                high=None,
                after=(),
                caution="Clones swap pads; the print is not a proof."
                if not isinstance(p, Pack)
                else "Cover the other lead while one is touched.",
                why="The pad that rings with ground is minus. Write it on the unit before anything is joined.",
            )

    def _joints(self) -> Iterator[Step]:
        for link in self.plan.links:
            if link.kind == "outlet":
                continue
            ohm = link_resistance_ohm(link)
            shut = {"switch": ", switched on", "jack": ", with no plug in it"}.get(link.kind, "")
            yield Step(
                key=f"joint:{link.id}",
                stage="joints",
                title=f"{link.name} from end to end{shut}",
                element=link.id,
                red="one end",
                black="the other end",
                setting="ohms, lowest range",
                unit="Ω",
                low=0.0,
                likely=ohm,
                high=ohm * 1.5 + LEADS_OHM,
                after=(),
                why=f"{show(ohm, 'Ω')} of its own, and up to {LEADS_OHM} Ω of the meter's leads.",
            )
        for board in self.boards:
            parallel = sum(
                1.0 / p.draw.play.likely for p in self.loads if p.kind == "resistance_ohm" and self._above(p) == board.id
            )
            least = min(0.7 / parallel, SHORT_OHM) if parallel else SHORT_OHM
            yield Step(
                key=f"short:{board.id}",
                stage="joints",
                title=f"No short behind {board.name}",
                element=board.id,
                red=f"plus of {board.name}'s output",
                black="its minus",
                setting="ohms, 2 kΩ range",
                unit="Ω",
                low=least,
                likely=None,
                high=None,
                after=(f"pads:{board.id}",) if not board.built_in else (),
                why=f"Below {least:.3g} Ω plus and minus are joined. Capacitors make it climb: wait until it stands.",
            )
        for store in self.plan.stores:
            yield Step(
                key=f"short:{store.id}",
                stage="joints",
                title=f"No short on the lead for {store.name}",
                element=store.id,
                red=f"plus of the lead for {store.name}, switched on",
                black="its minus",
                setting="ohms, 2 kΩ range",
                unit="Ω",
                low=SHORT_OHM,
                likely=None,
                high=None,
                after=(f"pads:{store.id}",),
                caution=f"{store.name} itself is not joined: the lead is measured, not the cells.",
                why=f"Below {SHORT_OHM:g} Ω the pack would feed a short.",
            )

    def _above(self, part: Fed) -> str:
        return next((p.id for p in feeders_of(self.plan, part) if isinstance(p, Converter)), source_of(self.plan, part).id)

    def _pack(self) -> Iterator[Step]:
        for store in self.plan.stores:
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
                setting=_volts_setting(high),
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
                    setting=_volts_setting(store.cell.full_v),
                    unit="V",
                    low=0.0,
                    likely=0.01,
                    high=SPREAD_V,
                    after=(f"polarity:{store.id}",),
                    caution="Do not bridge two cells with a probe.",
                    why=f"The highest less the lowest. Above {SPREAD_V} V charge them apart first; a cell that falls back is bad.",
                )

    def _chargers(self) -> Iterator[Step]:
        for board in self.plan.chargers:
            store = self.plan.by_id[board.charges]
            if isinstance(store, Bank) or not isinstance(store, Pack | Capacitor):
                continue
            volts = end_v(board, store)
            yield Step(
                key=f"charger:{board.id}",
                stage="charger",
                title=f"{board.name} from its supply, no cell joined",
                element=board.id,
                red="its plus for the cells",
                black="its minus for the cells",
                setting=_volts_setting(volts),
                unit="V",
                low=volts * 0.96,
                likely=volts,
                high=volts * 1.01 + METER_V,
                after=(f"pads:{board.id}",),
                caution="No cell is joined for this; take the supply away before the next step.",
                why=f"It ends at {volts:.2f} V. More would overcharge the cells: do not join them.",
            )

    def _way(self, part: Fed) -> tuple[str, ...]:
        """What has to be proven before a part is fed: its own pads, and joints, shorts and pads on its way up to the store."""
        own = () if isinstance(part, Converter) and part.built_in else (f"pads:{part.id}",)
        out = list(own)
        for p in feeders_of(self.plan, part):
            if isinstance(p, Link) and p.kind != "outlet":
                out.append(f"joint:{p.id}")
            elif isinstance(p, Converter):
                out += [f"short:{p.id}", f"idle:{p.id}"]
            elif isinstance(p, Load):
                out.append(f"load:{p.id}")
            elif not isinstance(p, Rail | Link):
                out += [f"pads:{p.id}", f"short:{p.id}", f"polarity:{p.id}"]
                out += [f"cells:{p.id}"] if isinstance(p, Pack) and p.series > 1 else []
        return tuple(dict.fromkeys(out))

    def _idle(self, board: Converter) -> Step:
        found = joined(self.plan, ())
        low, likely, high = _ends(found.volts[board.id], board)
        return Step(
            key=f"idle:{board.id}",
            stage="boards",
            title=f"{board.name} on the pack, nothing behind it",
            element=board.id,
            red="plus of its output",
            black="its minus",
            setting=_volts_setting(high),
            unit="V",
            low=low,
            likely=likely,
            high=high,
            after=(*self._way(board), f"short:{board.id}"),
            live=True,
            caution="A cell is joined from here on: cover what is bare, and take the pack away before you solder.",
            why=f"It is set to {show(board.output_v.likely, 'V')}; a trimmer may stand anywhere until it is read.",
        )

    def _dummy(self, board: Converter) -> Step | None:
        op, k = self.a.op, self.a.op.network.converters.index(board)
        wanted = float(op.flow.output_a(k)[State.PLAY, op.half])
        most = float(np.nanmin(deliverable_a(board, op.flow.converter_input_v(k)[State.PLAY, :]))) * DUMMY_SHARE
        volts = board.output_v.likely
        if board.built_in or not np.isfinite(wanted) or wanted < 0.005 or most <= 0:
            return None
        ohm = next((r for r in DUMMY_OHM if volts / r <= min(max(wanted, 0.01), most)), DUMMY_OHM[-1])
        watts = volts**2 / ohm
        found = joined(self.plan, (), dummy=dummy_load(board.id, ohm))
        low, likely, high = _ends(found.volts[board.id], board)
        rating = next((w for w in (0.25, 0.5, 1, 2, 5, 10, 25, 50) if w >= 2 * watts), 100)
        return Step(
            key=f"dummy:{board.id}",
            stage="dummy",
            title=f"{board.name} with {ohm:g} Ω, {rating:g} W on its output",
            element=board.id,
            red="plus of its output",
            black="its minus",
            setting=_volts_setting(high),
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

    def _feed(self, board: Converter, dummy: Step) -> Step:
        """What a board with its resistor takes out of the pack: its efficiency, put to the test."""
        assert dummy.dummy_ohm is not None
        store = source_of(self.plan, board).id
        low, likely, high = _ends_a(joined(self.plan, (), dummy=dummy_load(board.id, dummy.dummy_ohm)).amps[store])
        return Step(
            key=f"feed:{board.id}",
            stage="dummy",
            title=f"{board.name} with that resistor: amps out of the pack",
            element=board.id,
            red="the pack's plus",
            black="the lead of the console, with the resistor joined",
            setting=_amps_setting(high),
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

    def _loads(self) -> Iterator[Step]:
        before: list[str] = []
        for load in self.loads:
            had, here = tuple(before), (*before, load.id)
            found = joined(self.plan, here)
            store = source_of(self.plan, load).id
            above = next((p for p in feeders_of(self.plan, load) if isinstance(p, Converter)), None)
            low, likely, high = _ends(found.volts[load.id], above)
            boards = tuple(f"dummy:{p.id}" for p in feeders_of(self.plan, load) if p.id in self.dummies)
            earlier = (f"draw:{had[-1]}",) if had else ()
            yield Step(
                key=f"load:{load.id}",
                stage="loads",
                title=f"{load.name}, joined to what is proven: volts at its pads",
                element=load.id,
                red=f"plus of {load.name}",
                black=f"minus of {load.name}",
                setting=_volts_setting(high),
                unit="V",
                low=max(low, load.window.low_v),
                likely=likely,
                high=min(high, load.window.high_v),
                loads=here,
                live=True,
                after=(*self._way(load), *boards, *earlier),
                why=f"It accepts {_window(load.window)}; the lower end is with the pack nearly empty.",
            )
            low, usual, high = _ends_a(found.amps[store])
            yield Step(
                key=f"draw:{load.id}",
                stage="loads",
                title=f"{load.name} in use: amps out of the pack",
                element=load.id,
                red="the pack's plus",
                black=f"the lead of the console, with {len(here)} part{'s' if here[1:] else ''} joined",
                setting=_amps_setting(high),
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

    def _charging(self) -> Iterator[Step]:
        for found in self.a.charges:
            if not found.off.current_a.size or found.off.why:
                continue
            start = float(np.interp(0.5, found.off.soc, found.off.current_a))
            after = (f"charger:{found.board.id}", f"polarity:{found.store.id}", f"pads:{found.board.id}")
            spread = (f"cells:{found.store.id}",) if isinstance(found.store, Pack) and found.store.series > 1 else ()
            yield Step(
                key=f"into:{found.board.id}",
                stage="charge",
                title=f"{found.board.name}: amps into the half-full pack, console off",
                element=found.board.id,
                red="the charge board's plus",
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


def _window(window: Window) -> str:
    return f"{window.low_v:.2f} to {window.high_v:.2f} V"


def _ends(volts: NDArray[np.float64], board: Converter | None = None) -> tuple[float, float, float]:
    """A window of volts: over all charges and draws, as far as the board's own tolerance, and what a meter may be off."""
    least, most, usual = float(np.nanmin(volts)), float(np.nanmax(volts)), float(np.nanmedian(volts))
    if board is not None:
        least *= board.output_v.low / board.output_v.likely
        most *= board.output_v.high / board.output_v.likely
    return least * (1 - METER_SHARE) - METER_V, usual, most * (1 + METER_SHARE) + METER_V


def _ends_a(amps: NDArray[np.float64]) -> tuple[float, float, float]:
    """A window of amps: over all charges and draws, and what a meter may be off."""
    few, usual, most = float(np.nanmin(amps)), float(np.nanmedian(amps)), float(np.nanmax(amps))
    return max(few * (1 - METER_SHARE) - METER_A, 0.0), usual, most * (1 + METER_SHARE) + METER_A


def dummy_load(behind: str, ohm: float) -> Load:
    """A resistor on a regulator's output.

    Parameters
    ----------
    behind : str
        The regulator.
    ohm : float
        Its resistance. [Ω]

    Returns
    -------
    Load
        That takes any volts.
    """
    figure = {"low": ohm, "likely": ohm, "high": ohm, "source": "the drawer"}
    return Load.model_validate(
        {
            "id": "bench-dummy",
            "name": "Resistor",
            "fed_by": behind,
            "window": {"low_v": 0.1, "high_v": 60.0},
            "resistance_ohm": dict.fromkeys(("rest", "play", "peak"), figure),
        }
    )
