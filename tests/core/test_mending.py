"""Advice judged whole: on random builds with faults no fix breaks anything else, and mend all ends whole or names a conflict."""

from __future__ import annotations

import pytest

from briskcell.core.assess import Assessment, assess, costs
from briskcell.core.draw.bill import bill
from briskcell.core.mending import Met, mend_all, mended, told
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.plan import Plan
from briskcell.services.demo import curlew, oystercatcher, sanderling
from briskcell.services.drafts import DraftRequest, draft
from tests.faulty import Tally, faulty, needless, tried

STOCK = catalogue().stock()


@pytest.mark.parametrize("seed", range(6))
def test_no_fix_of_a_faulty_build_breaks_anything_else(seed: int) -> None:
    tally = tried(faulty(seed)[0])
    assert tally.fixes_that_break == ()
    assert tally.fixes_out_of_bounds == ()
    assert tally.unexplained == ()
    assert tally.needless == (), "nothing in a fix can be taken back"
    assert tally.whole or tally.conflict


@pytest.mark.parametrize("seed", [0, 4, 26, 68, 70])
def test_mend_all_buys_no_more_than_it_must_and_the_cheapest_plan_it_met(seed: int) -> None:
    """Faults of which more was once bought than was needed: a jack and a balancer, a charge board, a supply."""
    a = assess(faulty(seed)[0], STOCK)
    met = Watched(a.plan)
    found, _ = mended(a, met=met)
    assert not found.failures
    assert list(needless(a, found)) == []
    keys = {f.key for f in found.findings}
    fewest = changed(a.plan, found.plan)
    near = [cost for cost, words, parts in met.whole if words <= keys and parts <= fewest]
    assert bill(found.plan).cost == pytest.approx(min(near)), "the cheapest of those that change no more parts"


def changed(before: Plan, after: Plan) -> int:
    """How many parts of a plan are no longer as they were."""
    return sum(after.by_id.get(p.id) != p for p in before.parts())


class Watched(Met):
    """The plans that a mending met, and what those cost in which nothing fails."""

    def __init__(self, start: Plan) -> None:
        super().__init__()
        self.start = start
        self.whole: list[tuple[float, set[str], int]] = []

    def judge(self, at: Assessment, plan: Plan) -> Assessment:
        found = super().judge(at, plan)
        self.whole += [] if found.failures else [(bill(plan).cost, {f.key for f in found.findings}, changed(self.start, plan))]
        return found


def test_most_faulty_builds_are_mended_whole() -> None:
    found = [tried(faulty(seed)[0], fixes=False) for seed in range(100, 110)]
    broken = [t for t in found if t.failures]
    assert len(broken) >= 8
    assert sum(t.whole for t in broken) >= 0.8 * len(broken)


def test_the_failing_demo_is_mended_whole_in_one_step_that_says_what_it_does() -> None:
    a = assess(oystercatcher(), STOCK)
    found = mend_all(a)
    assert (found.left, found.conflict) == ((), None)
    assert found.after.failures == {}
    assert found.judged <= 140
    assert any(s.startswith("1 × 18650 energy cell") for s in found.steps)
    assert any("added" in s and "Fuse" in s for s in found.steps)
    assert found.after.plan.brief == a.plan.brief, "the brief is the builder's"
    assert "more" in found.costs
    assert not [f for f in found.after.findings if f.rule == "as-its-class"]


def test_wishes_that_contradict_each_other_are_named_with_a_plan_for_each() -> None:
    plan = remade(sanderling(), {"days": ()})
    both = remade(plan, {"brief": plan.brief.model_copy(update={"hours": 16.0, "charge_hours": 5.0})})
    found = mend_all(assess(both, STOCK))
    assert found.left
    assert found.conflict is not None
    assert found.conflict.first in ("the hours of play", "the hours on the charger")
    assert found.conflict.offers
    for offer in found.conflict.offers:
        assert assess(offer.plan, STOCK).failures == {}
        assert offer.plan.brief != both.brief
    assert mend_all(assess(both, STOCK), ended=lambda: True).steps == (), "stopped at once"


def test_of_two_failures_of_one_rule_the_worse_counts_and_no_wish_gives_way_further_than_it_must() -> None:
    """Fifteen hours against four on the charger: a weak board that takes 29 h and does not fill in play either is no way out."""
    made = draft(
        DraftRequest(name="Whimbrel", board="board-small4", screen="screen-43", sound="amp-3w", hours=4.0, thickness_mm=28.0)
    )
    a = assess(remade(made, {"brief": made.brief.model_copy(update={"hours": 15.0})}), STOCK)
    conflict = mend_all(a).conflict
    assert conflict is not None
    given = {o.plan.brief.charge_hours for o in conflict.offers} | {o.plan.brief.hours for o in conflict.offers}
    assert max(given) <= 15.0
    supply = catalogue().part("usb-05", id=a.plan.supplies[0].id)
    board = catalogue().part("charger-lin-05", id="charger", charges="pack", supply=supply.id)
    weak = replaced(replaced(a.plan, supply), board)
    slow = [f for f in a.of(weak).failing if f.key == "charge-brief:charger"]
    assert a.of(weak).failures["charge-brief:charger"][0] == max(f.loss for f in slow)
    assert len(slow) == 2


def test_a_plan_met_again_is_the_same_and_under_another_brief_is_not_solved_again() -> None:
    a, met = assess(sanderling(), STOCK), Met()
    plan = replaced(a.plan, altered(a.plan.packs[0], parallel=1))
    first = met.judge(a, plan)
    assert first.runtimes[0].hours != a.runtimes[0].hours
    assert met.judge(a, plan) is first
    other = remade(plan, {"brief": plan.brief.model_copy(update={"hours": 1.0})})
    again = met.judge(a, other)
    assert (again.plan, again.runtimes) == (other, first.runtimes)
    assert again.runtimes is first.runtimes
    assert {f.rule for f in first.findings if f.state == "fails"} == {"runtime-brief"}
    assert not [f for f in again.findings if f.state == "fails"]


def test_a_plan_that_holds_is_left_alone_and_changes_are_told_part_by_part() -> None:
    assert mend_all(assess(curlew(), STOCK)).steps == ()
    plan = sanderling()
    pack = plan.packs[0]
    after = replaced(plan, altered(pack, parallel=3))
    after = replaced(after, catalogue().part("fuse-7", id="fuse", fed_by="pack"))
    after = replaced(after, altered(after.chargers[0], current_a=1.0))
    after = remade(after, {"loads": after.loads[:-1], "case": after.case.model_copy(update={"fan": True})})
    words = [w.replace("\u00a0", " ") for w in told(plan, after)]
    assert words == [
        "Switching charge board 1.5 A, power path: set to 1.00 A",
        "3 × 21700 energy cell, 5.0 Ah (3 in parallel) instead of 2",
        "Fuse 7 A instead of Fuse 5 A",
        "Bluetooth radio left out",
        "A case of 170 × 90 × 30 mm with vents and a fan",
    ]
    assert costs(assess(plan), assess(replaced(plan, altered(pack, parallel=3)))).startswith("It comes with 7.00")


def test_tallies_add_up() -> None:
    assert Tally(failures=0, whole=True).line() == "nothing fails"
