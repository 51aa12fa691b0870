"""A closed case as thirty-odd places of its own: a finer network than the application's, written apart, solved by scipy.

Walls are patches with a film outside (free convection by plate orientation and radiation), conduction through and along them,
and inside a film to the air and a narrow gap to whatever faces them. F. P. Incropera et al., Fundamentals of Heat and Mass
Transfer, 7th ed., ch. 3, 9 and 13; H. Y. Wong, Heat Transfer for Engineers, 1977, for films of small enclosures.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import fsolve

Patch = tuple[int, float, float, float, float]
SIGMA, EMITS, AIR_W_MK = 5.67e-8, 0.9, 0.027
PLASTIC_W_MK, INSIDE_FILM = 0.2, 5.0
COLUMNS, ROWS = 3, 2
HAND_C, HAND_FILM = 34.0, 14.0


@dataclass
class Body:
    """A box that lies inside: corner and size in metres, watts set free in it, and how much of its own heat it spreads."""

    at: tuple[float, float, float]
    size: tuple[float, float, float]
    watts: float = 0.0


@dataclass
class FineCase:
    """Outside in metres, wall in metres, the room, what lies in it, watts set free in the air, and the patches that hands cover."""

    size: tuple[float, float, float]
    bodies: dict[str, Body]
    room_c: float = 25.0
    wall_m: float = 0.0025
    conducts: float = PLASTIC_W_MK
    air_w: float = 0.0
    held: float = 0.0

    def patches(self) -> list[Patch]:
        """Of front (1) and back (0): face, x, y, length and width; then four sides as whole patches (2 to 5)."""
        length, width, depth = self.size
        out = []
        for face in (0, 1):
            for i in range(COLUMNS):
                for j in range(ROWS):
                    out.append((face, i * length / COLUMNS, j * width / ROWS, length / COLUMNS, width / ROWS))
        out += [(2, 0, 0, width, depth), (3, 0, 0, width, depth), (4, 0, 0, length, depth), (5, 0, 0, length, depth)]
        return out

    def solve(self) -> dict[str, float]:
        """Temperatures [°C]: skin mean and hottest, air, and each body by name."""
        patches = self.patches()
        n, names = len(patches), list(self.bodies)
        air = n
        size = n + 1 + len(names)
        area = np.array([p[3] * p[4] for p in patches])
        fixed = np.zeros((size, size))

        def join(a: int, b: int, g: float) -> None:
            fixed[a, a] += g
            fixed[b, b] += g
            fixed[a, b] -= g
            fixed[b, a] -= g

        through = self.wall_m / self.conducts
        free = area.copy()
        for k, name in enumerate(names):
            body = self.bodies[name]
            top = body.at[2] + body.size[2]
            for p, (face, x, y, long, wide) in enumerate(patches):
                if face > 1:
                    continue
                over = _overlap(x, long, body.at[0], body.size[0]) * _overlap(y, wide, body.at[1], body.size[1])
                blocked = over > 0 and any(
                    o is not body
                    and _overlap(o.at[0], o.size[0], body.at[0], body.size[0])
                    * _overlap(o.at[1], o.size[1], body.at[1], body.size[1])
                    > 0
                    and (o.at[2] >= top - 1e-6 if face == 1 else o.at[2] + o.size[2] <= body.at[2] + 1e-6)
                    for o in self.bodies.values()
                )
                if over <= 0 or blocked:
                    continue
                gap = max(self.size[2] - self.wall_m - top if face == 1 else body.at[2] - self.wall_m, 0.0005)
                join(n + 1 + k, p, over / (1.0 / (AIR_W_MK / gap + _radiated(40.0)) + through))
                free[p] -= over if gap < 0.006 else 0.0
            sides = 2.0 * body.size[2] * (body.size[0] + body.size[1])
            flat = 2.0 * body.size[0] * body.size[1]
            join(n + 1 + k, air, (sides + 0.5 * flat) * INSIDE_FILM)
            for m, other in enumerate(names[:k]):
                join(n + 1 + k, n + 1 + m, _between(body, self.bodies[other]))
        for p in range(n):
            join(p, air, max(free[p], 0.0) / (1.0 / (INSIDE_FILM + 0.5 * _radiated(35.0)) + through))
        self._along(patches, join)
        watts = np.zeros(size)
        watts[air] = self.air_w
        for k, name in enumerate(names):
            watts[n + 1 + k] = self.bodies[name].watts
        held = self._held(patches, area)

        def residual(rise: NDArray[np.float64]) -> NDArray[np.float64]:
            skin = rise[:n]
            film = np.array([_outside(p[0], p, float(t)) for p, t in zip(patches, skin, strict=True)]) + _radiated(
                self.room_c, skin
            )
            lost = (area - held) * film * skin + held * HAND_FILM * (skin + self.room_c - HAND_C)
            out = fixed @ rise - watts
            out[:n] += lost
            return out

        rise = fsolve(residual, np.full(size, 12.0))
        mean = float((rise[:n] * area).sum() / area.sum())
        told = {"skin": mean, "hottest": float(rise[:n].max()), "air": float(rise[air])}
        return {k: v + self.room_c for k, v in told.items()} | {
            m: float(rise[n + 1 + k]) + self.room_c for k, m in enumerate(names)
        }

    def _held(self, patches: list[Patch], area: NDArray[np.float64]) -> NDArray[np.float64]:
        """What hands cover: both ends of both faces, and the short sides."""
        ends = np.array([(p[0] < 2 and (p[1] < 1e-9 or p[1] + p[3] > self.size[0] - 1e-9)) or p[0] in (2, 3) for p in patches])
        whole = self.held * area.sum()
        return np.where(ends, area * min(whole / area[ends].sum(), 1.0), 0.0)

    def _along(self, patches: list[Patch], join: Callable[[int, int, float], None]) -> None:
        sheet = self.conducts * self.wall_m
        for a, (face, x, y, long, wide) in enumerate(patches):
            for b, (other, u, v, _, _) in enumerate(patches[:a]):
                if face > 1 and other < 2:  # round the edge, to the side that it belongs to
                    met = {2: u < 1e-9, 3: u + self.size[0] / COLUMNS > self.size[0] - 1e-9, 4: v < 1e-9}
                    if met.get(face, v + self.size[1] / ROWS > self.size[1] - 1e-9):
                        across = (self.size[0] / COLUMNS if face < 4 else self.size[1] / ROWS) / 2.0 + wide / 2.0
                        join(a, b, sheet * (self.size[1] / ROWS if face < 4 else self.size[0] / COLUMNS) / across)
                if face > 1 or other != face:
                    continue
                if abs(y - v) < 1e-9 and abs(abs(x - u) - long) < 1e-9:
                    join(a, b, sheet * wide / long)
                if abs(x - u) < 1e-9 and abs(abs(y - v) - wide) < 1e-9:
                    join(a, b, sheet * long / wide)


def _overlap(a: float, long: float, b: float, other: float) -> float:
    return max(min(a + long, b + other) - max(a, b), 0.0)


def _between(a: Body, b: Body) -> float:
    """Conductance between two bodies that face each other over a gap of up to 15 mm. [W/K]"""
    shared = [_overlap(a.at[k], a.size[k], b.at[k], b.size[k]) for k in range(3)]
    g = 0.0
    for k in range(3):
        others = [shared[m] for m in range(3) if m != k]
        gap = max(a.at[k], b.at[k]) - min(a.at[k] + a.size[k], b.at[k] + b.size[k])
        if min(others) > 0 and -1e-6 <= gap < 0.015:
            g += others[0] * others[1] * (AIR_W_MK / max(gap, 0.0005) + _radiated(40.0))
    return g


def _radiated(celsius: float, rise: Any = 0.0) -> Any:
    kelvin = celsius + 273.15 + np.asarray(rise) / 2.0
    return 4.0 * EMITS * SIGMA * kelvin**3


def _outside(face: int, patch: Patch, rise: float) -> float:
    """Free convection of a plate in air: facing up, facing down, upright. W/m²K; Incropera, ch. 9, simplified for air."""
    push = max(rise, 0.5)
    if face == 1:
        return float(1.32 * (push / 0.06) ** 0.25)
    if face == 0:
        return float(0.59 * (push / 0.06) ** 0.25)
    return float(1.42 * (push / max(patch[4], 0.02)) ** 0.25)
