"""From a complaint to what is behind it: every weak point made weaker by degrees, all solved as one batch, and held against when it
fails, what goes with it, and everything that was read of the console.

A build that fails so on paper is suspected first; then as few faults as explain it.
"""

from __future__ import annotations

import itertools
from collections import Counter, defaultdict
from collections.abc import Collection, Iterator
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from briskcell.core.answers import Answers
from briskcell.core.bench.ladder import ladder
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

from .elsewhere import ELSEWHERE, OFTEN_ELSE, SHOWS_ELSE
from .reads import Reads, fits_reads, parting

Array = NDArray[np.float64]
When = Literal["always", "bright", "loud", "warm", "empty", "plugged", "random", "dropped", "slow"]
WHENS: dict[When, str] = {
    "always": "all the time, or it does not start",
    "loud": "at loud or busy scenes",
    "bright": "with brightness or volume turned up",
    "warm": "after a while, when it is warm",
    "empty": "when the pack is nearly empty",
    "plugged": "while it is plugged in",
    "random": "at random, when it is moved",
    "dropped": "since it was dropped or bent",
    "slow": "it becomes slow, but goes on",
}
ALSO: dict[str, str] = {
    "shorter": "it plays less long than it did",
    "warm": "something gets warmer than it was",
    "moved": "moving or pressing it changes it",
    "dropped": "it was dropped or bent",
    "lit": "its lamp or screen lights all the same",
    "same": "always at the same place of a game",
}
UNSAID = 0.8  # how much it counts that an owner does not say something of which he was asked
# How likely each goes with a kind of fault; guesses of ours.
GOES_WITH: dict[str, dict[str, float]] = {
    "paper": {"shorter": 0.1, "warm": 0.2, "moved": 0.03, "dropped": 0.05, "lit": 0.4, "same": 0.3},
    "joint": {"shorter": 0.15, "warm": 0.3, "moved": 0.6, "dropped": 0.3, "lit": 0.2},
    "board": {"shorter": 0.25, "warm": 0.5, "moved": 0.04, "dropped": 0.08, "lit": 0.75},
    "trimmer": {"shorter": 0.15, "warm": 0.15, "moved": 0.03, "dropped": 0.05, "lit": 0.75},
    "cells": {"shorter": 0.85, "warm": 0.35, "moved": 0.03, "dropped": 0.05, "lit": 0.35},
    "hungry": {"shorter": 0.75, "warm": 0.6, "moved": 0.03, "dropped": 0.05, "lit": 0.5},
}
ELSE_GOES_WITH = {e.kind: dict(e.also) for e in ELSEWHERE}
SELDOM = 0.05  # that it goes with anything else
HALF, LOW = 0.6, 0.06  # states of charge at which it is looked at
WARM_OHM, WARM_LIMIT = 2.5, 0.85  # how a tired joint and a board's limit change when warm
LEVELS = (0.4, 0.7, 1.0, 1.5, 2.2)  # how bad a fault is, over what is usual of it
DEAD = -1.0  # the level that stands for a cell in series which gives nothing
TURNED = 0.1  # of its volts that a trimmer is off
COLD_OHM, SAG, HUNGER, AGED = 1.0, 0.12, 1.2, 1.5  # usual: more ohms; share of volts lost; more of its draw; more ohms of cells
# How often each kind is what is behind a complaint; typical of hand-made consoles, and a guess of ours. ``paper`` is a build that
# fails so as it is planned.
OFTEN: dict[str, float] = {"paper": 40.0, "joint": 3.0, "board": 0.8, "cells": 0.8, "hungry": 0.4, "trimmer": 0.15}
ALIKE = 0.05  # of the likeliest joint's weight, from which another on the same way is named with it
MOVED: dict[When, float] = {"random": 0.6, "dropped": 0.3}  # how often a joint shows so, where moving tells
ELSEWHERE_ON = 0.02  # how often a joint that does not lie on the way of what fails, or that more hangs on than fails, is it
TWO = 0.05  # how often two faults come together, of each
SLIGHT = 0.005  # of the whole, below which no suspect is worth a word
ON_PAPER: dict[When, tuple[str, ...]] = {  # rules that fail on paper, by when their failure shows
    "always": ("load-window", "headroom", "input-window", "switched-off", "inrush", "logic-level"),
    "loud": ("resets", "headroom", "load-window", "cell-current"),
    "bright": ("headroom", "resets", "load-window"),
    "warm": ("part-heat", "case-heat", "wire-warmth", "headroom"),
    "empty": ("load-window", "headroom", "input-window", "resets", "shutdown-reserve", "cell-current"),
    "plugged": ("input-limit", "socket-gives", "way-in", "charger-input", "charge-brief"),
    "random": ("resets",),
    "slow": ("part-heat", "case-heat"),
    "dropped": (),
}
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
    """What may be behind a complaint: its kind, the elements it may sit in, how likely it is beside the others, why; and where no
    step of the ladder tells it, the ``test`` that does.
    """

    kind: str
    elements: tuple[str, ...]
    words: str
    share: float
    why: str
    test: str = ""


