"""Of a hundred thousand candidates the few that differ: what each is good at, why the others fail, and what just misses."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.pack.fit import best_placing, stack_mm
from briskcell.core.search.scout import Scouted
from briskcell.model.plan import Bay, Plan
from briskcell.model.stores import ChargeBoard
from briskcell.model.units import show

Array = NDArray[np.float64]
Flags = NDArray[np.bool_]
Picks = NDArray[np.intp]
MOST_CHOICES, MOST_MISSES, MOST_WHOLE = 12, 4, 80


@dataclass(frozen=True, slots=True)
class Asked:
    """What each candidate has to pass: a name, words for those that fail, which pass, and by what share each misses.

    ``miss`` is 0 where it passes.
    """

    name: str
    failed: str
    passes: Flags
    miss: Array


@dataclass(frozen=True, slots=True, eq=False)
class Filling:
    """Charge boards for many packs: ``hours`` of shape (boards, cells, counts) from where play ends to full, inf where one does
    not suit; what each costs more than what is there [€]; whether it lets one play meanwhile; and which regulators it
    ``goes_with``, of shape (boards, regulators): a charging half with its own alone. The first is the one that is there.
    """

    boards: tuple[ChargeBoard, ...]
    hours: Array
    cost: Array
    plays: Flags
    goes_with: Flags


@dataclass(frozen=True, slots=True)
class Offer:
    """A candidate by its number, with a charge board by its, or None where nothing charges the build."""

    at: int
    charger: int | None


@dataclass(frozen=True, slots=True)
class Choice:
    """An offer, and what it is best at."""

    offer: Offer
    good_at: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Miss:
    """A candidate that fails one test alone, and what would make it work."""

    at: int
    words: str


@dataclass(frozen=True, slots=True)
class Chosen:
    """What a search comes to: how many pass, how many fail each test, choices, near misses, what of the frontier holds as a whole.

    ``unbeaten`` says how many nothing beats, and of how many of them the whole was asked.
    """

    passing: int
    reasons: tuple[tuple[str, int], ...]
    choices: tuple[Choice, ...]
    misses: tuple[Miss, ...]
    frontier: tuple[Offer, ...]
    unbeaten: tuple[int, int]


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


def asked_of(
    plan: Plan, out: Scouted, bay: Bay, cost: Array, filled: Filling | None, lie: Flags | None = None
) -> tuple[Array, tuple[Asked, ...]]:
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
        Of the cells and the board that are to be bought; inf where it is not known. [€]
    filled : Filling or None
        Charge boards, where one charges the build.
    lie : ndarray of bool, shape (n,), or None
        Whose cells all lie in the drawer, where nothing else is asked for.

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
    if filled is not None:
        each = np.where((_allowed(plan, filled)[:, None] & filled.goes_with)[:, :, None, None], filled.hours[:, None], np.inf)
        fastest = each.min(axis=0)[out.board, out.cell, out.parallel]
        over = np.maximum(np.nan_to_num(fastest / brief.charge_hours, posinf=9.0) - 1.0, 0.0)
        found.append(Asked("charge", "are filled in time by no charge board", fastest <= brief.charge_hours, over))
    if brief.mass_g is not None:
        found.append(Asked("mass", "are too heavy", out.mass_g <= brief.mass_g, np.maximum(out.mass_g / brief.mass_g - 1.0, 0.0)))
    if brief.budget is not None:
        found.append(Asked("cost", "cost more than the budget", cost <= brief.budget, np.maximum(cost / brief.budget - 1.0, 0.0)))
    if lie is not None:
        found.append(Asked("drawer", "want more cells than lie in the drawer", lie, np.where(lie, 0.0, 1.0)))
    return thick, tuple(found)


def _allowed(plan: Plan, filled: Filling) -> Flags:
    """Boards that let one play while they charge, where the brief asks for it."""
    return filled.plays | (not plan.brief.play_while_charging)


def choose(
    plan: Plan,
    out: Scouted,
    bay: Bay,
    cost: Array,
    filled: Filling | None = None,
    whole: Callable[[Offer], bool] = lambda _: True,
    lie: Flags | None = None,
) -> Chosen:
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
        Of the cells and the board that are to be bought. [€]
    filled : Filling, optional
        Charge boards, where one charges the build.
    whole : callable, optional
        Whether an offer holds as a whole build; asked of the frontier, of some of it where it is long.
    lie : ndarray of bool, shape (n,), optional
        Whose cells all lie in the drawer, where nothing else is asked for.

    Returns
    -------
    Chosen
        At most a dozen that differ in pack or a board; a thicker wire than needed is no other choice.
    """
    thick, tests = asked_of(plan, out, bay, cost, filled, lie)
    all_pass = np.logical_and.reduce([t.passes for t in tests]) if len(out.runtime_h) else np.zeros(0, dtype=bool)
    reasons = tuple((t.failed, int((~t.passes).sum())) for t in tests)
    good = _thinnest_wire(out, np.flatnonzero(all_pass))
    at, charger = _with_chargers(plan, out, good, filled)
    columns = {
        "hours": out.runtime_h[at],
        "thick": thick[at],
        "mass": out.mass_g[at],
        "cost": cost[at],
        "spare": out.spare[at],
        "charge": np.zeros(len(at)),
    }
    if filled is not None:
        columns["charge"] = filled.hours[charger, out.cell[at], out.parallel[at]]
        columns["cost"] = columns["cost"] + filled.cost[charger]
    front = _frontier([-columns["hours"], *(columns[k] for k in ("thick", "mass", "cost", "charge"))])
    found = front[:: max(1, -(-len(front) // MOST_WHOLE))]
    asked = [(int(k), Offer(int(at[k]), int(charger[k]) if filled is not None else None)) for k in found]
    held = [(k, offer) for k, offer in asked if whole(offer)]
    kept, offers = np.array([k for k, _ in held], dtype=np.intp), [offer for _, offer in held]
    return Chosen(
        int(all_pass.sum()),
        reasons,
        tuple(Choice(offers[n], names) for n, names in _named({k: v[kept] for k, v in columns.items()}, filled is not None)),
        _misses(plan, out, tests),
        tuple(offers),
        (len(front), len(asked)),
    )


def _with_chargers(plan: Plan, out: Scouted, good: Picks, filled: Filling | None) -> tuple[Picks, Picks]:
    """Each candidate with each charge board that fills it in time."""
    if filled is None:
        return good, np.zeros(len(good), dtype=np.intp)
    hours = filled.hours[:, out.cell[good], out.parallel[good]]
    allowed = _allowed(plan, filled)[:, None] & filled.goes_with[:, out.board[good]]
    charger, which = np.nonzero((hours <= plan.brief.charge_hours) & allowed)
    return good[which], charger


def _thinnest_wire(out: Scouted, good: Picks) -> Picks:
    """Of candidates that differ in the wire alone, the one with the thinnest."""
    order = good[np.argsort(-out.awg[good], kind="stable")]
    key = (out.cell[order] * 1000 + out.parallel[order]) * 10_000 + out.board[order]
    _, first = np.unique(key, return_index=True)
    return np.sort(order[first])


def _frontier(least: list[Array]) -> Picks:
    """Rows that no other one matches in everything and beats in something; what is asked is to be least.

    Taken in the order of the first measure, a row can only be beaten by one before it.
    """
    values = np.stack(least, axis=1)
    kept = np.zeros(len(values), dtype=bool)
    best = np.empty_like(values)
    count = 0
    for k in np.lexsort(values.T[::-1]):
        if not (best[:count] <= values[k] + 1e-12).all(axis=1).any():
            best[count], count, kept[k] = values[k], count + 1, True
    return np.flatnonzero(kept)


def _named(front: dict[str, Array], charged: bool) -> list[tuple[int, tuple[str, ...]]]:
    """Rows of the frontier by what they are best at, and then those that lie farthest from the ones there are."""
    hours, thick, mass, cost = (front[k] for k in ("hours", "thick", "mass", "cost"))
    if not len(hours):
        return []
    best: dict[str, Array] = {
        "plays longest": -hours,
        "thinnest": thick,
        "lightest": mass,
        "cheapest": cost,
        "most to spare": -front["spare"],
        "most hours for its millimetres": -hours / np.maximum(thick, 1e-9),
        "most hours for its grams": -hours / np.maximum(mass, 1e-9),
        "most hours for its money": -hours / np.maximum(cost, 1e-9),
    } | ({"full soonest": front["charge"]} if charged else {})
    names: dict[int, list[str]] = {}
    for name, measure in best.items():
        if np.isfinite(measure).any():
            names.setdefault(int(np.argmin(np.where(np.isfinite(measure), measure, np.inf))), []).append(name)
    points = _scaled([hours, thick, mass, np.where(np.isfinite(cost), cost, 0.0), front["charge"]])
    while len(names) < min(MOST_CHOICES, len(hours)):
        apart = np.abs(points[:, None, :] - points[list(names)][None]).sum(axis=2).min(axis=1)
        if apart.max() < 0.08:
            break  # what is left is as good as one that is named
        names[int(apart.argmax())] = ["between"]
    return sorted(((k, tuple(n)) for k, n in names.items()), key=lambda item: -len([x for x in item[1] if x != "between"]))


def _scaled(measures: list[Array]) -> Array:
    columns = []
    for v in measures:
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
    if test == "charge":
        return f"is not full within {show(brief.charge_hours, 'h')}: a stronger charger than any that suits, or more time"
    if test == "drawer":
        return f"wants {int(out.parallel[k]) * plan.packs[0].series} cells, more than lie in the drawer"
    return f"weighs {show(float(out.mass_g[k]), 'g')}" if test == "mass" else "costs more than the budget"
