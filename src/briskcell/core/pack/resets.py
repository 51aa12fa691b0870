"""Peaks as a chance: how often parts peak together so that something is overrun, at each state of charge and over a whole pack."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.converters import deliverable_a
from briskcell.core.engine.kernel import SET_V
from briskcell.core.engine.network import Network
from briskcell.core.engine.operating import Operating
from briskcell.core.engine.resistance import link_rating_a
from briskcell.core.engine.solver import Flow
from briskcell.core.engine.sources import StoreCurves
from briskcell.core.engine.variants import Factors, Variants, likely, variants
from briskcell.core.pack.riding import past_riding, ride_s
from briskcell.core.pack.runtime import Runtime
from briskcell.model.parts import Load, State
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.model.units import show

Array = NDArray[np.float64]
Flags = NDArray[np.bool_]
Tied = tuple[float, tuple[int, ...]]  # the share of a game, and which parts peak as one in it
# An element, what of it is overrun in words, the share of it that is left, below 0 where it is, and how long that is carried. [s]
Limit = tuple[str, str, Array, Array | None]

MOST_PARTS = 6  # whose peaks are combined exactly; the next larger ones are taken as always at their peak, on the safe side
# Of the way from full to the end, the states of charge that are solved: close where resets fall, in the last tenth of play.
WAY = np.array([0.0, 0.2, 0.4, 0.55, 0.7, 0.8, 0.87, 0.91, 0.94, 0.96, 0.975, 0.99, 1.0])
BETWEEN = 8  # places between two of them, at which what is left of a limit is read by straight lines
STEEP = 0.05  # what is left of what knows only yes and no
MOST_AT_ONCE = 50_000  # combinations, variants and points that are solved in one batch: some tens of megabytes
SHARE, SECONDS = 0.05, 1.0  # of a part that does not say: a guess
FUSE_TIMES = 2.1  # its rating, that a fuse carries through a short peak: IEC 60127-2, which lets 2.1 times pass for seconds
MAYBE = 0.1  # over one pack and above what is accepted, that count as hardly any: a reset in ten packs
HARDLY_ANY = 5e-4  # over one pack, and less: said to be none
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

    @property
    def words(self) -> str:
        """The chance of a reset in a sentence or two: hours without one, how often then, and which parts overrun what."""
        if self.at_end <= 0:
            return "No reset to fear: even all peaks at once overrun nothing."
        every = 60.0 / self.at_end
        often = f"one in {every:.0f} min" if every >= 1.5 else f"{self.at_end:.0f} an hour"
        calm = f"The first {show(self.free_hours, 'h')} without a reset to fear; then"
        first = "Resets from the start:" if self.free_hours < 0.05 else calm
        count = f"{self.expected:.0f}" if self.expected >= 10 else f"{self.expected:.2g}"
        return f"{first} up to about {often} at the end, {count} over a whole pack. {_blamed(self)}".strip()

    def expected_by(self, hours: float) -> float:
        """Resets expected in the first hours of a pack. [h]"""
        whole = float(np.trapezoid(self.per_hour, self.elapsed_h))
        if hours >= float(self.elapsed_h[-1]) or whole <= 0:
            return self.expected
        until = np.append(self.elapsed_h[self.elapsed_h < hours], hours)
        return self.expected * float(np.trapezoid(np.interp(until, self.elapsed_h, self.per_hour), until)) / whole


def counted(resets: float) -> str:
    """How many resets over a pack, as it is said.

    Parameters
    ----------
    resets : float
        Expected.

    Returns
    -------
    str
        A number; ``none`` below one in two thousand packs.

    Examples
    --------
    >>> counted(0.0), counted(0.0314), counted(4319.1)
    ('none', '0.031', '4319')
    """
    return f"{resets:.0f}" if resets >= 10 else f"{resets:.2g}" if resets > HARDLY_ANY else "none"


def overrun_rate(over: Flags, share: Array, seconds: Array, lasts: Array | None = None) -> tuple[Array, Array]:
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
    lasts : ndarray, shape (2**n, ...), optional
        Share of the overruns of each combination that outlast what carries them; all where not given.

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
        begins = (~over & over[other]) * (1.0 if lasts is None else lasts[other])
        rate = rate + (begins * (chance * leaves)[extra]).sum(axis=0)
    inside = over * (1.0 if lasts is None else lasts)
    return (inside * chance[extra]).sum(axis=0), rate * 3600.0


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
    peaks = _peaks(op.plan, op.network)
    soc = _down_to(np.array([found.stop_soc]))
    finely = _finely(soc[0])
    elapsed = np.interp(-finely, -op.soc, found.elapsed_h)
    per_hour, share = np.zeros(len(finely)), np.zeros(len(finely))
    culprits: tuple[Culprit, ...] = ()
    # All at once is the worst, and is solved already with all that could peak: where that overruns nothing, nothing does.
    if peaks.parts and found.hours and _meets_a_limit(op, op.down_to(found.stop_soc)):
        made = variants(op.plan, op.network, soc, likely(op.network))
        (share,), (per_hour,) = _rates(op.plan, made, peaks)
        if per_hour.any() or share.any():
            culprits = _culprits(_limits(op.plan, made.only(slice(None), len(WAY) - 1), peaks.rows), peaks)
    expected = float(np.trapezoid(per_hour, elapsed)) * _played(op.plan)
    feared = per_hour > LEAST_PER_HOUR
    free = float(elapsed[max(int(feared.argmax()) - 1, 0)] if feared.any() else elapsed[-1])
    return Resets(
        soc=finely,
        share=share,
        per_hour=per_hour,
        elapsed_h=elapsed,
        expected=expected,
        free_hours=free,
        at_end=float(per_hour[-1]),
        culprits=culprits,
        parts=peaks.parts,
        held=peaks.held,
    )


def expected_resets(plan: Plan, network: Network, of: Factors, end_soc: Array, grid: Array, elapsed_h: Array) -> Array:
    """Resets over one pack, of many variants of a build in one batch.

    Parameters
    ----------
    plan : Plan
        The build.
    network : Network
        Its compiled tree.
    of : Factors
        Of n variants.
    end_soc : ndarray, shape (n,)
        State of charge at which steady play of each ends.
    grid : ndarray, shape (m,)
        States of charge, falling.
    elapsed_h : ndarray, shape (n, m)
        Hours from full down to each of them. [h]

    Returns
    -------
    ndarray, shape (n,)
        As ``Resets.expected`` of each.
    """
    peaks = _peaks(plan, network)
    if not peaks.parts:
        return np.zeros(len(end_soc))
    soc = _down_to(end_soc)
    _, per_hour = _rates(plan, variants(plan, network, soc, of), peaks)
    took = np.stack([np.interp(-at, -grid, hours) for at, hours in zip(_finely(soc), elapsed_h, strict=True)])
    return np.asarray(np.trapezoid(per_hour, took, axis=1) * _played(plan))


def _down_to(end_soc: Array) -> Array:
    """States of charge from full to where each ends, shape (n, len(WAY))."""
    return np.asarray(1.0 + (np.minimum(end_soc, 0.999) - 1.0)[:, None] * WAY)


def _finely(values: Array) -> Array:
    """Values over the points that are solved, read between them as well: shape (..., n) to (..., (n − 1)·BETWEEN + 1)."""
    share = np.arange(BETWEEN) / BETWEEN
    between = values[..., :-1, None] + np.diff(values)[..., None] * share
    return np.concatenate([between.reshape(*values.shape[:-1], -1), values[..., -1:]], axis=-1)


def _played(plan: Plan) -> float:
    """Share of the time that is play, peaks and all."""
    return plan.use.play + plan.use.peak


def _meets_a_limit(op: Operating, reach: Flags) -> bool:
    """Whether anything is overrun with all parts at their peak, as it is solved already."""
    limits = _overruns(op.plan, op.curves, op.flow, op.board_limit_a)
    return any((left[State.PEAK, reach] < 0).any() for _, _, left, _ in limits)


@dataclass(frozen=True, slots=True, kw_only=True)
class _Peaks:
    """Parts of a build that peak: those combined, the names of those held at their peak, and which games tie.

    ``rows`` are the combinations, of shape (2**n, n_loads): the first is none of those combined; ``most`` are none and all.
    """

    parts: tuple[Peaking, ...]
    held: tuple[str, ...]
    tied: list[Tied]
    rows: Flags
    most: Flags


def _peaks(plan: Plan, network: Network) -> _Peaks:
    every = sorted(_peaking(network), key=lambda p: -_adds(p.load))
    parts, held = tuple(every[:MOST_PARTS]), tuple(p.load.name for p in every[MOST_PARTS:])
    number = np.arange(2 ** len(parts))
    rows, most = np.zeros((len(number), len(network.loads)), dtype=bool), np.zeros((2, len(network.loads)), dtype=bool)
    for column, load in enumerate(network.loads):
        k = next((k for k, p in enumerate(parts) if p.load is load), None)
        rows[:, column] = (number >> k & 1).astype(bool) if k is not None else load.name in held
        most[1, column] = any(p.load is load for p in every)
    return _Peaks(parts=parts, held=held, tied=_ties(plan, parts), rows=rows, most=most)


def _peaking(network: Network) -> list[Peaking]:
    out = []
    for load in network.loads:
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


def _rate_over_games(over: Flags, parts: tuple[Peaking, ...], tied: list[Tied], lasts: Array | None = None) -> tuple[Array, Array]:
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
        inside, begins = overrun_rate(over[combined], shares, seconds, None if lasts is None else lasts[combined])
        total, rate = total + weight * inside, rate + weight * begins
    return total, rate


def _rates(plan: Plan, made: Variants, peaks: _Peaks) -> tuple[Array, Array]:
    """Share and rate of overrun of every variant, each (n, n_soc); combinations are asked from where all at once do."""
    near = _left(_limits(plan, made, peaks.most))[1] < 0
    share = np.zeros((len(near), (near.shape[1] - 1) * BETWEEN + 1))
    per_hour = share.copy()
    rows = np.flatnonzero(near.any(axis=1))
    if not rows.size:
        return share, per_hour
    first = max(int(near.any(axis=0).argmax()) - 1, 0)  # it begins somewhere after this one
    if first == near.shape[1] - 1:
        first -= 1
    size = max(1, MOST_AT_ONCE // (len(peaks.rows) * near.shape[1]))
    for some in (rows[k : k + size] for k in range(0, len(rows), size)):
        limits = _limits(plan, made.only(some, first), peaks.rows)
        lasts = past_riding([left for _, _, left, _ in limits], [ride for *_, ride in limits], _shortest_s(peaks))
        found = _rate_over_games(
            _finely(_left(limits)) < 0, peaks.parts, peaks.tied, None if lasts is None else np.clip(_finely(lasts), 0.0, 1.0)
        )
        share[some, first * BETWEEN :], per_hour[some, first * BETWEEN :] = found
    return share, per_hour


def _shortest_s(peaks: _Peaks) -> Array:
    """The shortest peak of each combination; one second of none. [s]"""
    number = np.arange(2 ** len(peaks.parts))
    each = [np.where(number >> k & 1, p.seconds, np.inf) for k, p in enumerate(peaks.parts)]
    found = np.minimum.reduce(each)
    return np.where(np.isfinite(found), found, SECONDS)


def _limits(plan: Plan, made: Variants, which: Flags) -> list[Limit]:
    """Everything that combinations of peaks can overrun, over variants and states of charge: shares of shape (m, n, n_soc)."""
    flow = made.peaking(which)
    set_v = np.broadcast_to(made.boards.own[:, :, SET_V], (len(made.draw), len(made.network.converters)))
    most = [deliverable_a(c, flow.converter_input_v(k), set_v[:, k, None]) for k, c in enumerate(made.network.converters)]
    return _overruns(plan, made.curves, flow, most)


def _left(limits: list[Limit]) -> Array:
    """The least share that is left of any limit, shape (combinations, variants, points); below 0 where one is overrun."""
    return np.asarray(np.minimum.reduce([left for _, _, left, _ in limits]))


def _of(asked: Array, limit: Array | float) -> Array:
    """Share of a limit that is left, from −1 to 1."""
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.nan_to_num(np.clip(1.0 - asked / limit, -1.0, 1.0), nan=-1.0)


def _above(volts: Array, least_v: float) -> Array:
    """Share of the least volts that something gets over them, from −1 to 1."""
    return np.clip(volts / max(least_v, 1e-3) - 1.0, -1.0, 1.0)


def _overruns(plan: Plan, curves: Sequence[StoreCurves], flow: Flow, most_a: Sequence[Array]) -> list[Limit]:
    """Everything that a peak can overrun: the element, words, and what is left; ``most_a`` is what the boards can give. [A]"""
    net = flow.network
    out: list[Limit] = []
    for k, converter in enumerate(net.converters):
        if np.isfinite(most_a[k]).any():
            left = _of(flow.output_a(k), most_a[k])
            out.append((converter.id, f"the current limit of {converter.name}", left, ride_s(flow, k, most_a[k])))
        if converter.lockout_v is not None:
            volts = flow.converter_input_v(k)
            out.append((converter.id, f"the lock-out of {converter.name}", _above(volts, converter.lockout_v), None))
    for k, load in enumerate(net.loads):
        out.append((load.id, f"the window of {load.name}", _above(flow.loads_v[..., k], load.window.low_v), None))
    for k, store in enumerate(plan.stores):
        if isinstance(store, Pack):
            out += _pack_limits(store, curves[k], flow.branch_a[..., k], flow.store_v(k))
    for link in plan.links:
        rated = link_rating_a(link)
        if link.kind == "fuse" and rated is not None and link.id in net.branch:
            out.append((link.id, f"{link.name}", _of(flow.branch_a[..., net.branch[link.id]], FUSE_TIMES * rated), None))
    out.append((plan.stores[0].id, "what the path from the pack carries", np.where(flow.collapsed, -STEEP, STEEP), None))
    return out


def _pack_limits(pack: Pack, curves: StoreCurves, amps: Array, volts: Array) -> list[Limit]:
    cells = pack.string_cells
    most = sum((c.peak_discharge_a or c.max_discharge_a).likely for c in cells)
    out: list[Limit] = [(pack.id, f"what the cells of {pack.name} give", _of(amps, most), None)]
    if pack.protection is not None:
        out.append((pack.id, f"the trip of {pack.name}'s protection", _of(amps, pack.protection.trip_a.likely), None))
    if curves.cutoff_is_protection:
        out.append((pack.id, f"the cut-off of {pack.name}'s protection", _above(volts, curves.cutoff_v), None))
    return out


def _culprits(limits: list[Limit], peaks: _Peaks) -> tuple[Culprit, ...]:
    """The smallest combinations in overrun at the end of play, the likeliest first."""
    parts, over = peaks.parts, _left(limits) < 0
    found: list[Culprit] = []
    taken: list[int] = []
    for size in range(len(parts) + 1):
        for chosen in combinations(range(len(parts)), size):
            number = sum(1 << k for k in chosen)
            if not over[number].any() or any(t & number == t for t in taken):
                continue
            taken.append(number)
            element, words = next(((e, w) for e, w, o, _ in limits if (o[number] < 0).any()), ("", ""))
            inside = np.array([(m & number) == number for m in range(2 ** len(parts))])
            rate = float(_rate_over_games(inside, parts, peaks.tied)[1]) if chosen else 0.0
            found.append(Culprit(tuple(parts[k].load.name for k in chosen), element, words, rate))
    return tuple(sorted(found, key=lambda c: -c.per_hour))


def _blamed(found: Resets) -> str:
    """Which parts together overrun what; empty where nothing does at the end."""
    if not found.culprits:
        return ""
    worst = found.culprits[0]
    who = " and ".join(worst.loads) or "Steady play"
    return f"{who} {'peak together and overrun' if len(worst.loads) > 1 else 'at its peak overruns'} {worst.words}."
