"""Edits as people make them: every field takes back what it shows, every class can be swapped in, every part added."""

from __future__ import annotations

import random

import pytest

from briskcell.core.assess import assess
from briskcell.library import catalogue
from briskcell.model.changes import altered, replaced
from briskcell.model.errors import FigureError
from briskcell.model.figure import Figure
from briskcell.model.kinds import kind_of
from briskcell.model.parts import Load
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.model.tree import behind_links, load_feeders
from briskcell.model.units import typed
from briskcell.services.demo import demo_plans, sanderling
from briskcell.services.drafts import DraftRequest, draft
from briskcell.services.draw import loads
from briskcell.services.edits import values as edits
from briskcell.services.edits.differences import differences
from briskcell.services.edits.swap import swap
from briskcell.services.library import classes_for
from briskcell.services.parts.adding import add
from briskcell.services.rails.rewiring import add_rail, feed_from
from briskcell.web.frame.slip import slip_of
from tests.drafting import COMBINATIONS, drafted

PLANS = demo_plans()


@pytest.mark.parametrize("plan", PLANS, ids=lambda p: p.name)
def test_every_field_of_every_slip_takes_back_what_it_shows(plan: Plan) -> None:
    a, count = assess(plan), 0
    for part in plan.parts():
        slip = slip_of(a, f"part:{part.id}")
        assert slip is not None
        for field in slip.fields:
            assert not isinstance(field.value, str)
            changed = edits.set_value(plan, field.path, typed(field.value, field.unit))
            value, unit = edits.value_at(changed.plan, field.path)
            number = value.likely if isinstance(value, Figure) else value
            assert number == pytest.approx(field.value, rel=1e-5), field.path
            assert unit is not None
            assert "_" not in changed.words, changed.words
            count += 1
    assert count > 100


@pytest.mark.parametrize("plan", PLANS, ids=lambda p: p.name)
def test_every_class_of_its_kind_can_stand_in_a_parts_place(plan: Plan) -> None:
    for part in plan.parts():
        for c in classes_for(part) if kind_of(part).library else ():
            if part.half_of is not None:
                with pytest.raises(FigureError, match="comes on"):
                    swap(plan, part.id, c.key)
                continue
            changed = swap(plan, part.id, c.key).plan
            if part.id in {*plan.halves, *changed.halves}:  # what comes on a board comes and goes with it
                assert len(changed.chargers) == len(plan.chargers), c.key
                assert [h.part_class for h in changed.halves.get(part.id, ())] == [
                    h.part_class for h in catalogue().halves.get(c.key, ())
                ]
                continue
            assert {p.id for p in changed.parts()} == {p.id for p in plan.parts()}
            assert differences(changed, changed) == []
            new = changed.by_id[part.id]
            assert (new.cell.part_class if isinstance(new, Pack) else new.part_class) == c.key


def test_every_load_class_can_hang_on_every_feeder_and_be_taken_off_again() -> None:
    plan = sanderling()
    for feeder in load_feeders(plan):
        for c in catalogue().of_kind("loads"):
            if c.key in catalogue().halves:  # it brings the boards that make its rails
                continue
            added = add(plan, c.key, behind=feeder.id).plan
            new = next(p for p in added.loads if p.id not in plan.by_id)
            assert assess(added).draw.mean_w >= 0
            assert loads.remove(added, new.id).plan == plan


def test_a_wire_that_serves_others_stays_when_one_load_goes() -> None:
    plan = add(sanderling(), "light", behind="w-screen").plan
    gone = loads.remove(plan, "screen").plan
    assert "screen" not in gone.by_id
    assert "w-screen" in gone.by_id


@pytest.mark.parametrize("plan", PLANS, ids=lambda p: p.name)
def test_every_fix_that_is_offered_can_be_tried_and_says_what_it_changes(plan: Plan) -> None:
    a = assess(plan, catalogue().stock())
    for finding in a.findings:
        if finding.fix:
            done = edits.try_fix(a, finding.key)
            assert differences(plan, done.plan)
            assert done.words.startswith("Tried: ")
    with pytest.raises(FigureError, match="no longer needed"):
        edits.try_fix(a, "headroom:nothing")


