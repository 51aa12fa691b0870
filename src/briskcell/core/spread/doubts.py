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
from briskcell.core.pack.uncertainty import capacity_figure
from briskcell.model.figure import Figure, Grade
from briskcell.model.parts import Converter, EfficiencyPoints, EfficiencyTable, FixedEfficiency, Load, LossModel
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.model.tree import source_of

Array = NDArray[np.float64]
Kind = Literal["draw", "capacity", "cell", "loss", "volts", "charger", "supply"]


@dataclass(frozen=True, slots=True)
class DoubtKind:
    """A kind of doubt: where a builder measures it away, and of which elements of a network it is a factor, by id."""

    measured_by: str
    elements: Callable[[Network], tuple[str, ...]]


def _boards(network: Network) -> tuple[str, ...]:
    return tuple(c.id for c in network.converters)


# Those that bear on how long a build plays: each is a factor of the engine's variants by the same name.
OF_PLAY: dict[Kind, DoubtKind] = {
    "draw": DoubtKind("its step on the bench", lambda n: tuple(p.id for p in n.loads)),
    "capacity": DoubtKind("a discharge on the bench", lambda n: n.stores),
    "cell": DoubtKind("a discharge on the bench", lambda n: n.stores),
    "loss": DoubtKind("its step on the bench with a resistor", _boards),
    "volts": DoubtKind("its step on the bench", _boards),
}
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
    for board in plan.converters:
        if source_of(plan, board) in plan.stores:
            yield from _of_board(board)
    for load in plan.loads:
        if source_of(plan, load) in plan.stores:
            yield _of_load(load)


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
