"""A board goes whole: what comes on it comes and goes with it, is priced and laid once, and charges through its own pads."""

from __future__ import annotations

import numpy as np
import pytest

from briskcell.core.assess import assess
from briskcell.core.charge.charging import charge
from briskcell.core.draw.bill import bill
from briskcell.core.engine.operating import operate
from briskcell.core.engine.resistance import link_resistance_ohm
from briskcell.core.mending import mend_all
from briskcell.core.moves.boards import other_boards
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.errors import FigureError
from briskcell.model.parts import Converter, Load
from briskcell.model.plan import Plan
from briskcell.model.stores import ChargeBoard
from briskcell.model.tree import charged_through, made_v, maker_of
from briskcell.services.demo import curlew, oystercatcher, sanderling
from briskcell.services.drafts import PartsRequest, from_parts
from briskcell.services.drawer.drawer import shopping
from briskcell.services.edits.swap import swap
from briskcell.services.parts.adding import add
from briskcell.services.parts.removing import remove
from briskcell.services.rails.alternatives import alternatives

STOCK = catalogue().stock()
COMBINED = [key for key in STOCK.halves if STOCK.charging_half(key) is not None]


def charger(plan: Plan) -> ChargeBoard:
    (found,) = plan.chargers
    return found


@pytest.mark.parametrize("key", COMBINED)
def test_a_board_that_charges_takes_the_place_of_the_charge_board_and_gives_it_back(key: str) -> None:
    one = swap(sanderling(), "boost", key).plan
    assert (charger(one).half_of, charger(one).part_class, charger(one).supply) == ("boost", f"{key}-charge", "usb")
    assert [w.name for w in shopping(one, []) if "harging half" in w.name or "harge board" in w.name] == []
    blocks = {s.id for s in assess(one, STOCK).solids[0]}
    assert "boost" in blocks
    assert "charger" not in blocks
    two = swap(one, "boost", "boost-5v-5a").plan
    assert (charger(two).half_of, charger(two).layout) == (None, "power_path"), "as playing meanwhile is wished"
    assert two.halves == {}
    gone = remove(one, "boost").plan
    assert not gone.chargers
    assert [f.state for f in assess(gone, STOCK).of_rule("chargeable")] == ["fails"]


def test_its_price_is_one_and_its_current_what_the_cells_take() -> None:
    one = swap(sanderling(), "boost", "combined-5v-3-path").plan
    board, half = one.by_id["boost"], charger(one)
    assert isinstance(board, Converter)
    apart = bill(sanderling()).cost - 6.0 - 6.5  # its charge board and its boost
    assert bill(one).cost == pytest.approx(apart + 12.0)
    assert half.current_a.likely == 3.0
    small = replaced(one, altered(one.packs[0], parallel=1))
    weak = swap(small, "boost", "combined-5v-2").plan
    assert charger(weak).current_a.likely <= small.packs[0].cell.max_charge_a.likely


def test_what_lies_before_its_pads_lies_in_its_charge() -> None:
    """The course of a charge through 0.5 Ω more is that of cells with 0.5 Ω more: the board sees no difference."""
    plan = oystercatcher()
    half = charger(plan)
    through = charged_through(plan, half)
    assert through is not None
    assert [k.id for k in through] == ["switch", "w-pack"]
    ohm = sum(link_resistance_ohm(k) for k in through)
    apart = replaced(plan, altered(half, half_of=None))
    assert charged_through(apart, charger(apart)) is None
    store = altered(plan.packs[0], link_resistance_ohm=plan.packs[0].link_resistance_ohm.likely + ohm)
    one = charge(operate(plan), half).off.hours
    other = charge(operate(replaced(apart, store)), charger(apart)).off.hours
    assert one == pytest.approx(other, rel=1e-6)
    assert one > charge(operate(apart), charger(apart)).off.hours  # type: ignore[operator]


def test_its_power_path_lies_on_the_board_and_in_the_way_of_what_it_feeds_alone() -> None:
    one = swap(sanderling(), "boost", "combined-5v-2-path").plan
    with_lamp = add(one, "lamp-low-33", behind="switch").plan
    op = operate(with_lamp, np.array([0.5]))
    net, half = op.network, charger(with_lamp)
    path = net.branch[half.id]
    assert half.battery_path_ohm is not None
    assert net.fixed_ohm[path] == half.battery_path_ohm.likely
    crossing = {c.id for c, row in zip((*net.loads, *net.converters), net.branch_of_consumer, strict=True) if row[path]}
    assert crossing == {"boost"}


