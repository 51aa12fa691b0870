"""Shorts, what a wire reaches, and what to cut: hand-worked."""

from __future__ import annotations

import math
from typing import Any

import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.core.circuit.circuit import circuit_of
from briskcell.core.moves.fusing import fused_branches
from briskcell.core.rules.registry import Finding
from briskcell.core.wiring.conductors import carried_a, melting_time_s, short_temperature_c
from briskcell.core.wiring.cutting import colour_of, pieces, to_buy
from briskcell.core.wiring.shorts import ShortCheck
from briskcell.library import catalogue
from briskcell.model.parts import Link
from briskcell.model.plan import plan_of
from briskcell.model.units import awg_section_mm2
from briskcell.services.demo import sanderling
from briskcell.services.wiring.gauges import proposals
from tests.known import drawing, flat_cell, hand_plan

FUSE = {"id": "fuse", "name": "Fuse", "kind": "fuse", "fed_by": "pack", "resistance_ohm": 0.01, "rating_a": 2.0}
WIRE = {"id": "wire", "name": "Wire", "kind": "wire", "fed_by": "fuse", "awg": 26, "length_m": 0.5}
BUCK = {
    "id": "buck",
    "name": "Buck",
    "kind": "buck",
    "fed_by": "fuse",
    "output_v": 2.5,
    "output_limit_a": 3.0,
    "loss": {"kind": "fixed", "efficiency": 0.9},
}


def of(**lists: Any) -> Assessment:
    packs = [{"id": "pack", "name": "Pack", "cell": flat_cell(ohm=0.05), **lists.pop("pack", {})}]
    return assess(plan_of(hand_plan(packs=packs, brief={"room_c": 25}, **lists)))


def short(a: Assessment, link: str = "wire") -> ShortCheck:
    return next(s for s in a.shorts if s.link.id == link)


def test_what_a_wire_reaches_is_onderdonks_equation_the_other_way_round() -> None:
    section = awg_section_mm2(26)
    for amps in (20.0, 60.0):
        assert short_temperature_c(amps, section, melting_time_s(amps, section)) == pytest.approx(1083.0, abs=0.5)
    # 254 circular mils at 26 AWG; (20/254)²·33·0.5 = 0.1023; 274·(10^0.1023 − 1) + 40.
    assert short_temperature_c(20.0, section, 0.5) == pytest.approx(274.0 * (10**0.1023 - 1) + 40.0, abs=0.5)
    assert short_temperature_c(20.0, section, 0.0) == 40.0


def test_a_fuse_opens_by_its_table_and_the_wire_reaches_little() -> None:
    found = short(of(links=[FUSE, WIRE], loads=[drawing(0.5, fed_by="wire")]))
    # 3.7 V over the cell's 50 mΩ, the fuse's 10 and 0.5 m of 26 AWG (0.1288 mm²) out and back: 134 mΩ.
    assert found.fault_a == pytest.approx(3.7 / (0.05 + 0.01 + 1.7241e-8 / 0.1288e-6), rel=0.01)
    assert found.dead.opener == "Fuse"
    assert 0.02 < found.dead.opens_s < 0.025, "9.5 times its rating, a little less than ten times"
    assert found.dead.reaches_c < 45
    # Short of dead the fuse is slow: up to 4.2 A it opens never, and 5 s at 5.3 A; 26 AWG carries 5.6 A at 45 K.
    assert found.worst.amps == pytest.approx(5.3, abs=0.1)
    assert (found.worst.opener, found.guard, found.safe) == ("Fuse", "Fuse", True)
    thin = short(of(links=[FUSE, WIRE | {"awg": 28}], loads=[drawing(0.5, fed_by="wire")]))
    assert not thin.safe, "28 AWG carries 4.4 A"


def test_without_a_fuse_a_wire_glows_and_a_protection_board_cuts_at_once() -> None:
    bare = WIRE | {"fed_by": "pack", "length_m": 0.1}
    loads = [drawing(0.5, fed_by="wire")]
    naked = short(of(links=[bare], loads=loads))
    assert (naked.dead.opener, naked.dead.opens_s, naked.held_by, naked.safe) == ("", math.inf, "", False)
    assert naked.dead.reaches_c == 1083.0
    board = {"protection": {"cutoff_cell_v": 2.8, "trip_a": 6.0, "resistance_ohm": 0.0}}
    guarded = short(of(links=[bare], loads=loads, pack=board))
    assert (guarded.dead.opener, guarded.dead.opens_s) == ("protection of Pack", 0.005)
    assert guarded.fault_a == pytest.approx(18.0), "held to three times its trip"
    assert guarded.safe


