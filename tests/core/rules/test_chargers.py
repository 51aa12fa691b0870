"""What belongs together: each limit of the charging rules just past and just short, and a fix that is bought."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from scipy.linalg import expm

from briskcell.core.assess import assess
from briskcell.core.charge.warmth import charge_warmth, charge_watts
from briskcell.core.heat.network import CELLS, heat_network
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.stores import ChargeBoard, Pack
from briskcell.model.tree import layout_of
from briskcell.services.demo import curlew, sanderling
from tests.core.rules.test_rules import BOARD, FUSE, SUPPLY, cells, found, of, one
from tests.known import drawing, flat_cell

ROOM = {"play_while_charging": False, "charge_hours": 20.0}


def board(supply: dict[str, Any] | None = None, pack: list[dict[str, Any]] | None = None, **facts: Any) -> Any:
    return of(chargers=[BOARD | facts], supplies=[SUPPLY | (supply or {})], brief=ROOM, packs=pack or cells())


@pytest.mark.parametrize(
    ("facts", "figures", "state", "says"),
    [
        ({}, {}, None, ""),
        ({"end_v": 4.24}, {}, None, ""),
        ({"end_v": 4.26}, {}, "fails", "each cell would be driven to 4.26 V"),
        ({"end_v": 4.2}, {"full_v": 3.65, "volts": 3.3}, "fails", "each cell would be driven to 4.20 V"),
        ({"cells": [2]}, {}, "fails", "each cell would be driven to 8.40 V"),
        ({"cells": [1]}, {"series": 2}, "fails", "is made for one cell and ends at 4.20 V; Pack is full at 8.40 V"),
        ({"cells": [3, 4]}, {"series": 2}, "fails", "made for 3 or 4 cells in series"),
        ({"end_v": 4.1}, {"volts": 3.2, "top_v": 4.2}, "close", "fills to"),
        ({"end_v": 3.65}, {"volts": 3.2, "top_v": 4.2}, "fails", "ends at 3.65 V"),
        ({"chemistries": ["LFP"]}, {}, "fails", "made for LFP; the cells are by hand"),
        ({"end_v": None}, {}, "unknown", "does not say"),
        ({"cells": []}, {}, "unknown", "does not say"),
    ],
)
def test_a_board_and_its_cells_belong_together(
    facts: dict[str, Any], figures: dict[str, Any], state: str | None, says: str
) -> None:
    a = board({"voltage_v": 20.0, "current_limit_a": 5.0}, cells(**figures), **facts)
    got = found(a, "charger-suits-cells")
    assert [f.state for f in got] == ([state] if state else [])
    assert all(says in f.cause.replace("\u00a0", " ") for f in got)
    if got and "driven" in got[0].cause:
        assert "can burn" in got[0].cause
        assert a.charges[0].off.hours is None, "no time to full is given for what must not be charged"


@pytest.mark.parametrize(
    ("supply", "facts", "says"),
    [
        ({}, {"input": {"low_v": 4.5, "high_v": 5.5, "absolute_max_v": 6.0}}, ""),
        ({"voltage_v": 5.6}, {"input": {"low_v": 4.5, "high_v": 5.5, "absolute_max_v": 6.0}}, "accepts 4.5 V to 5.5 V"),
        ({"voltage_v": 6.1}, {"input": {"low_v": 4.5, "high_v": 5.5, "absolute_max_v": 6.0}}, "more than 6 V destroys"),
        ({"voltage_v": 4.4}, {"input": {"low_v": 4.5, "high_v": 5.5}}, "accepts 4.5 V"),
        ({"voltage_v": 4.36}, {}, ""),
        ({"voltage_v": 4.34}, {}, "only steps down"),
        ({}, {"kind": "step_up"}, "only steps up"),
        ({"voltage_v": 4.1}, {"kind": "step_up"}, ""),
    ],
)
def test_a_board_accepts_its_supply_and_gets_from_it_to_its_end_volts(
    supply: dict[str, Any], facts: dict[str, Any], says: str
) -> None:
    got = found(board(supply, **facts), "charger-input")
    assert len(got) == bool(says)
    assert all(
        says in f.cause.replace("\u00a0", " ").replace("4.50", "4.5").replace("5.50", "5.5").replace("6.00", "6") for f in got
    )


def test_unlike_cells_in_parallel_are_refused_whatever_charges_them() -> None:
    nmc, lfp = (catalogue().find(k).part for k in ("cell-21700-e50", "lfp-26650"))
    plan = replaced(sanderling(), altered(sanderling().packs[0], strings=[{"cell": nmc}, {"cell": lfp}]))
    f = next(f for f in assess(plan, catalogue().stock()).findings if f.rule == "like-strings")
    assert f.state == "fails"
    assert "NMC/NCA, full at 4.20 V beside LFP, full at 3.65 V" in f.cause.replace("\u00a0", " ")
    alike = replaced(plan, altered(plan.packs[0], strings=[{"cell": nmc}, {"cell": nmc.model_copy(update={"health": 0.8})}]))
    assert not [f for f in assess(alike).findings if f.rule == "like-strings"]


def test_a_one_cell_board_on_two_cells_is_mended_by_a_purchase_and_never_by_a_flag() -> None:
    plan = replaced(curlew(), catalogue().part("charger-sw-2", id="charger", charges="pack", supply="barrel"))
    a = assess(plan, catalogue().stock())
    f = next(f for f in a.findings if f.rule == "charger-suits-cells")
    assert f.fix is not None
    bought = f.fix.plan.by_id["charger"]
    assert isinstance(bought, ChargeBoard)
    assert 2 in bought.cells
    assert bought == altered(
        catalogue().find(bought.part_class).part, id="charger", charges="pack", supply="barrel", current_a=bought.current_a
    )
    assert not assess(f.fix.plan, catalogue().stock()).failures


def test_a_jack_cuts_the_console_out_and_its_contact_counts() -> None:
    jack = {"id": "jack", "name": "Jack", "kind": "jack", "fed_by": "fuse", "resistance_ohm": 0.03, "rating_a": 2.0}
    a = of(
        links=[FUSE, jack],
        loads=[drawing(1.0, fed_by="jack")],
        supplies=[SUPPLY],
        chargers=[BOARD | {"layout": "on_cell"}],
        brief=ROOM,
    )
    assert layout_of(a.plan, a.plan.chargers[0]) == "cut_out"
    assert not found(a, "load-on-charging-cell")
    assert a.op.flow.load_v(0)[1, 50] == pytest.approx(3.7 - 0.05 - 0.03), "1 A over the cell and the contact"
    assert next(h for h in a.headrooms if h.element == "jack").spare == pytest.approx(0.5)
    half = of(
        links=[FUSE, jack],
        loads=[drawing(1.0, fed_by="jack"), drawing(0.1, fed_by="fuse") | {"id": "lamp"}],
        supplies=[SUPPLY],
        chargers=[BOARD | {"layout": "on_cell"}],
        brief=ROOM,
    )
    assert layout_of(half.plan, half.plan.chargers[0]) == "on_cell", "the lamp still hangs on the cell"
    assert one(of(supplies=[SUPPLY], chargers=[BOARD | {"layout": "cut_out"}], brief=ROOM), "cut-out-contact").state == "close"


def test_a_balancer_of_its_own_balances_as_fast_as_its_current() -> None:
    pair = {
        "supplies": [SUPPLY | {"voltage_v": 12.0}],
        "packs": cells(series=2),
        "chargers": [BOARD | {"cells": [2]}],
        "brief": ROOM,
    }
    own = {"id": "balancer", "name": "Balancer", "charges": "pack", "balance_a": 0.15}
    assert found(of(**pair), "series-balance")
    a = of(**pair, balancers=[own])
    assert not found(a, "series-balance")
    assert a.charges[0].off.balance_h == pytest.approx(0.05 * 3.0 / 0.15), "a twentieth of 3 Ah at 0.15 A"


def test_the_cells_warm_by_what_stays_in_the_case_while_they_charge() -> None:
    case = {"length_mm": 200, "width_mm": 100, "depth_mm": 50, "covered": 0.5, "mass_g": 20}
    warm = of(
        packs=cells(ohm=0.05),
        supplies=[SUPPLY | {"voltage_v": 6.0}],
        case=case,
        brief=ROOM | {"room_c": 30.0},
        chargers=[BOARD | {"kind": "linear", "current_a": 1.0, "layout": "cut_out"}],
    )
    found_w = charge_warmth(warm.op, (), warm.charges[0], playing=False)
    assert found_w is not None
    # 1 A from 6 V into 3.7 V leaves 2.3 W; 9.0 W/m²K on half of 0.07 m² lie on a table, on all of it the air inside rises by two
    # fifths more. 1 A² · 50 mΩ are lost in the cell, which gives them to air and wall. Nothing but its 60 g has to be warmed.
    assert found_w.watts == pytest.approx(2.3)
    film = 5.8 + 1.9 * 8.0**0.25
    out, inner, air, wall = film * 0.035, film * 0.07 / 0.4, 9.0 * 0.65 * 0.004, 14.0 * 0.001 + 0.001

    def cells_k(own_w: float, hours: float) -> float:
        matrix = np.array([[out + inner + wall, -inner, -wall], [-inner, inner + air, -air], [-wall, -air, air + wall]])
        watts = np.array([0.0, 2.3 - own_w, own_w])
        rates = expm(-matrix / np.array([1.0, 1.0, 60.0])[:, None] * hours * 3600.0)
        settled = np.linalg.solve(matrix, watts)
        return float((settled - rates @ settled)[2])

    own_w = 0.05 * math.exp(3000 * (1 / 303.15 - 1 / 298.15))  # as it resists at 30 °C
    assert found_w.celsius == pytest.approx(30.0 + cells_k(own_w, 3.0), abs=0.02)
    assert found_w.minutes is None
    hotter = assess(remade(warm.plan, {"brief": warm.plan.brief.model_copy(update={"room_c": 40.0})}))
    own_w = 0.05 * math.exp(3000 * (1 / 313.15 - 1 / 298.15))
    over = charge_warmth(hotter.op, (), hotter.charges[0], playing=False)
    assert over is not None
    assert over.minutes is not None
    assert cells_k(own_w, over.minutes / 60.0) == pytest.approx(5.0, abs=0.02)
    f = one(hotter, "charge-temperature")
    assert "they pass 45 °C, the most for charging" in f.cause.replace("\u00a0", " ")


def test_the_warmth_of_a_charge_is_that_of_its_own_pack_and_of_its_most_sensitive_cells() -> None:
    strings = [{"cell": flat_cell(charge_high_c=c)} for c in (50.0, 42.0)]
    both = {"packs": [{"id": "first", "name": "First", "cell": flat_cell(ohm=0.0)}, *cells(strings=strings)]}
    a = of(**both, supplies=[SUPPLY], chargers=[BOARD], brief=ROOM | {"room_c": 25.0})
    warm = a.idle_warmths[0]
    assert warm.limit_c == 42.0
    found_w = charge_watts(a.op, heat_network(a.plan), a.charges[0], playing=False)
    assert found_w is not None
    # 1.5 A through two cells of 50 mΩ side by side.
    assert found_w[0][0, CELLS] == pytest.approx(1.5**2 * 0.025, rel=0.02)


def test_playing_while_it_charges_warms_the_cells_by_the_console_as_well() -> None:
    plan = sanderling()
    (idle,), (playing,) = assess(plan).idle_warmths, assess(plan).played_warmths
    assert (idle.playing, playing.playing) == (False, True)
    assert playing.watts > idle.watts + 2.0
    hot = remade(
        plan, {"case": plan.case.model_copy(update={"vents": False}), "brief": plan.brief.model_copy(update={"room_c": 38.0})}
    )
    f = next(f for f in assess(hot, catalogue().stock()).findings if f.rule == "charge-temperature")
    assert f.state == "fails"
    assert "While it charges in play" in f.cause
    assert f.fix is not None
    mended = assess(f.fix.plan, catalogue().stock())
    assert all(w.minutes is None for w in (*mended.idle_warmths, *mended.played_warmths))
    pack = mended.plan.packs[0]
    assert isinstance(pack, Pack)
