"""Each backward answer, put into the plan, meets the wish, and one step less does not: the demo builds and random ones."""

from __future__ import annotations

import random

import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.core.backwards.questions import STEP, Answer, answers, drawing
from briskcell.library import catalogue
from briskcell.model.changes import altered, replaced
from briskcell.model.parts import Converter
from briskcell.model.plan import Plan
from briskcell.model.stores import ChargeBoard, Pack
from briskcell.services.demo import curlew, sanderling
from briskcell.services.pack.candidates import fitting_packs
from tests.faulty import sound

STOCK = catalogue().stock()


def hours(plan: Plan) -> float:
    found = assess(plan, STOCK).runtime
    return (found.hours or 0.0) if found else 0.0


def charge_hours(plan: Plan) -> float:
    return next((c.off.hours for c in assess(plan, STOCK).charges if c.off.hours), 1e9)


def holds_and_no_less(a: Assessment, x: Answer) -> None:
    assert x.plan is not None
    brief = a.plan.brief
    if x.key == "pack":
        pack = next(p for p in x.plan.packs if p.parallel == x.at)
        assert hours(x.plan) >= brief.hours
        if pack.parallel > 1:
            assert hours(replaced(x.plan, altered(pack, parallel=pack.parallel - 1))) < brief.hours
    elif x.key == "draw":
        now = {p.id: p.draw for p in x.plan.loads}
        load = next((p for p in a.plan.loads if p.draw != now[p.id]), None)
        assert hours(x.plan) >= brief.hours
        if load is not None:
            factor = now[load.id].play.likely / load.draw.play.likely
            assert factor >= 5.99 or hours(drawing(a.plan, load, factor + STEP)) < brief.hours
    elif x.key == "charger":
        assert charge_hours(x.plan) <= brief.charge_hours
        board = next(b for b in x.plan.chargers if isinstance(b, ChargeBoard))
        knob = next((k for k in board.adjustable if k.field == "current_a"), None)
        less = board.current_a.likely - STEP
        if knob is not None and less >= knob.low:
            assert charge_hours(replaced(x.plan, altered(board, current_a=board.current_a.at(less)))) > brief.charge_hours
    elif x.key == "board":
        found = assess(x.plan, STOCK).resets
        assert found is None or found.expected <= brief.resets_per_charge
        weaker = [y for amps, y in x.points if x.at is not None and amps < x.at]
        assert all(expected > brief.resets_per_charge for expected in weaker)
    else:
        assert hours(x.plan) >= brief.hours
        pack = x.plan.packs[0]
        packs = fitting_packs(a)
        assert packs is not None
        thinner = [c for c in packs.packs if x.at is not None and c.thickness_mm < x.at - 1e-9]
        for c in thinner:
            plan = replaced(a.plan, altered(pack, cell=c.cell, series=c.series, parallel=c.parallel))
            assert hours(plan) < brief.hours, c.cell.name


@pytest.mark.parametrize("made", [sanderling, curlew])
def test_every_question_of_a_demo_build(made: object) -> None:
    a = assess(made(), STOCK)  # type: ignore[operator]
    packs = fitting_packs(a)
    found = list(answers(a, packs.packs if packs else ()))
    assert [x.key for x in found] == ["pack", "draw", "charger", "board", "thin"]
    for x in found:
        holds_and_no_less(a, x)
        assert len(x.points) >= 2


def test_questions_of_random_builds() -> None:
    rng, told = random.Random(22), 0
    for _ in range(8):
        a = assess(sound(rng), STOCK)
        for x in answers(a):
            if x.plan is None:
                assert x.words
            else:
                told += 1
                holds_and_no_less(a, x)
    assert told > 20


def test_an_answer_by_hand() -> None:
    a = assess(sanderling(), STOCK)
    pack = next(answers(a))
    # One cell of 4.9 Ah plays half of what two do: 4 h 53; eight hours need two.
    assert pack.at == 2.0
    assert dict(pack.points)[1.0] == pytest.approx(hours(a.plan) / 2, rel=0.03)
    longer = assess(a.plan.model_copy(update={"brief": a.plan.brief.model_copy(update={"hours": 200.0})}), STOCK)
    none = next(answers(longer))
    assert none.plan is None
    assert "Not even 24" in none.words
    assert isinstance(a.plan.by_id["pack"], Pack)
    assert isinstance(a.plan.by_id["boost"], Converter)
