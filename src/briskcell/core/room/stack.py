"""Blocks in a case: where they meet, what they keep from each other, the case they need, and a greedy way to lay them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import combinations, product

import numpy as np

from briskcell.core.room.solids import Size, Solid
from briskcell.model.plan import Placed

NEAR_WARM_MM, NEAR_ANTENNA_MM, NEAR_CHIPS_MM = 3.0, 5.0, 1.0  # from a cell: to a warm board, an antenna, chips; rules of thumb
GAP_MM = 0.5  # between blocks that are laid by the search: tape and tolerances
TOUCH_MM = 0.05  # a meeting of less is none
THICKEST_MM, STEP_MM = 120.0, 0.5


@dataclass(frozen=True, slots=True)
class Block:
    """A solid where it lies: its corner and its size along the case. [mm]"""

    solid: Solid
    at: Size
    size: Size

    @property
    def end(self) -> Size:
        """Its far corner."""
        return self.at[0] + self.size[0], self.at[1] + self.size[1], self.at[2] + self.size[2]


@dataclass(frozen=True, slots=True)
class Clash:
    """Two blocks that meet or lie too close, or one beyond a wall: their ids, by how much, and in words. [mm]"""

    parts: tuple[str, ...]
    by_mm: float
    words: str
    state: str


def blocks_of(solids: Iterable[Solid], placed: Sequence[Placed]) -> tuple[tuple[Block, ...], tuple[Solid, ...]]:
    """The blocks that are laid, and the solids that are not: those without a place, or of another class than was laid there.

    Parameters
    ----------
    solids : iterable of Solid
        All of a build.
    placed : sequence of Placed
        Where the plan has them.

    Returns
    -------
    tuple
        Blocks in the order of the solids, and what has no place yet.
    """
    where = {p.part: p for p in placed}
    laid, left = [], []
    for s in solids:
        at = where.get(s.id)
        if at is None or at.laid_as not in ("", s.made_as):
            left.append(s)
        else:
            laid.append(Block(s, (at.x_mm, at.y_mm, at.z_mm), s.turned() if at.turned else s.size))
    return tuple(laid), tuple(left)


def gap_mm(a: Block, b: Block) -> float:
    """The distance between two blocks; negative by how far they meet, along the edge where that is least.

    Parameters
    ----------
    a, b : Block
        Any two.

    Returns
    -------
    float
        Millimetres, along one axis: blocks that lie apart diagonally count by their larger gap.
    """
    return max(max(a.at[k] - b.end[k], b.at[k] - a.end[k]) for k in range(3))


def clashes(blocks: Sequence[Block], room: Size) -> tuple[Clash, ...]:
    """Where blocks meet each other or a wall, and where a cell lies too close to what is warm or to an antenna.

    Parameters
    ----------
    blocks : sequence of Block
        What is laid.
    room : tuple of float
        The inside of the case. [mm]

    Returns
    -------
    tuple of Clash
        The worst first.
    """
    out = []
    for b in blocks:
        beyond = max(max(-b.at[k], b.end[k] - room[k]) for k in range(3))
        if beyond > TOUCH_MM:
            out.append(Clash((b.solid.id,), beyond, f"{b.solid.name} is {beyond:.1f} mm beyond a wall of the case.", "fails"))
    for a, b in combinations(blocks, 2):
        gap = gap_mm(a, b)
        pair = (a.solid.id, b.solid.id)
        if gap < -TOUCH_MM:
            out.append(Clash(pair, -gap, f"{a.solid.name} and {b.solid.name} meet by {-gap:.1f} mm.", "fails"))
        elif (need := _apart(a.solid, b.solid)) and gap < need - TOUCH_MM:
            other = b.solid if a.solid.cells else a.solid
            why = (
                "a warm board"
                if other.warm
                else "an antenna"
                if other.antenna
                else "chips, which it must not press on as it swells"
            )
            words = f"{a.solid.name} lies {max(gap, 0.0):.1f} mm from {b.solid.name}; a cell wants {need:.0f} mm from {why}."
            out.append(Clash(pair, need - gap, words, "close"))
    return tuple(sorted(out, key=lambda c: (c.state != "fails", -c.by_mm)))


def _apart(a: Solid, b: Solid) -> float:
    """The distance that two solids want from each other; 0 where they may touch."""
    if a.cells == b.cells:
        return 0.0
    other = b if a.cells else a
    return NEAR_WARM_MM if other.warm else NEAR_ANTENNA_MM if other.antenna else NEAR_CHIPS_MM if other.chips else 0.0


@dataclass(frozen=True, slots=True)
class Needed:
    """The case that an arrangement needs along one edge, and the parts that set it. [mm]"""

    outside_mm: float
    by: tuple[str, ...]


def case_needed(blocks: Sequence[Block], room: Size, wall_mm: float) -> tuple[Needed, Needed, Needed]:
    """Length, width and thickness of the smallest case around blocks as they lie.

    Parts at the front go back with its face until one of them meets what lies behind it, or the face meets another part.

    Parameters
    ----------
    blocks : sequence of Block
        At least one.
    room : tuple of float
        The inside of the case. [mm]
    wall_mm : float
        Of the case. [mm]

    Returns
    -------
    tuple of Needed
        Along the three edges, each with the names of what sets it.
    """
    out = []
    for k in (0, 1):
        low, high = min(b.at[k] for b in blocks), max(b.end[k] for b in blocks)
        ends = [b.solid.name for b in blocks if b.end[k] > high - TOUCH_MM]
        out.append(Needed(high - low + 2.0 * wall_mm, tuple(dict.fromkeys(ends))))
    slack = [(_slack_mm(b, blocks, room), b.solid.name) for b in blocks]
    least = min(s for s, _ in slack)
    thick = Needed(room[2] - least + 2.0 * wall_mm, tuple(n for s, n in slack if s < least + TOUCH_MM))
    return out[0], out[1], thick


def _slack_mm(block: Block, blocks: Sequence[Block], room: Size) -> float:
    """How far the front face can go back before a block stops it."""
    if not at_the_face(block, room):
        return room[2] - block.end[2]
    behind = [b.end[2] for b in blocks if b is not block and not at_the_face(b, room) and _over(block, b)]
    return block.at[2] - max(behind, default=0.0)


def at_the_face(block: Block, room: Size) -> bool:
    """Whether a part of the front lies right behind the front face.

    Parameters
    ----------
    block : Block
        Laid.
    room : tuple of float
        The inside of the case. [mm]

    Returns
    -------
    bool
    """
    return block.solid.front and block.end[2] > room[2] - TOUCH_MM


def _over(a: Block, b: Block) -> bool:
    """Whether two blocks share some of the case's face."""
    return all(a.at[k] < b.end[k] - TOUCH_MM and b.at[k] < a.end[k] - TOUCH_MM for k in (0, 1))


