"""What the searches promise is what the build gives."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from briskcell.core.assess import assess
from briskcell.core.search.candidates import same_charge
from briskcell.core.search.scout import scout
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.plan import Plan
from briskcell.model.stores import Cell
from briskcell.services.demo import sanderling
from tests.known import flat_cell

CELLS = [catalogue().find(k).part for k in ("cell-18650-e35", "cell-21700-p40", "pouch-p50")]
BOARDS = [catalogue().find(k).part for k in ("boost-5v-2a", "boost-5v-5a")]


def peaky(plan: Plan) -> Plan:
    return remade(plan, {"profile": {"rest": 0.1, "play": 0.6, "peak": 0.3}})


def guarded(plan: Plan) -> Plan:
    guard = plan.packs[0].protection
    return replaced(plan, altered(plan.packs[0], protection=altered_document(guard, cutoff_cell_v=3.2)))


def altered_document(part: Any, **figures: Any) -> Any:
    return type(part).model_validate({n: getattr(part, n) for n in type(part).model_fields} | figures)


PLANS = {
    "as it is": sanderling(),
    "cut off at 3.2 V": guarded(peaky(sanderling())),
    "without protection": replaced(sanderling(), altered(sanderling().packs[0], protection=None)),
    "two in series": replaced(sanderling(), altered(sanderling().packs[0], link_resistance_ohm=0.05)),
}


@pytest.mark.parametrize("name", PLANS)
def test_a_scouted_candidate_plays_and_spares_what_its_build_does(name: str) -> None:
    plan = PLANS[name]
    found = scout(plan, CELLS, (1, 3), BOARDS, (20.0, 28.0))
    assert len(found.runtime_h) == len(CELLS) * 2 * len(BOARDS) * 2
    for k in range(0, len(found.runtime_h), 5):
        pack = altered(plan.packs[0], cell=found.cells[found.cell[k]], parallel=int(found.parallel[k]), strings=())
        built = replaced(plan, pack)
        built = replaced(built, altered(found.boards[found.board[k]], id="boost", fed_by="switch"))
        built = replaced(built, altered(built.by_id["w-pack"], awg=float(found.awg[k])))
        a = assess(built)
        assert a.runtime is not None
        assert found.runtime_h[k] == pytest.approx(a.runtime.hours, rel=0.014, abs=0.02)
        assert found.energy_wh[k] == pytest.approx(a.runtime.energy_wh, rel=0.01)
        behind = {"cells", "protection", "switch", "fuse", "boost"}
        least = min(h.spare for h in a.headrooms if h.kind in behind and h.element != "linear")
        if a.collapse is None:
            assert (found.spare[k] >= 0) == (least >= 0)
            assert least < 0 or found.spare[k] == pytest.approx(least, abs=0.01)
    assert found.mass_g[0] == pytest.approx(CELLS[0].mass_g)
    assert found.thickness_mm[-1] == CELLS[-1].thickness_mm


def test_a_search_that_is_stopped_at_once_has_found_nothing() -> None:
    found = scout(sanderling(), CELLS, (1,), BOARDS, (20.0,), stop=lambda: True)
    assert (len(found.runtime_h), found.board.dtype) == (0, np.dtype(np.intp))


@pytest.mark.parametrize(("one", "two", "same"), [(4.2, 4.2, True), (4.2, 4.25, True), (4.2, 4.35, False), (4.2, 3.65, False)])
def test_one_board_charges_cells_that_end_at_the_same_volts(one: float, two: float, same: bool) -> None:
    cells = [Cell.model_validate(flat_cell(volts=3.2) | {"full_v": v}) for v in (one, two)]
    assert same_charge(*cells) is same
    assert not same_charge(cells[0], cells[0].model_copy(update={"rechargeable": False}))
