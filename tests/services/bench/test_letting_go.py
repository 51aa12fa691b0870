"""Loads are let go: by hand, by every end, whatever meter and line do; and by the next start where the program was killed."""

from __future__ import annotations

import socket
import time
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest

from briskcell.instruments.description import standard
from briskcell.instruments.simulated.server import SimulatedBench
from briskcell.instruments.simulated.world import World
from briskcell.model.errors import FigureError
from briskcell.services.bench.instruments import SIMULATED
from briskcell.services.bench.letting_go import KIND, first_of_all
from briskcell.services.bench.recording import Test as Asked
from briskcell.services.workshop import Workshop

FLOOR = 3.0


class Bench:
    """A discharge at one ampere on the simulated bench, under way."""

    def __init__(self, shop: Workshop, soc: float = 0.9, speed: float = 1.0, **asked: Any) -> None:
        self.shop = shop
        unit = shop.benches._units.add(3, "one")
        shop.benches.instruments.simulate(3, shop.builds.open(3).assessed, (), soc=soc, speed=speed)
        found: list[SimulatedBench] = []
        shop.benches.instruments.with_bench(found.append)
        self.bench, self.world = found[0], found[0].world
        test: dict[str, Any] = {"amps": 1.0, "every_s": 0.1, "below": 3.2, "least_v": FLOOR, "where": "Sanderling, one"} | asked
        self.run = shop.benches._recorder.begin(
            unit, Asked(kind="discharge", title="x", meter=SIMULATED, load=SIMULATED + 2, **test), {"cell": "x"}
        )
        self.until(lambda: shop.benches._runs.count(self.run) > 0, 4.0)

    def until(self, true: Callable[[], bool], seconds: float) -> float:
        """Wait for something; how long it took."""
        began = time.monotonic()
        while not true():
            assert time.monotonic() - began < seconds, "it did not come in time"
            time.sleep(0.005)
        return time.monotonic() - began

    def off(self) -> bool:
        return not self.world.load_on

    def ended(self) -> tuple[str, str]:
        self.until(lambda: not self.shop.benches._recorder.runs(self.run), 6.0)
        run = self.shop.benches._runs.get(self.run)
        assert run is not None
        return run.state, run.about["end"]

    def leased(self) -> int:
        return len(self.shop.benches._recorder._leases.all(KIND))


@pytest.fixture
def bench(workshop: Workshop) -> Bench:
    return Bench(workshop)


def test_stop_puts_the_load_off_within_a_second_whatever_the_meter_does(bench: Bench) -> None:
    assert (bench.leased(), bench.world.load_on, bench.world.cut_off_v) == (1, True, FLOOR)
    assert [d.where for _, d in bench.shop.benches._recorder.drawing()] == ["Sanderling, one"]
    bench.bench.behave("meter", "frozen")
    time.sleep(0.2)  # a reading is under way, and will not come
    bench.shop.benches._recorder.stop(bench.run)
    assert bench.until(bench.off, 1.0) < 1.0
    assert bench.ended() == ("stopped", "hand")
    assert (bench.leased(), bench.world.load_a, bench.shop.benches._recorder.drawing()) == (0, 0.0, ()), (
        "and into its own safe state"
    )


@pytest.mark.parametrize("manner", ["frozen", "babbling", "slow"])
def test_readings_that_stop_put_the_load_off(bench: Bench, manner: str) -> None:
    bench.until(lambda: bench.shop.benches._runs.count(bench.run) > 3, 3.0)  # by now its usual pace is known
    bench.bench.behave("meter", manner)
    bench.until(bench.off, 2.5)
    assert bench.ended() == ("failed", "silence")
    assert bench.leased() == 0


def test_an_instrument_that_answers_twice_goes_on(bench: Bench) -> None:
    for kind in ("meter", "load"):
        bench.bench.behave(kind, "twice")
    before = bench.shop.benches._runs.count(bench.run)
    bench.until(lambda: bench.shop.benches._runs.count(bench.run) > before + 8, 4.0)
    assert not bench.off()
    bench.shop.benches._recorder.stop(bench.run)
    bench.until(bench.off, 1.0)


@pytest.mark.parametrize(("manner", "obeys"), [("babbling", True), ("slow", True), ("frozen", False)])
def test_a_load_that_is_not_heard_is_told_again_and_pages_say_so_until_it_reads_nothing(
    bench: Bench, manner: str, obeys: bool
) -> None:
    bench.bench.behave("load", manner)
    bench.until(lambda: bool(bench.shop.letting_go.standing()) or (obeys and bench.off()), 3.0)
    assert bench.ended() == ("failed", "silence")
    if manner != "babbling":  # one that talks without end was heard to be off by the first answer of a new line
        (standing,) = bench.shop.letting_go.standing()
        assert (standing.where, bench.leased()) == ("Sanderling, one", 1)
        with pytest.raises(FigureError, match="uses that instrument"):
            bench.shop.benches._recorder.begin(1, Asked(kind="watch", title="y", meter=SIMULATED + 2))
    bench.bench.behave("load", "sound")
    bench.until(bench.off, 2.0)
    bench.until(lambda: not bench.shop.letting_go.standing(), 4.0)
    assert bench.leased() == 0


