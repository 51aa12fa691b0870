"""A guard stands at a load from before it draws until it reads 0 A, on a line of its own: nothing that a meter does holds it up."""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from threading import Event, Thread

import structlog

from briskcell.core.bench.at_rest import AT_REST_A
from briskcell.core.bench.discharge import End, Stops, Watch
from briskcell.instruments.description import Description
from briskcell.instruments.instrument import Instrument, InstrumentError, LineCutError
from briskcell.model.units import show
from briskcell.store.leases import Lease, LeaseStore

from .letting_go import KIND, LettingGo, opened

ASKS_S = 0.5  # between two looks at a load whose time is simply time
QUICKEST_S = 0.002  # where a bench's own time runs faster
OFF_S = 1.0  # within which a load has to be off once it was told
BEGINS_S = 3.0  # that a load may take until it draws
SILENT = 2.0  # times the longest that a meter took between two readings, from which on it is silent
RESTS_S = 1.0  # for which a load may draw nothing before that counts as its end
RECOVERS_OHM, RECOVERS_V = 0.3, 0.2  # by how much a pack's volts come up as a load lets go, a guess: twice its resistance


@dataclass(frozen=True, slots=True, kw_only=True)
class Draws:
    """What a guard lets a load draw, and for whom.

    ``name`` and ``where`` are for pages: which load, on which console's pack. ``here`` says that the load is simulated by this very
    program, and ends with it; ``meter_s`` is how long the meter may be silent. [s]
    """

    address: str
    text: str
    description: Description
    name: str
    where: str
    amps: float
    stops: Stops
    meter_s: float
    here: bool = False


