"""Edits as people make them, in any order: parts, games, the bay, both schools, sessions typed in words."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from briskcell.core.assess import assess
from briskcell.library import catalogue
from briskcell.library.catalogue import chemistries
from briskcell.model.changes import altered, replaced
from briskcell.model.errors import FigureError
from briskcell.model.figure import Figure
from briskcell.model.plan import Plan, Profile
from briskcell.model.tree import board_feeders, feeding_point, load_feeders, store_point
from briskcell.services.day.phases import read_phases
from briskcell.services.day.session import play
from briskcell.services.demo import curlew, demo_plans, oystercatcher, sanderling
from briskcell.services.draw import games, loads
from briskcell.services.edits.differences import differences
from briskcell.services.edits.swap import swap
from briskcell.services.edits.values import set_value
from briskcell.services.jobs import Progress
from briskcell.services.pack import bay, cells
from briskcell.services.parts.adding import add
from briskcell.services.parts.removing import remove
from briskcell.services.rails import rewiring
from briskcell.services.rails.alternatives import alternatives, take_alternative
from briskcell.services.search import IN_DRAWER, KIND, search, take_found
from briskcell.services.search_kept import Judged
from briskcell.store.drawer import DrawerRow

LOADS = [c.key for c in catalogue().of_kind("loads")]
KINDS = ["add", "double", "remove", "move", "hang", "swap", "game", "less"]
ACTS = st.lists(
    st.tuples(
        st.sampled_from(["add", "double", "remove", "move", "hang", "swap", "game", "less"]), st.integers(0, 40), st.integers(0, 40)
    ),
    max_size=12,
)


def acted(plan: Plan, act: str, one: int, two: int) -> Plan:
    load = plan.loads[one % len(plan.loads)].id if plan.loads else ""
    other = plan.loads[two % len(plan.loads)].id if plan.loads else ""
    places = [p.id for p in load_feeders(plan)]
    if act == "add":
        return add(plan, LOADS[one % len(LOADS)], behind=places[two % len(places)]).plan
    if act == "double":
        return loads.duplicate(plan, load).plan
    if act == "remove":
        return loads.remove(plan, load).plan
    if act == "move":
        return loads.move(plan, load, other).plan
    if act == "hang":
        return rewiring.feed_from(plan, load, places[two % len(places)]).plan
    if act == "swap":
        return swap(plan, load, LOADS[two % len(LOADS)]).plan
    return games.add_game(plan).plan if act == "game" else games.remove_game(plan, str(one % 3)).plan


@settings(max_examples=60)
@given(st.sampled_from(demo_plans()), ACTS)
def test_any_run_of_edits_leaves_a_build_that_answers(plan: Plan, acts: list[tuple[str, int, int]]) -> None:
    for act in acts:
        before = plan
        try:
            plan = acted(plan, *act)
        except FigureError:
            assert act[0] in ("remove", "double", "move", "hang", "swap", "game", "less"), "a part can always be added"
            continue
        names = {p.name for p in plan.parts()}
        assert act[0] != "double" or len(plan.loads) == len(before.loads) + 1
        assert act[0] != "double" or len(names) > len({p.name for p in before.parts()}), "a double has a name of its own"
        assert act[0] not in ("move", "hang", "swap", "game", "less") or len(plan.loads) == len(before.loads)
        assert act[0] != "move" or {p.id for p in plan.loads} == {p.id for p in before.loads}
    found = assess(plan)
    assert found.draw.mean_w >= 0
    assert all(f.cause for f in found.findings)


def test_a_doubled_part_has_a_wire_like_the_first_and_draws_the_same() -> None:
    plan = set_value(sanderling(), "links/w-screen/awg", "22").plan
    twin = loads.duplicate(plan, "screen").plan
    new = twin.loads[[p.id for p in plan.loads].index("screen") + 1]
    assert new.name == "Screen 4.3 in with backlight 2"
    wire = twin.by_id[new.fed_by]
    assert (wire.awg, wire.fed_by) == (22, "rail-5")  # type: ignore[attr-defined]
    watts = {d.load.id: d.mean_w for d in assess(twin).draw.loads}
    assert watts[new.id] == pytest.approx(watts["screen"], rel=0.01)
    assert loads.remove(twin, new.id).plan == plan


def test_a_part_is_given_a_knob_that_is_turned_and_taken_away() -> None:
    plan = loads.add_knob(sanderling(), "board").plan
    assert assess(plan).draw.mean_w == pytest.approx(assess(sanderling()).draw.mean_w), "full up, as quoted"
    edit = set_value(plan, "loads/board/settings/0/position", "50 %")
    assert edit.words == "Small four-core computer board, brightness: 100% to 50%"
    assert assess(edit.plan).draw.mean_w < assess(plan).draw.mean_w
    assert loads.remove_knob(edit.plan, "board", "0").plan == sanderling()
    with pytest.raises(FigureError):
        loads.remove_knob(sanderling(), "board", "0")


def test_hanging_on_the_pack_goes_behind_switch_and_fuse_and_never_before_them() -> None:
    plan = sanderling()
    sound = plan.by_id["sound"]
    point = store_point(plan, sound)  # type: ignore[arg-type]
    assert point == "switch"
    hung = rewiring.feed_from(plan, "sound", point).plan
    assert feeding_point(hung, hung.by_id["sound"]) == "switch"  # type: ignore[arg-type]
    for nowhere in ("w-pack", "fuse", "sound", "", "usb"):
        with pytest.raises(FigureError):
            rewiring.feed_from(plan, "sound", nowhere)


def test_a_rail_is_added_used_and_taken_away_once_nothing_hangs_on_it() -> None:
    plan = sanderling()
    assert [p.id for p, _ in board_feeders(plan)] == ["switch", "rail-5", "rail-33"]
    more = rewiring.add_rail(plan, "boost-9v-3a", "switch", "").plan
    assert more.rails[-1].name == "9.0 V rail"
    used = rewiring.feed_from(more, "light", more.rails[-1].id).plan
    assert assess(used).draw.loads[-2].watts[1][1] == pytest.approx(9.0 * 0.005, rel=0.05)
    with pytest.raises(FigureError, match="fed from this rail"):
        rewiring.remove_rail(used, used.rails[-1].id)
    assert rewiring.remove_rail(more, more.rails[-1].id).plan == plan
    for key, at in (("light", "switch"), ("boost-9v-3a", "w-pack"), ("boost-9v-3a", "nowhere")):
        with pytest.raises(FigureError):
            rewiring.add_rail(plan, key, at, "x")


def test_a_part_finds_the_rail_whose_volts_it_accepts() -> None:
    plan = sanderling()
    assert loads.best_feeder(plan, catalogue().find("radio-bt").part) == "rail-33"
    assert loads.best_feeder(plan, catalogue().find("board-small4").part) == "rail-5"
    added = add(plan, "radio-wifi").plan
    assert not [f for f in assess(added).findings if f.rule == "load-window"]


def test_own_parts_with_names_of_any_alphabet_get_an_id() -> None:
    plan = sanderling()
    figure = Figure(low=0.1, likely=0.2, high=0.3)
    for name in ("Überlandlampe", "灯", "7-segment", "—", "a" * 120):
        load = loads.own_load(name, figure, figure, figure, 3.0, 5.5)
        plan = loads.added(plan, load, "rail-5")
        assert plan.loads[-1].name == name
    with pytest.raises(FigureError, match="not below"):
        loads.own_load("odd", figure, figure, figure, 5.5, 3.0)


def test_the_last_game_taken_away_gives_its_profile_back() -> None:
    plan = games.add_game(sanderling()).plan
    assert plan.games[0].profile == sanderling().profile
    plan = set_value(plan, "games/0/profile", "20 / 70 / 10").plan
    plan = set_value(plan, "games/0/name", "Harbour tales").plan
    two = games.add_game(plan).plan
    assert {g.name for g in two.games} == {"Harbour tales", "Game 1"}
    assert [g.share for g in two.games] == [0.5, 0.5]
    shared = set_value(two, "games/1/share", "20 %").plan
    assert [g.share for g in shared.games] == pytest.approx([0.8, 0.2]), "the others share the rest"
    one = games.remove_game(shared, "1").plan
    assert one == plan
    none = games.remove_game(one, "0").plan
    assert none.profile == none.use == Profile(rest=0.2, play=0.7, peak=0.1)
    assert none.games == ()


@pytest.mark.parametrize("text", ["", "10", "10/20/30", "a / b / c", "120 / -10 / -10", "10 / 85 / 5 / 0"])
def test_a_profile_that_is_no_whole_is_refused(text: str) -> None:
    with pytest.raises(FigureError):
        set_value(sanderling(), "profile", text)


def test_a_gauge_becomes_a_section_and_back() -> None:
    plan = set_value(sanderling(), "links/w-screen/awg", "0.25 mm2").plan
    wire = plan.by_id["w-screen"]
    assert (wire.awg, wire.section_mm2) == (None, 0.25)  # type: ignore[attr-defined]
    back = set_value(plan, "links/w-screen/awg", "24").plan.by_id["w-screen"]
    assert (back.awg, back.section_mm2) == (24, None)  # type: ignore[attr-defined]


def test_a_bay_is_begun_measured_blocked_and_freed() -> None:
    plan = oystercatcher().model_copy(update={"bay": None})
    begun = bay.start_bay(plan).plan
    assert begun.bay is not None
    assert begun.bay.depth_mm < plan.case.depth_mm
    blocked = bay.add_block(begun).plan
    moved = set_value(blocked, "bay/keep_outs/0/x_mm", "12 mm").plan
    assert moved.bay is not None
    assert moved.bay.keep_outs[0].x_mm == 12
    assert bay.remove_block(moved, "0").plan == begun
    for number in ("1", "x", ""):
        with pytest.raises(FigureError):
            bay.remove_block(moved, number)


@pytest.mark.parametrize("chemistry", sorted(chemistries()))
@pytest.mark.parametrize("width", [None, 34.0])
def test_a_cell_of_any_chemistry_can_be_typed_from_its_wrapper(chemistry: str, width: float | None) -> None:
    cell = cells.typed_cell("From a drawer", chemistry, 2.2, 9.0 if width else 18.4, width, 65.0, 4.0)
    assert cell.label_ah.grade == "guessed"
    plan = cells.put_cell(sanderling(), "pack", cell).plan
    found = assess(plan, catalogue().stock())
    assert found.runtimes[0].energy_wh == pytest.approx(2 * 2.2 * sum(cell.ocv.value) / len(cell.ocv.value), rel=0.2)
    assert found.findings is not None


@pytest.mark.parametrize("plan", [sanderling(), oystercatcher()], ids=lambda p: p.name)
def test_going_the_other_way_and_back_asks_the_same_question(plan: Plan) -> None:
    a = assess(plan, catalogue().stock())
    both = alternatives(a)
    assert [s.today for s in both].count(True) == 1
    other = next(s for s in both if not s.today)
    gone = take_alternative(a, other.key).plan
    again = {s.key: s for s in alternatives(assess(gone, catalogue().stock()))}
    assert again[other.key].today
    assert again[other.key].runtime_h == pytest.approx(other.runtime_h)
    assert alternatives(assess(curlew())) == (), "a bucked pack does not ask it"


@pytest.mark.usefixtures("short_search")
def test_a_search_finds_what_its_takers_get_and_refuses_what_it_does_not_know(tmp_path: Path) -> None:
    seen: list[float] = []
    a = assess(sanderling(), catalogue().stock())
    result = search(a, Judged(tmp_path, 3))(Progress(seen.append))
    assert result["judged"] > 5_000
    best = next(f for f in result["found"] if f["state"] != "fails")
    edit = take_found(a, best["cell"], best["parallel"], best["board"], best["awg"], best["charger"])
    built = assess(edit.plan)
    assert built.runtime is not None
    assert built.runtime.hours == pytest.approx(best["runtime_h"], rel=0.01)
    assert best["runtime_h"] >= sanderling().brief.hours
    for f in result["found"]:
        whole = assess(take_found(a, f["cell"], f["parallel"], f["board"], f["awg"], f["charger"]).plan, catalogue().stock())
        assert whole.plan.chargers[0].part_class == f["charger"]
        # A board that charges as well does so through the wire from the pack, whose gauge the hours do not know.
        rel = 0.05 if whole.plan.chargers[0].half_of else 0.03
        assert whole.charges[0].off.hours == pytest.approx(f["charge_h"], rel=rel), f
        assert f["charge_h"] <= a.plan.brief.charge_hours
    soonest = next(f for f in result["found"] if "full soonest" in f["good_at"])
    assert soonest["charge_h"] == min(p["charge_h"] for p in result["points"])
    assert 2 <= len(result["found"]) <= 12
    assert result["passing"] + result["reasons"][0][1] <= result["judged"]
    assert min(f["thickness_mm"] for f in result["found"]) == next(
        f["thickness_mm"] for f in result["found"] if "thinnest" in f["good_at"]
    )
    judged = assess(edit.plan, catalogue().stock()).findings
    assert (judged[0].state if judged and judged[0].state in ("fails", "close") else "holds") == best["state"], (
        "as the whole build says"
    )
    for plan in (rewiring.feed_from(sanderling(), "sound", "switch").plan, remove(sanderling(), "w-pack").plan):
        with pytest.raises(FigureError):
            search(assess(plan), Judged(tmp_path, 4))
    with pytest.raises(FigureError):
        take_found(a, "boost-5v-3a", 1, "boost-5v-3a", 20.0)
    with pytest.raises(FigureError, match="does not suit"):
        take_found(a, best["cell"], 1, best["board"], 20.0, "charger-2s-1")


@pytest.mark.usefixtures("short_search")
def test_a_search_that_is_stopped_goes_on_from_what_it_judged(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("briskcell.services.search.CHUNK", 256)
    monkeypatch.setattr("briskcell.services.search.filling", lambda *_: None)  # chargers are another test's
    monkeypatch.setattr("briskcell.core.search.scout.CHUNK", 256)
    a, progress = assess(sanderling(), catalogue().stock()), Progress(lambda _: None)
    progress.stop.set()
    nothing = search(a, Judged(tmp_path, 3))(progress)
    assert (nothing["judged"], nothing["share"], nothing["found"]) == (0, 0.0, [])

    class Halfway(Progress):
        def at(self, share: float) -> None:
            if share > 0.3:
                self.stop.set()

    half = search(a, Judged(tmp_path, 3))(Halfway(lambda _: None))
    assert 0.3 < half["share"] < 0.7
    asked = []

    class Counting(Progress):
        def at(self, share: float) -> None:
            asked.append(share)

    whole = search(a, Judged(tmp_path, 3))(Counting(lambda _: None))
    assert asked[0] >= half["share"] - 1e-9, "what was judged is not judged again"
    assert whole["share"] == 1.0
    anew = search(a, Judged(tmp_path, 4))(Progress(lambda _: None))
    assert {k: v for k, v in whole.items() if k != "seconds"} == {k: v for k, v in anew.items() if k != "seconds"}
    assert not list((tmp_path / "searches").glob("3-*")), "nothing is left of a search that is done"
    search(a, Judged(tmp_path, 3))(Halfway(lambda _: None))
    kept = next((tmp_path / "searches").glob("3-*.npz"))
    kept.write_bytes(b"torn")
    other = assess(set_value(a.plan, "brief/hours", "6 h").plan, catalogue().stock())
    assert search(other, Judged(tmp_path, 3))(progress)["judged"] == 0, "another build's chunks, or a torn file, are no use"
    assert not kept.exists()


@pytest.mark.usefixtures("short_search")
def test_a_search_costs_what_is_to_be_bought_and_can_keep_to_the_drawer(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("briskcell.services.search.filling", lambda *_: None)
    plan = set_value(sanderling(), "brief/hours", "6 h").plan
    own = plan.packs[0].cell.part_class

    def found(kind: str, rows: list[DrawerRow], plan: Plan = plan) -> list[dict[str, Any]]:
        made = search(assess(plan, catalogue().stock()), Judged(tmp_path, 3), rows, kind)(Progress(lambda _: None))
        return [*made["points"], *made["found"]]

    few = max((f for f in found(KIND, []) if f["cell"] != own and f["parallel"] < 4), key=lambda f: f["parallel"])
    mine, board, most = few["cell"], few["board"], few["parallel"]
    rows = [
        DrawerRow(part_class=mine, quantity=most, price=2.5),
        DrawerRow(part_class=board, quantity=1),
        DrawerRow(part_class=own, sold_out=True),
    ]
    alone = found(IN_DRAWER, rows)
    assert {(f["cell"], f["board"], f["cost"], f["lie"]) for f in alone} == {(mine, board, 0.0, True)}
    assert max(f["parallel"] for f in alone) <= most, "no more cells than lie there"
    every = found(KIND, rows)
    assert own not in {f["cell"] for f in every}, "what is sold out and does not lie there is left out"
    for f in every:
        lacking = max(f["parallel"] - (most if f["cell"] == mine else 0), 0)
        each = 2.5 if f["cell"] == mine else catalogue().find(f["cell"]).part.cost
        other = 0.0 if f["board"] == board else catalogue().find(f["board"]).part.cost
        assert f["cost"] == pytest.approx(lacking * each + other, abs=0.01), f
    assert {f["lie"] for f in every} == {True, False}
    measured = plan.packs[0].cell.model_copy(update={"part_class": "", "name": "My own cell"})
    typed = replaced(plan, altered(plan.packs[0], cell=measured))
    assert "" in {f["cell"] for f in found(KIND, [], typed)}, "a cell that was typed in is among them"
    taken = take_found(assess(typed), "", 2, "boost-5v-3a", 20.0).plan.packs[0]
    assert (taken.cell, taken.parallel) == (measured, 2)
    with pytest.raises(FigureError, match="No cell that the build could take lies in the drawer"):
        found(IN_DRAWER, [])


def test_phases_are_read_as_people_type_them() -> None:
    found = read_phases("Boot 1 min; play 1h30, off 30 min plugged,\nPEAK 20s")
    assert [(p.what, p.seconds, p.plugged) for p in found] == [
        ("boot", 60, False),
        ("play", 5400, False),
        ("off", 1800, True),
        ("peak", 20, False),
    ]
    for text in ("", "play", "play soon", "dance 1h", "play 0 min", "play 100h", ",".join(["play 1 min"] * 41), "play -1h"):
        with pytest.raises(FigureError) as told:
            read_phases(text)
        assert told.value.fix
    course = play(assess(sanderling()), "play 1h, off 1h plugged", 0.5)
    assert course.ended == ""
    assert course.soc[-1] > course.soc[len(course.soc) // 2]


def test_differences_name_both_sides_of_every_change_of_an_edit() -> None:
    plan = sanderling()
    for changed in (swap(plan, "boost", "boost-5v-3a").plan, loads.duplicate(plan, "light").plan, bay.add_block(plan).plan):
        rows = differences(plan, changed)
        assert rows
        assert all(was != now for _, was, now in rows)
        back = {(was, now) for _, now, was in differences(changed, plan)}
        assert {(was, now) for _, was, now in rows if not {"in the build", "there"} & {was, now}} <= back
