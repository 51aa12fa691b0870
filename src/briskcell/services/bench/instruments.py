"""The instruments of the bench: those that were added, and a simulated bench that plays a build."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from contextlib import closing
from dataclasses import dataclass
from statistics import fmean
from threading import Lock

from briskcell.core.assess import Assessment
from briskcell.core.bench.specimen import Fault
from briskcell.core.bench.step import Step
from briskcell.instruments.description import Description, Quantity, read_description, standard
from briskcell.instruments.instrument import Instrument, InstrumentError, OverRangeError
from briskcell.instruments.line import address_of, open_instrument
from briskcell.instruments.simulated.server import KINDS, SimulatedBench
from briskcell.instruments.simulated.world import World
from briskcell.model.errors import FigureError
from briskcell.store.runs import RunStore

from .letting_go import LettingGo

MOST = 20
SIMULATED = 1_000_000_000  # from which on the simulated ones are numbered: they are in no store
OPEN_OHM = 1e9  # what stands for a line that is open
READINGS = 7  # of which a step's reading is the mean
QUANTITY: dict[str, Quantity] = {"V": "volts", "A": "amps", "Ω": "ohms", "°C": "celsius"}
IN_USE = "A run uses that instrument, or its load is not known to be off."
UNIT = {quantity: unit for unit, quantity in QUANTITY.items()}


@dataclass(frozen=True, slots=True)
class Known:
    """An instrument: its number, where it is, how it is talked to, and the text that says so."""

    id: int
    address: str
    text: str

    @property
    def description(self) -> Description:
        return read_description(self.text)

    @property
    def simulated(self) -> bool:
        """Whether it is one of this program's own simulated bench."""
        return self.id >= SIMULATED

    def is_simulated(self) -> bool:
        """Whether what it reads is made up: its time is its own, here or in another program."""
        return self.simulated or self.description.ask.clock is not None


