"""Any class of the library added where it fits, connected elsewhere, and removed with what hangs on it put elsewhere."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import pytest

from briskcell.core.assess import assess
from briskcell.library import catalogue
from briskcell.model.changes import altered
from briskcell.model.errors import FigureError
from briskcell.model.parts import Converter, Link, Load, Rail
from briskcell.model.plan import Plan, plan_of
from briskcell.model.stores import ChargeBoard, Pack, Supply
from briskcell.model.tree import boards_above, feeders_of, source_of
from briskcell.services.demo import curlew, demo_plans, oystercatcher, sanderling
from briskcell.services.parts.adding import add, place_of
from briskcell.services.parts.feeding import connect, ends_of, rise
from briskcell.services.parts.fitting import add_string, protect, remove_string
from briskcell.services.parts.removing import remove

BUILDS = (sanderling, curlew, oystercatcher)


def guards(plan: Plan, load: Load) -> set[str]:
    return {str(p.kind) for p in feeders_of(plan, load) if isinstance(p, Link)} & {"switch", "fuse"}


@pytest.mark.parametrize("build", BUILDS)
def test_every_class_goes_in_where_it_fits_or_says_why_not(build: Callable[[], Plan]) -> None:
    plan = build()
    whole, refused = assess(plan), []
    assert whole.findings is not None
    for c in catalogue().classes:
        if getattr(c.part, "half_of", None) is not None:
            with pytest.raises(FigureError, match=r"comes on .* alone"):
                add(plan, c.key)
            continue
        try:
            assert place_of(plan, c).words, c.key
            after = add(plan, c.key)
        except FigureError as error:
            refused.append((c.key, error.fix))
            continue
        new = after.plan.by_id[after.shows]
        assert new.id not in plan.by_id
        assert new.name not in {p.name for p in plan.parts()}, "a second part of one name gets a number"
        if isinstance(new, Load):
            boards = boards_above(after.plan, new)
            source = source_of(after.plan, new)
            assert isinstance(source, Pack)
            volts = (
                [boards[-1].output_v.likely]
                if boards
                else [source.cell.empty_v * source.series, source.cell.full_v * source.series]
            )
            assert all(new.window.low_v <= v <= new.window.high_v for v in volts), c.key
            assert guards(plan, plan.loads[0]) <= guards(after.plan, new), f"{c.key} hangs before the switch or the fuse"
        if isinstance(new, Link):
            assert remove(after.plan, new.id).plan == plan, c.key
        whole.of(after.plan).work_out()
    # 19 V at 45 W, and 7.6 V at 9 W through to an empty pack: no board of the library makes that from these.
    assert dict(refused).keys() <= {"board-x86", "board-disc"}
    assert all(fix for _, fix in refused)


def test_a_part_without_a_rail_of_its_volts_brings_one() -> None:
    plan, screen = sanderling(), catalogue().find("screen-70-12v")
    after = add(plan, screen.key)
    load = after.plan.by_id[after.shows]
    assert isinstance(load, Load)
    board = boards_above(after.plan, load)[-1]
    assert board.id not in plan.by_id
    assert (board.kind, 9.0 <= board.output_v.likely <= 14.0) == ("boost", True), "one cell has to be stepped up"
    assert after.words == f"{load.name} added with {board.name}"
    # 7.4 to 8 V: only a board that can be set makes that, to the middle. Nothing makes 2 V.
    window = {"low_v": 7.4, "high_v": 8.0}
    assert place_of(plan, replace(screen, part=altered(screen.part, window=window))).volts == pytest.approx(7.7)
    with pytest.raises(FigureError, match=r"no board makes it"):
        place_of(plan, replace(screen, part=altered(screen.part, window={"low_v": 1.0, "high_v": 1.1})))


def test_a_link_goes_right_before_the_part_that_is_named_and_its_place_closes_up() -> None:
    plan = sanderling()
    after = add(plan, "plug-200", before="screen").plan
    plug = after.by_id["screen"].fed_by  # type: ignore[attr-defined]
    assert (after.by_id[plug].kind, after.by_id[plug].fed_by) == ("plug", "w-screen")  # type: ignore[attr-defined]
    assert remove(after, plug).plan == plan
    fuse = add(plan, "fuse-3")
    assert fuse.plan.by_id[fuse.shows].fed_by == "pack", "a fuse belongs right at the cells"  # type: ignore[attr-defined]
    with pytest.raises(FigureError, match="Nothing leads to"):
        add(plan, "fuse-3", before="usb")


@pytest.mark.parametrize("build", BUILDS)
def test_whatever_is_removed_the_rest_stays_a_build(build: Callable[[], Plan]) -> None:
    plan = build()
    for part in plan.parts():
        if isinstance(part, Pack | Supply):
            with pytest.raises(FigureError, match=r"all that feeds this build|is fed from"):
                remove(plan, part.id)
            continue
        if part.half_of is not None:
            with pytest.raises(FigureError, match=f"comes on {plan.by_id[part.half_of].name}"):
                remove(plan, part.id)
            continue
        after = remove(plan, part.id)
        assert not {part.id, *(h.id for h in plan.halves.get(part.id, ()))} & set(after.plan.by_id)
        assert part.id not in after.plan.by_id
        lost = {p.id for p in plan.loads} - {p.id for p in after.plan.loads}
        assert lost <= {part.id}, f"{part.name} took {lost} with it"
        assess(after.plan)
    board = next(c for c in plan.converters)
    gone = remove(plan, board.id)
    assert not [r for r in gone.plan.parts() if isinstance(r, Rail) and r.fed_by == board.id]


def test_a_second_pack_takes_over_what_the_first_fed() -> None:
    plan = add(sanderling(), "cell-21700-e50").plan
    second = plan.packs[1]
    assert (second.name, second.protection is not None) == ("Pack 2", True)
    after = remove(plan, "pack")
    assert after.words.startswith("Pack removed; ")
    assert after.words.endswith("fed from Pack 2")
    assert (after.plan.chargers, after.plan.packs) == ((), (second,))
    filled = add(after.plan, "charger-sw-2").plan
    assert filled.chargers[0].charges == second.id


def test_ends_are_connected_elsewhere_but_never_in_a_ring() -> None:
    plan = add(sanderling(), "usb-1").plan
    new = plan.supplies[-1].id
    moved = connect(plan, "charger", "supply", new).plan
    assert moved.by_id["charger"].supply == new  # type: ignore[attr-defined]
    boost = moved.by_id["boost"]
    assert isinstance(boost, Converter)
    below = {p.id for p in ends_of(moved, boost)["fed_by"]}
    assert "pack" in below
    assert "rail-5" not in below, "a board is not fed from its own rail"
    with pytest.raises(FigureError, match="cannot be connected"):
        connect(moved, "boost", "fed_by", "rail-5")
    assert all(isinstance(c, ChargeBoard) for c in moved.chargers)
    bare = protect(plan, "pack").plan
    assert bare.packs[0].protection is None
    again = protect(bare, "pack").plan.packs[0].protection
    assert again is not None
    assert again.cutoff_cell_v == pytest.approx(bare.packs[0].cell.empty_v - 0.2)


def test_a_string_of_another_cell_gives_all_strings_figures_of_their_own_until_they_are_alike_again() -> None:
    plan = sanderling()
    mixed = add_string(plan, "pack", "cell-21700-p40").plan
    assert [s.cell.name for s in mixed.packs[0].strings] == [plan.packs[0].cell.name] * 2 + [
        catalogue().find("cell-21700-p40").name
    ]
    more, less = (a.op.curves[0].capacity_ah for a in (assess(mixed), assess(plan)))
    assert more == pytest.approx(less + catalogue().find("cell-21700-p40").part.label_ah.likely, rel=1e-6)
    assert remove_string(mixed, "pack", "2").plan == plan
    with pytest.raises(FigureError, match="is no cell"):
        add_string(plan, "pack", "light")


def test_a_build_begins_from_nothing_part_by_part() -> None:
    plan = plan_of({"name": "from nothing"})
    with pytest.raises(FigureError, match="nothing to feed it yet"):
        add(plan, "board-small4")
    for key in ("bank-10-on", "board-small4", "screen-43"):
        plan = add(plan, key).plan
    a = assess(plan)
    assert a.runtime is not None
    # 37 Wh at 86 % over the two parts' mean draw.
    assert a.runtime.hours == pytest.approx(37 * 0.86 / a.draw.mean_w, rel=0.03)
    assert len(demo_plans()) == 3


def test_a_link_changes_places_with_the_one_before_it() -> None:
    plan = sanderling()
    way = ["pack", "fuse", "w-pack", "switch", "boost"]
    assert [p.id for p in reversed(list(feeders_of(plan, plan.converters[0])))] == way[:-1]
    risen = rise(plan, "switch")
    assert [p.id for p in reversed(list(feeders_of(risen.plan, risen.plan.converters[0])))] == ["pack", "fuse", "switch", "w-pack"]
    assert risen.words == "Toggle switch, 6 A put before Wire from the pack"
    assert rise(risen.plan, "w-pack").plan == plan
    for part in ("fuse", "w-screen", "boost"):
        with pytest.raises(FigureError, match="No link lies before it"):
            rise(plan, part)
