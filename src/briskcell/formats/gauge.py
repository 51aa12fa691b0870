"""A gauge for the console's own software: charge from volts under load, and the time left from a few recent readings.

The same table and the same two questions as CSV, as a C header for a microcontroller, and as a Python module.
"""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass

import numpy as np

from briskcell.core.assess import Assessment
from briskcell.core.engine.operating import Operating, operate
from briskcell.core.heat.case import case_conductance
from briskcell.model.errors import FigureError
from briskcell.model.parts import State
from briskcell.model.stores import Bank

POINTS = 101  # one for each hundredth of charge
LEAST_S = 120  # that recent readings have to span, by the table, before their pace is believed
MOST = 4  # times faster or slower than the table that a pace is believed


@dataclass(frozen=True, slots=True, kw_only=True)
class Gauge:
    """Volts in play and at rest, and the seconds of usual play left, at each hundredth of charge from empty to full."""

    name: str
    play_mv: list[int]
    rest_mv: list[int]
    left_s: list[int]


def gauge_of(assessed: Assessment) -> Gauge:
    """The gauge of the store that ends play first.

    Parameters
    ----------
    assessed : Assessment
        The build.

    Returns
    -------
    Gauge
        Volts never fall as the charge rises; the time left is nothing where play has ended.

    Raises
    ------
    FigureError
        If nothing plays, or the store hides the volts of its cells.
    """
    k, found = assessed.pack_index, assessed.runtime
    if k is None or found is None or not found.hours:
        raise FigureError(
            "gauge", "Nothing plays from a pack, so there is no charge to gauge.", fix="Give the build parts and a pack."
        )
    if isinstance(assessed.plan.stores[k], Bank):
        raise FigureError(
            "gauge",
            "A power bank hides the volts of its cells, so nothing can be read from them.",
            fix="Read its own lamps, or use bare cells.",
        )
    op = _warm(assessed.op, k)
    soc = np.linspace(0.0, 1.0, POINTS)
    cool = assessed.op.soc
    hours = np.interp(-soc, -cool, found.elapsed_h)
    left = np.maximum(float(np.interp(-found.stop_soc, -cool, found.elapsed_h)) - hours, 0.0)

    def volts(state: State) -> list[int]:
        lost = op.flow.lost[state, :, k]
        seen = np.where(lost, op.curves[k].ocv_v, op.flow.store_v(k)[state])
        rising = np.maximum.accumulate(np.interp(soc, op.soc[::-1], seen[::-1]))
        return [round(v * 1000) for v in rising]

    return Gauge(
        name=assessed.plan.name, play_mv=volts(State.PLAY), rest_mv=volts(State.REST), left_s=[round(h * 3600) for h in left]
    )


def _warm(op: Operating, store: int) -> Operating:
    """The build as it is after a while of play: its cells as warm as what is drawn makes the case, and their ohms with them."""
    half, curves = op.half, op.curves[store]
    amps = float(op.flow.branch_a[State.PLAY, half, store])
    if not np.isfinite(amps):
        return op
    watts = amps * float(curves.ocv_v[half])
    return operate(op.plan, op.soc, op.plan.brief.cells_c + watts / case_conductance(op.plan.case))


def write_csv(gauge: Gauge) -> str:
    """One line for each hundredth of charge."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["charge_percent", "play_mv", "rest_mv", "play_left_s"])
    writer.writerows(zip(range(POINTS), gauge.play_mv, gauge.rest_mv, gauge.left_s, strict=True))
    return out.getvalue()


def _numbers(values: list[int]) -> str:
    rows = [", ".join(str(v) for v in values[k : k + 12]) for k in range(0, len(values), 12)]
    return ",\n    ".join(rows)


def _plain(text: str) -> str:
    """A name that can stand in a comment: plain signs, and nothing that would end it."""
    return "".join(c if c.isascii() and (c.isalnum() or c in " ,.-+") else "?" for c in text)


def write_header(gauge: Gauge) -> str:
    """A header in C99 with whole numbers alone: no memory of its own, no library."""
    return HEADER.format(
        name=_plain(gauge.name), points=POINTS, volts=_numbers(gauge.play_mv), left=_numbers(gauge.left_s), least=LEAST_S, most=MOST
    )


def write_module(gauge: Gauge) -> str:
    """A module in Python without any import."""
    return MODULE.format(
        name=_plain(gauge.name), points=POINTS, volts=_numbers(gauge.play_mv), left=_numbers(gauge.left_s), least=LEAST_S, most=MOST
    )


HEADER = """\
/* Gauge of {name}, written by Brisk Cell. An estimate: it certifies nothing.
 * gauge_permille(mv): charge in thousandths, from the pack's millivolts in play.
 * gauge_seconds_left(at_s, mv, n): seconds of play left, from n readings, the oldest first. They are the better the longer they
 * reach back: what they fell, held against the table, is the pace. With one reading the pace is that of usual play. */
