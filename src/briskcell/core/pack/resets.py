"""Peaks as a chance: how often parts peak together so that something is overrun, at each state of charge and over a whole pack."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.converters import deliverable_a
from briskcell.core.engine.network import Draws, draws_of
from briskcell.core.engine.operating import Operating
from briskcell.core.engine.resistance import link_rating_a
from briskcell.core.engine.solver import Flow, Slow, solve
from briskcell.core.engine.sources import StoreCurves, store_curves
from briskcell.core.pack.runtime import Runtime
from briskcell.model.parts import Load, State
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack

Array = NDArray[np.float64]
Flags = NDArray[np.bool_]
Tied = tuple[float, tuple[int, ...]]  # the share of a game, and which parts peak as one in it
Limit = tuple[str, str, Flags]  # an element, what of it is overrun in words, and where

MOST_PARTS = 6  # whose peaks are combined exactly; the next larger ones are taken as always at their peak, on the safe side
POINTS = 11  # states of charge that are solved
SHARE, SECONDS = 0.05, 1.0  # of a part that does not say: a guess
FUSE_TIMES = 2.1  # its rating, that a fuse carries through a short peak: IEC 60127-2, which lets 2.1 times pass for seconds
MAYBE = 0.1  # over one pack and above what is accepted, that count as hardly any: a reset in ten packs
LEAST_PER_HOUR = 1e-4  # what is rarer than once in ten thousand hours is no reset to fear


@dataclass(frozen=True, slots=True)
class Peaking:
    """A part that peaks: the share of play it does, the seconds of one peak, and the watts or amperes it then adds."""

    load: Load
    share: float
    seconds: float
    typical: bool


@dataclass(frozen=True, slots=True)
class Culprit:
    """The fewest parts that overrun something by peaking together: which, what they overrun, how often an hour at the end."""

    loads: tuple[str, ...]
    element: str
    words: str
    per_hour: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Resets:
    """Chance of a reset along a discharge.

    ``soc`` falls from full to where play ends; ``share`` is the share of play during which something is overrun and
    ``per_hour`` how often an hour that begins. ``expected`` counts over one pack from full to the end, ``free_hours`` are those
    before the first reset to fear, ``at_end`` is the rate when play ends. ``parts`` are combined; ``held`` are so many or so
    small that they are taken as always at their peak.
    """

    soc: Array
    share: Array
    per_hour: Array
    elapsed_h: Array
    expected: float
    free_hours: float
    at_end: float
    culprits: tuple[Culprit, ...]
    parts: tuple[Peaking, ...]
    held: tuple[str, ...]


def overrun_rate(over: Flags, share: Array, seconds: Array) -> tuple[Array, Array]:
    """Share of the time in overrun, and how often an hour it begins, of independent parts that peak now and then.

    The frequency-and-duration method [1]_, [2]_: each part is a two-state process that peaks for a share ``p`` of the time and
    ``τ`` seconds at a time, so it leaves its peak at the rate ``1/τ`` and enters it at ``p/(τ(1−p))``. The share is ``Σ P(c)``
    over the combinations in overrun; the frequency is ``Σ P(c)·λ(c → c')`` over the steps from one that is not to one that is.

    Parameters
    ----------
    over : ndarray of bool, shape (2**n, ...)
        Whether a combination overruns something; bit k of its number says that part k peaks.
    share : ndarray, shape (n,)
        Share of the time that each part peaks, below 1.
    seconds : ndarray, shape (n,)
        Typical length of one peak. [s]

    Returns
    -------
    tuple of ndarray, shape (...)
        Share of the time, and begins an hour. [1/h]

    References
    ----------
    .. [1] R. Billinton, R. N. Allan, Reliability Evaluation of Power Systems, 2nd ed., Plenum, 1996, ch. 3 and 9.
    .. [2] R. J. Ringlee, A. J. Wood, Frequency and duration methods for power system reliability calculations II, IEEE Trans.
       PAS-88(4), 1969.

    Examples
    --------
    One part that peaks a tenth of the time for two seconds, and overruns whenever it does: 0.1 / 2 s is 180 an hour.

    >>> share, rate = overrun_rate(np.array([False, True]), np.array([0.1]), np.array([2.0]))
    >>> float(share), round(float(rate), 6)
    (0.1, 180.0)
    """
    n = len(share)
    number = np.arange(2**n)
    chance = np.ones(2**n)
    for k in range(n):
        chance *= np.where(number >> k & 1, share[k], 1.0 - share[k])
    extra = (slice(None), *(None,) * (over.ndim - 1))
    rate = np.zeros(over.shape[1:])
    for k in range(n):
        other = number ^ (1 << k)
        leaves = np.where(number >> k & 1, 1.0 / seconds[k], share[k] / (seconds[k] * (1.0 - share[k])))
        begins = ~over & over[other]
        rate = rate + (np.where(begins, (chance * leaves)[extra], 0.0)).sum(axis=0)
    return np.where(over, chance[extra], 0.0).sum(axis=0), rate * 3600.0


def resets(op: Operating, found: Runtime) -> Resets:
    """Chance of a reset at each state of charge, from full to where steady play ends.

    Parameters
    ----------
    op : Operating
        The solved build.
    found : Runtime
        Its runtime on the store that play ends on.

    Returns
    -------
    Resets
        All zero where even all peaks at once overrun nothing.
    """
    peaking = sorted(_peaking(op), key=lambda p: -_adds(p.load))
    parts, held = tuple(peaking[:MOST_PARTS]), tuple(p.load.name for p in peaking[MOST_PARTS:])
    soc = np.linspace(1.0, min(found.stop_soc, 0.999), POINTS)
    elapsed = np.interp(-soc, -op.soc, found.elapsed_h)
    tied = _ties(op.plan, parts)
    per_hour, share = np.zeros(POINTS), np.zeros(POINTS)
    culprits: tuple[Culprit, ...] = ()
    peaks = np.array([any(q.load is p for q in peaking) for p in op.network.loads], dtype=bool)
    # All at once is the worst, and is solved already with all that could peak: where that overruns nothing, nothing does.
    if peaking and found.hours and _meets_a_limit(op, op.down_to(found.stop_soc)):
        all_at_once = _solved(op, soc, np.stack([np.zeros(len(op.network.loads), bool), peaks]))
        near = np.flatnonzero(_over(_limits(op, all_at_once))[1])
        if near.size:
            chosen = soc[near[0] :]
            flow = _solved(op, chosen, _rows(op, parts, held))
            limits = _limits(op, flow)
            over = _over(limits)
            share[near[0] :], per_hour[near[0] :] = _rate_over_games(over, parts, tied)
            culprits = _culprits(limits, over, parts, tied)
    play = op.plan.use.play + op.plan.use.peak
    expected = float(np.trapezoid(per_hour, elapsed)) * play
    feared = per_hour > LEAST_PER_HOUR
    free = float(elapsed[max(int(feared.argmax()) - 1, 0)] if feared.any() else elapsed[-1])
    return Resets(soc=soc, share=share, per_hour=per_hour, elapsed_h=elapsed, expected=expected, free_hours=free,
                  at_end=float(per_hour[-1]), culprits=culprits, parts=parts, held=held)  # fmt: skip


def _meets_a_limit(op: Operating, reach: Flags) -> bool:
    """Whether anything is overrun with all parts at their peak, as it is solved already."""
    flow, net, at = op.flow, op.network, (State.PEAK, reach)
    if flow.collapsed[at].any() or (flow.loads_v[at] < np.array([p.window.low_v for p in net.loads])).any():
        return True
    return any(over[at].any() for _, _, over in _limits(op, flow, solved=True))


def _peaking(op: Operating) -> list[Peaking]:
    out = []
    for load in op.network.loads:
        share = SHARE if load.peak_share is None else load.peak_share
        if share > 0 and _adds(load) > 0:
            out.append(Peaking(load, share, load.peak_s or SECONDS, load.peak_share is None or load.peak_s is None))
    return out


def _adds(load: Load) -> float:
    """What a peak adds to play, in the load's own unit; of a resistance, the conductance."""
    play, peak = load.draw.play.likely, load.draw.peak.likely
    return 1.0 / peak - 1.0 / play if load.kind == "resistance_ohm" else peak - play


def _ties(plan: Plan, parts: tuple[Peaking, ...]) -> list[Tied]:
    """For each way of playing, its share of the time and the numbers of the parts that peak as one; without games, none do."""
    whole = sum(g.share for g in plan.games)
    number = {p.load.id: k for k, p in enumerate(parts)}
    tied = [(g.share / whole, tuple(number[i] for i in dict.fromkeys(g.together) if i in number)) for g in plan.games if whole]
    return tied or [(1.0, ())]


def _rate_over_games(over: Flags, parts: tuple[Peaking, ...], tied: list[Tied]) -> tuple[Array, Array]:
    """Share and rate of overrun, the mean over the games. Parts that a game ties are one process there: they peak together, as
    often and as long as the one of them that does so most; the others keep to themselves."""
    total, rate = np.zeros(over.shape[1:]), np.zeros(over.shape[1:])
    for weight, together in tied:
        units = [together] if len(together) > 1 else []
        units += [(k,) for k in range(len(parts)) if not units or k not in together]
        mask = np.array([sum(1 << k for k in unit) for unit in units])
        number = np.arange(2 ** len(units))
        combined = ((number[:, None] >> np.arange(len(units)) & 1) * mask).sum(axis=1)
        shares = np.array([min(max(parts[k].share for k in unit), 0.99) for unit in units])
        seconds = np.array([max(parts[k].seconds for k in unit) for unit in units])
        inside, begins = overrun_rate(over[combined], shares, seconds)
        total, rate = total + weight * inside, rate + weight * begins
    return total, rate


def _rows(op: Operating, parts: tuple[Peaking, ...], held: tuple[str, ...]) -> Flags:
    """Which loads peak in each combination, shape (2**n, n_loads); those held do in all of them."""
    number = np.arange(2 ** len(parts))
    out = np.zeros((len(number), len(op.network.loads)), dtype=bool)
    for column, load in enumerate(op.network.loads):
        k = next((k for k, p in enumerate(parts) if p.load is load), None)
        out[:, column] = (number >> k & 1).astype(bool) if k is not None else load.name in held
    return out


def _solved(op: Operating, soc: Array, peaks: Flags) -> Flow:
    """Combinations over states of charge: a peak rides on the polarisation of play, with the cells' fast part alone."""
    plan, net = op.plan, op.network
    curves = [store_curves(s, soc, plan.brief.cells_c) for s in plan.stores]

    def table(name: str) -> Array:
        return np.stack([getattr(c, name) for c in curves], -1)

    play, peak = draws_of(net.loads, "play"), draws_of(net.loads, "peak")
    terms = ("power_w", "current_a", "conductance_s")
    mixed = {t: np.where(peaks[:, None, :], getattr(peak, t), getattr(play, t)) for t in terms}
    fast, slow = table("fast_ohm"), table("slow_ohm")
    n = len(peaks)
    ohm = np.broadcast_to(fast, (n, *fast.shape)).copy()
    ohm[0] += slow
    rides = np.broadcast_to(slow, (n, *slow.shape)).copy()
    rides[0] = 0.0
    return solve(net, table("ocv_v"), ohm, Draws(**mixed), Slow(rides, (0,) * n))


def _over(limits: list[Limit]) -> Flags:
    """Where something is overrun, shape (combinations, points)."""
    return np.asarray(np.logical_or.reduce([over for _, _, over in limits]), dtype=bool)


def _limits(op: Operating, flow: Flow, *, solved: bool = False) -> list[Limit]:
    """Everything that a peak can overrun: the element, words, and where it does; of the build's own ``solved`` flow without its
    loads."""
    net, plan = op.network, op.plan
    out: list[Limit] = []
    for k, converter in enumerate(net.converters):
        volts = flow.converter_input_v(k)
        if np.isfinite(op.board_limit_a[k]).any():
            most = op.board_limit_a[k] if solved else deliverable_a(converter, volts)
            out.append((converter.id, f"the current limit of {converter.name}", flow.output_a(k) > most))
        if converter.lockout_v is not None:
            out.append((converter.id, f"the lock-out of {converter.name}", volts < converter.lockout_v))
    for k, load in enumerate(() if solved else net.loads):
        out.append((load.id, f"the window of {load.name}", flow.loads_v[..., k] < load.window.low_v))
    for k, store in enumerate(plan.stores):
        amps, curves = flow.branch_a[..., k], op.curves[k]
        if isinstance(store, Pack):
            out += _pack_limits(store, curves, amps, flow.store_v(k))
    for link in plan.links:
        rated = link_rating_a(link)
        if link.kind == "fuse" and rated is not None and link.id in net.branch:
            out.append((link.id, f"{link.name}", flow.branch_a[..., net.branch[link.id]] > FUSE_TIMES * rated))
    out.append((plan.stores[0].id, "what the path from the pack carries", flow.collapsed))
    return out


def _pack_limits(pack: Pack, curves: StoreCurves, amps: Array, volts: Array) -> list[Limit]:
    cells = pack.string_cells
    most = sum((c.peak_discharge_a or c.max_discharge_a).likely for c in cells)
    out = [(pack.id, f"what the cells of {pack.name} give", amps > most)]
    if pack.protection is not None:
        out.append((pack.id, f"the trip of {pack.name}'s protection", amps > pack.protection.trip_a.likely))
    if curves.cutoff_is_protection:
        out.append((pack.id, f"the cut-off of {pack.name}'s protection", volts < curves.cutoff_v))
    return out


def _culprits(limits: list[Limit], over: Flags, parts: tuple[Peaking, ...], tied: list[Tied]) -> tuple[Culprit, ...]:
    """The smallest combinations in overrun at the end of play, the likeliest first."""
    found: list[Culprit] = []
    taken: list[int] = []
    for size in range(len(parts) + 1):
        for chosen in combinations(range(len(parts)), size):
            number = sum(1 << k for k in chosen)
            if not over[number, -1] or any(t & number == t for t in taken):
                continue
            taken.append(number)
            element, words = next(((e, w) for e, w, o in limits if o[number, -1]), ("", ""))
            inside = np.array([(m & number) == number for m in range(2 ** len(parts))])
            rate = float(_rate_over_games(inside, parts, tied)[1]) if chosen else 0.0
            found.append(Culprit(tuple(parts[k].load.name for k in chosen), element, words, rate))
    return tuple(sorted(found, key=lambda c: -c.per_hour))
