"""The closed case held against a finer network of twenty-one places and more, written apart."""

from __future__ import annotations

from typing import Any

import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.model.plan import plan_of
from tests.fine_heat import Body, FineCase
from tests.known import drawing, flat_cell, hand_plan

BOARD_K_W = 6.6  # of a small computer board over the air around it, as the finer network has it
POUCH = {"thickness_mm": 8.0, "width_mm": 42.0, "length_mm": 62.0}
SCREEN = {"length_mm": 110, "width_mm": 70, "height_mm": 4}
BOARD = {"length_mm": 85, "width_mm": 56, "height_mm": 10}
# Where the board, the pack and the screen lie: corners from inside the walls.
LAID: dict[str, dict[str, tuple[float, float, float]]] = {
    "beside": {"board": (5, 10, 4), "pack": (98, 6, 2), "screen": (20, 8, 18)},
    "over": {"board": (30, 10, 2), "pack": (30, 12, 12.5), "screen": (20, 8, 18.5)},
    "under": {"board": (30, 10, 10.5), "pack": (30, 12, 1), "screen": (20, 8, 18.5)},
}
SITUATIONS: dict[str, dict[str, Any]] = {
    "2 W beside": {"watts": 2.0},
    "4 W beside": {"watts": 4.0},
    "6 W beside": {"watts": 6.0},
    "8 W beside": {"watts": 8.0},
    "3 W, pack over it": {"watts": 3.0, "laid": "over"},
    "6 W, pack over it": {"watts": 6.0, "laid": "over"},
    "3 W, pack under it": {"watts": 3.0, "laid": "under"},
    "a bright screen": {"watts": 1.5, "screen": 2.0},
    "held": {"watts": 4.0, "covered": 0.3},
    "held in a warm room": {"watts": 5.0, "covered": 0.3, "room_c": 32.0},
    "metal": {"watts": 5.0, "material": "metal", "wall_mm": 1.0},
    "a larger case": {"watts": 4.0, "length_mm": 180, "width_mm": 100},
}


def built(
    watts: float, laid: str = "beside", screen: float = 1.0, covered: float = 0.0, room_c: float = 25.0, **case: Any
) -> Assessment:
    box = {"length_mm": 165, "width_mm": 90, "depth_mm": 28, "covered": covered, "mass_g": 300} | case
    places = [{"part": p, "x_mm": x, "y_mm": y, "z_mm": z} for p, (x, y, z) in LAID[laid].items()]
    loads = [
        drawing(watts, "power_w", id="board", name="Board", theta_k_per_w=BOARD_K_W, limit_c=125.0, body=BOARD),
        drawing(screen, "power_w", id="screen", name="Screen", body=SCREEN),
        drawing(0.4, "power_w", id="small", name="Small parts"),
    ]
    pack = {"id": "pack", "name": "Pack", "cell": flat_cell(ohm=0.06, ah=4.0, mass_g=60, **POUCH)}
    plan = hand_plan(packs=[pack], loads=loads, case=box, placed=places, brief={"room_c": room_c, "held": covered > 0})
    return assess(plan_of(plan))


def finely(a: Assessment) -> dict[str, float]:
    """The same build, by the finer network: its blocks where they lie, and what each of them loses."""
    case, lost = a.plan.case, {s.element: s.watts for s in a.heat_shares[1]}
    wall = case.wall_mm / 1e3
    bodies = {
        b.solid.id: Body(
            (b.at[0] / 1e3 + wall, b.at[1] / 1e3 + wall, b.at[2] / 1e3 + wall),
            (b.size[0] / 1e3, b.size[1] / 1e3, b.size[2] / 1e3),
            lost.get(b.solid.id, 0.0),
        )
        for b in a.laid[0]
    }
    return FineCase(
        (case.length_mm / 1e3, case.width_mm / 1e3, case.depth_mm / 1e3),
        bodies,
        room_c=a.plan.brief.room_c,
        wall_m=wall,
        conducts=150.0 if case.material == "metal" else 0.2,
        air_w=sum(lost.values()) - sum(b.watts for b in bodies.values()),
        held=case.covered,
    ).solve()


@pytest.mark.parametrize("name", SITUATIONS)
def test_a_closed_case_warms_as_a_finer_network_has_it(name: str) -> None:
    a = built(**SITUATIONS[name])
    fine, h, room = finely(a), a.heat, a.plan.brief.room_c
    ours = {"skin": h.mean_skin_c, "hottest": h.skin_c, "air": h.air_c, "pack": h.cells_c, "board": h.parts[0].celsius}
    off = {k: (v - room) / (fine[k] - room) - 1.0 for k, v in ours.items()}
    assert max(map(abs, off.values())) < (0.16 if name == "metal" else 0.15), off