#ifndef BRISK_CELL_GAUGE_H
#define BRISK_CELL_GAUGE_H
#include <stdint.h>
#define GAUGE_POINTS {points}
static const uint16_t gauge_mv[GAUGE_POINTS] = {{
    {volts}}};
static const uint32_t gauge_left_s[GAUGE_POINTS] = {{
    {left}}};

static inline int gauge_above(int32_t mv)
{{
    int k = 1;
    while (k < GAUGE_POINTS - 1 && gauge_mv[k] < mv)
        k++;
    return k;
}}

static inline int32_t gauge_between(int32_t mv, int k, int32_t low, int32_t high)
{{
    if (mv <= gauge_mv[k - 1])
        return low;
    if (mv >= gauge_mv[k])
        return high;
    return low + (int32_t)((int64_t)(high - low) * (mv - gauge_mv[k - 1]) / (gauge_mv[k] - gauge_mv[k - 1]));
}}

static inline int32_t gauge_permille(int32_t mv)
{{
    int k = gauge_above(mv);
    return gauge_between(mv, k, 10 * (k - 1), 10 * k);
}}

static inline int32_t gauge_usual_left_s(int32_t mv)
{{
    int k = gauge_above(mv);
    return gauge_between(mv, k, (int32_t)gauge_left_s[k - 1], (int32_t)gauge_left_s[k]);
}}

static inline int32_t gauge_seconds_left(const int32_t *at_s, const int32_t *mv, int n)
{{
    int64_t took[2] = {{0, 0}}, left[2] = {{0, 0}}, fell, now, half = n / 2;
    int k;
    if (n < 1)
        return 0;
    now = gauge_usual_left_s(mv[n - 1]);
    if (half < 1)
        return (int32_t)now;
    for (k = 0; k < half; k++) {{
        took[0] += at_s[k] - at_s[0];
        left[0] += gauge_usual_left_s(mv[k]);
        took[1] += at_s[n - 1 - k] - at_s[0];
        left[1] += gauge_usual_left_s(mv[n - 1 - k]);
    }}
    fell = left[0] - left[1];
    took[1] -= took[0];
    if (fell < {least} * half || took[1] <= 0)
        return (int32_t)now;
    if (took[1] > {most} * fell)
        return (int32_t)({most} * now);
    if ({most} * took[1] < fell)
        return (int32_t)(now / {most});
    return (int32_t)(now * took[1] / fell);
}}
#endif
"""

MODULE = '''\
"""Gauge of {name}, written by Brisk Cell. An estimate: it certifies nothing."""

MV = [
    {volts}]
LEFT_S = [
    {left}]


def charge(mv):
    """Charge from 0 to 1, from the pack's millivolts in play."""
    if mv <= MV[0]:
        return 0.0
    if mv >= MV[-1]:
        return 1.0
    k = next(k for k in range(1, {points}) if MV[k] >= mv)
    return (k - 1 + (mv - MV[k - 1]) / (MV[k] - MV[k - 1])) / ({points} - 1)


def usual_left_s(mv):
    """Seconds of usual play left."""
    at = charge(mv) * ({points} - 1)
    k = min(int(at), {points} - 2)
    return LEFT_S[k] + (LEFT_S[k + 1] - LEFT_S[k]) * (at - k)


def seconds_left(readings):
    """Seconds of play left, from readings as (seconds, millivolts), the oldest first.

    They are the better the longer they reach back: what they fell, held against the table, is the pace. With one reading the
    pace is that of usual play.
    """
    now = usual_left_s(readings[-1][1])
    half = len(readings) // 2
    if half < 1:
        return now
    first, last = readings[:half], readings[-half:]
    fell = sum(usual_left_s(mv) for _, mv in first) - sum(usual_left_s(mv) for _, mv in last)
    took = sum(at for at, _ in last) - sum(at for at, _ in first)
    if fell < {least} * half or took <= 0:
        return now
    return now * min(max(took / fell, 1 / {most}), {most})
'''