@dataclass(frozen=True, slots=True)
class _Variant:
    kind: str
    elements: tuple[str, ...]
    level: float


def suspects(
    a: Answers,
    when: When,
    what: str = "",
    also: Collection[str] | None = None,
    reads: Reads | None = None,
    paper: Collection[PaperFault] = (),
    most: int = 5,
) -> tuple[Suspect, ...]:
    """What may be behind a complaint, ranked by how well it explains all that is known.

    Parameters
    ----------
    a : Answers
        The build.
    when : str
        When it fails.
    what : str
        The load that fails, empty where the whole console does.
    also : collection of str, optional
        What goes with it, keys of ``ALSO``; None where nobody was asked.
    reads : mapping of str to float
        What each step of the ladder read, in its unit; of those that were read.
    paper : collection of PaperFault
        What fails by the plan as it is.
    most : int
        How many at the most, besides something else.

    Returns
    -------
    tuple of Suspect
        The likeliest first, something else last; their shares make up 1.
    """
    plan = a.plan
    if not plan.loads or not plan.stores:
        return ()
    weight: Weights = dict(_of_elsewhere(plan, when, what))
    if when == "plugged":
        weight |= {("charging", s.elements): s.share for s in _plugged(a)}
    elif when in MOVED:
        weight |= _of_joints(plan, when, what)
    elif when != "slow":
        key = "power", when, what
        if key not in a.aside:  # asked again for each reading that comes
            a.aside[key] = _of_power(a, when, what)
        weight |= a.aside[key]
    found = _on_paper(paper, when)
    if found is not None:
        weight["paper", (found.element,)] = OFTEN["paper"]
    weight["else", ()] = OFTEN_ELSE * SHOWS_ELSE
    weight = {(kind, at): w * _goes_with(kind, also) for (kind, at), w in weight.items()}
    if reads:
        steps = _ladder(a)
        two = _pairs(plan, steps, reads, weight)
        weight = {(kind, at): w * fits_reads(plan, steps, reads, ((kind, at),)) for (kind, at), w in weight.items()} | two
    whole = sum(weight.values()) or 1.0
    ranked = sorted(_together(plan, weight, anywhere=when in MOVED).items(), key=lambda item: -item[1])
    kept = [item for item in ranked if item[0][0] != "else" and item[1] > SLIGHT * whole][:most]
    merged = sum(w for _, w in ranked)
    out = [replace(_suspect(plan, kind, at, when, found), share=w / merged) for (kind, at), w in kept]
    rest = max(1.0 - sum(s.share for s in out), 0.0)
    return (*out, Suspect("else", (), "something else", rest, "none of these explains it well"))


Weights = dict[tuple[str, tuple[str, ...]], float]
TELLS = {
    "joint": "joint",
    "drop": "joint",
    "dummy": "board",
    "idle": "trimmer",
    "draw": "hungry",
    "cells": "cells",
    "sag": "cells",
}  # by steps


@dataclass(frozen=True, slots=True)
class PaperFault:
    """What fails on paper: the rule, the element it names, and its cause in words."""

    rule: str
    element: str
    cause: str


def next_step(a: Answers, found: tuple[Suspect, ...], reads: Reads) -> Step | None:
    """The reading of the ladder that tells the suspects apart best.

    Parameters
    ----------
    a : Answers
        The build.
    found : tuple of Suspect
        Of a complaint.
    reads : mapping of str to float
        What was read already.

    Returns
    -------
    Step or None
        None where no reading does.
    """
    return parting(a.plan, _ladder(a), reads, [(s, s.share) for s in found])


