"""The faces of the case, by hand."""

from __future__ import annotations

from typing import Any

import pytest

from briskcell.core.circuit.circuit import circuit_of
from briskcell.core.room.bundle import bundle
from briskcell.core.room.face import least_face, openings, reaches
from briskcell.core.room.solids import Solid
from briskcell.core.room.stack import arranged
from briskcell.core.wiring.cutting import Piece, pieces
from briskcell.model.plan import plan_of
from tests.core.room.test_stack import ROOM, at, solid
from tests.known import drawing, hand_plan


def cut_of(document: dict[str, Any]) -> tuple[Piece, ...]:
    return pieces(circuit_of(plan_of(document)))


SCREEN = Solid(id="screen", name="screen", made_as="", size=(70.0, 50.0, 6.0), front=True, seen=(57.0, 43.0))
PADS = solid("pads", 28, 40, 12, front=True)


def test_the_front_leaves_open_what_is_seen_of_each_part_behind_it() -> None:
    found = openings([at(SCREEN, 2, 5, 14), at(PADS, 72, 0, 8)], ROOM)
    assert [(o.at, o.size) for o in found] == [((8.5, 8.5), (57.0, 43.0)), ((72.0, 0.0), (28.0, 40.0))]
    assert openings([at(SCREEN, 2, 5, 13.5)], ROOM) == (), "not at the face"


@pytest.mark.parametrize(
    ("opens", "where", "face", "gap", "reached"),
    [
        ("edge", (1.5, 20, 0), "left side", 1.5, True),
        ("edge", (30, 20, 0), "lower edge", 20, False),
        ("edge", (40, 28, 16), "upper edge", 12, False),
        ("edge", (72, 20, 0), "right side", 2, True),
        ("any_face", (30, 20, 0), "back", 0, True),
        ("any_face", (30, 20, 13), "front", 2, True),
        ("edge", (-3, 20, 0), "left side", 0, True),
    ],
)
def test_a_socket_reaches_the_edge_it_lies_nearest_to(
    opens: str, where: tuple[float, float, float], face: str, gap: float, reached: bool
) -> None:
    board = Solid(id="b", name="b", made_as="", size=(26.0, 20.0, 5.0), opens=opens)
    [found] = reaches([at(board, *where), at(PADS, 0, 0)], ROOM)
    assert (found.face, found.gap_mm, found.reached) == (face, gap, reached)


def test_the_least_face_of_the_front_parts_with_gaps_and_walls() -> None:
    found = least_face([SCREEN, PADS, solid("board", 90, 55, 10)], 2.5)
    assert found is not None
    assert (found.beside, found.above) == ((103.5, 55.0), (75.0, 95.5))
    assert least_face([solid("board", 90, 55, 10)], 2.5) is None


def test_what_opens_is_laid_at_a_wall_where_one_is_free() -> None:
    board = Solid(id="b", name="b", made_as="", size=(26.0, 20.0, 5.0), opens="edge")
    laid, left = arranged([solid("x", 40, 30, 10), solid("y", 58, 58, 12), board, SCREEN], ROOM)
    assert not left
    assert [r.reached for r in reaches(laid, ROOM)] == [True]


def test_wires_want_the_room_of_their_insulation() -> None:
    """Two pieces of 0.5 m with 1 mm² of copper: an outline of 1.25 mm², 1.262 mm across, 2.062 mm with insulation, 3.339 mm² each."""
    wire = {"id": "w", "name": "wire", "fed_by": "pack", "kind": "wire", "length_m": 0.5, "section_mm2": 1.0, "conductors": 2}
    found = bundle(cut_of(hand_plan(links=[wire], loads=[drawing(1.0, fed_by="w")])))
    assert found is not None
    assert (found.pieces, found.length_m) == (2, 1.0)
    assert found.volume_cm3 == pytest.approx(2 * 0.5 * 3.339 / 0.6, rel=1e-3)
    assert found.across_mm == pytest.approx(2 * (2 * 3.339 / 0.6 / 3.14159) ** 0.5, rel=1e-3)
    assert bundle(cut_of(hand_plan())) is None
