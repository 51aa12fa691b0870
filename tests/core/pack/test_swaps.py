"""A start and spare cells, by hand."""

from __future__ import annotations

import pytest

from briskcell.core.assess import assess
from briskcell.model.plan import plan_of
from tests.known import drawing, flat_cell, hand_plan


def test_a_start_takes_its_share_and_each_set_of_cells_plays_as_long() -> None:
    # 3.7 V flat, 2 Ah, 1 A in play and 3 A at the peak: 2 h; a start of 100 s at 3 A takes 300 s of play.
    load = drawing(1.0, "current_a", peak=3.0, fed_by="pack", id="board", name="Board")
    cell = flat_cell(volts=3.7, top_v=3.7, ohm=0.0, ah=2.0)
    pack = {"id": "pack", "name": "Pack", "cell": cell, "spare_sets": 2, "swap_s": 40.0}
    plan = hand_plan(packs=[pack], loads=[load], boot_s=100.0, profile={"rest": 0.0, "play": 1.0, "peak": 0.0})
    s = assess(plan_of(plan)).starts
    assert s is not None
    assert s.start_h == pytest.approx(300 / 3600)
    assert s.set_h == pytest.approx(2.0 - 300 / 3600)
    assert (s.sets, s.all_h, s.swap_s) == (3, pytest.approx(3 * (2.0 - 300 / 3600)), 140.0)
    nothing = hand_plan(packs=[pack], loads=[])
    assert assess(plan_of(nothing)).starts is None
