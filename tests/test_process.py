"""The program as it is started: its address, a taken port, its log, its end; and the instruments that ship."""

from __future__ import annotations

import json
import re
import subprocess
import sys
import urllib.request
from pathlib import Path

import pytest

from briskcell.bench.meter import Meter, MeterError
from briskcell.bench.simulated import SimulatedMeter


def start(folder: Path, port: str) -> tuple[subprocess.Popen[str], str]:
    command = [sys.executable, "-c", "from briskcell.cli import main; main()", "demo", "--data", str(folder), "--port", port]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    said = (re.search(r"http://127\.0\.0\.1:\d+/", line) for line in process.stdout)
    return process, next(found for found in said if found)[0]


def end(process: subprocess.Popen[str]) -> None:
    process.terminate()
    try:
        assert process.wait(timeout=30) == 0
    finally:
        process.kill()
        process.wait()
        assert process.stdout is not None
        process.stdout.close()


def test_a_second_one_takes_a_free_port_and_both_answer(tmp_path: Path) -> None:
    first, address = start(tmp_path / "a", "0")
    second, other = start(tmp_path / "b", address.rsplit(":", 1)[1].strip("/"))
    try:
        assert address != other
        for place in (address, other):
            with urllib.request.urlopen(place) as page:
                assert page.status == 200
                assert "Sanderling" in page.read().decode()
    finally:
        end(first)
        end(second)
    lines = [json.loads(line) for line in (tmp_path / "a" / "brisk-cell.log").read_text().splitlines()]
    assert [(line["method"], line["path"], line["status"]) for line in lines if line["event"] == "request"] == [("GET", "/", 200)]
    assert (tmp_path / "a" / "secret").stat().st_mode & 0o077 == 0
    again, address = start(tmp_path / "a", "0")
    try:
        with urllib.request.urlopen(address) as page:
            assert page.read().decode().count('class="name"') == 3  # the demo is not loaded twice
    finally:
        end(again)


class Scripted:
    """A port that plays a transcript: what must be sent, what is answered."""

    def __init__(self, *lines: tuple[str, str]) -> None:
        self.lines = list(lines)

    def query(self, line: str) -> str:
        expected, answer = self.lines.pop(0)
        assert line == expected
        return answer


def test_a_meter_reads_what_its_port_answers_and_says_when_it_cannot() -> None:
    meter = Meter(
        Scripted(
            ("MEAS:VOLT:DC?", "+3.712000E+00\n"), ("MEAS:CURR:DC?", "-1.5E-3"), ("MEAS:VOLT:DC?", "9.9E37"), ("MEAS:VOLT:DC?", "?")
        )
    )
    assert meter.volts() == 3.712
    assert meter.amps() == -0.0015
    with pytest.raises(MeterError, match="over its range"):
        meter.volts()
    with pytest.raises(MeterError, match="no reading"):
        meter.volts()


def test_the_simulated_meter_is_as_good_as_its_class() -> None:
    meter = Meter(SimulatedMeter(volts_at_probes=5.0, amps_through=0.4))
    assert meter.volts() == pytest.approx(5.0, rel=0.005)
    assert meter.volts() != 5.0
    assert meter.amps() == pytest.approx(0.4, rel=0.01)
    assert SimulatedMeter(1, 1).query("SYST:BEEP").startswith("-113")
