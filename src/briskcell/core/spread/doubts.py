"""What is uncertain about a build, as factors on its likely figures."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtrit

from briskcell.core.engine.converters import losses_of
from briskcell.core.engine.network import Network
from briskcell.core.engine.sources import cold_factor
from briskcell.core.pack.uncertainty import capacity_figure
from briskcell.model.figure import Figure, Grade
from briskcell.model.parts import Converter, EfficiencyPoints, EfficiencyTable, FixedEfficiency, Load, LossModel
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.model.tree import source_of

from .table import TABLE, by_grade

Array = NDArray[np.float64]
Kind = Literal[
    "shared",
    "draw",
    "capacity",
    "cell",
    "loss",
    "volts",
    "model",
    "health",
    "temperature",
    "wiring",
    "cut-off",
    "charger",
    "supply",
]


@dataclass(frozen=True, slots=True)
class DoubtKind:
    """A kind of doubt: where a builder measures it away, and of which elements of a network it is a factor, by id.

    ``factor`` is the factor of the engine's variants that it moves; several may move one.
    """

    measured_by: str
    elements: Callable[[Network], tuple[str, ...]]
    factor: str


def _loads(network: Network) -> tuple[str, ...]:
    return tuple(p.id for p in network.loads)


def _boards(network: Network) -> tuple[str, ...]:
    return tuple(c.id for c in network.converters)


def _stores(network: Network) -> tuple[str, ...]:
    return network.stores


# Those that bear on how long a build plays.
OF_PLAY: dict[Kind, DoubtKind] = {
    "shared": DoubtKind("a reading of the whole in play", _loads, "draw"),
    "draw": DoubtKind("its step on the bench", _loads, "draw"),
    "capacity": DoubtKind("a discharge on the bench", _stores, "capacity"),
    "cell": DoubtKind("a discharge on the bench", _stores, "cell"),
    "loss": DoubtKind("its step on the bench with a resistor", _boards, "loss"),
    "volts": DoubtKind("its step on the bench", _boards, "volts"),
    "model": DoubtKind("a slow discharge of one cell, as its own curve", _stores, "capacity"),
    "health": DoubtKind("a discharge on the bench", _stores, "capacity"),
    "temperature": DoubtKind("a thermometer at the cells", _stores, "cell"),
    "wiring": DoubtKind("its joints on the bench", lambda _: (WIRING,), "wiring"),
    "cut-off": DoubtKind("a run to its end", _stores, "cutoff"),
}
OF_CAPACITY = tuple(
    kind for kind, known in OF_PLAY.items() if known.factor == "capacity"
)  # what a discharge of a pack tells together
WIRING = "wiring"  # what all conductors of a build go by together
# One standard deviation of the hours that the model of a cell is off by, as a share: with its own curve, with a capacity test and a
# pulse, with a test alone, with a label; held against five published cells' physics. More with each doubling of the rate past
# the one it is known at, and towards high ends: there a class's flat curve says little of when its volts are reached.
MODEL_OFF = {"own": 0.02, "test and pulse": 0.05, "test": 0.06, "label": 0.07}
PER_DOUBLING, SEEN_C = 0.25, 0.25
HIGH_V, PER_TENTH, MOST_MORE = 3.2, 0.02, 0.05
ENDS = 6.0  # standard deviations between the ends of a range as it is typed
HEALTH_OFF, WARMTH_K, END_OFF = 0.03, 5.0, 0.005  # standard deviations: of a state of health, of cells, of volts that end play
CONTACTS = (0.85, 1.4)  # of the resistance of all conductors: joints and crimps that nobody counted
TENTH = 1.2815515655446004  # standard deviations from a normal's middle to its 10 and 90 % points
WIDEST = 50.0  # that a factor goes up or down to, so that a build can be solved with it


@dataclass(frozen=True, slots=True)
class Doubt:
    """One uncertain figure: how far it may be off, and how it is known.

    ``off`` is one standard deviation of the logarithm of a factor on its likely value. ``made_as`` is the class it belongs to:
    where another build has the same class, it is the same doubt. ``on`` are the elements that it is a factor of, by id.
    """

    kind: Kind
    element: str
    name: str
    off: float
    grade: Grade
    made_as: str = ""
    on: tuple[str, ...] = ()

    @property
    def known_as(self) -> str:
        """What it goes by from one build to another."""
        return f"{self.kind}|{self.made_as or self.element}"

    @property
    def drawn_as(self) -> str:
        """What its samples depend on."""
        return f"{self.known_as}|{self.off:.6g}"

    @property
    def key(self) -> str:
        """What it goes by in its build."""
        return f"{self.kind}:{self.element}"

    @property
    def tenths(self) -> Array:
        """Its factors at the 10 and 90 % points."""
        return np.exp(np.array([-TENTH, TENTH]) * self.off)


def doubts(plan: Plan) -> tuple[Doubt, ...]:
    """Every figure of a build that is not certain and bears on how long it plays: what its draws share first, then by its parts.

    Parameters
    ----------
    plan : Plan
        The build.

    Returns
    -------
    tuple of Doubt
        None of a figure that is nothing.
    """
    return tuple(d for d in _all(plan) if d.off > 0.0)


def _all(plan: Plan) -> Iterator[Doubt]:
    loads = [load for load in plan.loads if source_of(plan, load) in plan.stores]
    yield from _shared(loads)
    for store in plan.stores:
        made_as = store.cell.part_class if isinstance(store, Pack) else store.part_class
        held = capacity_figure(store)
        yield _known("capacity", store.id, f"capacity of {store.name}", held, made_as)
        if isinstance(store, Pack):
            yield _known("cell", store.id, f"resistance of the cells of {store.name}", store.cell.resistance_ohm, made_as)
            yield from _of_cells(plan, store, made_as)
    for board in plan.converters:
        if source_of(plan, board) in plan.stores:
            yield from _of_board(board)
    for load in loads:
        play = draw_of(load)
        yield _known("draw", load.id, f"draw of {load.name}", play, f"{load.part_class}{load.id}")
    if plan.links:
        yield Doubt("wiring", WIRING, "resistance of wires and joints", _between(*CONTACTS), "typical")


def draw_of(load: Load) -> Figure:
    """The figure that says how well a load's draw is known.

    Parameters
    ----------
    load : Load
        Any.

    Returns
    -------
    Figure
        In play, or where it draws nothing then, at its peak.
    """
    return load.draw.play if load.draw.play.likely else load.draw.peak


def _shared(loads: list[Load]) -> Iterator[Doubt]:
    """What all draws of a console share: those that no meter has read."""
    unread = [p for p in loads if draw_of(p).grade != "measured" and draw_of(p).likely > 0]
    if unread:
        main = max(unread, key=lambda p: draw_of(p).likely if p.kind != "resistance_ohm" else 0.0)
        words = "what all draws share: game, revision, brightness"
        of = tuple(p.id for p in unread)
        yield Doubt("shared", "all", words, float(TABLE["shared"]["off"]), "guessed", main.part_class or main.id, of)


def _of_cells(plan: Plan, pack: Pack, made_as: str) -> Iterator[Doubt]:
    """What no figure of a pack says: how good the model of its cells is, how worn and how warm they are, where play ends."""
    cell, name = pack.cell, pack.name
    known, off = model_off(plan, pack)
    yield Doubt("model", pack.id, f"model of the cells of {name}", off, "typical", f"{made_as}{known}")
    if cell.health < 1.0 and cell.measured_ah is None:
        yield Doubt("health", pack.id, f"state of health of {name}", HEALTH_OFF / cell.health, "guessed")
    warm, cool = (
        cold_factor(plan.brief.cells_c + k, cell.cold_b_k) / cold_factor(plan.brief.cells_c, cell.cold_b_k)
        for k in (ENDS / 4 * WARMTH_K, -ENDS / 4 * WARMTH_K)
    )
    yield Doubt("temperature", pack.id, f"temperature of the cells of {name}", _between(warm, cool), "guessed")
    yield Doubt("cut-off", pack.id, f"volts at which {name} ends play", END_OFF, "typical")


def _between(low: float, high: float) -> float:
    """One standard deviation of the logarithm of what lies between two ends."""
    return math.log(high / low) / ENDS if 0 < low < high else 0.0


def model_off(plan: Plan, pack: Pack) -> tuple[str, float]:
    """How far the model of a pack's cells may be off, by what is known of them.

    Parameters
    ----------
    plan : Plan
        The build.
    pack : Pack
        One of its packs.

    Returns
    -------
    tuple of str and float
        How they are known, a key of ``MODEL_OFF``; and one standard deviation of the hours, as a share.
    """
    cell = pack.cell
    tested = cell.measured_ah is not None and cell.measured_ah.grade == "measured"
    pulsed = cell.resistance_ohm.grade == "measured"
    known = "own" if cell.curve_grade == "measured" else "test and pulse" if tested and pulsed else "test" if tested else "label"
    watts = sum(p.draw.play.likely * (5.0 if p.kind == "current_a" else 1.0) for p in plan.loads if p.kind != "resistance_ohm")
    whole_wh = max(cell.capacity_ah.likely * pack.series * pack.parallel * float(np.mean(cell.ocv.value)), 1e-9)
    doublings = max(np.log2(max(watts / whole_wh, 1e-9) / SEEN_C), 0.0)
    off = MODEL_OFF[known] * (1.0 + PER_DOUBLING * min(float(doublings), 4.0))
    end_v = max(plan.shutdown.warning_v or 0.0, cell.empty_v * pack.series) / pack.series
    if known != "own" and cell.is_lithium and cell.full_v > 4.0:
        off += min(max(end_v - HIGH_V, 0.0) / 0.1 * PER_TENTH, MOST_MORE)
    return known, off


def _of_board(board: Converter) -> Iterator[Doubt]:
    volts = board.output_v
    yield Doubt("volts", board.id, f"output volts of {board.name}", _between(volts.low, volts.high), volts.grade, board.part_class)
    loss, name = board.loss, f"losses of {board.name}"
    if isinstance(loss, FixedEfficiency):
        if loss.efficiency.likely < 1.0:
            at = loss.efficiency
            lost = [(1.0 - e) / e for e in (at.high, at.likely, at.low)]
            off = max(by_grade("loss", at.grade), _between(max(lost[0], lost[1] / WIDEST), lost[2]))
            yield Doubt("loss", board.id, name, off, at.grade, board.part_class)
    elif isinstance(loss, LossModel):
        yield _known("loss", board.id, name, max((loss.resistance_ohm, loss.drop_v), key=lambda f: f.likely), board.part_class)
    elif isinstance(loss, EfficiencyPoints | EfficiencyTable) and losses_of(board):
        yield Doubt("loss", board.id, name, by_grade("loss", loss.grade), loss.grade, board.part_class)


def _known(kind: Kind, element: str, name: str, figure: Figure, made_as: str) -> Doubt:
    """The doubt of a figure: as far off as its grade lets it be, or as its own range has it, whichever is more."""
    return doubt_of(kind, element, name, figure, made_as, by_grade(kind, figure.grade))


def doubt_of(kind: Kind, element: str, name: str, figure: Figure, made_as: str, least: float) -> Doubt:
    """The doubt of a figure.

    Parameters
    ----------
    kind : str
        What it is a figure of.
    element, name : str
        The part's id, and what it is called.
    figure : Figure
        With its range and grade.
    made_as : str
        The class it belongs to.
    least : float
        How far off its grade lets it be: one standard deviation of its logarithm.

    Returns
    -------
    Doubt
        One of no width where the likely value is nothing.
    """
    if figure.likely <= 0:
        return Doubt(kind, element, name, 0.0, figure.grade, made_as)
    low, high = max(figure.low, figure.likely / WIDEST), min(figure.high, figure.likely * WIDEST)
    return Doubt(kind, element, name, max(least, _between(low, high)), figure.grade, made_as)


def samples(of: tuple[Doubt, ...], count: int, seed: int) -> Array:
    """Latin hypercube of factors: each doubt's distribution cut into as many even shares as there are samples, one from each [1]_.

    Parameters
    ----------
    of : tuple of Doubt
        What is uncertain.
    count : int
        Samples.
    seed : int
        The same gives the same.

    Returns
    -------
    ndarray, shape (count, len(of))
        Factors. A doubt's column depends on its class, how far it is off and the seed, so that builds that share parts share their
        samples.

    References
    ----------
    .. [1] M. D. McKay, R. J. Beckman, W. J. Conover, Technometrics 21(2), 1979. doi:10.2307/1268522
    """
    return np.stack([_column(d.drawn_as, d.off, count, seed) for d in of], axis=1) if of else np.empty((count, 0))


@lru_cache(maxsize=512)  # some 16 MB: most doubts stay as they are from one edit to the next
def _column(drawn_as: str, off: float, count: int, seed: int) -> Array:
    rng = np.random.default_rng([seed, *drawn_as.encode()])
    return factor_at((rng.permutation(count) + rng.random(count)) / count, off)


def factor_at(shares: Array, off: float) -> Array:
    """Factors below which given shares of a doubt lie: the logarithm has Student's t distribution about 0.

    Its tails are long, so that what nobody expects stays possible; eight in ten lie where those of a normal with that standard
    deviation do.

    Parameters
    ----------
    shares : ndarray
        From 0 to 1.
    off : float
        One standard deviation of the logarithm.

    Returns
    -------
    ndarray
        Between a fiftieth and fifty, past which no build is solved.

    Examples
    --------
    >>> factor_at(np.array([0.1, 0.5, 0.9]), 0.25).round(3).tolist()
    [0.726, 1.0, 1.378]
    """
    degrees = float(TABLE["tail"]["degrees"])
    t = stdtrit(degrees, shares) / stdtrit(degrees, 0.9)
    return np.asarray(np.clip(np.exp(TENTH * off * t), 1.0 / WIDEST, WIDEST))
