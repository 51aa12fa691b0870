"""Instruments: descriptions, a meter of one's own dialect over a real socket, and the simulated bench with each of its faults."""

from __future__ import annotations

import random
import socketserver
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.core.bench.specimen import Fault, could_be
from briskcell.instruments.description import STANDARD, read_description, standard
from briskcell.instruments.instrument import Instrument, InstrumentError, LineCutError
from briskcell.instruments.line import address_of, open_instrument
from briskcell.instruments.simulated.server import SimulatedBench
from briskcell.instruments.simulated.talk import Talk
from briskcell.instruments.simulated.world import World
from briskcell.library import catalogue
from briskcell.model.errors import FigureError
from briskcell.model.plan import Plan
from briskcell.services.demo import curlew, oystercatcher, sanderling

OWN = """
name = "An old meter"
kind = "meter"
ends_with = "\\r\\n"
answer = "DC {value} V"
over_range = 1999
[ask]
who = "ID"
volts = "D0"
"""


def assessed(plan: Plan) -> Assessment:
    return assess(plan, catalogue().stock())


@contextmanager
def on_the_bench(world: World) -> Iterator[tuple[SimulatedBench, Instrument]]:
    bench = SimulatedBench(world)
    bench.start()
    meter = open_instrument(bench.address("meter"), read_description(standard("simulated-meter")))
    try:
        yield bench, meter
    finally:
        meter.close()
        bench.close()


def test_a_meter_of_another_dialect_is_read_as_its_description_says() -> None:
    answers = {b"D0": [b"DC +3.712 V", b"DC 1999 V", b"DC ?? V"], b"ID": [b"MODEL 12"]}

    class Handler(socketserver.StreamRequestHandler):
        def handle(self) -> None:
            while line := self.rfile.readline():
                assert line.endswith(b"\r\n")
                self.wfile.write(answers[line.strip()].pop(0) + b"\r\n")

    with socketserver.ThreadingTCPServer(("127.0.0.1", 0), Handler) as server:
        server.daemon_threads = True
        threading.Thread(target=server.serve_forever, daemon=True).start()
        meter = open_instrument(address_of(f"127.0.0.1:{server.server_address[1]}"), read_description(OWN))
        assert meter.who() == "MODEL 12"
        assert meter.read("volts") == 3.712
        with pytest.raises(InstrumentError, match="over its range"):
            meter.read("volts")
        with pytest.raises(InstrumentError, match="no reading"):
            meter.read("volts")
        with pytest.raises(InstrumentError, match="reads no amps"):
            meter.read("amps")
        meter.close()
        server.shutdown()


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("name = ", "is not TOML"),
        ('name = "x"\nkind = "scope"', "kind"),
        ('name = "x"\nkind = "meter"', "a meter needs ask.volts"),
        ('name = "x"\nkind = "load"\n[ask]\nvolts = "V?"\namps = "A?"', "set.amps, set.on, set.off"),
        (OWN + 'power = "P?"', "ask.power: is not known"),
        (OWN.replace("{value}", ""), "answer needs {value} once"),
        (OWN + "\n[set]\nplace = 'GO'", "set.place needs {value} once"),
        ("#" * 5000, "5000 characters"),
    ],
)
def test_a_description_that_makes_no_sense_says_where(text: str, says: str) -> None:
    with pytest.raises(FigureError) as refused:
        read_description(text)
    assert says in str(refused.value)


def test_addresses_and_the_descriptions_that_ship() -> None:
    assert {read_description(standard(k)).kind for k in STANDARD} == {"meter", "supply", "load"}
    assert address_of("192.168.1.20:5025") == "TCPIP::192.168.1.20::5025::SOCKET"
    assert address_of("/dev/ttyUSB0") == "ASRL/dev/ttyUSB0::INSTR"
    for bad in ("", "http://x/", "host:99999", "USB0::1::2::INSTR", "/dev/../etc/passwd;x"):
        with pytest.raises(FigureError):
            address_of(bad)
    with pytest.raises(LineCutError, match="Is the instrument on"):
        open_instrument("TCPIP::127.0.0.1::9::SOCKET", read_description(standard("meter"))).who()


