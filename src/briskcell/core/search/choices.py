"""Of a hundred thousand candidates the few that differ: what each is good at, why the others fail, and what just misses."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.pack.fit import best_placing, stack_mm
from briskcell.core.search.scout import Scouted
from briskcell.model.plan import Bay, Plan
from briskcell.model.units import show

Array = NDArray[np.float64]
Flags = NDArray[np.bool_]
MOST_CHOICES, MOST_MISSES = 12, 4


@dataclass(frozen=True, slots=True)
class Asked:
    """What each candidate has to pass: a name, words for those that fail, which pass, and by what share each misses.

    ``miss`` is 0 where it passes.
    """

    name: str
    failed: str
    passes: Flags
    miss: Array


@dataclass(frozen=True, slots=True)
class Choice:
    """A candidate by its number, and what it is best at."""

    at: int
    good_at: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Miss:
    """A candidate that fails one test alone, and what would make it work."""

    at: int
    words: str


@dataclass(frozen=True, slots=True)
class Chosen:
    """What a search comes to: how many pass, how many fail each test, choices, near misses, the frontier's numbers."""

    passing: int
    reasons: tuple[tuple[str, int], ...]
    choices: tuple[Choice, ...]
    misses: tuple[Miss, ...]
    frontier: tuple[int, ...]


def stacked(plan: Plan, out: Scouted, bay: Bay) -> tuple[Array, Flags, Array]:
    """How thick each candidate's pack lies in a bay, whether it fits, and by how many cells it misses.

    Parameters
    ----------
    plan : Plan
        The build.
    out : Scouted
        Candidates.
    bay : Bay
        The room for the pack.

    Returns
    -------
    tuple of ndarray
        Millimetres, flags, and cells too many as a share of those that fit.
    """
    series = plan.packs[0].series
    placings = [best_placing(c, bay) for c in out.cells]
    counts = sorted(set(out.parallel.tolist()))
    table = np.full((len(out.cells), max(counts, default=0) + 1), np.inf)
    room = np.zeros(len(out.cells))
    for k, placing in enumerate(placings):
        if placing is None:
            continue
        room[k] = placing.cells // series
        for n in counts:
            if n * series <= placing.cells:
                table[k, n] = stack_mm(placing, n * series)
    thick = table[out.cell, out.parallel]
    fits = np.isfinite(thick)
    over = np.maximum(out.parallel - room[out.cell], 0.0) / np.maximum(room[out.cell], 0.5)
    return thick, fits, over


def asked_of(plan: Plan, out: Scouted, bay: Bay, cost: Array) -> tuple[Array, tuple[Asked, ...]]:
    """Every test of the brief that a search can ask, and the thickness in the bay.

    Parameters
    ----------
    plan : Plan
        The build, whose brief has the wishes.
    out : Scouted
        Candidates.
    bay : Bay
        The room for the pack.
    cost : ndarray, shape (n,)
        Of cells and board; inf where it is not known. [€]

    Returns
    -------
    tuple
        Thickness of each in the bay [mm], and the tests.
    """
    thick, fits, over = stacked(plan, out, bay)
    brief = plan.brief
    hours, spare = out.runtime_h, out.spare
    found = [
        Asked("hours", "play too short", hours >= brief.hours, np.maximum(1.0 - hours / brief.hours, 0.0)),
        Asked(
            "spare",
            "ask more of a board or a cell than it has to spare",
            spare >= brief.margins.close,
            np.maximum(brief.margins.close - spare, 0.0),
        ),
        Asked("bay", "do not fit the bay", fits, over),
    ]
    if brief.mass_g is not None:
        found.append(Asked("mass", "are too heavy", out.mass_g <= brief.mass_g, np.maximum(out.mass_g / brief.mass_g - 1.0, 0.0)))
    if brief.budget is not None:
        found.append(Asked("cost", "cost more than the budget", cost <= brief.budget, np.maximum(cost / brief.budget - 1.0, 0.0)))
    return thick, tuple(found)


def choose(plan: Plan, out: Scouted, bay: Bay, cost: Array) -> Chosen:
    """The choices among candidates.

    Parameters
    ----------
    plan : Plan
        The build.
    out : Scouted
        Candidates.
    bay : Bay
        The room for the pack.
    cost : ndarray, shape (n,)
        Of cells and board. [€]

    Returns
    -------
    Chosen
        At most a dozen that differ in pack or board; a thicker wire than needed is no other choice.
    """
    thick, tests = asked_of(plan, out, bay, cost)
    all_pass = np.logical_and.reduce([t.passes for t in tests]) if len(out.runtime_h) else np.zeros(0, dtype=bool)
    reasons = tuple((t.failed, int((~t.passes).sum())) for t in tests)
    good = np.flatnonzero(all_pass)
    good = _thinnest_wire(out, good)
    front = _frontier(good, [-out.runtime_h, thick, out.mass_g, cost])
    return Chosen(
        len(np.flatnonzero(all_pass)),
        reasons,
        _named(out, front, thick, cost),
        _misses(plan, out, tests),
        tuple(int(k) for k in front),
    )


