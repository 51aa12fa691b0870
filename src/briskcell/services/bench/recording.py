"""Runs on the bench: readings taken at a steady pace, kept as they come, watched by pages, stopped by hand or by their limits."""

from __future__ import annotations

import math
import time
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import asdict, dataclass
from threading import Condition, Event, Lock, Thread
from typing import Any, Literal

import numpy as np
import structlog
from numpy.typing import NDArray

from briskcell.bench.description import Quantity
from briskcell.bench.instrument import Instrument, InstrumentError, LineCutError
from briskcell.core.bench.course import Totals, thinned, totals
from briskcell.model.errors import FigureError
from briskcell.model.units import show
from briskcell.store.runs import Appender, RunRow, RunStore

from .instruments import UNIT, Instruments

Run = RunRow  # what pages show of one
AT_ONCE = 3
LETS_GO_S = 3.0  # that a run has at the most to switch its load off as the program ends
QUIET_S = 0.6  # an answer that takes longer is told as missing
RESTS_A = 0.02  # below which a load that is switched off draws nothing
AGAIN_S = 0.3  # between two tries to reach an instrument that is gone
Kind = Literal["watch", "discharge"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Test:
    """What is asked of a run. A limit that is None does not hold.

    ``meter`` reads ``quantity`` (a discharge: volts); a discharge draws ``amps`` with ``load``. ``full`` says that the pack was
    full as it began, so that what came out is its capacity.
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
    full: bool = False


class _Live:
    """A run in the making: what pages wait on."""

    def __init__(self, test: Test) -> None:
        self.test, self.halt, self.news = test, Event(), Condition()
        self.thread: Thread | None = None
        self.cut_since: float | None = None
        self.asked_at = time.monotonic()

    def tell(self) -> None:
        with self.news:
            self.news.notify_all()


class Recorder:
    """Makes runs, each in a thread of its own."""

    def __init__(self, store: RunStore, instruments: Instruments) -> None:
        self._store, self._instruments, self._lock = store, instruments, Lock()
        self._live: dict[int, _Live] = {}
        for run in store.left("importing"):
            store.remove(run.id)  # half a log is none
        for run in store.left("running"):
            store.set(run.id, state="interrupted", words="Brisk Cell ended while it ran. What was read until then is kept.")

    def begin(self, unit_id: int, test: Test) -> int:
        """Begin a run; its number.

        Raises
        ------
        FigureError
            If too many run, or an instrument is in use by another one, or is gone.
        """
        self._instruments.find(test.meter)
        with self._lock:
            if len(self._live) >= AT_ONCE:
                raise FigureError("run", f"{AT_ONCE} runs go on already.", fix="Stop one of them.")
            busy = {n for live in self._live.values() for n in (live.test.meter, live.test.load)}
            if {test.meter, test.load} & (busy - {None}):
                raise FigureError("run", "Another run uses that instrument.", fix="Stop it, or choose another instrument.")
            run_id = self._store.add(unit_id, test.kind, test.title, asdict(test))
            live = self._live[run_id] = _Live(test)
            live.thread = Thread(target=self._whole, args=(run_id, live), daemon=True, name=f"run-{run_id}")
            live.thread.start()
        return run_id

    def stop(self, run_id: int) -> None:
        """End a run by hand; it switches its load off."""
        if live := self._live.get(run_id):
            live.halt.set()

    def close(self) -> None:
        """End every run, and wait until each has switched its load off."""
        going = list(self._live.values())
        for live in going:
            live.halt.set()
        for live in going:
            if live.thread:
                live.thread.join(LETS_GO_S)

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
        """Whether any run goes on."""
        return bool(self._live)

    def runs(self, run_id: int) -> bool:
        """Whether a run goes on."""
        return run_id in self._live

    def _whole(self, run_id: int, live: _Live) -> None:
        state, words = "failed", "It could not be made."
        appender = Appender(self._store.path(run_id))
        try:
            state, words = self._readings(live, appender)
        except Exception as error:
            structlog.get_logger("brisk-cell").error("run failed", run=run_id, exc_info=error)
            words = f"Brisk Cell failed: {error}"[:400]
        finally:
            with suppress(OSError):
                appender.close()
            with suppress(Exception):
                self._store.set(run_id, state=state, words=words)
            self._live.pop(run_id, None)
            live.tell()

    def _readings(self, live: _Live, appender: Appender) -> tuple[str, str]:
        test, began, due = live.test, None, time.monotonic()
        last, rested = 0.0, False
        hands = _Hands(self._instruments, test)
        try:
            while not live.halt.is_set():
                live.asked_at = time.monotonic()
                try:
                    now, volts, amps, ohms = hands.read()
                except LineCutError:
                    if live.cut_since is None:
                        live.cut_since, rested = time.monotonic(), hands.let_go()
                    else:
                        hands.let_go()
                    live.tell()
                    live.halt.wait(AGAIN_S)
                    continue
                except InstrumentError as error:
                    return "failed", str(error)[:400]
                live.cut_since = None
                began = now if began is None else began
                if rested:  # nothing flowed while the line was cut, so nothing is counted
                    for at in (last, now - began):
                        appender.add(at, amps=0.0)
                last, rested = now - began, False
                # Ohms stand in the place of volts: a run reads one of them.
                appender.add(now - began, ohms if test.quantity == "ohms" else volts, amps)
                live.tell()
                value = {"volts": volts, "amps": amps, "ohms": ohms}[test.quantity]
                if ended := _limit(test, value, now - began):
                    return "done", ended
                due = max(due + test.every_s, time.monotonic() - test.every_s)
                live.halt.wait(max(due - time.monotonic(), 0.0))
            return "stopped", "Stopped by hand."
        finally:
            hands.let_go()


class _Hands:
    """The instruments of a run, opened as they are needed; the load draws only while the meter is read."""

    def __init__(self, instruments: Instruments, test: Test) -> None:
        self._all, self._test = instruments, test
        self._meter: Instrument | None = None
        self._load: Instrument | None = None

    def read(self) -> tuple[float, float, float, float]:
        """Seconds of the bench, volts, amps, ohms; nan where not read."""
        test = self._test
        if self._meter is None:
            self._meter = self._all.open(test.meter)
            if test.kind == "discharge":
                self._meter.place("")
        if test.load is not None and self._load is None:
            self._load = self._all.open(test.load)
            self._load.put("amps", test.amps)
            self._load.put("on")
        value = self._meter.read(test.quantity)
        found = {"volts": math.nan, "amps": math.nan, "ohms": math.nan} | {test.quantity: value}
        if self._load is not None:
            found["amps"] = self._load.read("amps")
        clock = self._meter.clock()
        return (time.monotonic() if clock is None else clock), found["volts"], found["amps"], found["ohms"]

    def let_go(self) -> bool:
        """Switch the load off, over a new line where the old one is dead, and let every line go; whether it was switched off."""
        rests = False
        for _ in range(2 if self._test.load is not None else 0):
            try:
                load = self._load or self._all.open(self._test.load or 0)
                load.put("off")
                rests = load.read("amps") < RESTS_A
                load.close()
                break
            except (InstrumentError, FigureError):
                self._load = None
        if self._meter is not None:
            self._meter.close()
        self._meter = self._load = None
        return rests


def _limit(test: Test, value: float, seconds: float) -> str:
    """Why a run ends by itself, empty while it goes on."""
    unit = UNIT[test.quantity]
    if test.below is not None and value < test.below:
        return f"Ended at {show(value, unit)}, below {show(test.below, unit)}."
    if test.above is not None and value > test.above:
        return f"Ended at {show(value, unit)}, above {show(test.above, unit)}."
    if test.seconds is not None and seconds >= test.seconds:
        return f"Ended after {show(test.seconds / 3600, 'h')}."
    return ""


def share(test: dict[str, Any], rows: NDArray[np.float64]) -> float | None:
    """How far a run is, as far as its limits tell: of its time, or of the way of its volts to their end."""
    if not len(rows):
        return 0.0 if test.get("seconds") or test.get("below") else None
    done = [float(rows[-1, 0]) / test["seconds"]] if test.get("seconds") else []
    first, last, end = float(rows[0, 1]), float(rows[-1, 1]), test.get("below")
    if end is not None and np.isfinite(last) and first > end:
        done.append((first - last) / (first - end))
    return min(max(done), 1.0) if done else None


@dataclass(frozen=True, slots=True)
class Course:
    """A run as a page draws it: its readings, thinned series of plain figures, and what it comes to."""

    rows: NDArray[np.float64]
    series: list[dict[str, Any]]
    totals: Totals


def course_of(run: RunRow, store: RunStore, most: int = 600) -> Course:
    """A run, read once."""
    rows, series = store.rows(run.id), []
    for column, unit in ((1, "Ω" if run.about.get("quantity") == "ohms" else "V"), (2, "A")):
        t, v = thinned(rows[:, 0], rows[:, column], most)
        if len(t):
            series.append({"unit": unit, "t": t.tolist(), "v": v.tolist()})
    return Course(rows, series, totals(rows[:, 0], rows[:, 1], rows[:, 2]))


def stream(recorder: Recorder, store: RunStore, run_id: int, seen: int, until: float) -> Iterator[dict[str, Any]]:
    """News of a run until a moment: readings not seen yet, at most some hundred at a time, how far it is, whether the line is cut.

    Ends with the run.
    """
    while time.monotonic() < until:
        goes_on = recorder.runs(run_id)
        count = recorder.wait(run_id, seen, 1.0) if goes_on else store.count(run_id)
        rows = store.rows(run_id, seen)
        fresh = rows if len(rows) <= 400 else rows[_kept(rows)]
        run = store.get(run_id)
        if run is None:
            return
        seen = count
        cut = recorder.cut_for(run_id)
        yield {
            "seen": seen,
            "rows": [[None if not np.isfinite(v) else round(float(v), 6) for v in row[:3]] for row in fresh],
            "share": share(run.about, np.vstack([store.rows(run_id, 0, 1), rows[-1:]])) if len(rows) else None,
            "cut": None if cut is None else round(cut, 1),
            "state": "running" if goes_on else run.state,
            "words": "" if goes_on else run.words,
        }
        if not goes_on:
            return


def _kept(rows: NDArray[np.float64]) -> NDArray[np.intp]:
    """Some hundred rows with the extremes of their volts or amps."""
    column = 1 if np.isfinite(rows[:, 1]).any() else 2
    t, _ = thinned(rows[:, 0], rows[:, column], 300)
    return np.flatnonzero(np.isin(rows[:, 0], t))


def totals_of(store: RunStore, run_id: int) -> Totals:
    """What a run comes to."""
    rows = store.rows(run_id)
    return totals(rows[:, 0], rows[:, 1], rows[:, 2])