def _ladder(a: Answers) -> tuple[Step, ...]:
    """The build's ladder, worked out once."""
    if "ladder" not in a.aside:
        a.aside["ladder"] = ladder(a)
    return tuple(a.aside["ladder"])


def _on_paper(paper: Collection[PaperFault], when: When) -> PaperFault | None:
    """The failure of the plan itself that shows in these words, the plainest first."""
    order = ON_PAPER[when]
    told = [p for p in paper if p.rule in order]
    return min(told, key=lambda p: order.index(p.rule), default=None)


def _of_elsewhere(plan: Plan, when: When, what: str) -> Iterator[tuple[tuple[str, tuple[str, ...]], float]]:
    for e in ELSEWHERE:
        part = plan.by_id.get(what)
        if e.on and not (part.part_class.startswith(e.on) if part else any(p.part_class.startswith(e.on) for p in plan.loads)):
            continue
        alone = 2.0 if e.on and part else 0.3 if what and not e.on else 0.4 if e.on else 1.0
        yield (e.kind, ()), e.often * e.shows.get(when, 0.01) * alone


def _of_power(a: Answers, when: When, what: str) -> Weights:
    """Weak points of the power path, by when each fails first."""
    plan = a.plan
    main = max(plan.loads, key=lambda p: p.draw.play.likely if p.kind != "resistance_ohm" else 0.0).id
    variants = list(_variants(plan))
    classes = _classes(a, variants, what or main)  # the whole console fails where its main part does
    of_kind = Counter({v.kind: 0 for v in variants})
    for kind, _ in {(v.kind, v.elements) for v in variants}:
        of_kind[kind] += 1
    weight: Weights = defaultdict(float)
    sound = classes[0][0]
    for variant, (seen, failing) in zip(variants[1:], classes[1:], strict=True):
        fits = _fit(None if seen == sound and sound is not None else seen, failing, when, alone=bool(what))
        weight[variant.kind, variant.elements] += OFTEN[variant.kind] * fits / (of_kind[variant.kind] * len(LEVELS))
    return weight


def _of_joints(plan: Plan, when: When, what: str) -> Weights:
    """Joints that moving tells: those on the way to what fails, and of one part's failure those that nothing else hangs on."""
    main = max(plan.loads, key=lambda p: p.draw.play.likely if p.kind != "resistance_ohm" else 0.0)
    subject = plan.by_id.get(what, main)
    way = {p.id for p in feeders_of(plan, subject)} if isinstance(subject, Fed) else set()
    others = {p.id for load in plan.loads if load is not subject for p in feeders_of(plan, load)} if what else set()
    ways = _chains(plan)
    fits = {w: 1.0 if set(w) & way and not set(w) & others else ELSEWHERE_ON for w in ways}
    return {("joint", w): OFTEN["joint"] * MOVED[when] * f / len(ways) for w, f in fits.items()}


def _goes_with(kind: str, also: Collection[str] | None) -> float:
    """How likely what goes with it goes with such a fault, and what does not go with it does not."""
    by_kind = GOES_WITH.get(kind) or ELSE_GOES_WITH.get(kind) or dict.fromkeys(ALSO, 0.2)
    out = 1.0
    for name in ALSO if also is not None else ():
        chance = by_kind.get(name, SELDOM)
        out *= chance if name in (also or ()) else 1.0 - UNSAID * chance
    return out


def _pairs(plan: Plan, steps: tuple[Step, ...], reads: Reads, weight: Weights) -> Weights:
    """Two faults together, each of a step that is off by itself: what explains more than one fault does, if that is needed."""
    off = [s for s in steps if s.key in reads and not s.holds(reads[s.key])]
    named = [(TELLS[k], s.element) for s in off if (k := s.key.partition(":")[0]) in TELLS]
    out: Weights = {}
    for (one, at), (other, there) in itertools.combinations(dict.fromkeys(named), 2):
        if at != there:
            either = sum(
                max((w for (k, e), w in weight.items() if k == kind and x in e), default=0.0)
                for kind, x in ((one, at), (other, there))
            )
            out[f"{one}+{other}", (at, there)] = TWO * either * fits_reads(plan, steps, reads, ((one, (at,)), (other, (there,))))
    return out


