"""Loads that draw, or may draw, and that nobody watches any more: each is put off over a line of its own until it reads 0 A.

A load is leased before it draws. Whoever finds the lease without its holder hands it to here: at the start of the program, when a
line is cut, when a load does not do as it is told. Pages say so until it is over.
"""

from __future__ import annotations

import json
import sqlite3
import time
from collections.abc import Callable
from contextlib import closing, suppress
from dataclasses import dataclass
from pathlib import Path
from threading import Event, Lock, Thread

import structlog

from briskcell.instruments.description import Description, read_description
from briskcell.instruments.instrument import Instrument, InstrumentError
from briskcell.instruments.line import open_instrument
from briskcell.model.errors import FigureError
from briskcell.model.units import show
from briskcell.store.leases import Lease, LeaseStore

KIND = "load"
OPENS_S = 0.5  # that a line may take to be there, before the next try
ANSWERS_S = 0.8  # that a load may take for an answer, while it draws
AGAIN_S = 0.2  # between two tries
SLOWER_S = 1.0  # between later ones
SOON_S = 30.0  # after which tries come slower


@dataclass(frozen=True, slots=True)
class Standing:
    """A load that is not known to be off: its lease, whose pack it is on, why it stands here, and what was heard of it last."""

    lease: int
    name: str
    where: str
    why: str
    heard: str


class _Held:
    def __init__(self, lease: Lease, why: str, over: Callable[[], None]) -> None:
        self.lease, self.why, self.over = lease, why, over
        self.heard = ""
        self.done = Event()


class LettingGo:
    """Puts loads off, each in a thread of its own.

    Parameters
    ----------
    leases : LeaseStore
        Where they are leased. Those that an earlier program left are taken over at once.
    """

    def __init__(self, leases: LeaseStore) -> None:
        self._leases, self._lock = leases, Lock()
        self._held: dict[int, _Held] = {}
        for lease in leases.stale(KIND):
            if lease.about.get("here"):  # a simulated one of that very program: it ended with it
                leases.let_go(lease.id)
            else:
                self.take_over(lease, "Brisk Cell ended while it drew")

    def take_over(self, lease: Lease, why: str, over: Callable[[], None] = lambda: None) -> None:
        """Put a load off, however long it takes; ``over`` is called when it is."""
        held = _Held(lease, why, over)
        with self._lock:
            if lease.id in self._held:
                return
            self._held[lease.id] = held
        Thread(target=self._until_off, args=(held,), daemon=True, name=f"letting-go-{lease.id}").start()

    def standing(self) -> tuple[Standing, ...]:
        """Every load that is not known to be off, for pages to say so."""
        with self._lock:
            return tuple(
                Standing(i, h.lease.about.get("name", ""), h.lease.about.get("where", ""), h.why, h.heard)
                for i, h in self._held.items()
            )

    def addresses(self) -> frozenset[str]:
        """Where those loads are."""
        with self._lock:
            return frozenset(h.lease.about["address"] for h in self._held.values())

    def by_hand(self, lease_id: int) -> None:
        """Somebody has pulled its leads: nothing is left to do."""
        with self._lock:
            held = self._held.get(lease_id)
        if held is not None:
            self._end(held, "by hand")

    def gone(self, address: str) -> None:
        """A simulated load ended with its bench: nothing is left to do."""
        with self._lock:
            held = [h for h in self._held.values() if h.lease.about["address"] == address]
        for each in held:
            self._end(each, "its bench ended")

    def close(self) -> None:
        """End the tries; what is not off goes on being leased, and is found at the next start."""
        with self._lock:
            for held in self._held.values():
                held.done.set()

    def _until_off(self, held: _Held) -> None:
        began = time.monotonic()
        while not held.done.is_set():
            try:
                if (amps := self._put_off(held)) is None:
                    self._end(held, "read 0 A")
                    return
                held.heard = f"It answers, and still draws {show(amps, 'A')}."
            except (InstrumentError, FigureError) as error:
                held.heard = str(error)
            except Exception as error:  # whatever it is, the load draws on: it is tried again
                structlog.get_logger("brisk-cell").error("letting go failed", lease=held.lease.id, exc_info=error)
                held.heard = "It cannot be reached."
            held.done.wait(AGAIN_S if time.monotonic() - began < SOON_S else SLOWER_S)

    def _put_off(self, held: _Held) -> float | None:
        """Tell it to let go; the amps that it draws all the same, None where it draws none. [A]"""
        description = read_description(held.lease.about["description"])
        with closing(opened(held.lease.about["address"], description)) as load:
            load.let_go()
            return load.still_draws()

    def _end(self, held: _Held, how: str) -> None:
        held.done.set()
        self._leases.let_go(held.lease.id)
        with self._lock:
            self._held.pop(held.lease.id, None)
        structlog.get_logger("brisk-cell").info("load let go", lease=held.lease.id, how=how)
        with suppress(Exception):
            held.over()


def opened(address: str, description: Description) -> Instrument:
    """The line to a load that draws: nothing on it may take longer than a moment."""
    return open_instrument(
        address, description.model_copy(update={"timeout_s": min(description.timeout_s, ANSWERS_S)}), seconds=OPENS_S
    )


def first_of_all(database: Path) -> None:
    """Tell every load that an earlier program left to let go, before anything else of this one is loaded.

    Whether it did is asked as soon as the program stands; here nothing is waited for any longer than it takes to be told.
    """
    if not database.exists():
        return
    with suppress(sqlite3.Error), closing(sqlite3.connect(f"{database.resolve().as_uri()}?mode=ro", uri=True)) as raw:
        rows = raw.execute("SELECT about FROM lease WHERE kind = ?", (KIND,)).fetchall()
        told = [Thread(target=_tell, args=(str(about),), daemon=True) for (about,) in rows]
        for thread in told:
            thread.start()
        for thread in told:
            thread.join(OPENS_S + ANSWERS_S)


def _tell(about: str) -> None:
    with suppress(Exception):
        lease = json.loads(about)
        with closing(opened(lease["address"], read_description(lease["description"]))) as load:
            load.let_go()
            load.still_draws()  # what was written has been read by then
