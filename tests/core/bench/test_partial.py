"""A build with some loads joined, held against sums by hand."""

from __future__ import annotations

import numpy as np
import pytest

from briskcell.core.assess import assess
from briskcell.core.bench.causes import causes
from briskcell.core.bench.partial import CHARGES, Joined
from briskcell.core.bench.step import dummy_load
from briskcell.core.engine.sources import store_curves
from briskcell.library import catalogue
from briskcell.model.changes import altered, replaced
from briskcell.services.demo import curlew


def test_a_cell_that_gives_nothing_takes_its_share_and_a_joint_its_volts() -> None:
    plan = curlew()
    three = replaced(plan, altered(plan.packs[0], series=3))
    full = store_curves(three.packs[0], CHARGES, three.brief.cells_c).ocv_v
    idle = Joined(three, ())
    assert idle.solved().volts["pack"][1] == pytest.approx(full, abs=0.001)
    assert idle.solved(missing_cell="pack").volts["pack"][1] == pytest.approx(full * 2 / 3, abs=0.001), "two of three are left"
    loaded = Joined(plan, (), dummy_load("w-pack", 10.0))
    sound, cold = loaded.solved(), loaded.solved(extra_ohm={"w-pack": 2.0})
    # 10 Ω behind 2 Ω more: five sixths of the volts, but for the board's own milliampere and the pack's and wire's milliohms.
    assert cold.volts["w-pack"][1] == pytest.approx(sound.volts["w-pack"][1] * 10 / 12, rel=0.005)
    assert cold.amps["pack"][1] == pytest.approx(cold.volts["w-pack"][1] / 10, rel=0.005)
    empty = loaded.solved(soc=np.array([0.05]))
    assert empty.volts["w-pack"].shape == (3, 1)
    assert empty.volts["w-pack"][1, 0] < sound.volts["w-pack"][1, -1]


def test_an_empty_pack_is_asked_at_a_twentieth_of_its_charge() -> None:
    a = assess(curlew(), catalogue().stock())
    lamp = next(s for s in a.ladder if s.key == "load:low")
    best = causes(a, lamp, 6.5)[0]
    assert best.key == "empty"
    assert best.reading == pytest.approx(6.5, abs=0.01), "two cells in series, each at 3.25 V there"
