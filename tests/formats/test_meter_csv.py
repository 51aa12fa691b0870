"""Meter logs: layouts that are recognised, by hand; thirty broken files, each with its own sentence, nothing half taken in."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from briskcell.formats.meter_csv import HEAD_BYTES, read_log, recognise
from briskcell.model.errors import FigureError
from briskcell.services.jobs import Progress
from briskcell.services.log.imports import bring_in
from briskcell.services.workshop import Workshop

GOOD = {
    "plain": ("t,V,A\n0,4.1,0.5\n10,4.0,0.6\n", [[0, 4.1, 0.5], [10, 4.0, 0.6]]),
    "no header": ("0,4.1,0.5\n1,4.0,0.6\n", [[0, 4.1, 0.5], [1, 4.0, 0.6]]),
    "semicolons, commas, milliamps": (
        "Zeit;Spannung [V];Strom [mA]\n0:00:01;4,1;500\n0:01:01;4,0;600\n",
        [[0, 4.1, 0.5], [60, 4.0, 0.6]],
    ),
    "tabs and a preamble": (
        "Meter 7\nSerial 12\n\nElapsed min\tCurrent(A)\tVoltage(V)\n0\t0.5\t4.1\n1.5\t0.6\t4.0\n",
        [[0, 4.1, 0.5], [90, 4.0, 0.6]],
    ),
    "stamps": ("Date,U,I\n2026-11-26 23:59:30,4.1,0.5\n2026-11-27 00:00:30.5,4.0,0.6\n", [[0, 4.1, 0.5], [60.5, 4.0, 0.6]]),
    "days first": ("time;volt;amp\n26.11.2026 10:00:00;4,1;0,5\n26.11.2026 10:00:20;4,0;0,6\n", [[0, 4.1, 0.5], [20, 4.0, 0.6]]),
    "iso with zone": (
        "time,volt,amp\n2026-11-26T10:00:00Z,4.1,0.5\n2026-11-26T10:00:20Z,4.0,0.6\n",
        [[0, 4.1, 0.5], [20, 4.0, 0.6]],
    ),
    "spaces": ("0 4.1 0.5\n2 4.0 0.6\n", [[0, 4.1, 0.5], [2, 4.0, 0.6]]),
    "no time": ("Voltage,Current\n4.1,0.5\n4.0,0.6\n", [[0, 4.1, 0.5], [1, 4.0, 0.6]]),
    "watts": ("s,V,Power W\n0,4.0,2.0\n1,4.0,2.4\n", [[0, 4.0, 0.5], [1, 4.0, 0.6]]),
    "sums of the meter": ("time,V,mAh,A\n0,4.1,0,0.5\n10,4.0,1.5,0.6\n", [[0, 4.1, 0.5], [10, 4.0, 0.6]]),
    "negative out": ("t,V,A\n0,4.1,-0.5\n10,4.0,-0.6\n", [[0, 4.1, 0.5], [10, 4.0, 0.6]]),
    "quoted, bars, blank end": ('"t"|"V"|"A"\n"0"|"4.1"|"0.5"\n"10"|"4.0"|"0.6"\n\n\n', [[0, 4.1, 0.5], [10, 4.0, 0.6]]),
    "milliseconds": ("time ms,V,A\n0,4.1,0.5\n1500,4.0,0.6\n", [[0, 4.1, 0.5], [1.5, 4.0, 0.6]]),
    "a gap in a column": ("t,V,A\n0,4.1,0.5\n10,,0.6\n", [[0, 4.1, 0.5], [10, np.nan, 0.6]]),
}
ROWS = "t,V,A\n0,4.1,0.5\n1,4.0,0.6\n"
BROKEN: dict[str, tuple[bytes, str]] = {
    "nothing": (b"", "The file is empty"),
    "blanks": (b"  \n\n \n", "The file is empty"),
    "words": (b"dear diary\nit was cold\n", "no rows of figures"),
    "a header alone": (b"t,V,A\n", "no rows of figures"),
    "one figure": (b"4.1\n", "no rows of figures"),
    "a workbook": (b"PK\x03\x04\x00\x00\x08\x00" * 40, "no text"),
    "a picture": (b"\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR" * 9, "no text"),
    "a page": (b"<html><body>no</body></html>\n", "no rows of figures"),
    "json": (b'{"t": [0, 1], "v": [4.1, 4.0]}', "no rows of figures"),
    "a very long line": (b"1," * 15_000 + b"\n", "more than 20 000 characters"),
    "too many columns": ((",".join(["1"] * 70) + "\n").encode() * 3, "70 columns"),
    "cut in a row": ((ROWS + "2,3.9").encode(), "Line 4 has 2 fields"),
    "a row too long": ((ROWS + "2,3.9,0.5,7\n").encode(), "Line 4 has 4 fields"),
    "text in volts": ((ROWS + "2,OL,0.5\n").encode(), "Line 4: “OL” is no figure"),
    "nan in volts": ((ROWS + "2,nan,0.5\n").encode(), "Line 4: “nan” is no figure"),
    "endless amps": ((ROWS + "2,3.9,1e999\n").encode(), "Line 4: “1e999” is no figure"),
    "inf in amps": ((ROWS + "2,3.9,inf\n").encode(), "Line 4: “inf” is no figure"),
    "time runs back": ((ROWS + "0.5,3.9,0.5\n").encode(), "Line 4: its time is before"),
    "time is text": ((ROWS + "later,3.9,0.5\n").encode(), "Line 4: “later” is no figure"),
    "a stamp that is none": (
        b"date,V\n2026-11-26 10:00:00,4\n2026-11-26 10:00:01,4\n2026-13-45 10:00:02,4\n",
        "Line 4: “2026-13-45 10:00:02” is no time",
    ),
    "two logs in one": ((ROWS + "\n" + ROWS).encode(), "Line 4 is empty, and rows follow it"),
    "a footer": ((ROWS + "end of log\n").encode(), "Line 4 has 1 fields"),
    "a header again": ((ROWS + "t,V,A\n").encode(), "is no figure"),
    "commas and points mixed": (b"t;V;A\n0;4,1;0,5\n1;4.0;0,6\n", "Line 3: “4.0” is no figure"),
    "no role": (b"a,b\n1,2\n3,4\n", ""),
    "only times": (b"time,date\n0:00:01,1\n0:00:02,1\n", "No column is said to be"),
    "letters lost": (b"t,V,A\n0,4.1,0.5\n1,4\xff\xfe.0,0.6\n", "is no figure"),
    "nul within": ((ROWS + "2,3.\x009,0.5\n").encode(), "no text"),
    "minus alone": ((ROWS + "2,-,0.5\n").encode(), "Line 4: “-” is no figure"),
    "a percent": ((ROWS + "2,40 %,0.5\n").encode(), "Line 4: “40 %” is no figure"),
    "quotes that never end": (b't,V,A\n0,4.1,0.5\n1,"4.0,0.6\n2,3.9,0.5\n', "Line 3 has"),
}


@pytest.mark.parametrize("name", GOOD)
def test_a_layout_is_recognised(tmp_path: Path, name: str) -> None:
    text, rows = GOOD[name]
    path = tmp_path / "log.csv"
    for body in (text.encode(), text.replace("\n", "\r\n").encode("cp1252"), text.encode("utf-16")):
        path.write_bytes(body)
        found = np.concatenate(list(read_log(path, recognise(path.read_bytes()[:HEAD_BYTES]))))
        assert found[:, :3] == pytest.approx(np.array(rows), nan_ok=True), body[:60]


def take_in(shop: Workshop, unit: int, file: str, body: bytes) -> None:
    work = bring_in(shop.uploads, shop.logs._log, shop.benches._runs, unit, file, recognise(body[:HEAD_BYTES]), "log", "watch", {})
    work(Progress(lambda _: None))


@pytest.mark.parametrize("name", BROKEN)
def test_a_broken_log_says_what_is_wrong_and_leaves_nothing_behind(workshop: Workshop, tmp_path: Path, name: str) -> None:
    shop, (body, says) = workshop, BROKEN[name]
    unit = shop.benches._units.add(3, "one")
    file = shop.uploads.begin()
    shop.uploads.add(file, 0, body)
    if name == "no role":
        assert len(np.concatenate(list(read_log(shop.uploads.path(file), recognise(body))))) == 2, (
            "taken as volts and amps, and shown so"
        )
    else:
        with pytest.raises(FigureError) as refused:
            take_in(shop, unit, file, body)
        assert says in str(refused.value)
    assert shop.benches._runs.of_unit(unit) == ()
    assert not list((tmp_path / "runs").glob("*")), "no readings are left"
