"""What is uncertain about a build, as factors on its likely figures."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.converters import losses_of
from briskcell.core.engine.network import Network
from briskcell.core.engine.sources import cold_factor
from briskcell.core.pack.uncertainty import capacity_figure
from briskcell.model.figure import Figure, Grade
from briskcell.model.parts import Converter, EfficiencyPoints, EfficiencyTable, FixedEfficiency, Load, LossModel
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.model.tree import source_of

Array = NDArray[np.float64]
Kind = Literal[
    "draw", "capacity", "cell", "loss", "volts", "model", "health", "temperature", "wiring", "cut-off", "charger", "supply"
]


@dataclass(frozen=True, slots=True)
class DoubtKind:
    """A kind of doubt: where a builder measures it away, and of which elements of a network it is a factor, by id.

    ``factor`` is the factor of the engine's variants that it moves; several may move one.
    """

    measured_by: str
    elements: Callable[[Network], tuple[str, ...]]
    factor: str


def _boards(network: Network) -> tuple[str, ...]:
    return tuple(c.id for c in network.converters)


def _stores(network: Network) -> tuple[str, ...]:
    return network.stores


# Those that bear on how long a build plays.
OF_PLAY: dict[Kind, DoubtKind] = {
    "draw": DoubtKind("its step on the bench", lambda n: tuple(p.id for p in n.loads), "draw"),
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
WIRING = "wiring"  # what all conductors of a build go by together
# One standard deviation of the hours that the model of a cell is off by, as a share: with its own curve, with a capacity test and a
# pulse, with a test alone, with a label; held against five published cells' physics. More with each doubling of the rate past
# the one it is known at, and towards high ends: there a class's flat curve says little of when its volts are reached.
MODEL_OFF = {"own": 0.02, "test and pulse": 0.05, "test": 0.06, "label": 0.07}
PER_DOUBLING, SEEN_C = 0.25, 0.25
HIGH_V, PER_TENTH, MOST_MORE = 3.2, 0.02, 0.05
SIX_SIGMA = 3.0  # half the width of a PERT range, in standard deviations
HEALTH_OFF, WARMTH_K, END_OFF = 0.03, 5.0, 0.005  # standard deviations: of a state of health, of cells, of volts that end play
CONTACTS = (0.85, 1.4)  # of the resistance of all conductors: joints and crimps that nobody counted
# Half the width of a board's losses where its class gives points or a table: boards of one class differ by so much, typical.
LOSS_WIDE: dict[str, float] = {"measured": 0.05, "sheet": 0.2, "typical": 0.3, "guessed": 0.5, "computed": 0.3}
WIDEST = 20.0  # that a factor goes up or down to
PERT_SHAPE = 4.0  # of the PERT distribution: how much the likely value counts


@dataclass(frozen=True, slots=True)
class Doubt:
    """One uncertain figure: its range as factors on the likely one, and how it is known.

    ``made_as`` is the class it belongs to: where another build has the same class with the same range, it is the same doubt.
    """

    kind: Kind
    element: str
    name: str
    low: float
    high: float
    grade: Grade
    made_as: str = ""

    @property
    def drawn_as(self) -> str:
        """What its samples depend on."""
        return f"{self.kind}|{self.made_as or self.element}|{self.low:.6g}|{self.high:.6g}"

    @property
    def key(self) -> str:
        """What it goes by."""
        return f"{self.kind}:{self.element}"


def doubts(plan: Plan) -> tuple[Doubt, ...]:
    """Every figure of a build that has a range and bears on how long it plays, in the order of its parts.

    Parameters
    ----------
    plan : Plan
        The build.

    Returns
    -------
    tuple of Doubt
        None of a figure without a range.
    """
    return tuple(d for d in _all(plan) if d.high > d.low)


def _all(plan: Plan) -> Iterator[Doubt]:
    for store in plan.stores:
        made_as = store.cell.part_class if isinstance(store, Pack) else store.part_class
        yield doubt_of("capacity", store.id, f"capacity of {store.name}", capacity_figure(store), made_as)
        if isinstance(store, Pack):
            yield doubt_of("cell", store.id, f"resistance of the cells of {store.name}", store.cell.resistance_ohm, made_as)
            yield from _of_cells(plan, store, made_as)
    for board in plan.converters:
        if source_of(plan, board) in plan.stores:
            yield from _of_board(board)
    for load in plan.loads:
        if source_of(plan, load) in plan.stores:
            yield _of_load(load)
    if plan.links:
        yield Doubt("wiring", WIRING, "resistance of wires and joints", *CONTACTS, "typical")


def _of_cells(plan: Plan, pack: Pack, made_as: str) -> Iterator[Doubt]:
    """What no figure of a pack says: how good the model of its cells is, how worn and how warm they are, where play ends."""
    cell, name = pack.cell, pack.name
    known, off = model_off(plan, pack)
    yield _around("model", pack.id, f"model of the cells of {name}", off, "typical", f"{made_as}{known}")
    if cell.health < 1.0 and cell.measured_ah is None:
        yield _around("health", pack.id, f"state of health of {name}", HEALTH_OFF / cell.health, "guessed", "")
    warm, cool = (
        cold_factor(plan.brief.cells_c + k, cell.cold_b_k) / cold_factor(plan.brief.cells_c, cell.cold_b_k)
        for k in (SIX_SIGMA / 2 * WARMTH_K, -SIX_SIGMA / 2 * WARMTH_K)
    )
    yield Doubt("temperature", pack.id, f"temperature of the cells of {name}", warm, cool, "guessed")
    yield _around("cut-off", pack.id, f"volts at which {name} ends play", END_OFF, "typical", "")


def _around(kind: Kind, element: str, name: str, off: float, grade: Grade, made_as: str) -> Doubt:
    return Doubt(kind, element, name, max(1.0 - SIX_SIGMA * off, 0.2), 1.0 + SIX_SIGMA * off, grade, made_as)


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
    yield doubt_of("volts", board.id, f"output volts of {board.name}", board.output_v, board.part_class)
    loss = board.loss
    if isinstance(loss, FixedEfficiency):
        at = loss.efficiency
        lost = [(1 - e) / e for e in (at.high, at.likely, at.low)]
        if lost[1] > 0:
            yield Doubt(
                "loss", board.id, f"losses of {board.name}", lost[0] / lost[1], lost[2] / lost[1], at.grade, board.part_class
            )
    elif isinstance(loss, LossModel):
        yield doubt_of(
            "loss", board.id, f"losses of {board.name}", max((loss.resistance_ohm, loss.drop_v), key=_width), board.part_class
        )
    elif isinstance(loss, EfficiencyPoints | EfficiencyTable) and losses_of(board):
        wide = LOSS_WIDE.get(loss.grade, 0.3)
        yield Doubt("loss", board.id, f"losses of {board.name}", 1 - wide, 1 + wide, loss.grade, board.part_class)


def _of_load(load: Load) -> Doubt:
    play = load.draw.play if load.draw.play.likely else load.draw.peak
    name = f"draw of {load.name}"
    if load.kind == "resistance_ohm" and play.low > 0:  # the least ohms draw most
        few, most = play.likely / max(play.high, 1e-12), play.likely / play.low
        return Doubt("draw", load.id, name, few, most, play.grade, f"{load.part_class}{load.id}")
    return doubt_of("draw", load.id, name, play, f"{load.part_class}{load.id}")


def _width(figure: Figure) -> float:
    return (figure.high - figure.low) / figure.likely if figure.likely else 0.0


def doubt_of(kind: Kind, element: str, name: str, figure: Figure, made_as: str) -> Doubt:
    """The doubt of a figure with a range.

    Parameters
    ----------
    kind : str
        What it is a figure of.
    element, name : str
        The part's id, and what it is called.
    figure : Figure
        With its range.
    made_as : str
        The class it belongs to.

    Returns
    -------
    Doubt
        One of no width where the likely value is nothing.
    """
    if figure.likely <= 0:
        return Doubt(kind, element, name, 1.0, 1.0, figure.grade, made_as)
    low, high = figure.low / figure.likely, figure.high / figure.likely
    return Doubt(kind, element, name, max(low, 1 / WIDEST), min(high, WIDEST), figure.grade, made_as)


def samples(of: tuple[Doubt, ...], count: int, seed: int) -> Array:
    """Latin hypercube of factors: each doubt's PERT range cut into as many even shares as there are samples, one from each [1]_.

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
        Factors. A doubt's column depends on its class, its range and the seed, so that builds that share parts share their samples.

    References
    ----------
    .. [1] M. D. McKay, R. J. Beckman, W. J. Conover, Technometrics 21(2), 1979. doi:10.2307/1268522
    """
    return np.stack([_column(d, count, seed) for d in of], axis=1) if of else np.empty((count, 0))


@lru_cache(maxsize=512)  # some 16 MB: most doubts stay as they are from one edit to the next
def _column(doubt: Doubt, count: int, seed: int) -> Array:
    rng = np.random.default_rng([seed, *doubt.drawn_as.encode()])
    return pert_at((rng.permutation(count) + rng.random(count)) / count, doubt.low, 1.0, doubt.high)


def pert_at(shares: Array, low: float, likely: float, high: float) -> Array:
    """Values of a PERT range below which given shares of it lie [1]_: a beta distribution between its ends.

    Parameters
    ----------
    shares : ndarray
        From 0 to 1.
    low, likely, high : float
        The range.

    Returns
    -------
    ndarray
        Within the range; the integral of the density is inverted on a fine grid, to about 1e-5 of the width.

    References
    ----------
    .. [1] D. Vose, Risk Analysis: A Quantitative Guide, 3rd ed., Wiley, 2008, ch. 10.

    Examples
    --------
    >>> import numpy as np
    >>> pert_at(np.array([0.0, 0.5, 1.0]), 0.0, 0.5, 1.0).round(4).tolist()
    [0.0, 0.5, 1.0]
    """
    mode = min(max((likely - low) / (high - low), 0.0), 1.0)
    a, b = 1.0 + PERT_SHAPE * mode, 1.0 + PERT_SHAPE * (1.0 - mode)
    x = np.linspace(0.0, 1.0, 2049)
    density = x ** (a - 1.0) * (1.0 - x) ** (b - 1.0)
    below = np.concatenate([[0.0], np.cumsum(0.5 * (density[1:] + density[:-1]))])
    return np.asarray(low + (high - low) * np.interp(shares, below / below[-1], x))
