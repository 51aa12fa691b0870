"""What a build takes besides its parts, counted by hand on the drawing."""

from __future__ import annotations

import math

import pytest

from briskcell.core.assess import assess
from briskcell.core.wiring.sundries import strips_of, tube_mm
from briskcell.library import catalogue
from briskcell.model.changes import altered, replaced
from briskcell.services.demo import curlew, sanderling

STOCK = catalogue().stock()


def test_what_joins_sanderling_by_hand() -> None:
    a = assess(sanderling(), STOCK)
    found = {s.name: s for s in a.sundries}
    # 0.14, 0.12, 0.22 and 0.1 m of 24 AWG, and a tenth: 0.638 m of each colour, sold as a metre.
    assert (found["Wire 24 AWG, orange, 1 m"].count, found["Wire 24 AWG, orange, 1 m"].why) == (1, "0.64 m with a tenth to spare")
    # Pack to protection, protection to charge board, charge board to fuse, switch to boost, boost to linear regulator: their pluses
    # and, but for fuse and switch, which have none, their minuses.
    short = sum(c.link is None for c in a.circuit.conductors)
    assert found["Wire for short pieces, 1 m"].why.startswith(f"{short - 2} short pieces"), "the supply plugs in at both poles"
    assert found["Fuse holder"].count == 1
    assert found["Links between cells of Pack"].count == 2
    assert found["Insulating ring"].count == 2
    assert "Balance plug, 2 contacts" not in found


def test_links_of_a_pack_and_its_balance_plug() -> None:
    pack = curlew().packs[0]
    for series, parallel, strips in ((1, 1, 0), (1, 4, 6), (2, 2, 5), (3, 1, 2), (4, 3, 19)):
        assert strips_of(altered(pack, series=series, parallel=parallel)) == strips
    found = {s.name: s for s in assess(curlew(), STOCK).sundries}
    assert found["Balance plug, 3 contacts"].why == "2 leads to Pack"
    assert found["Fuse holder"].count == 2


def test_tubing_is_the_smallest_sold_that_is_a_fifth_wider_than_the_wire() -> None:
    wire = sanderling().by_id["w-screen"]
    for awg, size in ((30, 1.5), (24, 2.0), (22, 3.0), (18, 4.0), (12, 6.0)):
        outer = 2.6 * 0.127 * 92 ** ((36 - awg) / 39)
        assert tube_mm(altered(wire, awg=awg)) == size >= min(1.2 * outer, 6.0)  # type: ignore[arg-type]
    assert tube_mm(None) == 3.0


def test_what_is_sold_by_the_metre_is_counted_up() -> None:
    plan = sanderling()
    long = replaced(plan, altered(plan.by_id["w-pack"], length_m=1.9))
    red = next(s for s in assess(long, STOCK).sundries if s.name == "Wire 20 AWG, red, 1 m")
    assert red.count == math.ceil(1.1 * 1.9) == 3
    assert red.cost == pytest.approx(3 * 0.6)
