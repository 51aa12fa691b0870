"""Grounds as a star and as a chain: what a chain costs by hand and by a simulator, and the way back."""

from __future__ import annotations

import pytest

from briskcell.core.assess import assess
from briskcell.core.circuit.circuit import circuit_of
from briskcell.core.engine.operating import operate
from briskcell.library import catalogue
from briskcell.model.changes import altered, replaced
from briskcell.model.errors import FigureError
from briskcell.model.parts import Converter
from briskcell.model.plan import Plan
from briskcell.services.demo import curlew, sanderling
from briskcell.services.wiring.grounds import behind, chain, grounds, join_grounds, star
from tests.core.circuit.test_circuit import compared

STOCK = catalogue().stock()


def board(plan: Plan, name: str = "boost") -> Converter:
    found = plan.by_id[name]
    assert isinstance(found, Converter)
    return found


def test_in_a_chain_each_hop_carries_all_that_follows_and_the_last_part_loses_the_sum() -> None:
    plan = sanderling()
    made = chain(plan, board(plan))
    order = [p.id for p in behind(made, board(made))]
    assert order == ["board", "light", "sound", "screen", "controls"], "the nearest first"
    op = operate(made)
    half, play = op.half, 1
    amps = {p.id: float(op.load_w[play, half, k]) / float(op.flow.loads_v[play, half, k]) for k, p in enumerate(made.loads)}
    ohm = {c.link.id: c.ohm for c in circuit_of(made).conductors if c.link is not None and c.link.kind == "return"}
    rise = sum(ohm[f"ground-{i}"] * sum(amps[j] for j in order[n:]) for n, i in enumerate(order))
    out = next(c.ohm for c in circuit_of(made).conductors if c.key == "w-controls:+") * amps["controls"]
    volts = float(op.flow.loads_v[play, half, made.loads.index(made.by_id["controls"])])
    at_board = float(op.flow.element_v[play, half, op.network.position["boost"]])
    assert at_board - volts == pytest.approx(rise + out, rel=0.01)


@pytest.mark.parametrize(("plan", "name"), [(sanderling(), "boost"), (curlew(), "buck")])
def test_a_chain_is_soldered_as_it_is_computed_and_taken_back_to_a_star(plan: Plan, name: str) -> None:
    made = chain(plan, board(plan, name))
    assert min(compared(made, soc, state) for soc in (0.8, 0.3) for state in ("play", "peak")) > 4
    assert star(made, board(made, name)) == plan
    (told, *_) = grounds(assess(plan, STOCK))
    (then, *_) = grounds(assess(made, STOCK))
    assert (told.chained, then.chained) == (False, True)
    assert told.star_v == pytest.approx(then.star_v, abs=2e-3)
    assert told.chain_v == pytest.approx(then.chain_v, abs=2e-3)
    assert told.chain_v < told.star_v


def test_a_ground_goes_on_from_another_but_nothing_else_hangs_on_it() -> None:
    made = join_grounds(sanderling(), "boost", "chain")
    assert made.words.endswith("in a chain")
    with pytest.raises(ValueError, match="feeds nothing"):
        replaced(made.plan, altered(made.plan.by_id["w-screen"], fed_by="ground-board"))
    assert join_grounds(made.plan, "boost", "star").plan == sanderling()
    for board_id, how in (("nobody", "star"), ("boost", "ring")):
        with pytest.raises(FigureError):
            join_grounds(sanderling(), board_id, how)
