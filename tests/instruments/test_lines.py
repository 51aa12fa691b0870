"""Lines to instruments that misbehave, and a load that holds its own floor."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress

import pytest

from briskcell.core.assess import assess
from briskcell.instruments.description import read_description, standard
from briskcell.instruments.instrument import Instrument, InstrumentError, LineCutError
from briskcell.instruments.line import open_instrument
from briskcell.instruments.simulated.talk import Talk
from briskcell.instruments.simulated.world import World
from briskcell.library import catalogue
from briskcell.services.demo import sanderling

METER = standard("meter").replace("timeout_s = 2.0", "timeout_s = 0.4")
Line = Callable[[socket.socket, bytes], None]


@contextmanager
def instrument(answer: Line, greeting: bytes = b"") -> Iterator[Instrument]:
    """A meter whose line does what ``answer`` does with each question."""
    server = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        line, _ = server.accept()
        with suppress(OSError), line, line.makefile("rb") as asked:
            line.sendall(greeting)
            for question in asked:
                answer(line, question)

    threading.Thread(target=serve, daemon=True).start()
    made = open_instrument(f"TCPIP::127.0.0.1::{server.getsockname()[1]}::SOCKET", read_description(METER))
    time.sleep(0.05)
    try:
        yield made
    finally:
        made.close()
        server.close()


def trickle(line: socket.socket, _question: bytes) -> None:
    for letter in b"+3.70000E+00\n":
        line.sendall(bytes([letter]))
        time.sleep(0.1)


def refuses(made: Instrument, kind: type[InstrumentError], says: str) -> None:
    began = time.monotonic()
    with pytest.raises(kind, match=says):
        made.read("volts")
    assert time.monotonic() - began < 0.8, "no answer holds anybody up for longer than its time"


def test_each_bad_manner_of_a_line_ends_in_a_sentence_in_time() -> None:
    with instrument(trickle) as made:
        refuses(made, LineCutError, "Nothing comes from")
    with instrument(lambda *_: None) as made:
        refuses(made, LineCutError, "Nothing comes from")
    with instrument(lambda line, _: line.close()) as made:
        refuses(made, LineCutError, "Nothing comes from")
    with instrument(lambda line, _: line.sendall(b"9" * 500_000)) as made:
        refuses(made, InstrumentError, "answers has more than 800 bytes")
    with instrument(lambda line, _: line.sendall(b"3.7\n4.1\n")) as made:
        refuses(made, InstrumentError, "more than it is asked")
    with instrument(lambda line, _: line.sendall(b"nan\n")) as made:
        refuses(made, InstrumentError, "no reading")


def test_what_does_no_harm_is_borne() -> None:
    with instrument(lambda line, _: line.sendall(b"3.7\n3.7\n"), greeting=b"Welcome to the meter\n") as made:
        assert [made.read("volts") for _ in range(5)] == [3.7] * 5, "a greeting, and each answer said twice"
    late = iter([b"3.7\n", b"4.1\n"])
    with instrument(lambda line, _: line.sendall(next(late))) as made:
        assert made.read("volts") == 3.7
    with instrument(lambda line, question: line.sendall(b"1.0\n" if b"VOLT" in question else b"2.0\n")) as made:
        assert (made.read("volts"), made.read("amps"), made.read("volts")) == (1.0, 2.0, 1.0)


def test_what_comes_unasked_between_questions_parts_them_for_good() -> None:
    def later(line: socket.socket, _question: bytes) -> None:
        line.sendall(b"3.7\n")
        time.sleep(0.05)
        line.sendall(b"9.9\n")

    with instrument(later) as made:
        assert made.read("volts") == 3.7
        time.sleep(0.2)
        refuses(made, InstrumentError, "more than it is asked")


@pytest.mark.parametrize("speed", [1.0, 3_000.0, 100_000.0])
def test_the_loads_own_cut_off_holds_the_cell_above_its_floor_whoever_looks(speed: float) -> None:
    now = [0.0]
    world = World(assess(sanderling(), catalogue().stock()), soc=0.5, speed=speed, noise=0.0, clock=lambda: now[0])
    load = Talk(world, "load", lambda _: None)
    for line in ("INP:PROT:VOLT 3.0", "CURR 2.0", "INP ON"):
        load.answer(line)
    assert float(load.answer("MEAS:CURR?") or "") == pytest.approx(2.0, abs=1e-3)
    for _ in range(40):  # looked at once in 2,000 s of the bench's own time or less often, and at last not at all
        now[0] += 2_000.0 / min(speed, 1_000.0)
        load.answer("MEAS:VOLT?")
    assert float(load.answer("MEAS:CURR?") or "") == pytest.approx(0.0, abs=1e-3)
    assert 2.995 < world.lowest_v <= 3.0, "one stride of the charge below, at the most"
    assert not world.load_on
    assert 0.0 < world.soc < 0.1


def test_cells_warm_by_what_they_lose_and_cool_again() -> None:
    now = [0.0]
    world = World(assess(sanderling(), catalogue().stock()), soc=0.9, noise=0.0, clock=lambda: now[0])
    load = Talk(world, "load", lambda _: None)
    for line in ("CURR 3.0", "INP ON"):
        load.answer(line)
    now[0] = 600.0
    warm = world.celsius()
    ohm = world._at(world._ohm)
    assert warm == pytest.approx(22.0 + 3.0**2 * ohm * 12.0 * (1 - 0.3679), rel=0.05), "one time constant of 600 s, 12 K a watt"
    load.answer("*RST")
    assert (world.load_on, world.load_a, world.cut_off_v) == (False, 0.0, 0.0)
    now[0] += 6_000.0
    assert world.celsius() == pytest.approx(22.0, abs=0.01)
