"""Blocks in a case: overlaps against brute force, arrangements that never meet, the case needed; hand-worked where they can be."""

from __future__ import annotations

import random
from itertools import combinations
from typing import Any

import pytest

from briskcell.core.assess import assess
from briskcell.core.room.solids import Solid, inside, pack_block
from briskcell.core.room.stack import (
    Block,
    Needed,
    arranged,
    blocks_of,
    case_needed,
    clashes,
    placements,
    thinnest_mm,
    without_connectors,
)
from briskcell.library import catalogue
from briskcell.model.changes import altered, replaced
from briskcell.model.parts import Load
from briskcell.model.plan import Case, Placed
from briskcell.model.stores import Pack
from briskcell.services.demo import curlew, oystercatcher, sanderling

STOCK = catalogue().stock()
ROOM = (100.0, 60.0, 20.0)


def solid(name: str, *size: float, **more: Any) -> Solid:
    return Solid(id=name, name=name, made_as="", size=(size[0], size[1], size[2]), **more)


def at(s: Solid, x: float, y: float, z: float = 0.0) -> Block:
    return Block(s, (x, y, z), s.size)


def filled(block: Block) -> set[tuple[int, int, int]]:
    """The cubes of a millimetre that a block of whole millimetres fills."""
    low, high = ([int(v) for v in block.at], [int(v) for v in block.end])
    return {(x, y, z) for x in range(low[0], high[0]) for y in range(low[1], high[1]) for z in range(low[2], high[2])}


@pytest.mark.parametrize("seed", range(12))
def test_meetings_are_those_that_counting_every_cube_finds(seed: int) -> None:
    rng = random.Random(seed)
    blocks = []
    for k in range(7):
        size = [rng.randint(2, 12) for _ in range(3)]
        blocks.append(at(solid(f"b{k}", *size), *(rng.randint(0, 18) for _ in range(3))))
    brute = {frozenset((a.solid.id, b.solid.id)) for a, b in combinations(blocks, 2) if filled(a) & filled(b)}
    found = {frozenset(c.parts) for c in clashes(blocks, (60.0, 60.0, 60.0)) if c.state == "fails"}
    assert found == brute


def test_what_is_said_of_a_meeting_a_wall_and_a_near_cell() -> None:
    cell, board = solid("Cell", 40, 20, 18, cells=True), solid("Board", 30, 20, 8, warm=True)
    (met,) = clashes([at(cell, 0, 0), at(board, 36, 5)], ROOM)
    assert (met.words, met.by_mm) == ("Cell and Board meet by 4.0 mm.", pytest.approx(4.0))
    (near,) = clashes([at(cell, 0, 0), at(board, 42, 0)], ROOM)
    assert (near.state, near.words) == ("close", "Cell lies 2.0 mm from Board; a cell wants 3 mm from a warm board.")
    assert not clashes([at(cell, 0, 0), at(board, 43, 0)], ROOM)
    aerial = solid("Radio", 10, 10, 4, antenna=True)
    assert [c.words for c in clashes([at(cell, 0, 0), at(aerial, 44, 0)], ROOM)] == [
        "Cell lies 4.0 mm from Radio; a cell wants 5 mm from an antenna."
    ]
    chips = solid("Computer", 30, 20, 1, chips=True)
    (pressed,) = clashes([at(cell, 0, 0), at(chips, 0, 0, 18.5)], ROOM)
    assert pressed.words == "Cell lies 0.5 mm from Computer; a cell wants 1 mm from chips, which it must not press on as it swells."
    assert not clashes([at(cell, 0, 0), at(chips, 0, 0, 19)], ROOM)
    (out,) = clashes([at(cell, 70, 0)], ROOM)
    assert out.words == "Cell is 10.0 mm beyond a wall of the case."
    assert clashes([at(solid("Tall", 5, 5, 21), 0, 0)], ROOM)[0].by_mm == pytest.approx(1.0)


@pytest.mark.parametrize("seed", range(25))
def test_no_arrangement_meets_and_each_lies_in_the_room(seed: int) -> None:
    rng = random.Random(100 + seed)
    several = [
        solid(
            f"s{k}",
            rng.randint(5, 50),
            rng.randint(5, 40),
            rng.randint(2, 14),
            front=rng.random() < 0.2,
            cells=rng.random() < 0.2,
            warm=rng.random() < 0.3,
            antenna=rng.random() < 0.2,
        )
        for k in range(rng.randint(2, 12))
    ]
    laid, left = arranged(several, ROOM)
    assert {b.solid.id for b in laid} | {s.id for s in left} == {s.id for s in several}
    assert clashes(laid, ROOM) == ()
    kept, none = blocks_of([b.solid for b in laid], placements(laid, {s.id: s for s in several}))
    assert none == ()
    assert all(k.at == pytest.approx(b.at, abs=0.051) and k.size == b.size for k, b in zip(kept, laid, strict=True))


