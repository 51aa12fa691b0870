"""Runs on the bench: readings taken at a steady pace, kept as they come, watched by pages, stopped by hand or by their limits.

A discharge has two threads, each with a line of its own: this one reads the meter and keeps what it reads; a guard holds the load.
"""

from __future__ import annotations

import math
import time
from contextlib import suppress
from dataclasses import asdict, dataclass
from threading import Condition, Event, Lock, Thread
from typing import Any, Literal

import structlog

from briskcell.core.bench.discharge import CELLS_C, Stops, ended
from briskcell.instruments.description import Quantity
from briskcell.instruments.instrument import Instrument, InstrumentError, LineCutError
from briskcell.model.errors import FigureError
from briskcell.model.units import show
from briskcell.store.leases import LeaseStore
from briskcell.store.runs import Appender, RunStore

from .guard import Draws, Guard
from .instruments import UNIT, Instruments, Known
from .letting_go import LettingGo

AT_ONCE = 3
LETS_GO_S = 3.0  # that a run has at the most to switch its load off as the program ends
QUIET_S = 0.6  # an answer that takes longer is told as missing
AGAIN_S = 0.3  # between two tries to reach an instrument that is gone
LOOKS_S = 0.5  # between two readings of a discharge at the most; of those in between one in so many is kept
SLACK_S = 1.0  # beside its own time for an answer, for which a meter may be silent while a load draws
Kind = Literal["watch", "discharge"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Test:
    """What is asked of a run. A limit that is None does not hold.

    ``meter`` reads ``quantity`` (a discharge: volts); a discharge draws ``amps`` with ``load``, ends ``below`` so many volts, after
    ``most_ah`` and above ``most_c``, and never goes below ``least_v``, which the plan allows. ``full`` says that the pack was full
    as it began, so that what came out is its capacity. ``where`` names the console.
    """

    kind: Kind
    title: str
    meter: int
    quantity: Quantity = "volts"
    load: int | None = None
    amps: float | None = None
    every_s: float = 1.0
    below: float | None = None
    above: float | None = None
    seconds: float | None = None
    most_ah: float | None = None
    most_c: float | None = None
    least_v: float = 0.0
    full: bool = False
    where: str = ""


class _Live:
    """A run in the making: what pages wait on."""

    def __init__(self, test: Test, guard: Guard | None) -> None:
        self.test, self.guard, self.halt, self.news = test, guard, Event(), Condition()
        self.thread: Thread | None = None
        self.cut_since: float | None = None
        self.asked_at = time.monotonic()

    def tell(self) -> None:
        with self.news:
            self.news.notify_all()

    def stop(self) -> None:
        self.halt.set()
        if self.guard:
            self.guard.stop()


class Recorder:
    """Makes runs."""

    def __init__(self, store: RunStore, instruments: Instruments, leases: LeaseStore, letting_go: LettingGo) -> None:
        self._store, self._instruments, self._leases, self._letting_go = store, instruments, leases, letting_go
        self._lock = Lock()
        self._live: dict[int, _Live] = {}
        for run in store.left("importing"):
            store.remove(run.id)  # half a log is none
        for run in store.left("running"):
            store.set(run.id, state="interrupted", words="Brisk Cell ended while it ran. What was read until then is kept.")

    def begin(self, unit_id: int, test: Test, marks: dict[str, Any] | None = None) -> int:
        """Begin a run; its number. ``marks`` are kept with it.

        Raises
        ------
        FigureError
            If too many run, an instrument is in use or gone, or a load cannot be reached or set; then nothing draws.
        """
        meter = self._instruments.find(test.meter)
        load = None if test.load is None else self._instruments.find(test.load)
        held = [k.address for k in (meter, load) if k]
        with self._lock:
            if len(self._live) >= AT_ONCE:
                raise FigureError("run", f"{AT_ONCE} runs go on already.", fix="Stop one of them.")
            self._instruments.hold(held)  # the guard gives its load back, as soon as that is known to be off
            guard = self._guard(test, load, meter) if load else None
            simulated = {"simulated": True} if any(k.is_simulated() for k in (meter, load) if k) else {}
            try:
                if guard:
                    guard.begin()
                run_id = self._store.add(unit_id, test.kind, test.title, asdict(test) | (marks or {}) | simulated)
            except BaseException as error:
                self._instruments.release([meter.address])
                if guard:
                    guard.stop()
                if isinstance(error, InstrumentError):
                    raise FigureError("run", str(error), fix="Nothing was begun.") from error
                raise
            live = self._live[run_id] = _Live(test, guard)
            live.thread = Thread(target=self._whole, args=(run_id, live, meter), daemon=True, name=f"run-{run_id}")
            live.thread.start()
        return run_id

    def _guard(self, test: Test, load: Known, meter: Known) -> Guard:
        stops = Stops(
            below_v=test.below or test.least_v,
            least_v=test.least_v,
            set_a=test.amps or 0.0,
            most_c=CELLS_C if test.most_c is None else test.most_c,
            most_ah=math.inf if test.most_ah is None else test.most_ah,
            seconds=math.inf if test.seconds is None else test.seconds,
        )
        draws = Draws(
            address=load.address,
            text=load.text,
            description=load.description,
            name=load.description.name,
            where=test.where,
            amps=stops.set_a,
            stops=stops,
            meter_s=meter.description.timeout_s + LOOKS_S + SLACK_S,
            here=load.simulated,
        )
        return Guard(draws, self._leases, self._letting_go, lambda: self._instruments.release([load.address]))

    def stop(self, run_id: int) -> None:
        """End a run by hand; its load is told to let go at once."""
        if live := self._live.get(run_id):
            live.stop()

    def settle(self, run_id: int, seconds: float) -> None:
        """Wait until a run's load is off, or handed over to who lets go, but no longer than that."""
        if (live := self._live.get(run_id)) and live.guard:
            live.guard.join(seconds)

    def close(self) -> None:
        """End every run, and wait until each has switched its load off."""
        going = list(self._live.values())
        for live in going:
            live.stop()
        for live in going:
            if live.thread:
                live.thread.join(LETS_GO_S)
        self._letting_go.close()

    def cut_for(self, run_id: int) -> float | None:
        """Seconds for which nothing came over the line; None while it comes. [s]"""
        live = self._live.get(run_id)
        if live is None:
            return None
        since = time.monotonic() - (live.cut_since or live.asked_at)
        return since if live.cut_since is not None or since > QUIET_S + live.test.every_s else None

    def wait(self, run_id: int, seen: int, seconds: float) -> int:
        """Wait for more readings than were seen, or for its end; how many there are."""
        live = self._live.get(run_id)
        if live is not None and self._store.count(run_id) <= seen:
            with live.news:
                live.news.wait(min(seconds, QUIET_S))
        return self._store.count(run_id)

    @property
    def busy(self) -> bool:
        """Whether any run goes on, or a load is not known to be off."""
        return bool(self._live) or bool(self._letting_go.standing())

    def runs(self, run_id: int) -> bool:
        """Whether a run goes on."""
        return run_id in self._live

    def drawing(self) -> tuple[tuple[int, Draws], ...]:
        """Every run whose load draws, by its number, and what it is let draw."""
        return tuple((i, live.guard.draws) for i, live in list(self._live.items()) if live.guard and not live.guard.ended.is_set())

    def _whole(self, run_id: int, live: _Live, meter: Known) -> None:
        state, words, end = "failed", "It could not be made.", ""
        appender = Appender(self._store.path(run_id))
        try:
            state, words, end = self._readings(live, appender, meter)
        except Exception as error:
            structlog.get_logger("brisk-cell").error("run failed", run=run_id, exc_info=error)
            words = f"Brisk Cell failed: {error}"[:400]
        finally:
            if live.guard:
                live.guard.stop()
                live.guard.join(LETS_GO_S)
            self._instruments.release([meter.address])
            with suppress(OSError):
                appender.close()
            with suppress(Exception):
                run = self._store.get(run_id)
                about = (run.about if run else {}) | {"end": end}
                self._store.set(run_id, state=state, words=words, about=about)
            self._live.pop(run_id, None)
            live.tell()

    def _readings(self, live: _Live, appender: Appender, meter: Known) -> tuple[str, str, str]:
        """Read until it ends: its state, why in words, and why in a word."""
        test, guard, hands = live.test, live.guard, _Meter(self._instruments, live.test, meter)
        began, due, keeps_at = None, time.monotonic(), 0.0
        try:
            while not live.halt.is_set():
                live.asked_at = time.monotonic()
                pace_s = min(test.every_s, guard.looks_s) if guard else test.every_s
                if guard and guard.ended.is_set():
                    break
                try:
                    now, value, celsius = hands.read()
                except LineCutError:
                    live.cut_since = live.cut_since or time.monotonic()
                    live.tell()
                    live.halt.wait(AGAIN_S)
                    continue
                except InstrumentError as error:
                    return "failed", str(error)[:400], "silence"
                live.cut_since = None
                began = now if began is None else began
                if guard and guard.ended.is_set():
                    break
                if guard and guard.rests:
                    guard.meter(value, celsius)
                    live.halt.wait(pace_s)
                    continue  # the pack recovers: that is no part of the test
                ends = guard is not None and guard.meter(value, celsius)
                if ends or live.asked_at >= keeps_at - pace_s / 2.0:
                    keeps_at = live.asked_at + test.every_s
                    _keep(appender, test, now - began, value, guard.amps if guard else math.nan, celsius)
                    live.tell()
                if ends:
                    break
                if not guard and (words := _limit(test, value, now - began)):
                    return "done", words, "limit"
                due = max(due + pace_s, time.monotonic() - pace_s)
                live.halt.wait(max(due - time.monotonic(), 0.0))
            return self._ended(guard)
        finally:
            hands.close()

    @staticmethod
    def _ended(guard: Guard | None) -> tuple[str, str, str]:
        if guard:
            guard.join(LETS_GO_S)
            if guard.end is not None:
                return "done" if guard.end.planned else "failed", guard.end.words[:400], guard.end.reason
        return "stopped", "Stopped by hand.", "hand"


class _Meter:
    """The meter of a run, opened as it is needed."""

    def __init__(self, instruments: Instruments, test: Test, known: Known) -> None:
        self._all, self._test, self._known = instruments, test, known
        self._meter: Instrument | None = None

    def read(self) -> tuple[float, float, float]:
        """Seconds of the bench, what is read, and the cells' degrees, nan where it reads none."""
        try:
            if self._meter is None:
                self._meter = self._all.open(self._known.id)
                if self._test.kind == "discharge":
                    self._meter.place("")
            value = self._meter.read(self._test.quantity)
            celsius = self._meter.read("celsius") if self._test.load and self._meter.reads("celsius") else math.nan
            clock = self._meter.clock()
            return (time.monotonic() if clock is None else clock), value, celsius
        except LineCutError:
            self.close()
            raise

    def close(self) -> None:
        """Let its line go."""
        if self._meter is not None:
            self._meter.close()
        self._meter = None


def _keep(appender: Appender, test: Test, t_s: float, value: float, amps: float, celsius: float) -> None:
    """One reading into the run's file. Ohms and degrees of a run that reads nothing else stand in the place of volts."""
    if test.quantity == "amps":
        appender.add(t_s, amps=value)
    else:
        appender.add(t_s, value, amps, celsius)


def _limit(test: Test, value: float, seconds: float) -> str:
    """Why a run that watches ends by itself, empty while it goes on."""
    unit = UNIT[test.quantity]
    if test.below is not None and value < test.below:
        return ended(value, "below", test.below, unit)
    if test.above is not None and value > test.above:
        return ended(value, "above", test.above, unit)
    if test.seconds is not None and seconds >= test.seconds:
        return f"Ended after {show(test.seconds / 3600, 'h')}."
    return ""