class Instruments:
    """Those that were added, kept in the store, and the simulated bench of this process.

    Loads that are not known to be off are in use too.
    """

    def __init__(self, store: RunStore, letting_go: LettingGo) -> None:
        self._store, self._letting_go, self._lock = store, letting_go, Lock()
        self._held: Counter[str] = Counter()  # addresses in use
        self._bench: SimulatedBench | None = None
        self.plays: int | None = None  # the build on the simulated bench

    def all(self) -> tuple[Known, ...]:
        """Every instrument, the simulated ones last; one whose description makes no sense is passed over."""
        kept = [Known(i.id, i.address, i.description) for i in self._store.instruments() if _readable(i.description)]
        bench = self._bench
        played = (
            [Known(SIMULATED + k, bench.address(kind), standard(f"simulated-{kind}")) for k, kind in enumerate(KINDS)]
            if bench
            else []
        )
        return (*kept, *played)

    def of_build(self, build_id: int) -> tuple[Known, ...]:
        """Those that read a build: a simulated bench reads the one that lies on it alone."""
        return tuple(i for i in self.all() if not i.simulated or self.plays == build_id)

    def of_kind(self, kind: str, build_id: int) -> tuple[Known, ...]:
        """Those of a kind that read a build; the simulated one first, as it was put there on purpose."""
        return tuple(sorted((i for i in self.of_build(build_id) if i.description.kind == kind), key=lambda i: not i.simulated))

    def find(self, number: int) -> Known:
        """An instrument by its number.

        Raises
        ------
        FigureError
            If it is gone.
        """
        found = next((i for i in self.all() if i.id == number), None)
        if found is None:
            raise FigureError("instrument", "That instrument is not there any more.", fix="Choose another.")
        return found

    def add(self, address: str, description: str) -> int:
        """One more; its number.

        Raises
        ------
        FigureError
            If address or description make no sense, or there are too many.
        """
        read_description(description)
        if len(self._store.instruments()) >= MOST:
            raise FigureError("address", f"There are {MOST} instruments already.", fix="Remove one that is not used.")
        return self._store.add_instrument(address_of(address), description)

    def remove(self, number: int) -> None:
        """Forget one; the simulated ones go together.

        Raises
        ------
        FigureError
            If it is in use.
        """
        if number >= SIMULATED:
            self.clear()
            return
        with self._lock:
            if any(i.id == number and self._used(i.address) for i in self.all()):
                raise FigureError("address", IN_USE, fix="Stop the run first.")
            self._store.remove_instrument(number)

    def hold(self, addresses: Sequence[str]) -> None:
        """Take instruments for a run, all or none.

        Raises
        ------
        FigureError
            If one is in use.
        """
        with self._lock:
            if any(self._used(a) for a in addresses):
                raise FigureError("run", IN_USE, fix="Stop it, or choose another instrument.")
            self._held.update(addresses)

    def _used(self, address: str) -> bool:
        return bool(self._held[address]) or address in self._letting_go.addresses()

    def release(self, addresses: Sequence[str]) -> None:
        """Give them back."""
        with self._lock:
            self._held.subtract(addresses)

    def open(self, number: int) -> Instrument:
        """The line to one.

        Raises
        ------
        LineCutError
            If it cannot be reached.
        """
        known = self.find(number)
        return open_instrument(known.address, known.description)

    def who(self, number: int) -> str:
        """What one says it is, or why it says nothing."""
        try:
            with closing(self.open(number)) as instrument:
                return instrument.who()
        except InstrumentError as error:
            return str(error)

    def simulate(self, build_id: int, assessed: Assessment, faults: tuple[Fault, ...], *, soc: float, speed: float) -> None:
        """Put a build on the simulated bench; what lay there before is taken away."""
        if not assessed.plan.stores:
            raise FigureError("simulate", "Without a pack there is nothing to put on the bench.", fix="Add a pack.")
        self.clear("simulate")
        with self._lock:
            self._bench = SimulatedBench(World(assessed, faults, soc, speed))
            self._bench.start()
            self.plays = build_id

    def clear(self, slot: str = "address") -> None:
        """Take the simulated bench away.

        Raises
        ------
        FigureError
            If a run uses it.
        """
        with self._lock:
            own = [self._bench.address(kind) for kind in KINDS] if self._bench else []
            if any(self._held[a] and a not in self._letting_go.addresses() for a in own):
                raise FigureError(slot, IN_USE, fix="Stop the run first.")
        self.close()

    def close(self) -> None:
        """End the simulated bench, whoever uses it: the program ends."""
        with self._lock:
            bench, self._bench, self.plays = self._bench, None, None
        if bench:
            bench.close()
            for kind in KINDS:
                self._letting_go.gone(bench.address(kind))

    def with_bench(self, do: Callable[[SimulatedBench], None]) -> None:
        """Do something with the simulated bench, where there is one."""
        if self._bench:
            do(self._bench)

    def read(self, number: int, step: Step) -> float:
        """The mean of some readings at a step, the probes put there where the bench can.

        Raises
        ------
        FigureError
            If the instrument cannot be reached, or answers nonsense; the words are the instrument's.
        """
        try:
            if self._used(self.find(number).address):
                raise FigureError(f"read-{step.key}", "A run uses that meter.", fix="Stop it, or type what you read.")
            with closing(self.open(number)) as meter:
                meter.place(step.key)
                return fmean(meter.read(QUANTITY[step.unit]) for _ in range(READINGS))
        except OverRangeError as error:
            if step.unit == "Ω":
                return OPEN_OHM
            raise FigureError(f"read-{step.key}", str(error), fix="Or type what you read.") from error
        except InstrumentError as error:
            raise FigureError(f"read-{step.key}", str(error), fix="Or type what you read.") from error


def _readable(description: str) -> bool:
    try:
        read_description(description)
    except FigureError:
        return False
    return True