def test_a_cut_line_puts_the_load_off_as_soon_as_it_answers(bench: Bench) -> None:
    bench.bench.cut(1.0)
    bench.until(lambda: bool(bench.shop.letting_go.standing()), 1.5)
    assert not bench.off(), "nothing can be told to it now"
    bench.until(bench.off, 1.6)
    bench.until(lambda: not bench.shop.letting_go.standing(), 2.0)
    assert bench.ended() == ("failed", "silence")


def test_it_ends_by_the_loads_own_words_where_the_meter_is_elsewhere(bench: Bench) -> None:
    """Put on a part of the board, the meter would never see the pack go down."""
    step = next(k for k, s in bench.world.steps.items() if s.unit == "V" and (s.likely or 0) > 4.9)
    bench.world.place(step)
    assert bench.ended() == ("failed", "apart")
    assert bench.off()


@pytest.mark.parametrize(
    ("asked", "ends"), [({"most_ah": 0.002}, "charge"), ({"seconds": 3.0}, "time"), ({"most_c": 22.05}, "heat")]
)
def test_charge_time_and_warmth_end_it_too(workshop: Workshop, asked: dict[str, float], ends: str) -> None:
    bench = Bench(workshop, amps=4.0, **asked)
    assert bench.ended() == ("done" if ends != "heat" else "failed", ends)
    assert bench.off()


def test_a_reading_is_kept_now_and_then_and_looked_at_all_the_time(workshop: Workshop) -> None:
    bench = Bench(workshop, soc=0.12, speed=200.0, every_s=3600.0, amps=2.0)
    assert bench.ended() == ("done", "volts"), "an hour between two looks would have been too long"
    rows = workshop.benches._runs.rows(bench.run)
    assert len(rows) == 2, "the first, and the one that ended it"
    assert rows[1, 1] < 3.2
    assert bench.world.lowest_v > FLOOR


def outside(world: World) -> SimulatedBench:
    """A bench that is a program of its own, as far as the shop knows."""
    made = SimulatedBench(world)
    made.start()
    return made


def test_the_next_start_puts_off_what_the_last_program_left_and_says_so_until_it_is_off(
    workshop: Workshop, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    bench = outside(World(workshop.builds.open(3).assessed, soc=0.9))
    kinds = {k: workshop.benches.instruments.add(bench.address(k), standard(f"simulated-{k}")) for k in ("meter", "load")}
    unit = workshop.benches._units.add(3, "one")
    with monkeypatch.context() as stuck:
        stuck.setattr(bench.world, "switch", lambda *_, **__: None)
        stuck.setattr(bench.world, "reset_load", lambda: None)
        stuck.setattr(bench.world, "load_on", True)
        asked = Asked(kind="discharge", title="x", meter=kinds["meter"], load=kinds["load"], amps=0.5, below=3.0)
        with pytest.raises(FigureError, match="draws before it was switched on"):
            workshop.benches._recorder.begin(unit, asked)
        assert len(workshop.letting_go.standing()) == 1, "one that does not obey is told to until it does"
        stuck.setattr(bench.world, "load_on", True)
    until(lambda: not bench.world.load_on and not workshop.letting_go.standing())
    # Killed: nothing of the program goes on, and the lease stands.
    lease = workshop.benches._recorder._leases.take(
        KIND,
        {
            "address": bench.address("load"),
            "description": standard("simulated-load"),
            "name": "Load",
            "where": "one",
            "here": False,
        },
    )
    bench.world.load_on, bench.world.load_a = True, 1.0
    first_of_all(tmp_path / "builds.sqlite3")
    assert not bench.world.load_on, "before anything else is loaded"
    bench.world.load_on, bench.world.load_a = True, 1.0  # one that is on and set to nothing would read as off
    bench.behave("load", "frozen")
    with closing(Workshop(tmp_path / "builds.sqlite3")) as again:
        (standing,) = again.letting_go.standing()
        assert (standing.lease, standing.why) == (lease.id, "Brisk Cell ended while it drew")
        bench.behave("load", "sound")
        until(lambda: not bench.world.load_on and not again.letting_go.standing())
        assert again.benches._recorder._leases.all(KIND) == ()
    bench.close()


def test_a_load_that_cannot_be_reached_again_is_over_when_its_leads_are_pulled(workshop: Workshop, tmp_path: Path) -> None:
    with socket.create_server(("127.0.0.1", 0)) as gone:
        address = f"TCPIP::127.0.0.1::{gone.getsockname()[1]}::SOCKET"
    about = {"address": address, "description": standard("load"), "name": "Load", "where": "one"}
    workshop.benches._recorder._leases.take(KIND, about | {"here": False})
    workshop.benches._recorder._leases.take(KIND, about | {"here": True})
    with closing(Workshop(tmp_path / "builds.sqlite3")) as again:
        (standing,) = again.letting_go.standing()
        until(lambda: "Is the instrument on" in again.letting_go.standing()[0].heard)
        assert again.benches._recorder.busy, "no backup is put back meanwhile"
        again.letting_go.by_hand(standing.lease)
        assert again.letting_go.standing() == ()
        assert again.benches._recorder._leases.all(KIND) == ()


def until(true: Callable[[], bool], seconds: float = 5.0) -> None:
    ends = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < ends
        time.sleep(0.01)
