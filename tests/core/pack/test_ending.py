"""One end of play: hours, spare, windows, resets, links, days, sessions, gauge, spread and search all end there. Hand-worked."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.core.day.session import play_session
from briskcell.core.search.candidates import candidates
from briskcell.core.search.scout import scout
from briskcell.core.spread.batch import solved
from briskcell.core.spread.doubts import doubts
from briskcell.formats.gauge import gauge_of
from briskcell.library import catalogue
from briskcell.model.changes import remade, replaced
from briskcell.model.phases import Phase
from briskcell.model.plan import Day, Plan, Stretch, plan_of
from briskcell.services.demo import curlew, sanderling
from tests.known import drawing, flat_cell, hand_plan

STOCK = catalogue().stock()


def falling(warning_v: float | None = None, **more: Any) -> Assessment:
    """3 Ah at 1 A from 4.0 V without resistance: 4 − h/3, empty at 3.0 V; a peak of 3 A."""
    packs = [{"id": "pack", "name": "Pack", "cell": flat_cell(volts=3.0, top_v=4.0, empty_v=3.0, ohm=0.0)}]
    fuse = {"id": "fuse", "name": "Fuse", "kind": "fuse", "fed_by": "pack", "resistance_ohm": 0.1, "rating_a": 4.0}
    loads = [drawing(1.0, peak=3.0, fed_by="fuse", peak_share=0.1, peak_s=1.0)]
    shutdown = {"warning_v": warning_v} if warning_v else {}
    return assess(
        plan_of(
            hand_plan(**{"packs": packs, "links": [fuse], "loads": loads, "shutdown": shutdown, "brief": {"hours": 1.0}} | more)
        ),
        STOCK,
    )


def warned(plan: Plan, volts: float) -> Assessment:
    return assess(remade(plan, {"shutdown": plan.shutdown.model_copy(update={"warning_v": volts})}), STOCK)


def test_a_warning_that_is_set_ends_play_and_what_lies_below_is_stranded() -> None:
    bare, set_ = falling().runtime, falling(3.6).runtime
    assert bare is not None
    assert set_ is not None
    assert (bare.hours, set_.hours) == (pytest.approx(3.0), pytest.approx(1.2))
    assert (set_.stop_cause, set_.stop_soc, set_.unwarned_h) == ("warning", pytest.approx(0.6), pytest.approx(3.0))
    assert set_.stranded_wh == pytest.approx(0.6 * 3 * 3.3), "0.6 of 3 Ah at 3.3 V on the mean"
    assert bare.stranded_wh == 0.0
    late = falling(2.9).runtime
    assert late is not None
    assert late.hours == pytest.approx(3.0), "the cells are empty before it comes"
    at_once = falling(4.2)
    assert at_once.runtime is not None
    assert (at_once.runtime.hours, at_once.ends) == (0.0, (pytest.approx(0.0, abs=1e-6),)), (
        "what never plays is judged down to the next stop"
    )


def test_everything_ends_where_the_warning_ends_play() -> None:
    for volts in (3.5, 3.7):
        a = warned(sanderling(), volts)
        found = a.runtime
        assert found is not None
        assert found.hours
        end = found.stop_soc
        loaded = float(np.interp(-end, -a.op.soc, a.op.store_v[1, :, 0]))
        assert loaded == pytest.approx(volts, abs=1e-3), "volts in play, when it ends"
        assert a.ends == (pytest.approx(end),)
        assert min(h.at_soc for h in a.headrooms) >= end - 1e-9
        board = next(w for w in a.windows if w.load.id == "sound")
        assert board.least_v >= a.op.flow.loads_v[..., a.op.network.loads.index(board.load)][:, a.op.soc >= end - 1e-9].min()
        assert a.resets is not None
        assert a.resets.soc[-1] == pytest.approx(end)
        assert a.resets.elapsed_h[-1] == pytest.approx(found.hours)
        amps = a.op.flow.branch_a[..., a.op.network.branch["w-pack"]]
        assert next(c for c in a.links if c.link.id == "w-pack").amps == pytest.approx(amps[:, a.op.soc >= end - 1e-9].max())
        assert a.charges[0].off.start_soc == pytest.approx(end)
        day = a.live(Day(name="long", begins_h=8, stretches=(Stretch(what="play", minutes=1200),)))
        stop = next(e for e in day.events if e.kind == "stops")
        assert (stop.words, stop.at_s / 3600) == (f"the warning is set to {volts:.2f} V", pytest.approx(found.hours, rel=0.04))
        session = play_session(a.op, [Phase("play", 72_000)], step_s=20)
        assert session.ended == stop.words
        gauge = gauge_of(a)
        left = np.interp(np.linspace(0, 1, 101), [end, 1.0], [0.0, 1.0])
        assert all(s == 0 for s, share in zip(gauge.left_s, left, strict=True) if share == 0)
        assert gauge.left_s[-1] == pytest.approx(found.hours * 3600, abs=1)
        of = doubts(a.plan)
        batch = solved(a.plan, of, np.ones((1, len(of))))
        assert batch.hours[0] == pytest.approx(found.hours, rel=0.03)
        assert batch.end[0] == pytest.approx(end, abs=0.02)
        pack = a.plan.packs[0]
        assert a.plan.bay is not None
        same = next(c for c in candidates(a.plan, pack, [pack.cell], a.plan.bay) if c.parallel == pack.parallel)
        assert same.runtime_h == pytest.approx(found.hours, rel=0.03)
        made = scout(a.plan, [pack.cell], [pack.parallel], a.plan.converters[:1], [20.0])
        assert made.runtime_h[0] == pytest.approx(found.hours, rel=0.03)


def test_what_peaks_do_after_the_hours_that_are_wanted_is_close_and_a_higher_warning_mends_it() -> None:
    plan = replaced(sanderling(), catalogue().part("boost-5v-3a", id="boost", fed_by="switch"))
    states = {}
    for hours in (1.0, 9.5):
        a = assess(remade(plan, {"brief": plan.brief.model_copy(update={"hours": hours})}), STOCK)
        states[hours] = {f.rule: f for f in a.findings if f.element == "boost"}
        word = next(w for w in a.requirements if w.field == "margins").state
        assert word == states[hours]["headroom"].state
    assert [(h, s["headroom"].state, s["resets"].state) for h, s in states.items()] == [
        (1.0, "close", "close"),
        (9.5, "fails", "fails"),
    ]
    early = states[1.0]["headroom"]
    assert "That is after the 1 h 00 that are wanted." in early.cause.replace("\u00a0", " ")
    fix = states[1.0]["resets"].fix
    assert fix is not None
    assert fix.words.startswith("A warning at 3.3")
    mended = assess(fix.plan, STOCK)
    assert not [f for f in mended.findings if f.rule == "resets"]
    assert mended.runtime is not None
    assert (mended.runtime.hours or 0) > 8.9
    for finding in states[9.5].values():
        assert finding.fix is not None
        assert "warning" not in finding.fix.words, "the hours would not be met any more"
    soon = assess(remade(plan, {"brief": plan.brief.model_copy(update={"hours": 1.0})}), STOCK)
    first = next(iter(soon.options(next(f for f in soon.findings if f.rule == "headroom"))))
    assert first.words.startswith("A warning at 3."), "the cheapest is offered first"


def test_of_two_stores_each_is_judged_down_to_where_it_stands_when_the_first_stops() -> None:
    packs = [{"id": f"p{k}", "name": f"P{k}", "cell": flat_cell(volts=3.0, top_v=4.0, empty_v=3.0, ohm=0.0)} for k in (1, 2)]
    loads = [drawing(a, fed_by=p) | {"id": f"l-{p}"} for p, a in (("p1", 1.0), ("p2", 0.25))]
    a = assess(plan_of(hand_plan(packs=packs, loads=loads)), STOCK)
    assert a.ends == (pytest.approx(0.0, abs=1e-6), pytest.approx(0.75)), "3 h at 1 A empty the one; the other has given a quarter"
    low = {w.load.id: w.least_v for w in a.windows}
    assert low == {"l-p1": pytest.approx(3.0, abs=0.01), "l-p2": pytest.approx(3.75, abs=0.011)}


def test_a_warning_set_too_high_is_lowered_and_other_cells_in_series_take_it_along() -> None:
    high = warned(curlew(), 7.9)
    finding = next(f for f in high.findings if f.rule == "runtime-brief")
    assert "It stops because the warning is set to 7.90 V" in finding.cause.replace("\u00a0", " ")
    assert finding.fix is not None
    assert finding.fix.words.startswith("A warning at 6.")


def test_boards_that_fill_one_pack_together_keep_to_what_its_cells_take() -> None:
    plan = sanderling()
    second = catalogue().part("charger-lin-1-cell", id="second", charges="pack", supply="usb")
    for amps, told in ((2.0, 0), (6.0, 1)):
        first = plan.chargers[0].model_copy(update={"current_a": plan.chargers[0].current_a.at(amps)})
        a = assess(remade(plan, {"chargers": (first, second)}), STOCK)
        found = [f for f in a.findings if f.rule == "cell-current" and "together" in f.cause]
        assert len(found) == told
