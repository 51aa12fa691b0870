"""The solids that have to find room in a case: parts by their bodies, packs by their cells."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from briskcell.core.pack.fit import POUCH_SWELLING
from briskcell.model.parts import Body, Converter, Load
from briskcell.model.plan import Case, Plan
from briskcell.model.stores import Balancer, ChargeBoard, Pack

WRAP_MM, PLUG_MM = 0.6, 8.0  # around a pack, and its plug and bent wires at one end
WARM_C = 60.0  # a board as warm as that keeps its distance from cells
Size = tuple[float, float, float]
Classes = Callable[[str], object]
Bodied = Load | Converter | ChargeBoard | Balancer


@dataclass(frozen=True, slots=True, kw_only=True)
class Solid:
    """A block: its part, the class it is of, length, width and height with plugs, and what it must keep away from. [mm]

    ``seen`` is what the front face leaves open of it; ``opens`` says where it has to be reached: at an "edge", in "any_face",
    or "no"where.
    """

    id: str
    name: str
    made_as: str
    size: Size
    bare_height_mm: float | None = None
    front: bool = False
    antenna: bool = False
    chips: bool = False
    cells: bool = False
    warm: bool = False
    seen: tuple[float, float] | None = None
    opens: str = "no"

    def turned(self) -> Size:
        """Its size turned by 90°."""
        return self.size[1], self.size[0], self.size[2]


def inside(case: Case) -> Size:
    """The room inside the walls.

    Parameters
    ----------
    case : Case
        Its outside and wall.

    Returns
    -------
    tuple of float
        Length, width and thickness, at least 1 mm each. [mm]
    """
    length, width, depth = (max(v - 2.0 * case.wall_mm, 1.0) for v in (case.length_mm, case.width_mm, case.depth_mm))
    return length, width, depth


def body_of(part: Bodied, classes: Classes) -> Body | None:
    """A part's own body, else that of its class; None where neither is known.

    Parameters
    ----------
    part : Load, Converter, ChargeBoard or Balancer
        The part.
    classes : callable
        Gives the class of a key.

    Returns
    -------
    Body or None
        With millimetres.
    """
    if part.body is not None:
        return part.body
    known = classes(part.part_class) if part.part_class else None
    return getattr(known, "body", None)


def solids(plan: Plan, warm: frozenset[str], classes: Classes) -> tuple[tuple[Solid, ...], tuple[str, ...]]:
    """Every block of a build, and the names of parts whose size nobody knows.

    Parameters
    ----------
    plan : Plan
        The build.
    warm : frozenset of str
        Ids of the parts that cells keep their distance from.
    classes : callable
        Gives the class of a key, for parts that state no size of their own.

    Returns
    -------
    tuple
        Packs first, then boards and loads; what is built into another part takes no room of its own.
    """
    out, unknown = [], []
    for pack in plan.packs:
        block = pack_block(pack, inside(plan.case))
        if block is None:
            unknown.append(pack.name)
        else:
            made_as = f"{pack.cell.part_class or pack.cell.name}, {pack.series}S{len(pack.string_cells)}P"[:120]
            out.append(Solid(id=pack.id, name=pack.name, made_as=made_as, size=block, cells=True))
    bodied: tuple[Bodied, ...] = (*plan.chargers, *plan.balancers, *plan.converters, *plan.loads)
    for part in bodied:
        if isinstance(part, Converter) and part.built_in:
            continue
        body = body_of(part, classes)
        if body is None and part.half_of is not None:  # it lies on its board
            continue
        if body is None:
            unknown.append(part.name)
            continue
        size = body.length_mm + body.plug_mm, body.width_mm, body.height_mm
        seen = (body.seen_length_mm, body.seen_width_mm) if body.seen_length_mm and body.seen_width_mm else None
        out.append(
            Solid(
                id=part.id,
                name=part.name,
                made_as=part.part_class,
                size=size,
                bare_height_mm=body.bare_height_mm,
                front=body.front,
                antenna=body.antenna,
                chips=body.chips,
                warm=part.id in warm,
                seen=seen,
                opens=body.opens,
            )
        )
    return tuple(out), tuple(unknown)


def pack_block(pack: Pack, room: Size) -> Size | None:
    """The flattest block of a pack's cells that lies in a room, with swelling, wrap and the plug at its end.

    Parameters
    ----------
    pack : Pack
        With cells of a stated size.
    room : tuple of float
        Length, width and thickness. [mm]

    Returns
    -------
    tuple of float or None
        The block; the flattest of all where none lies in the room; None where the cells state no size. [mm]
    """
    cell = pack.cell
    if cell.thickness_mm is None or cell.length_mm is None:
        return None
    wide = cell.width_mm or cell.thickness_mm
    thick = cell.thickness_mm * (1.0 + (cell.swelling or (0.0 if cell.is_round else POUCH_SWELLING)))
    count = pack.series * len(pack.string_cells)
    found = []
    for a, b in ((i, j) for i in range(1, count + 1) for j in range(1, -(-count // i) + 1)):
        c = -(-count // (a * b))
        if (a - 1) * b * c >= count or a * (b - 1) * c >= count:
            continue  # as many lie in less room
        size = (a * cell.length_mm + WRAP_MM + PLUG_MM, b * wide + WRAP_MM, c * thick + WRAP_MM)
        lies = any(x <= room[0] and y <= room[1] and size[2] <= room[2] for x, y in (size[:2], size[1::-1]))
        found.append((not lies, size[2], max(size[:2]), size))
    return min(found)[3] if found else None
