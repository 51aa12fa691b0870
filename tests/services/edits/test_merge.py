"""Changes of one plan put together: nothing of either is lost, and where they meet nobody decides alone."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from briskcell.formats.plan_json import document_of
from briskcell.model.plan import Plan, plan_of
from briskcell.services.demo import sanderling
from briskcell.services.draw import games, loads
from briskcell.services.edits.swap import swap
from briskcell.services.edits.values import set_value
from briskcell.services.merge import changes, merged
from briskcell.services.pack import bay
from briskcell.services.parts.adding import add

BASE = sanderling()
EDITS: dict[str, Any] = {
    "screen": lambda p: set_value(p, "loads/screen/power_w/play", "1.5 W").plan,
    "screen again": lambda p: set_value(p, "loads/screen/power_w/play", "1.7 W").plan,
    "screen at rest": lambda p: set_value(p, "loads/screen/power_w/rest", "0.2 W").plan,
    "board": lambda p: set_value(p, "loads/board/power_w/play", "2 W").plan,
    "hours": lambda p: set_value(p, "brief/hours", "6h").plan,
    "lamp gone": lambda p: loads.remove(p, "light").plan,
    "lamp": lambda p: set_value(p, "loads/light/name", "Lantern").plan,
    "fan": lambda p: add(p, "fan-30", behind="rail-5").plan,
    "haptics": lambda p: add(p, "haptics", behind="rail-5").plan,
    "moved": lambda p: loads.move(p, "sound", "board").plan,
    "boost": lambda p: swap(p, "boost", "boost-5v-3a").plan,
    "game": lambda p: games.add_game(p).plan,
    "block": lambda p: bay.add_block(p).plan,
}
MEET = {("screen", "screen again"), ("lamp gone", "lamp")}


@pytest.mark.parametrize("one", EDITS)
@pytest.mark.parametrize("two", EDITS)
def test_two_edits_go_together_unless_they_touch_the_same(one: str, two: str) -> None:
    base = document_of(BASE)
    mine, theirs = EDITS[one](BASE), EDITS[two](BASE)
    found = merged(base, document_of(theirs), document_of(mine))
    if (one, two) in MEET or (two, one) in MEET:
        assert found is None
        return
    assert found is not None
    both: Plan = plan_of(found)
    for edited in (mine, theirs):
        for path, value in changes(base, document_of(edited)).items():
            if path[-1] != "#order":
                assert _at(document_of(both), path) == value or not isinstance(_at(document_of(both), path), str)
    back = merged(base, document_of(mine), document_of(theirs))
    assert back is not None
    assert {p.id for p in plan_of(back).parts()} == {p.id for p in both.parts()}
    if "fan" in (one, two):
        assert "fan-30" in both.by_id
    if "moved" in (one, two):
        assert both.loads[0].id == "sound"


def _at(at: Any, path: tuple[str, ...]) -> Any:
    for step in path:
        if isinstance(at, list):
            at = next((p for p in at if p["id"] == step), None)
        else:
            at = at.get(step) if isinstance(at, dict) else None
    return at


values = st.recursive(st.integers(0, 3), lambda c: st.dictionaries(st.sampled_from("abc"), c, max_size=3), max_leaves=6)
documents = st.dictionaries(st.sampled_from("abc"), values, max_size=3)


@settings(max_examples=200)
@given(documents, documents, documents)
def test_a_merge_holds_both_changes_or_is_none(base: dict[str, Any], theirs: dict[str, Any], mine: dict[str, Any]) -> None:
    found = merged(base, theirs, mine)
    assert merged(base, theirs, base) == theirs, "no change of mine leaves what stands"
    assert merged(base, base, mine) == mine, "where nothing changed elsewhere, mine stands"
    if found is not None:
        assert changes(theirs, found).keys() <= changes(base, mine).keys() | {k[:-1] for k in changes(base, mine)}