def _variants(plan: Plan) -> Iterator[_Variant]:
    yield _Variant("design", (), 1.0)
    for level in LEVELS:
        for chain in _chains(plan):
            yield _Variant("joint", chain, level)
        for board in plan.converters:
            if source_of(plan, board) in plan.stores:
                yield _Variant("board", (board.id,), level)
        for pack in plan.packs:
            yield _Variant("cells", (pack.id,), level if pack.series == 1 or level != LEVELS[0] else DEAD)
        for load in plan.loads:
            if source_of(plan, load) in plan.stores:
                yield _Variant("hungry", (load.id,), level)
        for board in plan.converters:
            if source_of(plan, board) in plan.stores and not board.built_in:
                yield _Variant("trimmer", (board.id,), level)


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


def _together(plan: Plan, weight: Weights, *, anywhere: bool) -> Weights:
    """Joints on one way that explain a complaint about alike are one suspect, the likeliest first: one reading tells them. Where
    moving tells, those ``anywhere`` are.
    """
    joints = sorted(((at, w) for (kind, at), w in weight.items() if kind == "joint"), key=lambda item: -item[1])
    out = {key: w for key, w in weight.items() if key[0] != "joint"}
    while joints:
        at, most = joints[0]
        on_way = [j for j in joints if j[1] >= ALIKE * most and (anywhere or _one_way(plan, at, j[0]))]
        out["joint", tuple(name for names, _ in on_way for name in names)] = sum(w for _, w in on_way)
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
            ohm[v, :, store] *= 1.0 + AGED * max(variant.level, 0.0)
            if variant.level == DEAD:
                pack = plan.by_id[variant.elements[0]]
                assert isinstance(pack, Pack)
                ocv[v, :, store] *= (pack.series - 1) / pack.series
        elif variant.kind == "hungry":
            column = ids.index(variant.elements[0])
            for term in (power, current, conductance):
                term[v, :, column] *= 1.0 + HUNGER * variant.level
        elif variant.kind == "board":
            board = [b.id for b in network.converters].index(variant.elements[0])
            for k, (state, _, _) in enumerate(CONDITIONS):
                falls = {"rest": 0.15, "play": 0.5, "bright": 0.65, "peak": 1.0}[state]
                own[v * c + k, board, SET_V] *= max(1.0 - SAG * variant.level * falls, 0.3)
        elif variant.kind == "trimmer":
            board = [b.id for b in network.converters].index(variant.elements[0])
            own[v * c : (v + 1) * c, board, SET_V] *= max(1.0 - TURNED * variant.level, 0.3)
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


def _fit(seen: When | None, failing: int, when: When, *, alone: bool) -> float:
    """How well a variant explains a complaint: when it fails first, and whether more fails with it."""
    fits = 1.0 if seen == when else 0.15 if seen in NEAR.get(when, ()) else 0.01
    # Where one part fails and the rest goes on, what weakens that part alone explains it best.
    return fits / max(failing, 1) if alone else fits


WORDS = {
    "joint": ("a tired joint or contact: {}", "some ohms more there, and it fails"),
    "board": ("{} gives less than its class", "its volts fall under load, and what hangs on it fails"),
    "trimmer": ("{} is set to other volts", "its volts are off whatever it feeds, and what hangs on it fails"),
    "cells": ("{}: a weak or aged cell", "with more resistance in the cells it fails"),
    "hungry": ("{} draws more than planned", "with so much more through the same path it fails"),
    "charging": ("the way in: {}", "its amps are shared between play and pack, or its volts fall at both together"),
}


def _suspect(plan: Plan, kind: str, at: tuple[str, ...], when: When, paper: PaperFault | None) -> Suspect:
    names, then = ", ".join(plan.by_id[name].name for name in at if name in plan.by_id), WHENS[when]
    if kind == "paper":
        assert paper is not None
        return Suspect(kind, at, f"nothing is broken: the build itself is too weak at {names}", 0.0, paper.cause)
    if "+" in kind:
        both = " and ".join(WORDS[k][0].format(plan.by_id[e].name) for k, e in zip(kind.split("+"), at, strict=True))
        return Suspect(kind, at, f"two faults: {both}", 0.0, "no one of them explains all that is off")
    if (other := next((e for e in ELSEWHERE if e.kind == kind), None)) is not None:
        return Suspect(kind, at, other.words, 0.0, other.why, other.test)
    words, why = WORDS[kind]
    return Suspect(kind, at, words.format(names), 0.0, why if kind == "charging" else f"{why} {then}")


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