class Guard:
    """Watches one load.

    Parameters
    ----------
    draws : Draws
        What it is let draw.
    leases, letting_go
        Where it is leased, and who takes over what cannot be put off here.
    over : callable
        Called once the load is known to be off, whoever put it off.
    """

    def __init__(self, draws: Draws, leases: LeaseStore, letting_go: LettingGo, over: Callable[[], None]) -> None:
        self.draws, self._leases, self._letting_go, self._over = draws, leases, letting_go, over
        self._watch = Watch(draws.stops)
        self._halt, self._wake, self.ended = Event(), Event(), Event()
        self.end: End | None = None
        self.amps = math.nan
        self._meter = (time.monotonic(), math.nan, math.nan)  # when, volts, degrees
        self._gap_s = math.inf  # the longest between two readings of the meter
        self._load: Instrument | None = None
        self._lease: Lease | None = None
        self._drew, self._pace = False, _Pace()
        self._thread = Thread(target=self._stand, daemon=True, name="guard")

    def begin(self) -> None:
        """Lease the load, set what it does by itself, and let it draw.

        Raises
        ------
        InstrumentError
            If it cannot be reached or set. It was told to let go then.
        """
        d = self.draws
        about = {"address": d.address, "description": d.text, "amps": d.amps, "name": d.name, "where": d.where, "here": d.here}
        try:
            self._lease = self._leases.take(KIND, about)
            self._load = opened(d.address, d.description)
            self._load.let_go()
            if self._load.sets("cut_off"):
                self._load.put("cut_off", d.stops.least_v)
            self._load.put("amps", d.amps)
            if self._load.still_draws() is not None:
                raise InstrumentError(f"{d.description.name} draws before it was switched on. Switch it off at its own front.")
            self._load.put("on")
            self.amps = self._load.read("amps")  # so that the meter's first reading has its amps beside it
        except BaseException as error:
            self._let_go(f"It could not be set: {error}")
            raise
        self._meter = (time.monotonic(), math.nan, math.nan)
        self._thread.start()

    def meter(self, volts: float, celsius: float = math.nan) -> bool:
        """What the meter shows at this moment, and whether that ends it. [V, °C]"""
        now, (last, before, _) = time.monotonic(), self._meter
        if math.isfinite(before):
            self._gap_s = max(now - last, self._gap_s if math.isfinite(self._gap_s) else 0.0)
        self._meter = (now, volts, celsius)
        if ends := volts < self.draws.stops.below_v:
            self._wake.set()
        return ends

    @property
    def looks_s(self) -> float:
        """How long the meter may wait for its next look: half a second of the bench's own time. [s]"""
        return max(ASKS_S / self._pace.pace, QUICKEST_S)

    @property
    def rests(self) -> bool:
        """Whether nothing flows any more, though nobody has ended it yet."""
        return self._drew and self.amps <= AT_REST_A

    def stop(self) -> None:
        """End by hand: the order goes out at once, whatever is waited for on that line."""
        self._halt.set()
        self._wake.set()
        if (load := self._load) is not None:
            with suppress(InstrumentError):
                load.let_go()

    def join(self, seconds: float) -> None:
        """Wait until the guard has done what it can."""
        self.ended.wait(seconds)

    def _stand(self) -> None:
        end, why = End("silence", "Brisk Cell failed while it watched the load."), "It did not let go when it was told to"
        try:
            end = self._until_its_end()
        except LineCutError:
            end = End("silence", "Ended: the line to the load was cut. It is put off as soon as it answers.")
            why = "Its line was cut"
        except InstrumentError as error:
            end, why = End("silence", f"Ended: the load gave no reading. {error}"), "It could not be read"
        except Exception as error:
            structlog.get_logger("brisk-cell").error("guard failed", exc_info=error)
        finally:
            self.end = None if self._halt.is_set() else end
            self._let_go(why)
            self.ended.set()

    def _until_its_end(self) -> End:
        load, pace = self._load, self._pace
        assert load is not None
        rests_since = time.monotonic()
        while not self._halt.is_set():
            self._wake.wait(pace.pause_s)
            at, t_s = time.monotonic(), pace.at(load.clock())
            volts, amps = load.read("volts"), load.read("amps")
            self.amps = amps
            if amps > AT_REST_A:
                self._drew, rests_since = True, at
            seen_at, meter_v, celsius = self._meter
            end = self._watch.seen(t_s, load_v=volts, amps=amps, meter_v=meter_v, age_s=(at - seen_at) * pace.pace, celsius=celsius)
            if self._drew and end is None and at - rests_since > RESTS_S:
                end = self._by_itself(volts)
            if not self._drew and at - rests_since > BEGINS_S:
                end = End("rest", "Ended: the load draws nothing. Is it joined to the pack, and in its constant-current mode?")
            if end is None and at - seen_at > min(self.draws.meter_s, SILENT * self._gap_s + ASKS_S):
                end = End("silence", f"Ended: nothing came from the meter for {at - seen_at:.0f} s.")
            if end is not None:
                return end
        return End("rest", "Stopped by hand.")

    def _by_itself(self, volts: float) -> End:
        """Why nothing flows any more: the load's own cut-off leaves the pack's volts at its clips, all else does not."""
        stops = self.draws.stops
        recovered = stops.least_v + RECOVERS_OHM * stops.set_a + RECOVERS_V
        if self.draws.description.set.cut_off is not None and stops.least_v / 2.0 < volts < recovered:
            return End("volts", f"Ended by the load itself, below {show(stops.least_v, 'V')}.")
        return End(
            "rest",
            "Ended: the load draws nothing any more. The pack's protection has opened, a lead has come off, or "
            "somebody switched it off.",
        )

    def _let_go(self, why: str) -> None:
        """Put the load off here, or hand it over; either way somebody stays at it until it reads 0 A."""
        lease, load = self._lease, self._load
        self._load = None
        if lease is None or load is None:  # it was never reached, so nothing was told to draw
            if lease is not None:
                self._leases.let_go(lease.id)
            self._over()
            return
        until = time.monotonic() + OFF_S
        try:
            while True:
                load.let_go()
                if load.still_draws() is None:
                    self._leases.let_go(lease.id)
                    self._over()
                    return
                if time.monotonic() > until:
                    break
        except InstrumentError:
            pass
        except Exception as error:
            structlog.get_logger("brisk-cell").error("letting go failed", lease=lease.id, exc_info=error)
        finally:
            load.close()
        self._letting_go.take_over(lease, why, self._over)


class _Pace:
    """How fast the bench's own time runs, and how long to wait for the next look: half a second of it, as far as that can be."""

    def __init__(self) -> None:
        self.pause_s, self.pace = QUICKEST_S, 1.0
        self._last: tuple[float, float] | None = None

    def at(self, clock: float | None) -> float:
        """Seconds of the bench as it says, or of this machine. [s]"""
        now = time.monotonic()
        if clock is None:
            self.pause_s = ASKS_S
            return now
        if self._last is not None:
            real_s, bench_s = now - self._last[0], clock - self._last[1]
            self.pace = max(bench_s / max(real_s, 1e-4), 1.0)
            self.pause_s = min(max(ASKS_S / self.pace, QUICKEST_S), ASKS_S)
        self._last = (now, clock)
        return clock
