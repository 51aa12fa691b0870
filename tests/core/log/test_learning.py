"""What runs teach, held against sixty consoles whose cells another model solved, and against readings by hand."""

from __future__ import annotations

import json
import math
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.core.log.learning import Measured, carried_over, learn, shared
from briskcell.core.pack.uncertainty import Range
from briskcell.core.spread.doubts import doubts
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.figure import Figure
from briskcell.model.plan import Plan
from briskcell.services.demo import sanderling

STOCK = catalogue().stock()
CONSOLES = json.loads((Path(__file__).parents[2] / "cases" / "consoles" / "consoles.json").read_text())["consoles"]
CLASSES = {"Chen2020": "cell-21700-e50", "Mohtat2020": "pouch-p50", "Ai2020": "pouch-p20"}


def console(made: dict[str, Any], parallel: int) -> Plan:
    """One of the sixty as a builder plans it: classes of the library, the label of its cells."""
    plan = sanderling()
    pack, on = plan.packs[0], plan.by_id["board"].fed_by  # type: ignore[attr-defined]
    loads = tuple(
        catalogue().part(name, id=at, fed_by=on)
        for name, at in ((made["board"], "board"), (made["screen"], "screen"), ("radio-wifi", "radio"))
    )
    use = {"profile": {"rest": 0, "play": 1, "peak": 0}, "games": (), "days": (), "placed": (), "joined": ()}
    plan = remade(plan, {"loads": loads, "shutdown": plan.shutdown.model_copy(update={"warning_v": None}), **use})
    cell, label = STOCK.of_class(CLASSES[made["cell"]]), made["label_ah"]
    label_ah = cell.label_ah.model_copy(update={"low": label * 0.98, "likely": label, "high": label * 1.02})  # type: ignore[union-attr]
    return replaced(plan, altered(pack, cell=cell.model_copy(update={"label_ah": label_ah}), parallel=parallel))  # type: ignore[union-attr]


def hours(a: Assessment) -> float:
    assert a.runtime is not None
    assert a.runtime.hours is not None
    return a.runtime.hours


def reach(a: Assessment) -> Range:
    assert a.runtime_range is not None
    return a.runtime_range


def share(of: Range) -> float:
    return (of.high - of.low) / 2 / of.likely


@lru_cache(maxsize=1)
def judged() -> dict[str, np.ndarray]:
    """Of each console: whether its hours lie in the range before and after one evening's run, how far likely ones are off then, for
    its own pack and the other; how wide the ranges are."""
    rows = []
    for made in CONSOLES:
        a = assess(console(made, made["parallel"]), STOCK)
        found = learn(a, [Measured("hours", made["run_hours"])])
        assert found is not None
        own = assess(found.plan, STOCK)
        other = assess(replaced(found.plan, altered(found.plan.packs[0], parallel=made["other_parallel"])), STOCK)
        before, after = reach(a), reach(own)
        rows.append(
            (
                before.low <= made["hours"] <= before.high,
                after.low <= made["hours"] <= after.high,
                abs(hours(own) / made["hours"] - 1),
                abs(hours(other) / made["other_hours"] - 1),
                abs(hours(own) / made["run_hours"] - 1),
                share(before),
                share(after),
                after.low <= made["run_hours"] <= after.high,
            )
        )
    names = ("before", "after", "own", "other", "run", "wide", "narrow", "contains")
    return dict(zip(names, np.array(rows, dtype=float).T, strict=True))


def test_sixty_consoles_of_another_model_lie_in_their_ranges_as_often_as_is_said() -> None:
    found = judged()
    print({k: (round(float(np.median(v)), 4), round(float(v.max()), 4), round(float(v.mean()), 4)) for k, v in found.items()})
    assert len(CONSOLES) == 60
    assert 0.72 <= found["before"].mean() <= 0.88
    assert 0.75 <= found["after"].mean() <= 0.90
    assert 0.35 <= found["wide"].min() < found["wide"].max() <= 0.49
    assert found["narrow"].max() <= 0.08
    assert found["contains"].all(), "what was measured on a console lies in its own range"


def test_after_one_run_the_likely_hours_of_that_console_and_of_another_pack_are_right() -> None:
    found = judged()
    assert np.median(found["own"]) < 0.03
    assert found["own"].max() < 0.082, "that evening itself was 8 % off"
    assert np.median(found["other"]) < 0.08
    assert found["other"].max() < 0.15
    assert found["run"].max() < 0.03, "the run itself"


def test_a_run_moves_what_is_least_known_and_says_how_well_it_is_known_now() -> None:
    a = assess(sanderling(), STOCK)
    usual = hours(a)
    found = learn(a, [Measured("hours", 0.75 * usual, words="Unit 1: harbour fight")])
    assert found is not None
    own = assess(found.plan, STOCK)
    assert hours(own) == pytest.approx(0.75 * usual, rel=0.01)
    assert (
        found.factors["shared|board-small4"] > found.factors["draw|board-small4board"] > found.factors["draw|screen-43screen"] > 1
    )
    assert found.factors["capacity|cell-21700-e50"] == pytest.approx(1.0, abs=0.02)
    board = found.plan.by_id["board"]
    moved = found.factors["shared|board-small4"] * found.factors["draw|board-small4board"]
    assert board.draw.play.likely == pytest.approx(1.8 * moved, rel=0.01)  # type: ignore[attr-defined]
    assert board.draw.play.grade == "typical", "it was moved, not measured"  # type: ignore[attr-defined]
    assert "Unit 1: harbour fight" in board.draw.play.source  # type: ignore[attr-defined]
    again = learn(own, [Measured("hours", 0.75 * usual)])
    assert again is not None
    assert hours(assess(again.plan, STOCK)) == pytest.approx(0.75 * usual, rel=0.01), "the same once more moves nothing"
    assert share(reach(assess(again.plan, STOCK))) < share(reach(own))
    kept = Plan.model_validate(found.plan.model_dump(mode="json"))
    assert reach(assess(kept, STOCK)) == reach(own), "the evidence is kept with the plan"


