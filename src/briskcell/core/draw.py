"""What the parts take: watts by state and over the profile, and how well they are known."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.model.figure import Figure
from briskcell.model.parts import STATES, Load

from .operating import Operating

Array = NDArray[np.float64]
MIDDLE = 0.5  # state of charge at which draws are quoted


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
    relative_sigma: float
    guessed: float


ORDER = ("measured", "sheet", "typical", "guessed")


def pert_sigma(figure: Figure) -> float:
    """Relative standard deviation of a PERT range: a sixth of its width over its likely value.

    Parameters
    ----------
    figure : Figure
        Low, likely and high.

    Returns
    -------
    float
        0 where there is no range or no likely value [1]_.

    References
    ----------
    .. [1] D. G. Malcolm et al., Application of a technique for research and development program evaluation,
       Operations Research 7(5), 1959. doi:10.1287/opre.7.5.646
    """
    return (figure.high - figure.low) / 6.0 / figure.likely if figure.likely else 0.0


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
    at = int(np.argmin(np.abs(op.soc - MIDDLE)))
    watts = op.load_w[:, at, :]
    shares = op.shares
    means = shares @ watts if watts.shape[1] else np.zeros(0)
    total = float(means.sum())
    rows, variance, guessed = [], 0.0, 0.0
    for k, load in enumerate(op.network.loads):
        figures = [getattr(load.draw, s) for s in STATES]
        grade = max((f.grade for f, share in zip(figures, shares, strict=True) if share > 0), key=ORDER.index, default="guessed")
        sigma = sum(float(s * w) * pert_sigma(f) for s, w, f in zip(shares, watts[:, k], figures, strict=True))
        variance += sigma**2
        guessed += sum(float(s * w) for s, w, f in zip(shares, watts[:, k], figures, strict=True) if f.grade == "guessed")
        rows.append(
            LoadDraw(
                load=load,
                watts=tuple(_range(load, f, float(w)) for f, w in zip(figures, watts[:, k], strict=True)),
                mean_w=float(means[k]),
                share=float(means[k]) / total if total else 0.0,
                worst_grade=grade,
            )
        )
    return DrawReport(
        loads=tuple(rows),
        state_w=tuple(float(w) for w in watts.sum(axis=1)) if watts.size else (0.0, 0.0, 0.0),
        mean_w=total,
        relative_sigma=variance**0.5 / total if total else 0.0,
        guessed=guessed / total if total else 0.0,
    )


def _range(load: Load, figure: Figure, likely_w: float) -> tuple[float, float, float]:
    """Watts at the low, likely and high figure; ohms turn the range round."""
    if not figure.likely:
        return (likely_w, likely_w, likely_w + (figure.high if load.kind == "power_w" else 0.0))
    low, high = figure.low / figure.likely, figure.high / figure.likely
    if load.kind == "resistance_ohm":
        low, high = 1.0 / high, 1.0 / max(low, 1e-9)
    return likely_w * low, likely_w, likely_w * high
