"""A protection board ends a charge where it should, sees every cell, and is a part that is bought."""

from __future__ import annotations

import pytest

from briskcell.core.assess import assess
from briskcell.core.circuit.circuit import circuit_of
from briskcell.core.draw.bill import bill, bought
from briskcell.library import catalogue
from briskcell.model.changes import altered, replaced
from briskcell.model.plan import Plan
from briskcell.services.demo import curlew, sanderling

STOCK = catalogue().stock()


def guarded(plan: Plan, **figures: object) -> Plan:
    pack = plan.packs[0]
    assert pack.protection is not None
    return replaced(plan, altered(pack, protection=altered(pack.protection, **figures)))


@pytest.mark.parametrize(
    ("over_v", "says"),
    [
        (4.215, "opens at 4.21 V a cell, before the charge ends at 4.20 V"),
        (4.225, ""),
        (4.28, ""),
        (4.315, ""),
        (4.33, "lets each cell be charged to 4.33 V; past 4.32 V it may burn"),
    ],
)
def test_it_opens_above_the_end_of_the_charge_and_below_what_harms(over_v: float, says: str) -> None:
    found = assess(guarded(sanderling(), over_cell_v=over_v), STOCK).of_rule("protected-cells")
    assert bool(found) == bool(says)
    for f in found:
        assert f.state == "fails"
        assert says in f.cause.replace("\u00a0", " ")
        assert f.fix is not None
        assert not assess(f.fix.plan, STOCK).of_rule("protected-cells")


def test_in_series_it_has_a_lead_to_every_cell_or_it_fails() -> None:
    taps = [c for c in circuit_of(curlew()).at("pack-protection") if c.pole == "tap"]
    assert [(c.a.terminal, c.b.place, c.b.terminal) for c in taps] == [("tap1", "pack", "tap1")]
    (found,) = assess(guarded(curlew(), senses_each=False), STOCK).of_rule("protected-cells")
    assert "sees the 2 cells in series as one" in found.cause
    assert not assess(guarded(sanderling(), senses_each=False), STOCK).of_rule("protected-cells"), "one cell is seen whole"


def test_it_is_bought_and_soldered_unless_the_cells_bring_it() -> None:
    own, brought = sanderling(), guarded(sanderling(), with_cells=True, cost=None)
    assert [n for n, _, _ in bought(own.packs[0])][-1] == "Protection board for 1 in series, 15.7 A"
    assert bill(own).cost - bill(brought).cost == pytest.approx(1.5)
    assert len(bought(brought.packs[0])) == 2
    assert "pack-protection" in circuit_of(own).by_id
    assert "pack-protection" not in circuit_of(brought).by_id