def arranged(solids: Sequence[Solid], room: Size) -> tuple[tuple[Block, ...], tuple[Solid, ...]]:
    """The best of a few greedy arrangements: front parts right behind their face, all others as low as they lie, the largest first.

    It is a search without second thoughts, begun with the front, with the cells, or with the thickest, lying along the case or
    across it: what it leaves out may fit by hand.

    Parameters
    ----------
    solids : sequence of Solid
        What has to find room.
    room : tuple of float
        The inside of the case. [mm]

    Returns
    -------
    tuple
        Blocks that do not meet, and what found no room.
    """
    best: tuple[tuple[Block, ...], tuple[Solid, ...]] = (), tuple(solids)
    for tried in _arrangements(solids, room):
        found = dict(tried)
        laid, left = tuple(b for b in found.values() if b), tuple(s for s, b in found.items() if not b)
        if not left:
            return laid, left
        if len(left) < len(best[1]):
            best = laid, left
    return best


def _arrangements(solids: Sequence[Solid], room: Size) -> Iterator[Iterator[tuple[Solid, Block | None]]]:
    for order, across in product(ORDERS, (False, True)):
        yield _laid(sorted(solids, key=lambda s: (*order(s), s.id)), room, across=across)


ORDERS: tuple[Callable[[Solid], tuple[float, ...]], ...] = (
    lambda s: (not s.front, -s.size[0] * s.size[1]),
    lambda s: (not s.cells, not s.front, -s.size[0] * s.size[1]),
    lambda s: (-s.size[2], -s.size[0] * s.size[1]),
)


def _laid(order: Sequence[Solid], room: Size, *, across: bool) -> Iterator[tuple[Solid, Block | None]]:
    """Each solid with where it lies beside those before it; None where it finds no room."""
    laid: list[Block] = []
    for s in order:
        found = _best(s, laid, room, front=s.front, across=across)
        if found is None and s.front:
            found = _best(s, laid, room, front=False, across=across)
        if found is not None:
            laid.append(found)
        yield s, found


