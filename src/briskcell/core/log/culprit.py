"""From a complaint to what is behind it: every weak point made weaker by degrees, all solved as one batch, and held against when it
fails.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from briskcell.core.answers import Answers
from briskcell.core.bench.ladder import ladder
from briskcell.core.bench.specimen import Fault, Specimen
from briskcell.core.bench.step import Step
from briskcell.core.engine.converters import deliverable_a
from briskcell.core.engine.kernel import SET_V
from briskcell.core.engine.network import Draws, Network, compile_network, setting_factors, state_draws
from briskcell.core.engine.solver import Boards, solve
from briskcell.core.engine.sources import store_curves
from briskcell.model.changes import altered
from briskcell.model.parts import Fed, Link, State
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.model.tree import feeders_of, source_of

Array = NDArray[np.float64]
When = Literal["always", "bright", "loud", "warm", "empty", "plugged", "random"]
WHENS: dict[When, str] = {
    "always": "all the time, or it does not start",
    "loud": "at loud or busy scenes",
    "bright": "with brightness or volume turned up",
    "warm": "after a while, when it is warm",
    "empty": "when the pack is nearly empty",
    "plugged": "while it is plugged in",
    "random": "at random, when it is moved",
}
HALF, LOW = 0.6, 0.06  # states of charge at which it is looked at
WARM_OHM, WARM_LIMIT = 2.5, 0.85  # how a tired joint and a board's limit change when warm
LEVELS = (0.4, 0.7, 1.0, 1.5, 2.2)  # how bad a fault is, over what is usual of it
COLD_OHM, SAG, HUNGER, AGED = 1.0, 0.12, 1.2, 1.5  # usual: more ohms; share of volts lost; more of its draw; more ohms of cells
# How often each kind is what is behind a complaint; typical of hand-made consoles, and a guess of ours.
ALIKE = 0.5  # of the likeliest joint's weight, from which another on the same way is named with it
OFTEN: dict[str, float] = {"design": 1.0, "joint": 1.0, "board": 0.5, "cells": 0.5, "hungry": 0.35}
Condition = tuple[str, float, bool]  # what it does, its charge, whether it is warm
CONDITIONS: tuple[Condition, ...] = (
    ("rest", HALF, False),
    ("play", HALF, False),
    ("bright", HALF, False),
    ("peak", HALF, False),
    ("peak", HALF, True),
    ("play", LOW, False),
    ("peak", LOW, False),
)


ORDER: tuple[tuple[When, tuple[int, ...]], ...] = (
    ("always", (0, 1)),
    ("bright", (2,)),
    ("loud", (3,)),
    ("warm", (4,)),
    ("empty", (5, 6)),
)
NEAR: dict[When, tuple[When, ...]] = {  # what an owner may mean as well
    "loud": ("bright", "warm", "empty"),
    "bright": ("loud", "always"),
    "warm": ("loud",),
    "empty": ("loud",),
    "always": ("bright",),
}


@dataclass(frozen=True, slots=True)
class Suspect:
    """What may be behind a complaint: its kind, the elements it may sit in, how likely it is beside the others, and why."""

    kind: str
    elements: tuple[str, ...]
    words: str
    share: float
    why: str


@dataclass(frozen=True, slots=True)
class _Variant:
    kind: str
    elements: tuple[str, ...]
    level: float


def suspects(a: Answers, when: When, what: str = "", most: int = 5) -> tuple[Suspect, ...]:
    """A build's weak points, ranked by how well each explains a complaint.

    Parameters
    ----------
    a : Answers
        The build.
    when : str
        When it fails.
    what : str
        The load that fails, empty where the whole console does.
    most : int
        How many at the most.

    Returns
    -------
    tuple of Suspect
        Their shares make up 1 with those left out.
    """
    plan = a.plan
    if not plan.loads or not plan.stores:
        return ()
    if when == "plugged":
        return _plugged(a)[:most]
    main = max(plan.loads, key=lambda p: p.draw.play.likely if p.kind != "resistance_ohm" else 0.0).id
    variants = list(_variants(plan))
    classes = _classes(a, variants, what or main)  # the whole console fails where its main part does
    weight: dict[tuple[str, tuple[str, ...]], float] = defaultdict(float)
    for variant, (seen, failing) in zip(variants, classes, strict=True):
        fits = _fit(variant, seen, failing, when, alone=bool(what))
        weight[variant.kind, variant.elements] += OFTEN[variant.kind] * fits / (1.0 if variant.kind == "design" else len(LEVELS))
    whole = sum(weight.values()) or 1.0
    ranked = sorted(_together(plan, weight).items(), key=lambda item: -item[1])[:most]
    return tuple(Suspect(kind, at, *_words(plan, kind, at, w / whole, when)) for (kind, at), w in ranked if w > 0)


def separating(a: Answers, first: Suspect, second: Suspect) -> Step | None:
    """The reading of the ladder that tells two suspects apart best, the one without a cell before the one with.

    Parameters
    ----------
    a : Answers
        The build.
    first, second : Suspect
        Which to tell apart.

    Returns
    -------
    Step or None
        None where no reading does.
    """
    one, other = (Specimen(a, _as_faults(a.plan, s)) for s in (first, second))
    best: tuple[float, Step] | None = None
    for step in ladder(a):
        if not step.unit:
            continue
        reads = one.reads(step), other.reads(step)
        apart = abs(reads[0] - reads[1]) / (0.03 * max(abs(reads[0]), abs(reads[1])) + 0.02)
        apart = min(apart, 20.0) / (2.0 if step.live else 1.0)
        if apart > 1.0 and (best is None or apart > best[0]):
            best = apart, step
    return best[1] if best else None


def _as_faults(plan: Plan, suspect: Suspect) -> tuple[Fault, ...]:
    kinds = {"joint": "cold", "board": "sagging", "hungry": "hungry"}
    if suspect.kind == "cells":
        pack = plan.by_id[suspect.elements[0]]
        return (Fault("dead cell", pack.id),) if isinstance(pack, Pack) and pack.series > 1 else ()
    if suspect.kind not in kinds:
        return ()
    return (Fault(kinds[suspect.kind], suspect.elements[0]),)  # type: ignore[arg-type]


def _variants(plan: Plan) -> Iterator[_Variant]:
    yield _Variant("design", (), 1.0)
    for level in LEVELS:
        for chain in _chains(plan):
            yield _Variant("joint", chain, level)
        for board in plan.converters:
            if source_of(plan, board) in plan.stores:
                yield _Variant("board", (board.id,), level)
        for pack in plan.packs:
            yield _Variant("cells", (pack.id,), level)
        for load in plan.loads:
            if source_of(plan, load) in plan.stores:
                yield _Variant("hungry", (load.id,), level)


def _chains(plan: Plan) -> list[tuple[str, ...]]:
    """Links in a row, with nothing branching off between: no complaint tells one of them from the next."""
    out, seen = [], set[str]()
    for link in plan.links:
        if link.id in seen or link.kind == "outlet" or source_of(plan, link) not in plan.stores:
            continue
        chain = [link]
        while isinstance(up := plan.by_id[chain[0].fed_by], Link) and up.kind != "outlet" and len(plan.fed.get(up.id, ())) == 1:
            chain.insert(0, up)
        while len(below := plan.fed.get(chain[-1].id, ())) == 1 and isinstance(below[0], Link) and below[0].kind != "outlet":
            chain.append(below[0])
        names = tuple(k.id for k in chain)
        if not seen & set(names):
            out.append(names)
        seen |= set(names)
    return out


def _together(plan: Plan, weight: dict[tuple[str, tuple[str, ...]], float]) -> dict[tuple[str, tuple[str, ...]], float]:
    """Joints on one way that explain a complaint about alike are one suspect, the likeliest first: one reading tells them."""
    joints = sorted(((at, w) for (kind, at), w in weight.items() if kind == "joint"), key=lambda item: -item[1])
    out = {key: w for key, w in weight.items() if key[0] != "joint"}
    while joints:
        at, most = joints[0]
        on_way = [j for j in joints if j[1] >= ALIKE * most and _one_way(plan, at, j[0])]
        out["joint", tuple(name for names, _ in on_way for name in names)] = max(w for _, w in on_way) * (
            1.0 + 0.5 * (len(on_way) > 1)
        )
        joints = [j for j in joints if j not in on_way]
    return out


def _one_way(plan: Plan, one: tuple[str, ...], other: tuple[str, ...]) -> bool:
    """Whether current to the end of one flows through the other."""
    ends = [plan.by_id[names[-1]] for names in (one, other)]
    ways = [{e.id, *(p.id for p in feeders_of(plan, e))} if isinstance(e, Fed) else {e.id} for e in ends]
    return one[0] in ways[1] or other[0] in ways[0]


def _classes(a: Answers, variants: list[_Variant], subject: str) -> list[tuple[When | None, int]]:
    """When a load fails first in each variant, and how many fail with it."""
    plan, network = a.plan, compile_network(a.plan)
    n, c = len(variants), len(CONDITIONS)
    soc = np.array(sorted({s for _, s, _ in CONDITIONS}, reverse=True))
    curves = [store_curves(s, soc, plan.brief.cells_c) for s in plan.stores]
    ocv, ohm = (np.empty((n, c, len(plan.stores))) for _ in range(2))
    names = network.branches[len(network.stores) + len(network.converters) :]
    links = np.broadcast_to(network.fixed_ohm[len(network.stores) + len(network.converters) :], (n, c, len(names))).copy()
    own = np.repeat(network.tree.own, n * c, axis=0)
    terms = _draws(plan, network)
    power, current, conductance = (np.repeat(t[None], n, axis=0) for t in terms)
    ids = [p.id for p in network.loads]
    for k, (_, charge, _) in enumerate(CONDITIONS):
        at = int(np.argmin(np.abs(soc - charge)))
        for s, curve in enumerate(curves):
            ocv[:, k, s], ohm[:, k, s] = curve.ocv_v[at], curve.steady_ohm[at]
    for v, variant in enumerate(variants):
        if variant.kind == "joint":
            column = names.index(variant.elements[0])
            for k, (_, _, warm) in enumerate(CONDITIONS):
                links[v, k, column] += COLD_OHM * variant.level * (WARM_OHM if warm else 1.0)
        elif variant.kind == "cells":
            store = [s.id for s in plan.stores].index(variant.elements[0])
            ohm[v, :, store] *= 1.0 + AGED * variant.level
        elif variant.kind == "hungry":
            column = ids.index(variant.elements[0])
            for term in (power, current, conductance):
                term[v, :, column] *= 1.0 + HUNGER * variant.level
        elif variant.kind == "board":
            board = [b.id for b in network.converters].index(variant.elements[0])
            for k, (state, _, _) in enumerate(CONDITIONS):
                falls = {"rest": 0.15, "play": 0.5, "bright": 0.65, "peak": 1.0}[state]
                own[v * c + k, board, SET_V] *= max(1.0 - SAG * variant.level * falls, 0.3)
    draws = Draws(power_w=power, current_a=current, conductance_s=conductance)
    flow = solve(network, ocv, ohm, draws, None, links, Boards(own, np.arange(n * c).reshape(n, c)))
    fails = flow.loads_v < np.array([p.window.low_v for p in network.loads])
    warm_limit = np.where([w for _, _, w in CONDITIONS], WARM_LIMIT, 1.0)
    for b, made in enumerate(network.converters):
        limit = deliverable_a(made, flow.converter_input_v(b)) * warm_limit
        over = np.where(np.isfinite(limit), flow.output_a(b) > limit, False)
        behind = [j for j, p in enumerate(network.loads) if made in feeders_of(plan, p)]
        fails[..., behind] |= over[..., None]
    return [_first(fails[v], ids.index(subject)) for v in range(n)]


def _draws(plan: Plan, network: Network) -> tuple[Array, Array, Array]:
    """Draws of every condition, each of shape (n_conditions, n_loads)."""
    d = state_draws(network)
    full = tuple(altered(p, settings=tuple(s.model_copy(update={"position": 1.0}) for s in p.settings)) for p in network.loads)
    raised = (setting_factors(full) / setting_factors(network.loads))[State.PLAY]
    rows = {
        "rest": (State.REST, 1.0),
        "play": (State.PLAY, 1.0),
        "bright": (State.PLAY, np.maximum(raised, 1.0)),
        "peak": (State.PEAK, 1.0),
    }
    assert plan.loads
    made = [
        [getattr(d, term)[rows[state][0], 0] * rows[state][1] for state, _, _ in CONDITIONS]
        for term in ("power_w", "current_a", "conductance_s")
    ]
    power, current, conductance = (np.array(m) for m in made)
    return power, current, conductance


def _first(fails: NDArray[np.bool_], subject: int) -> tuple[When | None, int]:
    """When a load fails first, and how many fail with it then."""
    for when, rows in ORDER:
        at = np.asarray(fails[list(rows)].any(axis=0))
        if at[subject]:
            return when, int(at.sum())
    return None, 0


def _fit(variant: _Variant, seen: When | None, failing: int, when: When, *, alone: bool) -> float:
    """How well a variant explains a complaint: when it fails first, whether more fails with it; what is moved is a joint."""
    if when == "random":
        return 0.02 if variant.kind != "joint" else 0.6 if seen is not None else 0.2
    fits = 1.0 if seen == when else 0.15 if seen in NEAR.get(when, ()) else 0.01
    # Where one part fails and the rest goes on, what weakens that part alone explains it best.
    return fits / max(failing, 1) if alone else fits


def _words(plan: Plan, kind: str, at: tuple[str, ...], share: float, when: When) -> tuple[str, float, str]:
    names = ", ".join(plan.by_id[name].name for name in at)
    then = WHENS[when]
    if kind == "design":
        return "nothing is broken: the build itself is too weak there", share, f"by the plan it fails {then}, as it is"
    words, why = {
        "joint": (f"a tired joint or contact: {names}", "some ohms more there, and it fails"),
        "board": (f"{names} gives less than its class", "its volts fall under load, and what hangs on it fails"),
        "cells": (f"{names}: a weak or aged cell", "with more resistance in the cells it fails"),
        "hungry": (f"{names} draws more than planned", "with so much more through the same path it fails"),
    }[kind]
    return words, share, f"{why} {then}"


def _plugged(a: Answers) -> tuple[Suspect, ...]:
    """What may be behind a console that fails while it is plugged in: the way of its supply."""
    out = []
    for board in a.plan.chargers:
        supply = a.plan.by_id[board.supply]
        shared, weak = "its amps are shared between play and pack", "its volts fall at play's amps and the pack's together"
        out.append(Suspect("charging", (board.id,), f"{board.name} gives play less than it takes", 0.45, shared))
        out.append(Suspect("charging", (supply.id,), f"{supply.name} or its cable is weak", 0.4, weak))
    whole = sum(s.share for s in out) or 1.0
    return tuple(Suspect(s.kind, s.elements, s.words, s.share / whole, s.why) for s in out)