def test_fixes_tried_one_after_another_leave_less_to_mend() -> None:
    plan, shelf = demo_plans()[1], catalogue().stock()
    failing = [f for f in assess(plan, shelf).findings if f.state == "fails"]
    for _ in range(12):
        a = assess(plan, shelf)
        able = next((f for f in a.findings if f.fix), None)
        if able is None:
            break
        plan = edits.try_fix(a, able.key).plan
    left = [f for f in assess(plan, shelf).findings if f.state == "fails"]
    assert len(left) < len(failing) / 2


def test_a_wish_that_cannot_be_met_is_told_its_field() -> None:
    for wish, field in (
        (DraftRequest(name="x", board="board-none", screen="screen-28", hours=3, thickness_mm=25), "part_class"),
        (DraftRequest(name="x", board="board-small4", screen="screen-28", hours=3, thickness_mm=9), "thickness"),
    ):
        with pytest.raises(FigureError) as caught:
            draft(wish)
        assert caught.value.field == field
        assert caught.value.fix


@pytest.mark.parametrize(("hours", "thickness"), [(0.5, 13.0), (2.0, 20.0), (9.0, 40.0), (9.0, 20.0)])
def test_a_draft_lasts_and_fits_what_was_wished(hours: float, thickness: float) -> None:
    plan = draft(DraftRequest(name="Knot", board="board-small4", screen="screen-35", hours=hours, thickness_mm=thickness))
    found = assess(plan).runtime
    assert found is not None
    assert (found.hours or 0) >= plan.brief.hours
    cell = plan.packs[0].cell
    assert cell.thickness_mm is not None
    assert cell.thickness_mm <= plan.brief.thickness_mm - 5, "two walls of 2.5 mm"
    asked = (plan.brief.hours, plan.brief.thickness_mm) == (hours, thickness)
    assert asked != plan.note.startswith("As it was wished it cannot be had")
    assert assess(plan, catalogue().stock()).failures == {}
    assert all(isinstance(p, Load) and p.draw.play.grade == "typical" for p in plan.loads)


@pytest.mark.parametrize(
    ("board", "screen", "hours", "layout"),
    [("board-x86", "screen-70", 2.0, "power_path"), ("board-disc", "screen-50", 4.0, "cut_out")],
)
def test_a_draft_keeps_cells_cool_on_the_charger_by_its_current_or_by_a_jack(
    board: str, screen: str, hours: float, layout: str
) -> None:
    plan = draft(DraftRequest(name="Knot", board=board, screen=screen, hours=hours, thickness_mm=28.0))
    a = assess(plan, catalogue().stock())
    assert not [f for f in a.findings if f.rule in ("played-on-the-charger", "short-lasts")]
    assert plan.chargers[0].layout == layout
    if layout == "power_path":
        known = catalogue().find(plan.chargers[0].part_class).part
        assert plan.chargers[0].current_a.likely < known.current_a.likely, "set lower than the board comes"
    else:
        assert [k.kind for k in plan.links].count("jack") == 1


def test_a_part_never_hangs_before_the_switch_and_the_fuse_unless_it_is_wired_there() -> None:
    plan = draft(DraftRequest(name="Knot", board="board-small4", screen="screen-35", hours=3.0, thickness_mm=30.0))
    stock = catalogue().stock()
    radio = add(plan, "radio-wifi").plan
    assert not [f for f in assess(radio, stock).findings if f.rule == "fuse-at-the-store"]
    on_pack = add(plan, "haptics", behind="pack").plan
    assert on_pack.by_id[on_pack.loads[-1].fed_by].fed_by == "switch"  # type: ignore[attr-defined]
    moved = feed_from(plan, "sound", "pack").plan
    assert not [f for f in assess(moved, stock).findings if f.rule == "fuse-at-the-store"]
    bare = replaced(on_pack, altered(on_pack.by_id[on_pack.loads[-1].fed_by], fed_by="pack"))
    railed = add_rail(bare, "linear-33-05", behind_links(bare, bare.packs[0]).id, "").plan
    assert railed.converters[-1].fed_by == "switch", "a part wired before them does not hide them"


def test_drafts_hold_in_the_bay_of_their_thickness_or_say_what_cannot_be_had() -> None:
    tally = drafted(random.Random(5).sample(COMBINATIONS, 10))
    assert tally["fails"] == 0
    assert tally["holds"] >= 7
    assert tally["holds"] + tally["nearest"] + tally["refused"] == 10
