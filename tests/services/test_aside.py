"""What is asked beside a build's answers: once of each, and the same as asked by the long way."""

from __future__ import annotations

import pytest

from briskcell.core.answers import Answers
from briskcell.core.assess import assess
from briskcell.core.room.solids import inside
from briskcell.core.room.stack import thinnest_mm
from briskcell.library import catalogue
from briskcell.services.aside import kept
from briskcell.services.demo import curlew, oystercatcher
from briskcell.services.room.layout import gains

STOCK = catalogue().stock()


def test_a_build_is_asked_once_and_another_build_anew() -> None:
    asked: list[tuple[str, int]] = []

    @kept
    def answer(a: Answers, number: int) -> int:
        asked.append((a.plan.name, number))
        return number + 1

    one, other = assess(curlew(), STOCK), assess(oystercatcher(), STOCK)
    assert [answer(one, 1), answer(one, 1), answer(one, 2), answer(other, 1), answer(one, 1)] == [2, 2, 3, 2, 2]
    assert asked == [("Curlew", 1), ("Curlew", 2), ("Oystercatcher", 1)]
    assert answer(one.of(one.plan), 1) == 2
    assert asked[3:] == [("Curlew", 1)], "what is kept with a build is not taken over to another"


def test_what_each_change_takes_off_the_thickness_is_what_the_whole_search_finds() -> None:
    a = assess(oystercatcher(), STOCK)
    every, case = a.solids[0], a.plan.case
    now, found = gains(a)
    whole = thinnest_mm(every, inside(case))
    assert whole is not None
    assert now == whole + 2 * case.wall_mm
    by_words = {g.words: g for g in found}
    assert [g.gain_mm for g in found] == sorted((g.gain_mm for g in found), reverse=True)
    least = min(found, key=lambda g: g.gain_mm)
    assert least.gain_mm >= 0.5, "a step of the search at the least"
    for solid in every:
        then = thinnest_mm([s for s in every if s.id != solid.id], inside(case))
        gain = by_words.get(f"Without {solid.name}")
        assert then is not None
        assert (whole - then if whole - then >= 0.5 else None) == (gain and pytest.approx(gain.gain_mm)), solid.name
        assert gain is None or gain.thickness_mm == pytest.approx(then + 2 * case.wall_mm)
