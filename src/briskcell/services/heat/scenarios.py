"""What the case warms by: on battery at rest, in play, at the peak; over a charge, with the console off or in play."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.assess import Assessment
from briskcell.core.charge.charging import Charge
from briskcell.core.charge.plugged import plugged
from briskcell.core.charge.warmth import charge_watts
from briskcell.core.heat.network import AIR, CELLS, HeatNetwork, heat_network, lasting
from briskcell.core.heat.watts import AT_SOC, shares_of_heat, sources
from briskcell.model.parts import STATES, State

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Scenario:
    """One way of use: its words, the case as it then is, the watts in each lump at some moments, the most each reaches and may, and
    the minutes until then.

    ``watts`` is of shape (t, n), ``seconds`` (t,), the others (n,).
    """

    key: str
    words: str
    network: HeatNetwork
    watts: Array
    seconds: Array
    most_c: Array
    limits_c: Array
    minutes: tuple[float | None, ...]

    @property
    def total_w(self) -> float:
        """The most that becomes heat."""
        return float(self.watts.sum(axis=1).max())

    @property
    def first(self) -> int | None:
        """The lump that reaches its limit first; None where none does."""
        timed = [(m, k) for k, m in enumerate(self.minutes) if m is not None]
        return min(timed)[1] if timed else None

    def risen(self, seconds: Array) -> Array:
        """Rise of each lump at some moments from a cold case on, (t, n). [K]"""
        watts = np.stack([np.interp(seconds, self.seconds, lump) for lump in self.watts.T], axis=-1)
        return self.network.through(watts, seconds)


ON_BATTERY = (
    (State.PLAY, "in play, on battery"),
    (State.REST, "at rest, on battery"),
    (State.PEAK, "all at the peak, if it lasted"),
)


def scenarios(assessed: Assessment) -> tuple[Scenario, ...]:
    """Every way of use of a build: nobody holds what only charges."""
    plan, op, room_c = assessed.plan, assessed.op, assessed.plan.brief.room_c
    in_use = heat_network(plan, assessed.beside, assessed.heat.rise_k, hottest=assessed.heat.hottest)
    found: list[Scenario] = []

    def add(key: str, words: str, network: HeatNetwork, at: tuple[Array, Array], most_k: Array, limits_c: Array) -> None:
        passed = (
            network.passed_s(*at, k, float(limits_c[k]) - room_c) if room_c + most_k[k] > limits_c[k] else None
            for k in range(len(most_k))
        )
        minutes = tuple(None if p is None else p / 60.0 for p in passed)
        found.append(Scenario(key, words, network, *at, room_c + most_k, limits_c, minutes))

    for state, words in ON_BATTERY:
        if shares := shares_of_heat(op, state):
            watts = sources(in_use, shares, op)
            add(STATES[state], words, in_use, lasting(watts), in_use.settled(watts), in_use.limits_c)
    charging_c = in_use.limits_c
    charging_c[CELLS] = min((c.charge_high_c for p in plan.packs for c in p.string_cells), default=charging_c[CELLS])
    for charge in assessed.charges:
        for playing, words in ((True, "in play"), (False, "console off")):
            network = heat_network(plan, assessed.beside, held=playing)
            at = _over(assessed, network, charge, playing=playing)
            if at is not None:
                key = f"{charge.board.id}:{'play' if playing else 'off'}"
                add(key, f"{words}, charging by {charge.board.name}", network, at, network.through(*at).max(axis=0), charging_c)
    return tuple(found)


def _over(assessed: Assessment, network: HeatNetwork, charge: Charge, *, playing: bool) -> tuple[Array, Array] | None:
    """Watts in each lump over a charge; what the console's boards lose is theirs, as it is at half charge."""
    op = assessed.op
    found = charge_watts(op, network, charge, playing=playing)
    if found is None or not playing:
        return found
    watts, seconds = found
    flow = plugged(op, charge.board, AT_SOC, "play")
    if not flow.carried:
        return None
    place = {n.element: i for i, n in enumerate(network.nodes) if n.element}
    for c, converter in enumerate(op.network.converters):
        if converter.id in place:
            lost = float(np.ravel(flow.flow.converter_input_w(c) - flow.flow.converter_output_w(c))[0])
            theirs = np.clip(lost, 0.0, watts[:, AIR])
            watts[:, place[converter.id]] += theirs
            watts[:, AIR] -= theirs
    return watts, seconds