def test_the_thinnest_case_and_what_a_connector_costs() -> None:
    # Two boards that fill the floor lie one on the other, half a millimetre apart.
    boards = [solid("A", 98, 58, 6), Solid(id="B", name="B", made_as="", size=(98, 58, 9), bare_height_mm=4)]
    assert thinnest_mm(boards, ROOM) == pytest.approx(15.5)
    assert thinnest_mm(without_connectors(boards, "B"), ROOM) == pytest.approx(10.5)
    assert thinnest_mm([solid("C", 101, 10, 5)], ROOM) is None, "too long, however thick the case"
    assert thinnest_mm([solid("C", 58, 99, 5)], ROOM) == pytest.approx(5.0), "turned"


def test_the_case_needed_names_what_sets_it() -> None:
    blocks = [at(solid("Long", 90, 10, 5), 2, 0), at(solid("Tall", 10, 10, 15), 20, 30, 1)]
    length, width, thick = case_needed(blocks, ROOM, 2.5)
    assert (length.outside_mm, width.outside_mm, thick.outside_mm) == (95.0, 45.0, 21.0)
    assert (length.by, width.by, thick.by) == (("Long",), ("Tall",), ("Tall",))
    # A screen of 4 mm at the face of 20: over the tall part (top at 16) it has nothing to give, beside it the part stops the face.
    screen = solid("Screen", 60, 40, 4, front=True)
    assert case_needed([*blocks, at(screen, 10, 5, 16)], ROOM, 2.5)[2].outside_mm == pytest.approx(25.0)
    assert case_needed([*blocks, at(screen, 32, 5, 16)], ROOM, 2.5)[2] == Needed(21.0, ("Tall",))
    assert inside(Case(length_mm=100, width_mm=60, depth_mm=25)) == (95.0, 55.0, 20.0)


def test_a_pack_is_the_flattest_block_that_lies_in_the_case() -> None:
    pack = sanderling().packs[0]
    cell = pack.cell
    assert cell.thickness_mm is not None
    assert cell.length_mm is not None
    two = pack_block(pack, (165.0, 85.0, 25.0))
    assert two == pytest.approx((cell.length_mm + 8.6, 2 * cell.thickness_mm + 0.6, cell.thickness_mm + 0.6))
    narrow = pack_block(pack, (165.0, 30.0, 25.0))
    assert narrow == pytest.approx((2 * cell.length_mm + 8.6, cell.thickness_mm + 0.6, cell.thickness_mm + 0.6))
    bare = cell.model_copy(update={"length_mm": None})
    assert pack_block(Pack.model_validate({**pack.model_dump(), "cell": bare.model_dump()}), ROOM) is None


def test_the_demo_builds_are_laid_or_say_what_finds_no_room() -> None:
    for plan in (sanderling(), curlew()):
        a = assess(plan, STOCK)
        assert a.laid[1] == ()
        assert not [f for f in a.findings if f.rule == "room"]
    assert [s.name for s in assess(oystercatcher(), STOCK).laid[1]] == ["Pack"], "139 mm of cells beside a screen of 121"


def test_another_class_in_a_place_has_to_be_laid_anew() -> None:
    s = Solid(id="a", name="a", made_as="boost-5v-3a", size=(10, 10, 5))
    assert blocks_of([s], [Placed(part="a", laid_as="boost-5v-5a")])[1] == (s,)
    assert blocks_of([s], [Placed(part="a", laid_as="boost-5v-3a", turned=True)])[0][0].size == (10, 10, 5)
    assert blocks_of([s], [Placed(part="a")])[0][0].at == (0, 0, 0)


def test_a_screen_lies_in_the_middle_of_the_face_and_a_plug_lengthens_its_part() -> None:
    screen = solid("Screen", 60, 40, 4, front=True)
    assert arranged([screen], ROOM)[0][0].at == pytest.approx((20.0, 10.0, 16.0))
    board = sanderling().by_id["board"]
    assert isinstance(board, Load)
    assert board.body is not None
    plugged = altered(board, body=altered(board.body, plug_mm=12.0))
    sizes = {s.id: s.size for s in assess(replaced(sanderling(), plugged), STOCK).solids[0]}
    assert sizes["board"] == (board.body.length_mm + 12.0, board.body.width_mm, board.body.height_mm)
