"""Rules of cranks, generators and panels: no more than the cells take, and an end at full."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.charge.charging import OVER_V
from briskcell.core.charge.trickle import trickle_flow
from briskcell.core.engine.sources import current_limit_a
from briskcell.core.moves.fix import Fix, placed
from briskcell.model.changes import altered, replaced
from briskcell.model.stores import Bank, Capacitor, Pack, Trickle
from briskcell.model.units import show

from ..registry import Finding, missed_by, rule

LEAST_V = 0.01  # that a converter can be set to stop at
FOR_GOOD = (
    0.1  # of their capacity in an hour, that cells of nickel stand past full; Linden's Handbook of Batteries, 4th ed., ch. 22
)


@rule(
    "trickle-current",
    station="charge",
    shown=("charge/trickle",),
    source="The cells' stated limits; the source at the load that takes the most from it",
)
def trickle_current(assessed: Answers) -> Iterator[Finding]:
    """A trickle source pushes no more into an empty pack than its cells take."""
    for source in assessed.plan.trickles:
        store = assessed.plan.by_id[source.charges]
        if not isinstance(store, Pack) or not store.cell.rechargeable:
            continue
        curves = assessed.op.curves[assessed.plan.stores.index(store)]
        most = float(current_limit_a(store, curves, "max_charge_a").min())
        pushed = trickle_flow(source, float(curves.ocv_v.min())).current_a
        if pushed > most + 1e-9:
            yield Finding(
                "fails",
                source.id,
                f"{source.name} pushes {show(pushed, 'A')} into {store.name} when it is empty; its cells take {show(most, 'A')}.",
                missed_by(pushed, most),
                partial(_weaker, assessed, source),
                "A weaker source, or more cells side by side.",
            )


@rule(
    "trickle-end",
    station="charge",
    shown=("charge/trickle",),
    source="Nothing but its converter ends what a crank or panel pushes in",
)
def trickle_end(assessed: Answers) -> Iterator[Finding]:
    """A trickle source stops where its store is full."""
    for source in assessed.plan.trickles:
        store = assessed.plan.by_id[source.charges]
        if isinstance(store, Bank) or (isinstance(store, Pack) and not store.cell.rechargeable):
            continue
        assert isinstance(store, (Pack, Capacitor))
        full, most = _full_v(store)
        pushed = trickle_flow(source, full).current_a
        if source.stops_at_v is None:
            if (
                isinstance(store, Pack)
                and not store.cell.is_lithium
                and pushed <= FOR_GOOD * store.cell.label_ah.likely * store.parallel
            ):
                continue
            cause = (
                f"Nothing says at what volts {source.name} stops: past full, at {show(full, 'V')}, "
                f"it would go on pushing {show(pushed, 'A')} into {store.name}."
            )
            yield Finding(
                "close",
                source.id,
                cause,
                0.2,
                partial(_stopped, assessed, source, full),
                "Say at what volts its converter stops, or put a charge board between them.",
            )
        elif source.stops_at_v > most:
            cause = f"{source.name} drives {store.name} to {show(source.stops_at_v, 'V')}; it is full at {show(full, 'V')}."
            yield Finding(
                "fails",
                source.id,
                cause,
                missed_by(source.stops_at_v, full),
                partial(_stopped, assessed, source, full),
                "A converter that stops at full.",
            )


def _full_v(store: Pack | Capacitor) -> tuple[float, float]:
    """Where a store is full, and the most it may be driven to. [V]"""
    if isinstance(store, Capacitor):
        return store.full_v, store.rating_v
    cell_v = min(c.full_v for c in store.string_cells)
    return cell_v * store.series, (cell_v + OVER_V) * store.series


def _stopped(assessed: Answers, source: Trickle, full_v: float) -> Iterator[Fix]:
    stopped = altered(source, stops_at_v=max(round(full_v, 3), LEAST_V))
    yield Fix(
        f"A converter of {source.name} that stops at {show(full_v, 'V')}", "ends it at full.", replaced(assessed.plan, stopped)
    )


def _weaker(assessed: Answers, source: Trickle) -> Iterator[Fix]:
    for other in sorted(assessed.stock.trickles, key=lambda t: -trickle_flow(t, 1.0).power_w):
        if other.part_class != source.part_class:
            made = altered(placed(source, other), stops_at_v=source.stops_at_v)
            yield Fix(f"{other.name} in its place", "pushes no more than the cells take.", replaced(assessed.plan, made))
