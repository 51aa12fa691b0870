"""Variants of a plan as one batch, against plans that have those figures."""

from __future__ import annotations

import numpy as np
import pytest

from briskcell.core.engine.network import compile_network
from briskcell.core.engine.operating import operate
from briskcell.core.engine.variants import likely, variants
from briskcell.model.changes import altered, replaced
from briskcell.model.figure import Figure
from briskcell.model.plan import plan_of
from briskcell.services.demo import sanderling
from tests.known import drawing, flat_cell, hand_plan

SOC = np.array([1.0, 0.6, 0.2])


def exactly(value: float) -> Figure:
    return Figure(low=value, likely=value, high=value)


def test_each_factor_is_the_figure_it_is_a_factor_on() -> None:
    plan = replaced(sanderling(), altered(sanderling().packs[0], link_resistance_ohm=exactly(0.004)))
    network, pack, board = compile_network(plan), plan.packs[0], plan.converters[0]
    of = likely(network, 4)
    of.cell[1] = 3.0
    of.draw[2, [p.id for p in network.loads].index("screen")] = 1.5
    of.volts[3, 0] = 0.97
    made = variants(plan, network, SOC, of).states()
    screen, cell = plan.by_id["screen"], pack.cell
    harder = cell.model_copy(update={"resistance_ohm": exactly(3.0 * cell.resistance_ohm.likely)})
    brighter = {s: exactly(1.5 * getattr(screen.draw, s).likely) for s in ("rest", "play", "peak")}  # type: ignore[attr-defined]
    alone = [
        plan,
        replaced(plan, altered(pack, cell=harder)),
        replaced(plan, altered(screen, power_w=screen.draw.model_copy(update=brighter))),  # type: ignore[attr-defined]
        replaced(plan, altered(board, output_v=exactly(0.97 * board.output_v.likely))),
    ]
    for n, other in enumerate(alone):
        flow = operate(other, SOC).flow
        near = 5e-3 if n == 3 else 1e-6  # other volts are other losses, a little: those were fitted at the volts of the class
        assert made.store_a(0)[:, n] == pytest.approx(flow.store_a(0), rel=near), n
        assert made.loads_v[:, n] == pytest.approx(flow.loads_v, rel=1e-6), n
    falls = [3.0 - float(made.store_v(0)[1, n, 2] - made.store_v(0)[1, 0, 2]) for n in range(4)]
    assert falls[1] > falls[2] > 3.0, "three times the ohms of the cells, or a brighter screen, cost volts"


def test_peaks_ride_on_what_play_has_polarised() -> None:
    """A cell of 0.1 Ω at once and 0.3 Ω that build up in play: 1 A in play, 2 A more at the peak of one part. The peak meets
    0.3 V of play's and 0.1 Ω · 3 A of its own; of two variants the second has a part that draws half."""
    loads = [drawing(1.0, peak=3.0, id="board", name="Board"), drawing(0.0, peak=0.5, id="horn", name="Horn")]
    plan = plan_of(hand_plan(packs=[{"id": "pack", "name": "Pack", "cell": flat_cell(ohm=0.1)}], loads=loads))
    network = compile_network(plan)
    of = likely(network, 2)
    of.draw[1, 0] = 0.5
    made = variants(plan, network, SOC, of)
    slow = made.slow_ohm + 0.3
    made = type(made)(network, made.curves, made.ocv_v, made.fast_ohm, slow, made.draw, made.link_ohm, made.boards)
    flow = made.peaking(np.array([[False, False], [True, False], [True, True]]))
    fast, whole = made.fast_ohm[0, 0, 0], slow[0, 0, 0]
    ocv = made.ocv_v[0, 0, 0]
    by_hand = [
        [ocv - (fast + whole) * 1.0, ocv - whole * 1.0 - fast * 3.0, ocv - whole * 1.0 - fast * 3.5],
        [ocv - (fast + whole) * 0.5, ocv - whole * 0.5 - fast * 1.5, ocv - whole * 0.5 - fast * 2.0],
    ]
    for n, volts in enumerate(by_hand):
        assert flow.load_v(0)[:, n, 0] == pytest.approx(volts, abs=1e-6)
    some = made.only(np.array([1]), 1).peaking(np.array([[False, False], [True, False]]))
    assert some.load_v(0).shape == (2, 1, 2)
    assert some.load_v(0)[1, 0, 0] == pytest.approx(flow.load_v(0)[1, 1, 1])
