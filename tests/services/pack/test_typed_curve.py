"""A curve typed or pasted: what is read, and what is refused with what was wrong."""

from __future__ import annotations

import numpy as np
import pytest

from briskcell.core.pack.own_curve import own_curve
from briskcell.model.errors import FigureError
from briskcell.services.demo import sanderling
from briskcell.services.pack.typed_curve import give_curve

AH = np.linspace(0.0, 4.8, 25)
VOLTS = 4.17 - 1.1 * AH / 4.8 - 0.02 * (AH > 4.5)


def lines(*columns: np.ndarray, head: str = "", part: str = " ", comma: bool = False) -> str:
    rows = [part.join(f"{x:.4f}".replace(".", "," if comma else ".") for x in row) for row in zip(*columns, strict=True)]
    return "\n".join([head, *rows] if head else rows)


@pytest.mark.parametrize(
    "text",
    [
        lines(AH, VOLTS),
        lines(AH * 1000, VOLTS * 1000, head="mAh; mV", part=";"),
        lines(AH, VOLTS, head="Ah;V", part=";", comma=True),
        lines(AH / 0.5, VOLTS, head="time (h), volts (V)", part=","),
        lines(AH / 0.5 * 60, VOLTS, np.full(AH.shape, 0.5), head="min\tV\tA", part="\t"),
        lines(AH / 0.5 * 3600, VOLTS, np.full(AH.shape, -500.0), head="seconds\tvolts\tmA", part="\t"),
    ],
    ids=["plain", "milli", "comma", "hours", "minutes", "seconds"],
)
def test_points_are_read_as_they_come_out_of_a_tester(text: str) -> None:
    pack = give_curve(sanderling(), "pack", text, 0.5, "").plan.packs[0]
    expected = own_curve(sanderling().packs[0].cell, AH, VOLTS, 0.5, "x").cell
    assert pack.cell.capacity_ah.likely == pytest.approx(expected.capacity_ah.likely, rel=1e-3)
    assert np.interp(0.5, pack.cell.ocv.soc, pack.cell.ocv.value) == pytest.approx(
        np.interp(0.5, expected.ocv.soc, expected.ocv.value), abs=1e-3
    )
    assert pack.cell.curve_grade == "measured"


def test_pulses_alone_give_resistances_and_leave_the_curve() -> None:
    edit = give_curve(sanderling(), "pack", "", None, "20 % 45 60\n50 % 40 52\n80 % 41 55")
    cell = edit.plan.packs[0].cell
    assert cell.resistance_ohm.likely == pytest.approx(0.052)
    assert cell.fast.value[1] == pytest.approx(40 / 52)
    assert cell.ocv == sanderling().packs[0].cell.ocv
    assert "52 mΩ at half full" in edit.words.replace("\u00a0", " ")


@pytest.mark.parametrize(
    ("points", "amps", "pulses", "slot", "says"),
    [
        ("", None, "", "curve", "Nothing was typed"),
        (lines(AH, VOLTS), None, "", "curve-amps", "current is missing"),
        ("0 4.1\n1 oops\n2 3.5", 0.5, "", "curve", "Line 2, “1 oops”, is not figures"),
        ("0 4.1\n1 4.0 3", 0.5, "", "curve", "same number of figures"),
        ("V;A\n4.1;0.5\n4.0;0.5", 0.5, "", "curve", "volts, and amp-hours or time"),
        ("0 4.1\n" * 5001, 0.5, "", "curve", "too many"),
        ("nan 4.1\n1 4", 0.5, "", "curve", "is not figures"),
        ("", None, "50 40", "pulses", "A line has 2 figures"),
        ("", None, "20 60 45\n50 52 40", "pulses", "cannot be less"),
    ],
)
def test_what_makes_no_sense_is_said_beside_its_field(points: str, amps: float | None, pulses: str, slot: str, says: str) -> None:
    with pytest.raises(FigureError, match=says) as caught:
        give_curve(sanderling(), "pack", points, amps, pulses)
    assert caught.value.field == slot