def _best(s: Solid, laid: list[Block], room: Size, *, front: bool, across: bool) -> Block | None:
    """Where a block lies lowest, or of the front nearest to the middle; the first orientation wins where both are as good."""
    best: tuple[tuple[float, ...], Block] | None = None
    for way, size in enumerate(dict.fromkeys((s.turned(), s.size) if across else (s.size, s.turned()))):
        if any(size[k] > room[k] + 1e-9 for k in range(3)):
            continue
        at = _corners(laid, room, size, front=front)
        if laid:
            low, high = np.array([b.at for b in laid]), np.array([b.end for b in laid])
            apart = np.maximum(at[:, None] - high, low - at[:, None] - np.array(size)).max(axis=2)
            need = np.array([max(_apart(s, b.solid), GAP_MM) for b in laid])
            at = at[(apart >= need - 1e-9).all(axis=1)]
        if not len(at):
            continue
        if s.opens != "no" and (walled := _at_a_wall(at, size, room, edge=s.opens == "edge")).any():
            at = at[walled]
        middle = np.abs(at[:, 0] + (size[0] - room[0]) / 2) + np.abs(at[:, 1] + (size[1] - room[1]) / 2)
        rank = middle if front else at[:, 2] + size[2]
        k = np.lexsort((at[:, 0], at[:, 1], rank))[0]
        key = (round(float(rank[k]), 6), float(way) if front else 0.0, float(at[k, 1]), float(at[k, 0]))
        if best is None or key < best[0]:
            best = key, Block(s, (float(at[k, 0]), float(at[k, 1]), float(at[k, 2])), size)
    return None if best is None else best[1]


def _at_a_wall(at: np.ndarray, size: Size, room: Size, *, edge: bool) -> np.ndarray:
    """Whether a block that begins at each of some corners touches a wall, of the sides or of any face; shape (n,)."""
    touches = (at < TOUCH_MM) | (at + np.array(size) > np.array(room) - TOUCH_MM)
    return np.asarray(touches[:, : 2 if edge else 3].any(axis=1))


def _corners(laid: list[Block], room: Size, size: Size, *, front: bool) -> np.ndarray:
    """Where a block may begin: the corners of the room, and beside, before and above what lies there; shape (n, 3)."""
    along = []
    for k in (0, 1):
        at = {0.0, room[k] - size[k], (room[k] - size[k]) / 2}
        at |= {b.end[k] + GAP_MM for b in laid} | {b.at[k] - GAP_MM - size[k] for b in laid}
        along.append([v for v in at if 0.0 <= v <= room[k] - size[k] + 1e-9])
    zs = {room[2] - size[2]} if front else {0.0} | {b.end[2] + GAP_MM for b in laid if b.end[2] + GAP_MM + size[2] <= room[2]}
    return np.stack(np.meshgrid(*along, sorted(zs), indexing="ij"), -1).reshape(-1, 3)


def thinnest_mm(solids: Sequence[Solid], room: Size, most_mm: float = THICKEST_MM) -> float | None:
    """The least inner thickness in which the greedy search lays all blocks; None where the most is not enough.

    Parameters
    ----------
    solids : sequence of Solid
        What has to find room.
    room : tuple of float
        Inside length and width of the case; its thickness is not asked. [mm]
    most_mm : float
        The thickest case of interest: less is asked the quicker it is found that it will not do. [mm]

    Returns
    -------
    float or None
        To half a millimetre. [mm]
    """

    def fit(steps: int) -> bool:
        tried = _arrangements(solids, (room[0], room[1], steps * STEP_MM))
        return any(all(block for _, block in laid) for laid in tried)

    low, high = 0, int(most_mm / STEP_MM)
    if not fit(high):
        return None
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if fit(middle) else (middle, high)
    return high * STEP_MM


def without_connectors(solids: Sequence[Solid], part: str) -> tuple[Solid, ...]:
    """The same with one part's connectors removed that nobody needs.

    Parameters
    ----------
    solids : sequence of Solid
        All of a build.
    part : str
        Its id.

    Returns
    -------
    tuple of Solid
        With that part at its bare height.
    """
    return tuple(
        replace(s, size=(s.size[0], s.size[1], s.bare_height_mm)) if s.id == part and s.bare_height_mm is not None else s
        for s in solids
    )


def placements(blocks: Iterable[Block], solids: Mapping[str, Solid]) -> tuple[Placed, ...]:
    """Blocks as a plan keeps them.

    Parameters
    ----------
    blocks : iterable of Block
        What is laid.
    solids : mapping
        The solids by id, to tell whether one is turned.

    Returns
    -------
    tuple of Placed
        Rounded to a tenth of a millimetre.
    """
    return tuple(
        Placed(
            part=b.solid.id,
            laid_as=b.solid.made_as,
            x_mm=round(b.at[0], 1),
            y_mm=round(b.at[1], 1),
            z_mm=round(b.at[2], 1),
            turned=b.size != solids[b.solid.id].size,
        )
        for b in blocks
    )