def test_a_buck_holds_its_limit_and_a_boost_passes_the_pack_on() -> None:
    out = WIRE | {"id": "out", "name": "Out", "fed_by": "buck", "awg": 34, "length_m": 0.1}
    held = short(of(links=[FUSE, out], converters=[BUCK], loads=[drawing(0.5, fed_by="out")]), "out")
    assert (held.fault_a, held.held_by, held.dead.opens_s) == (pytest.approx(3.0), "Buck", math.inf)
    assert not held.safe, "3 A for good through 34 AWG, which carries 2.2 A"
    boost = BUCK | {"kind": "boost", "name": "Boost", "output_v": 5.0}
    passed = short(of(links=[FUSE, out], converters=[boost], loads=[drawing(0.5, fed_by="out")]), "out")
    assert passed.fault_a == pytest.approx(3.7 / (0.05 + 0.01 + 0.2 * 1.7241e-8 / 0.0201e-6), rel=0.02)
    assert (passed.dead.opener, passed.worst.opener, passed.safe) == ("Fuse", "Fuse", False), "it opens late on what a boost passes"


def told(a: Assessment) -> list[Finding]:
    return [f for f in a.findings if f.rule == "short-lasts"]


def behind(board: dict[str, Any], *gauges: float, **more: Any) -> Assessment:
    """Wires of some gauges behind a board, a load at the end of each."""
    wires = [WIRE | {"id": f"out{g}", "name": f"Out {g}", "fed_by": "buck", "awg": g, "length_m": 0.1} | more for g in gauges]
    loads = [drawing(0.1, fed_by=f"out{g}") | {"id": f"load{g}"} for g in gauges]
    return of(links=[FUSE, *wires], converters=[board], loads=loads)


def test_a_short_that_lasts_is_told_with_the_gauge_that_outlives_it() -> None:
    # 3 A for good, and 55 K over the air: 34 AWG carries 2.2 A, 32 AWG 2.7 A, 30 AWG 3.4 A.
    a = behind(BUCK, 34)
    (f,) = told(a)
    assert (f.state, f.element, f.station) == ("close", "buck", "wiring")
    assert "at the end of Out 34 would last: Buck may hold 3.00 A" in f.cause.replace("\u00a0", " ")
    assert "its insulation stands 80 °C" in f.cause.replace("\u00a0", " ")
    assert f.fix is not None
    assert f.fix.words == "30 AWG instead of 34 AWG for Out 34"
    assert not told(assess(f.fix.plan))
    assert [len(told(behind(BUCK, g, insulation_c=i))) for g, i in ((30, 80), (32, 80), (32, 105), (34, 105))] == [0, 1, 0, 1]
    (both,) = told(behind(BUCK, 34, 32, 22))
    assert "at the end of one of 2 wires would last" in both.cause
    assert "Out 34 would then reach" in both.cause, "the hottest of them"
    assert both.fix is not None
    assert both.fix.words == "2 wires of up to 30 AWG"
    burnt = told(behind(BUCK, 40))
    assert [f.state for f in burnt] == ["fails"], "40 AWG would glow: no insulation is made for that"
    passed = BUCK | {"kind": "boost", "output_v": 5.0}
    assert not told(behind(passed, 26)), "the fuse opens on what a boost passes on"
    (late,) = told(behind(passed, 30))
    assert "draws 5.30" in late.cause
    assert "until Fuse opens after 5" in late.cause
    assert late.fix is not None
    assert late.fix.words == "Out 30, in silicone"


def test_a_branch_with_thin_wires_is_given_a_fuse_of_its_own() -> None:
    a = behind(BUCK, 34)
    words = [f.words for f in fused_branches(assess(a.plan, catalogue().stock()), [s.link for s in a.shorts if not s.safe])]
    assert words == ["Polymer fuse 0.5 A, 30 V before Out 34"]