def _thinnest_wire(out: Scouted, good: NDArray[np.intp]) -> NDArray[np.intp]:
    """Of candidates that differ in the wire alone, the one with the thinnest."""
    order = good[np.argsort(-out.awg[good], kind="stable")]
    key = (out.cell[order] * 1000 + out.parallel[order]) * 10_000 + out.board[order]
    _, first = np.unique(key, return_index=True)
    return np.sort(order[first])


def _frontier(good: NDArray[np.intp], least: list[Array]) -> NDArray[np.intp]:
    """Those that no other one matches in everything and beats in something; what is asked is to be least.

    Taken in the order of the first measure, a candidate can only be beaten by one before it.
    """
    values = np.stack([m[good] for m in least], axis=1) if good.size else np.zeros((0, len(least)))
    order = np.lexsort(values.T[::-1])
    kept: list[int] = []
    for k in order:
        row = values[k]
        if not kept or not (np.all(values[kept] <= row + 1e-12, axis=1)).any():
            kept.append(int(k))
    return np.sort(good[kept]) if kept else good[:0]


def _named(out: Scouted, front: NDArray[np.intp], thick: Array, cost: Array) -> tuple[Choice, ...]:
    """Choices by what they are best at, and then those that lie farthest from the ones there are."""
    if not front.size:
        return ()
    best: dict[str, Array] = {
        "plays longest": -out.runtime_h, "thinnest": thick, "lightest": out.mass_g, "cheapest": cost, "most to spare": -out.spare,
        "most hours for its millimetres": -out.runtime_h / np.maximum(thick, 1e-9),
        "most hours for its grams": -out.runtime_h / np.maximum(out.mass_g, 1e-9),
        "most hours for its money": -out.runtime_h / np.maximum(cost, 1e-9),
    }  # fmt: skip
    names: dict[int, list[str]] = {}
    for name, measure in best.items():
        if np.isfinite(measure[front]).any():
            names.setdefault(int(front[np.nanargmin(np.where(np.isfinite(measure[front]), measure[front], np.inf))]), []).append(
                name
            )
    points = _scaled(front, [out.runtime_h, thick, out.mass_g, np.where(np.isfinite(cost), cost, 0.0)])
    place = {int(k): n for n, k in enumerate(front)}
    while len(names) < min(MOST_CHOICES, len(front)):
        there = points[[place[k] for k in names]]
        apart = np.abs(points[:, None, :] - there[None]).sum(axis=2).min(axis=1)
        if apart.max() < 0.08:
            break  # what is left is as good as one that is named
        names[int(front[int(apart.argmax())])] = ["between"]
    return tuple(
        Choice(k, tuple(n)) for k, n in sorted(names.items(), key=lambda item: -len([x for x in item[1] if x != "between"]))
    )


def _scaled(front: NDArray[np.intp], measures: list[Array]) -> Array:
    columns = []
    for m in measures:
        v = m[front]
        wide = float(v.max() - v.min())
        columns.append((v - v.min()) / wide if wide > 0 else np.zeros(len(v)))
    return np.stack(columns, axis=1)


def _misses(plan: Plan, out: Scouted, tests: tuple[Asked, ...]) -> tuple[Miss, ...]:
    """Those that fail one test alone, by least, each of another pack."""
    if not len(out.runtime_h):
        return ()
    failed = np.stack([~t.passes for t in tests])
    alone = failed.sum(axis=0) == 1
    by = np.where(failed, np.stack([t.miss for t in tests]), 0.0).sum(axis=0)
    found: list[Miss] = []
    seen: set[tuple[int, int]] = set()
    for k in np.argsort(np.where(alone, by, np.inf))[:4000]:
        if not alone[k] or len(found) == MOST_MISSES:
            break
        key = int(out.cell[k]), int(out.parallel[k])
        if key in seen or not np.isfinite(by[k]):
            continue
        seen.add(key)
        test = tests[int(np.flatnonzero(failed[:, k])[0])]
        found.append(Miss(int(k), _missed(plan, out, test.name, int(k))))
    return tuple(found)


def _missed(plan: Plan, out: Scouted, test: str, k: int) -> str:
    """By what a candidate misses, and what would make it work."""
    brief, hours, spare = plan.brief, float(out.runtime_h[k]), float(out.spare[k])
    if test == "hours":
        return f"plays {show(hours, 'h')}: a wish of {show(brief.hours - hours, 'h')} less would take it in"
    if test == "spare":
        return f"has {spare:.0%} to spare where {brief.margins.close:.0%} is close: a stronger board, or a thicker wire"
    if test == "bay":
        return "does not fit: it wants room for another string or two"
    return f"weighs {show(float(out.mass_g[k]), 'g')}" if test == "mass" else "costs more than the budget"
