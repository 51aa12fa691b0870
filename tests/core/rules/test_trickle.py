"""Cranks and panels into cells and capacitors: hand-worked limits of what they push and where they stop."""

from __future__ import annotations

from typing import Any

import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.library import catalogue
from briskcell.model.changes import remade
from briskcell.services.demo import sanderling
from tests.core.rules.test_rules import cells, found, of, one

# Half of 12 V less 2 V, over 10 Ω: 0.5 A at 5 V, eight tenths of it are 2 W: 0.5 A into 4 V, 0.8 A into 2.5 V.
CRANK = {
    "id": "crank",
    "name": "Crank",
    "charges": "pack",
    "open_v": 12,
    "source_ohm": 10,
    "bridge_drop_v": 2,
    "smoothing_f": 0.001,
    "ripple_hz": 60,
    "efficiency": 0.8,
}


def cranked(stops_at_v: float | None = None, **figures: Any) -> Assessment:
    return of(packs=cells(**figures), trickles=[CRANK | ({"stops_at_v": stops_at_v} if stops_at_v else {})])


def test_a_source_pushes_no_more_than_an_empty_pack_takes() -> None:
    assert not found(cranked(volts=2.5, top_v=4.0, max_charge_a=0.8), "trickle-current")
    over = one(cranked(volts=2.5, top_v=4.0, max_charge_a=0.79), "trickle-current")
    assert over.state == "fails"
    assert "pushes 0.80 A into Pack when it is empty; its cells take 0.79 A" in over.cause.replace("\u00a0", " ")
    assert not found(cranked(volts=2.5, top_v=4.0, max_charge_a=0.41, parallel=2), "trickle-current")


@pytest.mark.parametrize(
    ("stops", "figures", "state"),
    [
        (None, {}, "close"),
        (4.2, {}, None),
        (4.25, {}, None),
        (4.26, {}, "fails"),
        (8.5, {"series": 2}, None),
        (8.51, {"series": 2}, "fails"),
        (None, {"rechargeable": False}, None),
        # 2 W into 1.45 V are 1.38 A: a tenth of 14 Ah, which nickel stands for good, is more.
        (None, {"volts": 1.2, "full_v": 1.45, "empty_v": 1.0, "ah": 14.0}, None),
        (None, {"volts": 1.2, "full_v": 1.45, "empty_v": 1.0, "ah": 13.0}, "close"),
        (None, {"volts": 1.2, "full_v": 1.45, "empty_v": 1.0, "ah": 7.0, "parallel": 2}, None),
    ],
)
def test_a_source_stops_where_the_pack_is_full(stops: float | None, figures: dict[str, Any], state: str | None) -> None:
    a = cranked(stops, **figures)
    assert [f.state for f in found(a, "trickle-end")] == ([state] if state else [])
    if figures.get("rechargeable") is False:
        assert "must not be charged; Crank would" in one(a, "only-rechargeable").cause
    elif state:
        fix = one(a, "trickle-end").fix
        assert fix is not None
        assert fix.plan.trickles[0].stops_at_v == pytest.approx(figures.get("full_v", 4.2) * figures.get("series", 1))


def test_a_capacitor_is_filled_to_its_rating_at_most() -> None:
    def filled(stops: float | None) -> list[str]:
        cap = catalogue().part("capacitor-10-5v4", id="cap", full_v=4.8)
        crank = CRANK | {"charges": "cap"} | ({"stops_at_v": stops} if stops else {})
        plan = remade(sanderling(), {"capacitors": (cap,), "trickles": (crank,)})
        return [f.state for f in found(assess(plan), "trickle-end")]

    assert [filled(v) for v in (None, 4.8, 5.4, 5.41)] == [["close"], [], [], ["fails"]]