def test_watts_say_draw_and_a_test_says_cells() -> None:
    """A run is short by a fifth. With its mean watts as planned it is the cells; with a capacity as planned it is the draw."""
    a = assess(sanderling(), STOCK)
    usual, watts = hours(a), a.op.plan.use.play and float(a.runtime.mean_w)  # type: ignore[union-attr]
    by_cells = learn(a, [Measured("hours", 0.85 * usual), Measured("watts", watts)])
    by_draw = learn(a, [Measured("hours", 0.85 * usual), Measured("capacity", a.op.curves[0].capacity_ah)])
    assert by_cells is not None
    assert by_draw is not None

    def held(plan: Plan) -> float:
        return plan.packs[0].cell.capacity_ah.likely

    assert held(by_cells.plan) < 0.9 * held(a.plan)
    assert held(by_draw.plan) == pytest.approx(held(a.plan), rel=0.03)
    draws = [assess(p, STOCK).draw.mean_w / a.draw.mean_w for p in (by_cells.plan, by_draw.plan)]
    assert draws[0] == pytest.approx(1.0, abs=0.06)
    assert draws[1] == pytest.approx(1 / 0.85, abs=0.05)


def test_what_was_not_expected_and_what_goes_with_nothing_is_said_and_counts_as_it_is() -> None:
    a = assess(sanderling(), STOCK)
    usual = hours(a)
    strange = learn(a, [Measured("hours", 0.3 * usual)])
    assert strange is not None
    assert len(strange.surprises) == 1
    assert hours(assess(strange.plan, STOCK)) == pytest.approx(0.3 * usual, rel=0.03), "it is not trusted less for that"
    assert not learn(a, [Measured("hours", 0.75 * usual)]).surprises  # type: ignore[union-attr]
    two = learn(a, [Measured("hours", 0.7 * usual), Measured("hours", 0.95 * usual)])
    assert two is not None
    assert len(two.apart) == 2
    assert not learn(a, [Measured("hours", 0.84 * usual), Measured("hours", 0.86 * usual)]).apart  # type: ignore[union-attr]
    assert hours(assess(two.plan, STOCK)) == pytest.approx(math.sqrt(0.7 * 0.95) * usual, rel=0.02)
    switched_off = learn(a, [Measured("hours", 0.5 * usual, ended=False)])
    assert switched_off is not None
    assert not switched_off.evidence, "it lasts longer than that anyhow"
    longer = learn(a, [Measured("hours", 1.4 * usual, ended=False)])
    assert hours(assess(longer.plan, STOCK)) == pytest.approx(1.4 * usual, rel=0.02)  # type: ignore[union-attr]
    assert learn(a, []) is None


def test_another_unit_says_less_and_other_builds_move_by_what_they_share() -> None:
    a = assess(sanderling(), STOCK)
    usual = hours(a)
    own, half = (learn(a, [Measured("hours", 0.75 * usual, sibling=s)]) for s in (False, True))
    assert own is not None
    assert half is not None
    at = [hours(assess(f.plan, STOCK)) / usual for f in (own, half)]
    assert 0.75 <= at[0] < at[1] < 0.8
    assert share(reach(assess(half.plan, STOCK))) > 2 * share(reach(assess(own.plan, STOCK)))
    bigger = replaced(a.plan, altered(a.plan.packs[0], parallel=4))
    moved = assess(carried_over(own, bigger), STOCK)
    assert hours(moved) / hours(assess(bigger, STOCK)) == pytest.approx(at[0], abs=0.02), "it draws more there too"
    assert share(reach(moved)) == pytest.approx(math.sinh(1.28155 * math.hypot(0.03, 0.1)), rel=0.15)
    strange = replaced(a.plan, catalogue().part("board-old4", id="board", fed_by="boost"))
    partly = assess(carried_over(own, strange), STOCK)
    less = hours(partly) / hours(assess(strange, STOCK))
    assert at[0] < less < 1.0, "only screen and small parts are shared: another board shares no game"
    assert {d.kind for d in shared(a.plan, strange)} >= {"draw", "capacity"}
    assert "shared" not in {d.kind for d in shared(a.plan, strange)}


def test_figures_that_were_all_read_leave_a_run_little_to_move() -> None:
    plan = sanderling()
    for load in plan.loads:
        states = {
            s: Figure(low=f.likely, likely=f.likely, high=f.likely, grade="measured")
            for s in ("rest", "play", "peak")
            if (f := getattr(load.draw, s))
        }
        plan = replaced(plan, altered(load, **{load.kind: load.draw.model_copy(update=states)}))
    assert "shared" not in {d.kind for d in doubts(plan)}
    a = assess(plan, STOCK)
    assert share(reach(a)) < 0.15
    found = learn(a, [Measured("hours", 0.9 * hours(a))])
    assert found is not None
    assert found.factors["model|cell-21700-e50label"] < 0.96, "then it is the cells"
    assert found.factors["draw|board-small4board"] == pytest.approx(1.0, abs=0.02)
