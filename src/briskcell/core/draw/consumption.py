"""What the parts take: watts by state and over the profile, and how well they are known."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.operating import Operating
from briskcell.model.parts import STATES, Load

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadDraw:
    """One part's watts: (low, likely, high) for each state, its mean over the profile, and its share of the whole."""

    load: Load
    watts: tuple[tuple[float, float, float], ...]
    mean_w: float
    share: float
    worst_grade: str


@dataclass(frozen=True, slots=True, kw_only=True)
class DrawReport:
    """All parts. ``state_w`` are the sums by state; ``mean_w`` the mean over the profile; ``guessed`` its guessed share."""

    loads: tuple[LoadDraw, ...]
    state_w: tuple[float, ...]
    mean_w: float
    guessed: float


ORDER = ("measured", "sheet", "typical", "guessed")


def draw_report(op: Operating) -> DrawReport:
    """Watts of every part at half charge.

    Parameters
    ----------
    op : Operating
        The solved build.

    Returns
    -------
    DrawReport
        Loads in the order of the plan. A part's states count as fully correlated, parts as independent.
    """
    loads, watts = op.network.loads, op.load_w[:, op.half, :]
    figures = [[getattr(load.draw, s) for load in loads] for s in STATES]
    # Axes: low, likely, high; states; loads.
    bounds = np.array([[[getattr(f, end) for f in row] for row in figures] for end in ("low", "likely", "high")])
    ranges = _ranges(bounds.reshape(3, *watts.shape), watts, np.array([load.kind for load in loads], dtype=object))
    over_profile = op.shares[:, None] * watts
    means = over_profile.sum(axis=0)
    total = float(means.sum())
    grades = np.array([[ORDER.index(f.grade) for f in row] for row in figures], dtype=int).reshape(watts.shape)
    guessed = float(over_profile[grades == ORDER.index("guessed")].sum())
    worst = grades[op.used].max(axis=0) if op.used else np.full(len(loads), len(ORDER) - 1)
    triples = ranges.T.tolist()
    return DrawReport(
        loads=tuple(
            LoadDraw(
                load=load,
                watts=tuple((low, mid, high) for low, mid, high in triples[k]),
                mean_w=mean,
                share=mean / total if total else 0.0,
                worst_grade=ORDER[worst[k]],
            )
            for k, (load, mean) in enumerate(zip(loads, means.tolist(), strict=True))
        ),
        state_w=tuple(watts.sum(axis=1).tolist()),
        mean_w=total,
        guessed=guessed / total if total else 0.0,
    )


def _ranges(bounds: Array, watts: Array, kind: NDArray[np.object_]) -> Array:
    """Watts at the low, likely and high figures, shape (3, n_states, n_loads); ohms turn the range round."""
    likely = np.where(bounds[1] > 0, bounds[1], 1.0)
    low, high = bounds[0] / likely, bounds[2] / likely
    turned = kind == "resistance_ohm"
    low, high = np.where(turned, 1.0 / np.maximum(high, 1e-9), low), np.where(turned, 1.0 / np.maximum(low, 1e-9), high)
    # A part that draws nothing may still draw up to its high figure.
    nothing = bounds[1] <= 0
    up = np.where(nothing, watts + np.where(kind == "power_w", bounds[2], 0.0), watts * high)
    return np.stack([np.where(nothing, watts, watts * low), watts, up])