@pytest.mark.parametrize(
    ("metres", "guard", "state"),
    [
        (0.1, True, None),
        (0.2, True, "close"),
        (0.6, True, "fails"),
        (0.05, False, None),
        (0.1, False, "close"),
        (0.3, False, "fails"),
    ],
)
def test_the_lead_before_the_first_fuse_is_centimetres_long(metres: float, guard: bool, state: str | None) -> None:
    lead = WIRE | {"id": "lead", "fed_by": "pack", "length_m": metres, "awg": 18}
    board = {"protection": {"cutoff_cell_v": 2.8, "trip_a": 6.0, "resistance_ohm": 0.0}} if guard else {}
    a = of(links=[lead, FUSE | {"fed_by": "lead"}], loads=[drawing(0.5, fed_by="fuse")], pack=board)
    found = [f for f in a.findings if f.rule == "unfused-lead"]
    assert [f.state for f in found] == ([state] if state else [])
    if found:
        assert found[0].fix is not None
        assert found[0].fix.plan.by_id["lead"].fed_by == "fuse"  # type: ignore[attr-defined]


def test_a_contact_breaks_no_more_volts_and_stands_no_more_amperes_than_it_is_made_for() -> None:
    plug = {
        "id": "plug",
        "name": "Plug",
        "kind": "plug",
        "fed_by": "fuse",
        "resistance_ohm": 0.01,
        "rating_a": 1.5,
        "rating_v": 6.0,
    }
    one, two = (of(links=[FUSE, plug], loads=[drawing(0.5, fed_by="plug")], pack={"series": n}) for n in (1, 2))
    assert not [f for f in one.findings if f.rule == "rated-volts"]
    (arc,) = [f for f in two.findings if f.rule == "rated-volts"]
    assert (arc.state, arc.element) == ("fails", "plug")
    assert "breaks 6.00 V DC and gets 7.34 V" in arc.cause.replace("\u00a0", " ")
    (weak,) = [f for f in one.findings if f.rule == "fuse-choice"]
    assert (weak.state, weak.element) == ("close", "plug")


def test_a_fuse_that_opens_too_late_is_told() -> None:
    # Half a metre of 34 AWG out and back has 0.86 Ω: 4.0 A, less than the 4.2 A at which the fuse opens for sure.
    a = of(links=[FUSE, WIRE | {"awg": 34}], loads=[drawing(0.1, fed_by="wire")])
    assert not told(a)
    (f,) = [f for f in a.findings if f.rule == "fuse-choice"]
    assert (f.element, f.state) == ("fuse", "fails")
    assert "Fuse lets 4.0" in f.cause
    assert (
        f"for as long as it may; Wire carries {carried_a(awg_section_mm2(34), 80.0, ambient_c=a.heat.air_c):.2f} A"
        in f.cause.replace("\u00a0", " ")
    )


def test_the_finder_proposes_nothing_that_a_short_would_burn() -> None:
    held, passed = behind(BUCK, 22), behind(BUCK | {"kind": "boost", "output_v": 5.0}, 22)
    assert [p.gauge for p in proposals(held, 0.5, (34.0, 30.0, 28.0, 26.0, 24.0))] == [30.0]
    assert [p.gauge for p in proposals(passed, 0.5, (34.0, 30.0, 28.0, 26.0, 24.0))] == [26.0]


def test_every_strand_is_cut_and_a_tenth_more_is_bought() -> None:
    plan = sanderling()
    cut_all = pieces(circuit_of(plan))
    cut = [p for p in cut_all if p.link.id == "w-screen"]
    assert [(p.colour, p.length_m, p.near, p.far) for p in cut] == [
        ("orange", 0.14, "Boost board 5 V, 5 A switch OUT+", "Screen 4.3 in with backlight +"),
        ("black", 0.14, "Boost board 5 V, 5 A switch OUT-", "Screen 4.3 in with backlight -"),
    ]
    by_id = {k.id: k for k in plan.links}
    assert [colour_of(plan, by_id[k]) for k in ("w-pack", "w-board", "w-radio")] == ["red", "orange", "yellow"]
    own = Link.model_validate({**by_id["w-pack"].model_dump(), "colour": "blue"})
    assert colour_of(plan, own) == "blue"
    # 24 AWG goes to screen, sound, controls and light; 28 AWG to the radio alone.
    bought = to_buy(cut_all)
    assert bought["24 AWG", "orange"] == pytest.approx(1.1 * (0.14 + 0.12 + 0.22 + 0.1))
    assert bought["28 AWG", "black"] == pytest.approx(1.1 * 0.05)
