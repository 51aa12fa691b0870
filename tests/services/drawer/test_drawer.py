"""The drawer: in and out as a table, what a build still wants of it, and which other class would do by the rules."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from briskcell.core.assess import assess
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.errors import FigureError
from briskcell.model.parts import Load
from briskcell.services.demo import curlew, oystercatcher, sanderling
from briskcell.services.drawer.drawer import Drawer, shopping
from briskcell.services.drawer.substitutes import across, substitutes
from briskcell.services.edits.swap import swapped
from briskcell.store import Store
from briskcell.store.drawer import DrawerRow, DrawerStore

STOCK = catalogue().stock()


@pytest.fixture
def kept(tmp_path: Path) -> Iterator[Drawer]:
    store = Store(tmp_path / "builds.sqlite3")
    yield Drawer(DrawerStore(store))
    store.close()


def test_what_is_put_in_is_read_from_its_own_table_again(kept: Drawer, tmp_path: Path) -> None:
    kept.put("cell-21700-e50", {"quantity": "3", "price": "6,50", "measured": "=4.9 Ah on 12 Nov"})
    kept.put("boost-5v-5a", {"sold_out": "yes"})
    kept.put("cell-21700-e50", {"quantity": "4"})
    rows = kept.rows()
    assert rows == (
        DrawerRow(part_class="cell-21700-e50", quantity=4, price=6.5, measured="=4.9 Ah on 12 Nov"),
        DrawerRow(part_class="boost-5v-5a", sold_out=True),
    )
    table = kept.written()
    assert b"'=4.9 Ah" in table, "no spreadsheet runs it"
    other = Store(tmp_path / "other.sqlite3")
    assert Drawer(DrawerStore(other)).read(table) == 2
    assert DrawerStore(other).rows() == rows
    other.close()
    kept.take_out("boost-5v-5a")
    assert [r.part_class for r in kept.rows()] == ["cell-21700-e50"]


@pytest.mark.parametrize(
    ("raw", "words"),
    [
        (b"", "first line has to name"),
        (b"name,quantity\nx,1", "first line has to name"),
        (b"\xff\xfe", "not text in UTF-8"),
        (b"part_class,quantity\nboost-5v-5a,1\nno-such,2", "Line 3: there is no class"),
        (b"part_class,quantity\nboost-5v-5a,many", "Line 2: .*is no number of parts"),
        (b"part_class,quantity,price\nboost-5v-5a,1,dear", "Line 2"),
        (b"part_class,quantity\nboost-5v-5a,-3", "no number"),
        (b"part_class,quantity\n" + b"boost-5v-5a,1\n" * 2001, "up to 2000 rows"),
        (b"x" * 500_001, "larger than half a megabyte"),
    ],
)
def test_a_table_that_makes_no_sense_is_refused_whole(kept: Drawer, raw: bytes, words: str) -> None:
    kept.put("boost-5v-2a", {"quantity": "1"})
    with pytest.raises(FigureError, match=words):
        kept.read(raw)
    assert [r.part_class for r in kept.rows()] == ["boost-5v-2a"]
    with pytest.raises(FigureError, match="no such class"):
        kept.put("no-such", {"quantity": "1"})


def test_what_is_to_buy_is_what_is_wanted_less_the_drawer() -> None:
    rows = [DrawerRow(part_class="cell-21700-e50", quantity=3, price=5.0), DrawerRow(part_class="buck-5v-5a", sold_out=True)]
    wanted = {w.part_class: w for w in shopping(curlew(), rows)}
    cells = wanted["cell-21700-e50"]
    assert (cells.count, cells.have, cells.buy, cells.cost) == (4, 3, 1, 5.0)
    assert wanted["buck-5v-5a"].sold_out
    assert wanted["buck-5v-5a"].buy == 1
    assert not any(w.name.startswith("Wire ") for w in wanted.values())
    whole = shopping(curlew(), [])
    assert sum(w.cost or 0.0 for w in whole) == pytest.approx(166.0, abs=0.01), "what the bill says that its parts cost"


def test_a_substitute_does_where_nothing_newly_fails_on_the_whole_build() -> None:
    a = assess(sanderling(), STOCK)
    had = {f.rule for f in a.findings if f.state == "fails"}
    found = substitutes(a, a.plan.by_id["boost"], [DrawerRow(part_class="boost-5v-3a", quantity=2)])
    assert [s.known.key for s in found if s.does][:1] == ["boost-5v-8a"]
    assert "boost-5v-5a" not in {s.known.key for s in found}
    for s in found:
        after = assess(swapped(a.plan, "boost", s.known.key)[0], STOCK)
        fails = {f.rule for f in after.findings if f.state == "fails"} - had
        assert s.does == (not fails), s.known.key
        assert s.plays_h == (after.runtime.hours if after.runtime else None)
    weak = next(s for s in found if s.known.key == "boost-5v-3a")
    assert (weak.does, weak.in_drawer) == (False, 2)
    assert any("current limit" in w or "is asked for" in w for w in weak.worse)
    cells = substitutes(a, a.plan.packs[0], [])
    assert any(s.does for s in cells)
    assert {"cells"} == {s.known.kind for s in cells}


def test_swaps_of_a_whole_build_bring_it_something_and_leave_nothing_worse() -> None:
    a = assess(oystercatcher(), catalogue().stock())
    fails = sum(f.state == "fails" for f in a.findings)
    found = across(a, [])
    assert found
    assert [s.other.left for s in found] == sorted(s.other.left for s in found)
    for s in found:
        assert not isinstance(s.part, Load), "what the console is made of stays"
        after = assess(swapped(a.plan, s.part.id, s.other.known.key)[0], catalogue().stock())
        left = sum(f.state == "fails" for f in after.findings)
        assert left == s.other.left <= fails
        assert (f"{fails - left} less that fails" in s.brings) == (left < fails)
        assert not a.harms(after)
    alone = remade(sanderling(), {"days": ()})
    dear = assess(replaced(alone, altered(alone.by_id["boost"], cost=60.0)), catalogue().stock())
    bring = across(dear, [])
    best = next(s for s in bring if s.part.id == "boost")
    assert any("€ less" in words for words in best.brings)
    assert across(dear, [DrawerRow(part_class=best.other.known.key, sold_out=True)]) != bring
    assert {s.known.key for s in substitutes(dear, dear.plan.by_id["screen"], [])} == {
        c.key for c in catalogue().of_kind("loads") if c.group == "screen"
    } - {dear.plan.by_id["screen"].part_class}
