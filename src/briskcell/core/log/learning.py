"""What measured runs say of a console: the figures that explain them best, how far those may still be off, and what does not fit.

Doubts are factors on figures, with normal logarithms. Readings of the whole console (hours, watts, amp-hours) are solved for by
Gauss-Newton, each iteration one batch of the engine; what is left of the doubts together stays with the plan as its evidence.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from briskcell.core.answers import Answers
from briskcell.core.engine.operating import operate
from briskcell.core.pack.runtime import runtime
from briskcell.core.spread.batch import Maker, Solved
from briskcell.core.spread.belief import Belief, belief
from briskcell.core.spread.doubts import OF_CAPACITY, Doubt, doubts
from briskcell.core.spread.table import TABLE, reading_off
from briskcell.model.changes import remade
from briskcell.model.evidence import Evidence, Term
from briskcell.model.plan import Plan

from .moved import moved

Array = NDArray[np.float64]
What = Literal["hours", "watts", "charge", "capacity", "tester"]
ROUNDS, STEP = 5, 0.02  # of Gauss-Newton at the most; of a logarithm, by which slopes are asked
LESS = np.array([1.0, 0.85, 0.7, 0.55, 0.4, 0.25])  # factors on all draws, of which a first one plays
MOST_FACTOR = 20.0  # that a figure is moved by
MOST_STEP = 1.2  # of a logarithm, that one round moves
SURPRISE = 2.6  # standard deviations from what the plan expects, from which a reading is a surprise
APART = 3.0  # standard deviations of its own that a reading stays off all that explains the others, from which they disagree
LEAST_WEIGHT = 1e-4


@dataclass(frozen=True, slots=True)
class Measured:
    """One reading of a whole console: hours of play from full, mean watts out of the pack, amp-hours to the stop, what it holds.

    ``ended`` is whether a run went on to its stop; ``sibling`` whether another unit of the build measured it. ``words`` say where
    it comes from.
    """

    what: What
    value: float
    ended: bool = True
    sibling: bool = False
    words: str = "a measurement"

    @property
    def off(self) -> float:
        """One standard deviation of its logarithm, as a word about the console that is asked for."""
        own = reading_off(self.what)
        return math.hypot(own, float(TABLE["shared"]["of_another"])) if self.sibling else own


@dataclass(frozen=True, slots=True)
class Learned:
    """A plan with what was learned of it.

    Attributes
    ----------
    plan : Plan
        Its figures moved to where they explain what was measured, with the evidence for it.
    factors : dict of str to float
        By how much each doubt was moved, by its name from build to build.
    surprises : tuple of Measured
        What the plan did not expect.
    apart : tuple of Measured
        What goes with nothing else that was measured.
    """

    plan: Plan
    factors: dict[str, float]
    evidence: tuple[Evidence, ...]
    measured: tuple[Measured, ...]
    surprises: tuple[Measured, ...]
    apart: tuple[Measured, ...]


def learn(a: Answers, measured: Sequence[Measured], store: int = 0) -> Learned | None:
    """The figures of a build that explain best what was measured on it [1]_.

    Parameters
    ----------
    a : Answers
        The build as it is planned.
    measured : sequence of Measured
        Of its units.
    store : int
        Whose play it is.

    Returns
    -------
    Learned or None
        None where nothing was measured, or nothing plays whatever its draws.

    References
    ----------
    .. [1] B. M. Bell, F. W. Cathey, The iterated Kalman filter update as a Gauss-Newton method, IEEE Trans. Automatic Control
       38(2), 1993.
    """
    likely = a.runtimes[store].hours if a.runtimes else None
    of = doubts(a.plan)
    if not measured or likely is None or not of:
        return None
    known = belief(of, a.plan.evidence)
    asked = _Asked(a, of, known, likely, store)
    x = asked.begins()
    if x is None:
        return None
    expected = asked.at(x)
    counts = [m for m in measured if m.ended or m.what != "hours" or expected[m.what] < math.log(m.value)]
    target = np.array([math.log(m.value) for m in counts])
    off = np.array([m.off for m in counts])
    slopes = np.zeros((len(counts), len(x)))
    first: tuple[Array, Array] | None = None
    for _ in range(ROUNDS if counts else 0):
        values, by = asked.around(x)
        slopes = np.stack([by[m.what] for m in counts])
        here = np.array([values[m.what] for m in counts])
        first = first or (target - here, slopes)
        step = _best(known, slopes, off, target - here + slopes @ x) - x
        step *= min(1.0, MOST_STEP / max(float(np.abs(step).max()), 1e-12))
        x = x + step
        if np.abs(step).max() < 5e-3:
            break
    values = asked.at(x)
    left = np.array([m.value and math.log(m.value) - values[m.what] for m in counts])
    evidence = tuple(_evidence(m, row, known) for m, row in zip(counts, slopes, strict=True))
    factors = {
        d.known_as: float(np.clip(math.exp(v), 1.0 / MOST_FACTOR, MOST_FACTOR)) for d, v in zip(known.latent, x, strict=True)
    }
    words = "; ".join(m.words for m in counts)
    plan = _settled(moved(a.plan, of, factors, words), of, values, store, {m.what for m in counts})
    plan = remade(plan, {"evidence": (*a.plan.evidence, *evidence)[-40:]})
    return Learned(plan, factors, evidence, tuple(measured), _surprises(counts, first, known, off), _apart(counts, left, off))


def carried_over(found: Learned, other: Plan, *, same_console: bool = False) -> Plan:
    """Another build as what was learned has it: the doubts that both share are moved alike, and known as well.

    Parameters
    ----------
    found : Learned
        From measurements of one build.
    other : Plan
        A variant, another pack, a draft.
    same_console : bool
        Whether it is the console itself, changed since it was measured; another one differs by what is its own.

    Returns
    -------
    Plan
        Itself, where it shares nothing.
    """
    of = doubts(other)
    shared = {d.known_as for d in of} & {t.doubt for e in found.evidence for t in e.terms}
    if not shared:
        return other
    factors = {name: found.factors[name] for name in shared}
    another = 0.0 if same_console else float(TABLE["shared"]["of_another"])
    evidence = tuple(e.model_copy(update={"off": math.hypot(e.off, another)}) for e in found.evidence)
    words = "; ".join(e.words for e in found.evidence)
    return remade(moved(other, of, factors, words), {"evidence": (*other.evidence, *evidence)[-40:]})


def shared(one: Plan, other: Plan) -> tuple[Doubt, ...]:
    """The doubts that two builds have in common.

    Parameters
    ----------
    one, other : Plan
        The builds.

    Returns
    -------
    tuple of Doubt
        Those of the first whose class the other has as well.
    """
    known = {d.known_as for d in doubts(other)}
    return tuple(d for d in doubts(one) if d.known_as in known)


class _Asked:
    """The engine, asked for logarithms of hours, watts, charge and capacity at logarithms of factors."""

    def __init__(self, a: Answers, of: tuple[Doubt, ...], known: Belief, likely_h: float, store: int) -> None:
        self._made, self._known, self._store = Maker(a.plan, of, a.op.network), known, store
        found = float(np.nan_to_num(self._solve(np.zeros((1, len(known.latent)))).hours[0]))
        self._scale = likely_h / found if likely_h > 0 and found > 0 else 1.0
        self._capacity = float(a.op.curves[store].capacity_ah)
        latent = known.latent
        mine = [d.known_as for d in of if d.kind in OF_CAPACITY and d.element == a.plan.stores[store].id]
        self._cells = np.array([float(d.known_as in mine) for d in latent])

    def begins(self) -> Array | None:
        """Where to begin: at the plan, or where that does not play, at the largest draws with which it does; None without any."""
        latent = self._known.latent
        draws = np.array([float(d.kind == "shared") for d in latent])
        draws = draws if draws.any() else np.array([float(d.kind == "draw") for d in latent])
        rows = np.log(LESS)[:, None] * draws
        plays = np.nan_to_num(self._solve(rows).hours) > 0
        return rows[int(np.argmax(plays))] if plays.any() else None

    def at(self, x: Array) -> dict[What, float]:
        """At one point."""
        return {name: float(v[0]) for name, v in self._logs(x[None]).items()}

    def around(self, x: Array) -> tuple[dict[What, float], dict[What, Array]]:
        """At a point, and the slopes there."""
        logs = self._logs(np.vstack([x, x + STEP * np.eye(len(x))]))
        return {n: float(v[0]) for n, v in logs.items()}, {n: (v[1:] - v[0]) / STEP for n, v in logs.items()}

    def _logs(self, x: Array) -> dict[What, Array]:
        found = self._solve(x)
        hours = np.log(np.maximum(np.nan_to_num(found.hours) * self._scale, 1e-6))
        watts = np.log(np.maximum(np.nan_to_num(found.watts, posinf=1e6), 1e-6))
        charge = np.log(np.maximum(np.nan_to_num(found.charge), 1e-6))
        capacity = math.log(self._capacity) + x @ self._cells
        return {"hours": hours, "watts": watts, "charge": charge, "capacity": capacity, "tester": capacity}

    def _solve(self, x: Array) -> Solved:
        return self._made.solve(np.exp(x[:, self._known.at]), self._store)


def _best(known: Belief, slopes: Array, off: Array, target: Array) -> Array:
    """The most likely logarithms, where each doubt is about nothing and readings are sums of them.

    The plan's own evidence holds as well.
    """
    rows, offs = np.vstack([known.rows, slopes]), np.concatenate([known.off, off])
    wanted = np.concatenate([np.zeros(len(known.off)), target])
    prior = np.array([d.off**2 for d in known.latent])
    whole = (rows * prior) @ rows.T + np.diag(offs**2)
    return np.asarray((rows * prior).T @ np.linalg.solve(whole, wanted))


def _evidence(m: Measured, slopes: Array, known: Belief) -> Evidence:
    terms = tuple(
        Term(doubt=d.known_as[:200], weight=float(np.clip(w, -20, 20)), off=d.off)
        for d, w in zip(known.latent, slopes, strict=True)
        if abs(w) > LEAST_WEIGHT
    )
    return Evidence(words=m.words[:400], off=m.off, terms=terms or (Term(doubt=known.latent[0].known_as, weight=0.0, off=0.1),))


def _settled(
    plan: Plan,
    of: tuple[Doubt, ...],
    values: dict[What, float],
    store: int,
    known: set[What],
) -> Plan:
    """Draws or capacity moved by the little that all other doubts had to be moved, so that the build comes to what was found."""
    draws = [d.known_as for d in of if d.kind == "draw"]
    held = [d.known_as for d in of if d.kind == "capacity" and d.element == plan.stores[store].id]
    for _ in range(2):
        hours = runtime(operate(plan), store).hours
        if not hours:
            return plan
        more = math.exp(values["hours"]) / hours
        move = held if known & {"watts"} or not draws else draws
        plan = moved(plan, of, dict.fromkeys(move, more if move is held else 1.0 / more), "")
    return plan


def _surprises(counts: list[Measured], first: tuple[Array, Array] | None, known: Belief, off: Array) -> tuple[Measured, ...]:
    """Readings that lie where the plan's ranges hardly reach."""
    if first is None:
        return ()
    missed, slopes = first
    variance = np.einsum("ij,jk,ik->i", slopes, known.covariance, slopes) + off**2
    return tuple(m for m, z in zip(counts, np.abs(missed) / np.sqrt(variance), strict=True) if z > SURPRISE)


def _apart(counts: list[Measured], left: Array, off: Array) -> tuple[Measured, ...]:
    return tuple(m for m, z in zip(counts, np.abs(left) / off, strict=True) if z > APART)
