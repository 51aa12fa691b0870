"""The case as a network of heat: skin, air inside, cells and boards, each with its capacity, joined by films and sheets.

``C·dT/dt = P − K·(T − T_room)`` [1]_ is linear, so that its course is exact at any time: by the eigenvectors of
``C^-½·K·C^-½``.

References
----------
.. [1] F. P. Incropera et al., Fundamentals of Heat and Mass Transfer, 7th ed., Wiley, 2011, ch. 5.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from briskcell.core.heat.case import (
    AIR_OVER_SKIN,
    CAPACITY,
    HAND_C,
    HOTTEST,
    USUAL_RISE_K,
    case_conductance,
    cells_limit_c,
    hands_take,
    touch_limit_c,
    wall_factor,
)
from briskcell.model.parts import Converter, Load
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack

Array = NDArray[np.float64]
SKIN, AIR, CELLS = 0, 1, 2
SHELL_SHARE = 0.5  # of what is neither cells nor boards, the shell; the rest warms with the air: a guess
CELL_FILM = 9.0  # W/m²K from a cell's side to the air inside
CELL_FREE = 0.65  # of a cell's sides, that neither another cell nor a wall covers: a guess
CELL_WALL = 14.0  # W/m²K from a cell that lies 2 mm off a wall into it: the gap, radiation, 2.5 mm of plastic; Incropera, ch. 3
PART_FILM = 9.0  # W/m²K from the flat sides of a part that states no kelvins a watt: air in a narrow case, and radiation
BOARD_J_K = 8.0  # of a small board with its coil: 10 g of copper, epoxy and ferrite at 0.8 J/gK; typical
CELL_G_AH, CELL_M2 = 20.0, 0.004  # of a cell that states no mass or size: as a 18650 has
LEAST_J_K, LEAST_W_K = 1.0, 1e-3  # where there is nothing
LONG_S, HALVINGS = 1e7, 40  # when a case has settled, and steps to a crossing in as long: to some 10 µs


def lasting(watts: Array) -> tuple[Array, Array]:
    """Watts that do not change, as ``HeatNetwork.through`` takes them.

    Parameters
    ----------
    watts : ndarray, shape (n,)
        What is set free in each lump. [W]

    Returns
    -------
    tuple of ndarray, shapes (2, n) and (2,)
        The watts, and the moments, until the case has settled. [W, s]
    """
    return np.stack((watts, watts)), np.array((0.0, LONG_S))


@dataclass(frozen=True, slots=True)
class Contact:
    """A pack, the part whose heat passes to it, and how well: a wall where the part is none. [W/K]

    ``free_m2`` are the part's two flat sides, by which it gives the rest to the air where it states no kelvins a watt.
    """

    pack: str
    other: str
    w_k: float
    free_m2: float = 0.0


@dataclass(frozen=True, slots=True)
class HeatNode:
    """One lump: what it is called, the part it stands for, and what it may reach. [°C]"""

    name: str
    element: str
    limit_c: float


@dataclass(frozen=True)
class HeatNetwork:
    """The lumps of a build: capacities [J/K], the conductance matrix between them and the room [W/K], and that to the room.

    What is told of the skin is its ``hottest`` place, which rises so many times its mean; ``hands_w`` is what hands that are
    warmer than the room bring in, in each lump.
    """

    nodes: tuple[HeatNode, ...]
    capacity_j_k: Array
    conductance: Array
    to_room: Array
    hottest: float
    hands_w: Array

    @cached_property
    def _modes(self) -> tuple[Array, Array, Array]:
        root = np.sqrt(self.capacity_j_k)
        rates, vectors = np.linalg.eigh(self.conductance / root[:, None] / root[None, :])
        return np.maximum(rates, 1e-12), vectors, root

    def settled(self, watts: Array) -> Array:
        """Rise of each lump over the room, once it no longer changes. [K]

        Parameters
        ----------
        watts : ndarray, shape (n,)
            What is set free in each lump. [W]

        Returns
        -------
        ndarray, shape (n,)
            Kelvin.
        """
        return self._told(np.linalg.solve(self.conductance, watts + self.hands_w))

    def _told(self, rises: NDArray[np.floating[Any]]) -> Array:
        """Rises as they are told: of the skin that of its hottest place."""
        rises[..., SKIN] *= self.hottest
        return np.asarray(rises)

    @property
    def limits_c(self) -> Array:
        """What each lump may reach in use; inf where nothing is stated. [°C]"""
        return np.array([n.limit_c for n in self.nodes])

    def through(self, watts: Array, seconds: Array) -> Array:
        """Rise of each lump over the room from a cold case on, under watts that change.

        Parameters
        ----------
        watts : ndarray, shape (t, n)
            What is set free in each lump at each moment; between two of them their mean. [W]
        seconds : ndarray, shape (t,)
            The moments, rising from the begin. [s]

        Returns
        -------
        ndarray, shape (t, n)
            Kelvin, none at the first.
        """
        _, vectors, root = self._modes
        return self._told(self._moved(watts, seconds)[0] @ vectors.T / root)

    def passed_s(self, watts: Array, seconds: Array, lump: int, rise_k: float) -> float | None:
        """When a lump first passes a rise, from a cold case on, under watts that change.

        Parameters
        ----------
        watts : ndarray, shape (t, n)
            As ``through`` takes them. [W]
        seconds : ndarray, shape (t,)
            The moments. [s]
        lump : int
            Which.
        rise_k : float
            Over the room. [K]

        Returns
        -------
        float or None
            None where it never does, 0 where it is over from the start. [s]
        """
        if rise_k <= 0:
            return 0.0
        rates, vectors, root = self._modes
        modes, toward = self._moved(watts, seconds)
        seen = vectors[lump] / root[lump] * (self.hottest if lump == SKIN else 1.0)
        over = np.flatnonzero(modes @ seen > rise_k)
        if not len(over):
            return None
        k = int(over[0]) - 1
        low, high = 0.0, float(seconds[k + 1] - seconds[k])
        for _ in range(HALVINGS):
            middle = 0.5 * (low + high)
            risen = float((toward[k] + (modes[k] - toward[k]) * np.exp(-middle * rates)) @ seen)
            low, high = (low, middle) if risen > rise_k else (middle, high)
        return float(seconds[k]) + high

    def _moved(self, watts: Array, seconds: Array) -> tuple[Array, Array]:
        """The modes at each moment, (t, n), and where each step between two leads, (t − 1, n)."""
        rates, vectors, root = self._modes
        toward = (0.5 * (watts[1:] + watts[:-1]) + self.hands_w) / root @ vectors / rates
        falls = np.exp(-np.diff(seconds)[:, None] * rates)
        modes = np.zeros(watts.shape)
        for k, (end, fall) in enumerate(zip(toward, falls, strict=True)):
            modes[k + 1] = end + (modes[k] - end) * fall
        return modes, toward


def heat_network(
    plan: Plan, beside: tuple[Contact, ...] = (), rise_k: float = USUAL_RISE_K, *, hottest: float = HOTTEST, held: bool = True
) -> HeatNetwork:
    """The lumps of a build.

    The films inside are such that the air settles where the steady answer has it, ``AIR_OVER_SKIN`` times the skin's rise;
    a board stands its own kelvins a watt over the air.

    Parameters
    ----------
    plan : Plan
        The build.
    beside : tuple of Contact
        What cells lie beside, over and under, where that is known; a wall where it is not.
    rise_k : float
        About what the skin rises by: the film of air follows it. [K]
    hottest : float
        How many times its mean the hottest place of the skin rises.
    held : bool
        Whether hands may hold it meanwhile, as the brief says; nobody holds what only charges.

    Returns
    -------
    HeatNetwork
        Skin, air and cells first, then the boards and loads that state their kelvins a watt.
    """
    out_g = case_conductance(plan.case, rise_k)
    hand_g = hands_take(plan.case) if held and plan.brief.held else 0.0
    cells_kg, film_g = cells_film(plan)
    stated: tuple[Converter | Load, ...] = (*plan.converters, *plan.loads)
    flat = {c.other: 1.0 / (PART_FILM * c.free_m2) for c in beside if c.free_m2 > 0}
    thetas = {p.id: theta for p in stated if (theta := _theta(p) or flat.get(p.id)) is not None}
    own = [p for p in stated if p.id in thetas]
    whole = plan.case.mass_g / 1e3 * CAPACITY
    cells_j = max(cells_kg * CAPACITY, LEAST_J_K)
    rest = max(whole - cells_j - BOARD_J_K * len(own), 0.1 * whole, LEAST_J_K)
    capacity = np.array([SHELL_SHARE * rest, (1.0 - SHELL_SHARE) * rest, cells_j, *[BOARD_J_K] * len(own)])
    size = len(capacity)
    matrix = np.zeros((size, size))

    def join(a: int, b: int, g: float) -> None:
        matrix[a, a] += g
        matrix[b, b] += g
        matrix[a, b] -= g
        matrix[b, a] -= g

    bare = plan.case.model_copy(update={"covered": 0.0})
    join(SKIN, AIR, case_conductance(bare) / wall_factor(bare) / (AIR_OVER_SKIN - 1.0))
    join(AIR, CELLS, film_g)
    place = {p.id: CELLS + 1 + k for k, p in enumerate(own)} | {"": SKIN}
    known = {c.pack for c in beside}
    for contact in beside:
        if contact.other in place:
            join(CELLS, place[contact.other], contact.w_k)
    join(CELLS, SKIN, sum((CELL_WALL * lying_m2(p) for p in plan.packs if p.id not in known), LEAST_W_K))
    for k, part in enumerate(own):
        join(AIR, CELLS + 1 + k, 1.0 / max(thetas[part.id], 1e-3))
    room, hands_w = np.zeros(size), np.zeros(size)
    room[SKIN] = out_g + hand_g
    hands_w[SKIN] = hand_g * (HAND_C - plan.brief.room_c)
    matrix[SKIN, SKIN] += room[SKIN]
    nodes = (
        HeatNode("Skin of the case", "", touch_limit_c(plan)),
        HeatNode("Air inside", "", math.inf),
        HeatNode("Cells", plan.packs[0].id if plan.packs else "", cells_limit_c(plan)),
        *(HeatNode(p.name, p.id, _limit_c(p)) for p in own),
    )
    return HeatNetwork(nodes, capacity, matrix, room, hottest, hands_w)


def _theta(part: Converter | Load) -> float | None:
    figure = part.thermal_k_per_w if isinstance(part, Converter) else part.theta_k_per_w
    return None if figure is None else figure.likely


def _limit_c(part: Converter | Load) -> float:
    if isinstance(part, Converter):
        return part.junction_max_c
    return math.inf if part.limit_c is None else part.limit_c


def lying_m2(pack: Pack) -> float:
    """What of a pack's cells lies along a wall: one flat side of each, as if in one layer; half of it as they are stacked. [m²]

    Parameters
    ----------
    pack : Pack
        The pack.

    Returns
    -------
    float
        Of cells without a size as much as a 18650 has.
    """
    cell, count = pack.cell, pack.series * len(pack.string_cells)
    wide = cell.thickness_mm if cell.is_round else cell.width_mm
    each = wide * cell.length_mm / 1e6 if wide and cell.length_mm else CELL_M2 / 4.0
    return count * each * (1.0 if count <= 2 else 0.5)


def cells_film(plan: Plan) -> tuple[float, float]:
    """Mass of all cells, and the conductance of their free sides to the air.

    Parameters
    ----------
    plan : Plan
        The build.

    Returns
    -------
    tuple of float
        As good as nothing where there are none. [kg, W/K]
    """
    kg = area = 0.0
    for pack in plan.packs:
        cell, count = pack.cell, pack.series * len(pack.string_cells)
        kg += count * (cell.mass_g if cell.mass_g else CELL_G_AH * cell.label_ah.likely) / 1e3
        thick, wide, long = (v / 1e3 if v else 0.0 for v in (cell.thickness_mm, cell.width_mm, cell.length_mm))
        if not thick or not long:
            area += count * CELL_M2
        elif cell.is_round:
            area += count * math.pi * thick * (long + thick / 2.0)
        else:
            area += count * 2.0 * (wide * long + thick * (wide + long))
    return kg, max(CELL_FILM * CELL_FREE * area, LEAST_W_K)
