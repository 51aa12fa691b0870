"""What nobody should solder is refused with a sentence, and what hangs on nothing is told and taken out."""

from __future__ import annotations

import pytest

from briskcell.core.assess import assess
from briskcell.core.circuit.refusals import refusals
from briskcell.library import catalogue
from briskcell.model.changes import remade
from briskcell.model.parts import Rail
from briskcell.model.plan import Plan
from briskcell.services.demo import curlew, demo_plans, sanderling
from briskcell.services.edits.values import set_value
from briskcell.services.parts.adding import add
from tests.core.circuit.test_circuit import random_builds, with_whole_boards

STOCK = catalogue().stock()


@pytest.mark.parametrize("plan", [*demo_plans(), *with_whole_boards()], ids=lambda p: p.name)
def test_nothing_of_a_sound_circuit_is_refused_but_a_rail_that_nothing_hangs_on(plan: Plan) -> None:
    told = refusals(assess(plan, STOCK).circuit)
    assert not [r for r in told if r.kind != "nowhere"]
    assert all("nothing hangs on that" in r.words for r in told)


def test_plus_on_minus_is_refused_at_the_part_whose_terminal_is_wrong() -> None:
    for path, words in (
        ("converters/boost/terminals/0/polarity", "plus on minus"),
        ("loads/screen/terminals/0/polarity", "plus on minus"),
        ("converters/boost/terminals/3/polarity", "plus on minus"),
    ):
        plan = set_value(sanderling(), path, "+" if path.endswith("3/polarity") else "-").plan
        a = assess(plan, STOCK)
        (found,) = (f for f in a.of_rule("joined") if f.state == "fails")
        assert words in found.cause
        assert found.element == path.split("/")[1]
        assert found.fix is not None
        assert not assess(found.fix.plan, STOCK).of_rule("joined")


def test_an_output_into_an_output_is_refused() -> None:
    plan = set_value(sanderling(), "loads/screen/terminals/0/role", "out").plan
    (found,) = (r for r in refusals(assess(plan, STOCK).circuit) if r.kind == "sources")
    assert found.words.endswith("each would push into the other.")


def test_what_leads_nowhere_is_told_and_taken_out() -> None:
    plan = add(sanderling(), "boost-9v-3a").plan
    a = assess(plan, STOCK)
    (found,) = a.of_rule("joined")
    assert found.state == "close"
    assert "nothing hangs on that" in found.cause
    assert found.fix is not None
    assert found.fix.plan == sanderling()
    bare = remade(curlew(), {"links": (*curlew().links, catalogue().part("wire-22", id="w-free", fed_by="rail-5", name="Free"))})
    (free,) = assess(bare, STOCK).of_rule("joined")
    assert free.cause == "Free leads nowhere: nothing is joined behind it."
    assert free.fix is not None
    assert free.fix.plan == curlew()


def test_a_board_that_became_superfluous_is_taken_out_as_a_fix() -> None:
    """A weak board before a lamp that takes 2.5 to 5.5 V: the cells give 2.8 to 4.2 V, and no board is needed at all."""
    plan = sanderling()
    board = catalogue().part("boost-5v-1a", id="weak", fed_by="switch", name="Weak", switch_current_a=0.001)
    lamp = catalogue().part("lamp-low-33", id="lamp", fed_by="rail-weak", name="Lamp")
    rail = Rail(id="rail-weak", name="Weak rail", fed_by="weak")
    plan = remade(plan, {"converters": (*plan.converters, board), "rails": (*plan.rails, rail), "loads": (*plan.loads, lamp)})
    (weak,) = (f for f in assess(plan, STOCK).of_rule("headroom") if f.element == "weak")
    assert weak.fix is not None
    assert weak.fix.words == "Weak taken out; Lamp straight on Pack"
    assert "weak" not in weak.fix.plan.by_id
    assert weak.fix.plan.by_id["lamp"].fed_by == "switch"  # type: ignore[attr-defined]


def test_no_random_build_joins_two_poles() -> None:
    for plan in random_builds(77, 40):
        assert not [r for r in refusals(assess(plan, STOCK).circuit) if r.kind != "nowhere"], plan.name
