"""What lies on the simulated bench: one console, the probes, a load and a supply on its pack, and time at a chosen speed."""

from __future__ import annotations

import math
import random
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from threading import RLock

import numpy as np

from briskcell.core.answers import Answers
from briskcell.core.bench.ladder import ladder
from briskcell.core.bench.specimen import Fault, Specimen
from briskcell.core.bench.step import Step
from briskcell.core.engine.sources import store_curves

NOISE = 0.0008  # of a reading, one standard deviation
LEAP = 0.002  # of its charge, after which what is read is worked out anew
STRIDE = 0.0005  # of its charge, after which the load's own cut-off looks again
OVER = 9.9e37
AIR_C = 22.0
CELL_K_PER_W, CELL_S = 12.0, 600.0  # how much warmer a cell gets by what it loses, and how long that takes; guesses


@dataclass
class World:
    """The bench. Every question goes through its lock; time passes when it is asked for.

    Without probes placed at a step of the ladder, they are on the first pack's own leads. ``own_ah`` is what the console's pack
    truly holds, as a share of what the plan says. Below ``cut_off_v`` the load lets go by itself; ``lowest_v`` is the least that
    the pack's leads have seen.
    """

    answers: Answers
    faults: tuple[Fault, ...] = ()
    soc: float = 0.6
    speed: float = 1.0
    noise: float = NOISE
    own_ah: float = 0.96
    seed: int = 1
    clock: Callable[[], float] = time.monotonic
    load_a: float = 0.0
    load_on: bool = False
    cut_off_v: float = 0.0
    supply_v: float = 5.0
    supply_a: float = 1.0
    supply_on: bool = False
    _placed: Step | None = None
    _passed_s: float = 0.0
    _worked: tuple[float, float] | None = None
    _lock: RLock = field(default_factory=RLock)

    def __post_init__(self) -> None:
        self.steps = {s.key: s for s in ladder(self.answers)}
        self.store = self.answers.plan.stores[0]
        self._random = random.Random(self.seed)
        self._last = self.clock()
        self._curve_soc = np.linspace(0.0, 1.0, 201)
        curves = store_curves(self.store, self._curve_soc, self.answers.plan.brief.cells_c)
        self._ocv, self._ohm = np.asarray(curves.ocv_v), np.asarray(curves.steady_ohm)
        self.holds_ah = curves.capacity_ah * self.own_ah
        self._over_air_k = 0.0
        self.lowest_v = self._terminal_v()

    def passed_s(self) -> float:
        """Seconds of the bench's own time. [s]"""
        with self._lock:
            self._pass()
            return self._passed_s

    def place(self, key: str) -> bool:
        """Put the probes where a step asks; an empty key puts them on the pack's leads. Whether there is such a place."""
        with self._lock:
            self._worked, self._placed = None, self.steps.get(key)
            return not key or self._placed is not None

    def set_faults(self, faults: tuple[Fault, ...]) -> None:
        """Make the console anew, with other faults."""
        with self._lock:
            self.faults, self._worked = faults, None

    def run_at(self, speed: float) -> None:
        """Let time pass at another speed from now on."""
        with self._lock:
            self._pass()
            self.speed = speed

    def meter(self, unit: str) -> float:
        """What the meter shows in V, A or Ω; out of range where its leads are in the wrong sockets for that."""
        with self._lock:
            self._pass()
            if self._placed is None:
                true = {"V": self._terminal_v(), "A": self._flows_a(), "Ω": OVER}[unit]
            elif self._placed.unit == unit:
                true = self._reads(self._placed)
            else:
                true = 1.0 if not self._placed.unit else OVER
            return self._noisy(true)

    def celsius(self) -> float:
        """What a probe on the cells shows. [°C]"""
        with self._lock:
            self._pass()
            return self._noisy(AIR_C + self._over_air_k)

    def reset_load(self) -> None:
        """The load as it comes out of its box: it draws nothing."""
        with self._lock:
            self._pass()
            self.load_on, self.load_a, self.cut_off_v = False, 0.0, 0.0

    def load(self, unit: str) -> float:
        """What the electronic load shows: volts at the pack's leads, and its amps."""
        with self._lock:
            self._pass()
            return self._noisy(self._terminal_v() if unit == "V" else self._drawn_a())

    def supply(self, unit: str) -> float:
        """What the supply shows."""
        with self._lock:
            self._pass()
            given = self._given_a()
            volts = (self._terminal_v() if given >= self.supply_a else self.supply_v) if self.supply_on else 0.0
            return self._noisy(volts if unit == "V" else given)

    def switch(self, what: str, *, on: bool) -> None:
        """Switch the load or the supply."""
        with self._lock:
            self._pass()
            setattr(self, f"{what}_on", on)

    def turn(self, knob: str, value: float) -> None:
        """Set the load's amps, or the supply's volts or amps."""
        with self._lock:
            self._pass()
            setattr(self, knob, value)

    def _noisy(self, true: float) -> float:
        return true if abs(true) >= OVER else true * (1.0 + self._random.gauss(0.0, self.noise)) + self._random.gauss(0.0, 2e-4)

    def _reads(self, step: Step) -> float:
        if self._worked is None or abs(self._worked[0] - self.soc) > LEAP:
            self._worked = (self.soc, Specimen(self.answers, self.faults, self.soc).reads(step))
        return self._worked[1]

    def _at(self, curve: np.ndarray) -> float:
        return float(np.interp(self.soc, self._curve_soc, curve))

    def _volts(self) -> float:
        series = getattr(self.store, "series", 1)
        dead = Fault("dead cell", self.store.id) in self.faults
        return self._at(self._ocv) * (series - dead) / series

    def _drawn_a(self) -> float:
        return self.load_a if self.load_on and self.soc > 0.0 else 0.0

    def _given_a(self) -> float:
        if not self.supply_on or self.soc >= 1.0:
            return 0.0
        return min(max((self.supply_v - self._volts()) / self._at(self._ohm), 0.0), self.supply_a)

    def _flows_a(self) -> float:
        return self._drawn_a() - self._given_a()

    def _terminal_v(self) -> float:
        if self.soc <= 0.0 and self.load_on:
            return 0.0  # its protection has cut it off
        volts = self._volts() - self._flows_a() * self._at(self._ohm)
        return -volts if Fault("swapped", self.store.id) in self.faults else volts

    def _pass(self) -> None:
        now = self.clock()
        seconds, self._last = (now - self._last) * self.speed, now
        self._passed_s += seconds
        while seconds > 0.0 and (amps := self._flows_a()):
            self.lowest_v = min(self.lowest_v, self._terminal_v())
            if self.load_on and self._terminal_v() <= self.cut_off_v:
                self.load_on = False
                continue
            stride = min(seconds, STRIDE * 3600.0 * self.holds_ah / abs(amps))
            self._warm(amps, stride)
            self.soc = min(max(self.soc - amps * stride / 3600.0 / self.holds_ah, 0.0), 1.0)
            seconds -= stride
        self._warm(0.0, max(seconds, 0.0))

    def _warm(self, amps: float, seconds: float) -> None:
        towards = amps**2 * self._at(self._ohm) * CELL_K_PER_W
        self._over_air_k += (towards - self._over_air_k) * (1.0 - math.exp(-seconds / CELL_S))