def test_a_switch_before_it_is_told_and_moved_to_its_output_where_rails_still_know_their_volts() -> None:
    one = swap(sanderling(), "boost", "combined-5v-3-path").plan
    (found,) = assess(one, STOCK).of_rule("charge-behind-switch")
    assert found.state == "close"
    assert found.fix is not None
    moved = found.fix.plan
    assert moved.by_id["switch"].fed_by == "boost"  # type: ignore[attr-defined]
    assert moved.by_id["rail-5"].fed_by == "switch"  # type: ignore[attr-defined]
    assert made_v(moved, moved.by_id["rail-5"]) == 5.1
    assert maker_of(moved, moved.by_id["rail-5"]) is moved.by_id["boost"]
    latching = replaced(one, catalogue().part("switch-latch-5", id="switch", fed_by="w-pack"))
    assert [f.state for f in assess(latching, STOCK).of_rule("charge-behind-switch")] == ["fails"]


def test_many_in_one_brings_its_switch_amplifier_and_hub_onto_its_own_rail() -> None:
    plan = swap(sanderling(), "boost", "handheld-5v-2").plan
    halves = {h.part_class.removeprefix("handheld-5v-2-"): h for h in plan.halves["boost"]}
    assert set(halves) == {"charge", "switch", "sound", "hub"}
    assert plan.by_id["boost"].fed_by == halves["switch"].id  # type: ignore[attr-defined]
    assert halves["switch"].fed_by == "switch"  # type: ignore[attr-defined]
    assert halves["sound"].fed_by == halves["hub"].fed_by == "rail-5"  # type: ignore[attr-defined]
    back = swap(plan, "boost", "boost-5v-5a").plan
    assert {p.id for p in back.parts()} == {p.id for p in sanderling().parts()}


def test_a_part_that_takes_several_volts_hangs_on_as_many_rails_each_within_its_window() -> None:
    plan = add(add(curlew(), "power-console", behind="jack").plan, "console-trimmed").plan
    loads = [p for p in plan.loads if p.part_class.startswith("console-trimmed")]
    assert [round(made_v(plan, plan.by_id[plan.by_id[p.fed_by].fed_by]), 2) for p in loads] == [3.4, 1.8, 1.15]  # type: ignore[attr-defined]
    assert len({p.half_of for p in loads} - {None}) == 1
    assert not [f for f in assess(plan, STOCK).of_rule("load-window") if f.element.startswith("console")]
    gone = remove(plan, loads[0].id).plan
    assert not [p for p in gone.parts() if "console-trimmed" in p.id]
    with pytest.raises(FigureError, match="is in use"):
        swap(plan, "reg-power-console", "buck-5v-5a")


def test_from_the_parts_at_hand_and_one_board_or_two_it_comes_with_its_charger() -> None:
    wanted = PartsRequest(
        name="x",
        cell="cell-21700-e50",
        series=1,
        parallel=2,
        board="board-small4",
        screen="screen-35",
        regulator="combined-5v-2-path",
    )
    made = from_parts(wanted)
    assert charger(made).part_class == "combined-5v-2-path-charge"
    assert not assess(made, STOCK).of_rule("charge-behind-switch"), "its switch lies at the board's output"
    one, two = alternatives(assess(sanderling(), STOCK))
    assert (one.today, two.today, two.plan) == (False, True, sanderling())
    assert charger(one.plan).half_of == "boost"
    ours, apart = alternatives(assess(oystercatcher(), STOCK))
    assert (ours.today, charger(apart.plan).half_of) == (True, None)


def test_mend_all_never_leaves_half_a_board() -> None:
    found = mend_all(assess(oystercatcher(), STOCK)).after
    assert not found.failures
    for whole, halves in found.plan.halves.items():
        board = found.plan.by_id[whole]
        assert [h.part_class for h in halves] == [h.part_class for h in STOCK.halves[board.part_class]]
    assert found.plan.chargers


def test_nobody_is_offered_a_board_with_more_on_it_than_is_asked() -> None:
    a = assess(swap(sanderling(), "boost", "boost-5v-2a").plan, STOCK)
    board = a.plan.by_id["boost"]
    assert isinstance(board, Converter)
    offered = [f.plan.by_id["boost"].part_class for f in other_boards(a, board)]
    assert offered
    assert not set(offered) & set(STOCK.halves)


def test_a_half_names_a_board_that_is_there_and_is_no_half_itself() -> None:
    plan = oystercatcher()
    for wrong in ("nobody", "charger"):
        with pytest.raises(ValueError, match="which is no board"):
            replaced(plan, altered(charger(plan), half_of=wrong))
    for part_id, whole in (("w-screen", "boost"), ("switch", "screen"), ("boost", "screen"), ("pack", "boost")):
        with pytest.raises(ValueError, match=r"cannot come on|is no board"):
            replaced(plan, altered(plan.by_id[part_id], half_of=whole))
    assert replaced(plan, altered(plan.by_id["switch"], half_of="boost")).halves["boost"][1].id == "switch", "right before it"
    sound = plan.by_id["sound"]
    assert isinstance(sound, Load)
    with pytest.raises(ValueError, match="which is no board"):
        remade(plan, {"loads": tuple(altered(p, half_of="charger") if p is sound else p for p in plan.loads)})
