"""Choices of a search against brute force on a small library: the same frontier exactly, reasons counted, misses that nearly do."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from briskcell.core.assess import assess
from briskcell.core.moves.filling import filling
from briskcell.core.search.candidates import same_charge
from briskcell.core.search.choices import asked_of, choose
from briskcell.core.search.scout import scout
from briskcell.library import catalogue
from briskcell.model.changes import remade
from briskcell.model.parts import Converter
from briskcell.services.demo import sanderling
from briskcell.services.drawer.at_hand import AtHand
from briskcell.services.search import _costs, take_found


def test_the_frontier_is_that_of_brute_force() -> None:
    plan = sanderling()
    assert plan.bay is not None
    cells = [c.part for c in catalogue().of_kind("cells") if same_charge(c.part, plan.packs[0].cell)]
    boards = [b for k in ("boost-5v-3a", "boost-5v-5a", "boost-5v-8a") if isinstance(b := catalogue().find(k).part, Converter)]
    out = scout(plan, cells, (1, 2, 3, 4), boards, (18.0, 20.0, 24.0))
    cost = _costs(plan, out, AtHand())
    a = assess(plan, catalogue().stock())
    filled = filling(a, cells, boards, 4)
    assert filled is not None
    found = choose(plan, out, plan.bay, cost, filled)
    thick, tests = asked_of(plan, out, plan.bay, cost, filled)
    passing = [k for k in range(len(out.runtime_h)) if all(t.passes[k] for t in tests)]
    assert found.passing == len(passing)
    for test, (words, count) in zip(tests, found.reasons, strict=True):
        assert words == test.failed
        assert count == sum(not p for p in test.passes)

    def same_but_thicker_wire(one: int, other: int) -> bool:
        return (out.cell[one], out.parallel[one], out.board[one]) == (
            out.cell[other],
            out.parallel[other],
            out.board[other],
        ) and bool(out.awg[one] > out.awg[other])

    kept = [k for k in passing if not any(same_but_thicker_wire(o, k) for o in passing)]
    takes = {(k, n): float(filled.hours[n, out.cell[k], out.parallel[k]]) for k in kept for n in range(len(filled.boards))}
    figures = {
        (k, n): (-out.runtime_h[k], thick[k], out.mass_g[k], cost[k] + filled.cost[n], h)
        for (k, n), h in takes.items()
        if h <= plan.brief.charge_hours and filled.plays[n]
    }
    assert len(figures) > 30
    assert len({n for _, n in figures}) > 1
    beaten = {
        k
        for k, o in itertools.permutations(figures, 2)
        if figures[o] != figures[k] and all(a <= b for a, b in zip(figures[o], figures[k], strict=True))
    }
    assert {figures[f.at, f.charger] for f in found.frontier if f.charger is not None} == {
        figures[k] for k in figures if k not in beaten
    }
    assert len(found.choices) <= 12
    named = {name: c.offer.at for c in found.choices for name in c.good_at}
    front = [f.at for f in found.frontier]
    assert out.runtime_h[named["plays longest"]] == max(out.runtime_h[k] for k in front)
    assert thick[named["thinnest"]] == min(thick[k] for k in front)
    assert out.mass_g[named["lightest"]] == min(out.mass_g[k] for k in front)

    def most_for(least: dict[tuple[int, int], float]) -> float:
        return max(float(out.runtime_h[f.at]) / least[f.at, f.charger or 0] for f in found.frontier)

    for name, place in (("most hours for its millimetres", 1), ("most hours for its grams", 2), ("most hours for its money", 3)):
        measure = {k: float(v[place]) for k, v in figures.items()}
        chosen = next(c.offer for c in found.choices if name in c.good_at)
        assert out.runtime_h[chosen.at] / measure[chosen.at, chosen.charger or 0] == pytest.approx(most_for(measure))
    packs = [(out.cell[c.offer.at], out.parallel[c.offer.at], out.board[c.offer.at], c.offer.charger) for c in found.choices]
    assert len(set(packs)) == len(packs), "truly different"
    for miss in found.misses:
        assert sum(not t.passes[miss.at] for t in tests) == 1
        assert miss.words


def test_a_choice_taken_plays_as_it_was_promised() -> None:
    plan = sanderling()
    assert plan.bay is not None
    cells = [c.part for c in catalogue().of_kind("cells") if same_charge(c.part, plan.packs[0].cell)][:6]
    board = catalogue().find("boost-5v-5a").part
    assert isinstance(board, Converter)
    out = scout(plan, cells, (1, 2, 3), [board], (20.0,))
    found = choose(plan, out, plan.bay, _costs(plan, out, AtHand()))
    assert found.choices
    for c in found.choices:
        k, a = c.offer.at, assess(plan, catalogue().stock())
        whole = assess(
            take_found(a, out.cells[out.cell[k]].part_class, int(out.parallel[k]), "boost-5v-5a", 20.0).plan, catalogue().stock()
        )
        assert whole.runtime is not None
        assert whole.runtime.hours is not None
        assert abs(whole.runtime.hours / float(out.runtime_h[k]) - 1) < 0.01
    assert filling(assess(remade(plan, {"chargers": (), "supplies": ()}), catalogue().stock()), cells, [board], 2) is None
    nothing = choose(plan, scout(plan, cells[:1], (1,), [board], (20.0,), stop=lambda: True), plan.bay, np.zeros(0))
    assert nothing.passing == 0
    assert not nothing.choices