@pytest.mark.parametrize("made", [curlew, oystercatcher, sanderling])
def test_each_fault_of_the_simulated_bench_is_found_and_located_over_its_socket(made: object) -> None:
    a = assessed(made())  # type: ignore[operator]
    one_of_each = {f.kind: f for f in random.Random(4).sample(could_be(a), len(could_be(a)))}
    with on_the_bench(World(a, noise=0.002)) as (bench, meter):
        steps = [s for s in bench.world.steps.values() if s.unit]
        quantity = {"V": "volts", "A": "amps", "Ω": "ohms"}

        def first_off() -> str:
            for step in steps:
                meter.place(step.key)
                if not step.holds(meter.read(quantity[step.unit])):  # type: ignore[arg-type]
                    return step.element
            return ""

        assert first_off() == "", "a sound console passes"
        for fault in one_of_each.values():
            if fault.kind == "hungry" or (fault.kind == "swapped" and fault.where not in {p.id for p in a.plan.packs}):
                continue  # pads are looked at; a hungry part is seen at what draws with it
            bench.world.set_faults((fault,))
            assert first_off() == fault.where, fault


def test_the_bench_lets_time_pass_and_empties_its_pack() -> None:
    now = [0.0]
    world = World(assessed(sanderling()), soc=0.9, speed=60.0, noise=0.0, clock=lambda: now[0])
    load, supply = Talk(world, "load", lambda _: None), Talk(world, "supply", lambda _: None)
    at_rest = float(load.answer("MEAS:VOLT?") or "")
    for line in ("CURR 2.0", "INP ON"):
        assert load.answer(line) is None
    loaded = float(load.answer("MEAS:VOLT?") or "")
    ohm = world._at(world._ohm)
    assert at_rest - loaded == pytest.approx(2.0 * ohm, abs=2e-3)
    now[0] += 30.0  # half an hour on the bench
    load.answer("MEAS:CURR?")
    assert 0.9 - world.soc == pytest.approx(1.0 / (9.6 * 1.0), rel=0.03), "1 Ah of two cells of about 5 Ah, of which it has 96 %"
    assert float(load.answer("SIM:TIME?") or "") == pytest.approx(1800.0)
    load.answer("INP OFF")
    for line in ("VOLT 4.2", "CURR 1.0", "OUTP ON", "SIM:SPEED 1"):
        supply.answer(line)
    before = world.soc
    now[0] += 360.0
    assert float(supply.answer("MEAS:CURR?") or "") == pytest.approx(1.0, abs=0.01)
    assert world.soc - before == pytest.approx(0.1 / world.holds_ah, rel=0.01)
    assert Talk(world, "meter", lambda _: None).answer("SYST:BEEP?") == '-113,"Undefined header"'
    load.answer("SIM:CHARGE 7")
    assert world.soc < 1.0, "nonsense changes nothing"


def test_a_cut_line_is_told_and_comes_back() -> None:
    with on_the_bench(World(assessed(sanderling()))) as (bench, meter):
        assert meter.read("volts") > 3.0
        bench.cut(0.3)
        with pytest.raises(LineCutError, match="Nothing comes from"):
            meter.read("volts")
        time.sleep(0.35)
        again = open_instrument(bench.address("meter"), meter.description)
        assert again.read("volts") > 3.0
        load = open_instrument(bench.address("load"), read_description(standard("simulated-load")))
        load.put("amps", 1.0)
        load.put("on")
        assert load.read("amps") == pytest.approx(1.0, rel=0.01)
        load.put("place", "no such step")
        load.close()
        again.close()
    assert Fault("cold", "w-pack") in could_be(assessed(sanderling()))
