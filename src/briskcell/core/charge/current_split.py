"""Who gets what of a socket's current at each state of charge: supply, charger, store and console; a compiled loop."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.compiled import compiled
from briskcell.core.engine.kernel import place

Array = NDArray[np.float64]
Indices = NDArray[np.intp]

ROUNDS = 60
LIMITS = ("the set current", "what the supply leaves", "the charger's warmth", "the float voltage", "the pre-charge")
BY_SET, BY_SUPPLY, BY_WARMTH, BY_FLOAT, BY_PRECHARGE = range(5)


class Terms(NamedTuple):
    """Figures of one charge path, in V, A, Ω and K; a limit that does not exist is inf."""

    source_v: float
    source_ohm: float
    supply_a: float
    set_a: float
    float_v: float
    switching: bool
    efficiency: float
    room_k: float
    thermal_k_per_w: float
    precharge_v: float
    precharge_a: float
    on_bus: bool


@compiled
def _into_store(t: Terms, ocv: float, r: float, diffusion: float, bus_v: float, on_bus_a: float) -> tuple[float, float, int]:
    """Current into the store, current from the bus, and which limit holds it there."""
    left = max(t.supply_a - on_bus_a, 0.0)
    if t.switching:
        # Power left on the bus, less the charger's loss, into the store's terminals: the root of r·I² + OCV·I = P.
        power = max(bus_v, 0.0) * left * t.efficiency
        by_supply = 2.0 * power / max(ocv + np.sqrt(ocv * ocv + 4.0 * r * power), 1e-9)
    else:
        # A linear charger needs the bus above the store: what drives the current drops over cable and store together. Worked
        # from the bus of the last round instead, it would swing for ever where the cable has more resistance than the store.
        by_supply = min(left, max((t.source_v - t.source_ohm * on_bus_a - ocv) / (t.source_ohm + r), 0.0))
    amps, held = t.set_a, BY_SET
    if by_supply < amps:
        amps, held = by_supply, BY_SUPPLY
    by_warmth = t.room_k / (t.thermal_k_per_w * max(bus_v - min(ocv + t.set_a * r, t.float_v), 1e-3))
    if t.thermal_k_per_w > 0.0 and by_warmth < amps:
        amps, held = by_warmth, BY_WARMTH
    by_float = max((t.float_v - ocv) / (r + diffusion), 0.0)
    if by_float < amps:
        amps, held = by_float, BY_FLOAT
    if ocv < t.precharge_v and t.precharge_a < amps:
        amps, held = t.precharge_a, BY_PRECHARGE
    if t.switching:
        return amps, amps * (ocv + amps * r) / (t.efficiency * max(bus_v, 0.1)), held
    return amps, amps, held


@compiled
def balance(
    t: Terms, ocv: Array, ohm: Array, diffusion_ohm: Array, console_v: Array, console_w: Array, console_carried: Array
) -> tuple[Array, Indices]:
    """Bus voltage, charge current and console settled against each other at each point.

    Parameters
    ----------
    t : Terms
        The path's figures.
    ocv, ohm : ndarray, shape (n,)
        Open-circuit voltage [V] and steady resistance [Ω] of the store.
    diffusion_ohm : ndarray, shape (n,)
        What diffusion adds to it at the set current. [Ω]
    console_v, console_w, console_carried : ndarray, shape (m,)
        The console's power over its volts, and 1 where its tree carries it; empty while it is off.

    Returns
    -------
    tuple of ndarray
        Rows of charger's current, its input's, the console's, bus volts and share carried, shape (5, n); and which of
        ``LIMITS`` holds, shape (n,).
    """
    out, held = np.empty((5, len(ocv))), np.zeros(len(ocv), dtype=np.intp)
    for p in range(len(ocv)):
        r = max(ohm[p], 1e-6)
        charge_a, input_a, system_a, bus_v, carried = 0.0, 0.0, 0.0, t.source_v, 1.0
        for _ in range(ROUNDS):
            if len(console_v):
                volts = bus_v if t.on_bus else ocv[p] + (charge_a - system_a) * ohm[p]
                k, share = place(console_v, len(console_v), volts)
                carried = console_carried[k] + share * (console_carried[k + 1] - console_carried[k])
                system_a = (console_w[k] + share * (console_w[k + 1] - console_w[k])) / max(volts, 1e-3)
            on_bus_a = system_a if t.on_bus else 0.0
            before_v, before_a = bus_v, charge_a
            bus_v = t.source_v - t.source_ohm * (input_a + on_bus_a)
            charge_a, input_a, held[p] = _into_store(t, ocv[p], r, diffusion_ohm[p], bus_v, on_bus_a)
            if abs(bus_v - before_v) < 1e-7 and abs(charge_a - before_a) < 1e-7:
                break
        out[0, p], out[1, p], out[2, p], out[3, p], out[4, p] = charge_a, input_a, system_a, bus_v, carried
    return out, held
