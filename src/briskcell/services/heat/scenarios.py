"""What the case warms by: on battery at rest, in play, at the peak; on each charger, with the console off or in play."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.assess import Assessment
from briskcell.core.charge.plugged import plugged
from briskcell.core.heat.network import AIR, CELLS, HeatNetwork, heat_network
from briskcell.core.heat.watts import AT_SOC, own_share, shares_of_heat, sources
from briskcell.model.parts import STATES, State
from briskcell.model.stores import Bank, ChargeBoard, Pack

Array = NDArray[np.float64]
CHARGED_TO = AT_SOC  # state of charge that a charge is looked at: the current is still at its most


@dataclass(frozen=True)
class Scenario:
    """One way of use: its words, the watts in each lump, where they settle, what they may reach, and the minutes until they do."""

    key: str
    words: str
    watts: Array
    settled_c: Array
    limits_c: Array
    minutes: tuple[float | None, ...]

    @property
    def total_w(self) -> float:
        """All that becomes heat."""
        return float(self.watts.sum())

    @property
    def first(self) -> int | None:
        """The lump that reaches its limit first; None where none does."""
        timed = [(m, k) for k, m in enumerate(self.minutes) if m is not None]
        return min(timed)[1] if timed else None


ON_BATTERY = ((State.PLAY, "in play, on battery"), (State.REST, "at rest, on battery"),
              (State.PEAK, "all at the peak, if it lasted"))  # fmt: skip


def scenarios(assessed: Assessment) -> tuple[HeatNetwork, tuple[Scenario, ...]]:
    """The network of a build, and every way of use."""
    plan, op, room_c = assessed.plan, assessed.op, assessed.plan.brief.room_c
    network = heat_network(plan)
    found: list[tuple[str, str, Array, Array]] = []
    for state, words in ON_BATTERY:
        if shares := shares_of_heat(op, state):
            found.append((STATES[state], words, sources(network, shares, op), network.limits_c))
    charging_c = network.limits_c
    charging_c[CELLS] = min((c.charge_high_c for p in plan.packs for c in p.string_cells), default=charging_c[CELLS])
    for board in plan.chargers:
        for use, words in (("play", "in play"), (None, "console off")):
            watts = None if isinstance(plan.by_id[board.charges], Bank) else _charging(assessed, network, board, use)
            if watts is not None:
                found.append((f"{board.id}:{use or 'off'}", f"{words}, charging by {board.name}", watts, charging_c))
    out = []
    for key, words, watts, limits in found:
        minutes = tuple(network.minutes_to_limits(watts, room_c, limits))
        out.append(Scenario(key, words, watts, room_c + network.settled(watts), limits, minutes))
    return network, tuple(out)


def _charging(assessed: Assessment, network: HeatNetwork, board: ChargeBoard, use: str | None) -> Array | None:
    """Watts in each lump while a board fills its pack at half charge; None where the console cannot be used meanwhile."""
    plan, op = assessed.plan, assessed.op
    store = plan.by_id[board.charges]
    found = plugged(op, board, CHARGED_TO, use)
    if not isinstance(store, Pack) or (use and (found.layout == "cut_out" or not found.carried)):
        return None
    k = op.network.stores.index(store.id)
    ocv = float(np.interp(CHARGED_TO, op.soc[::-1], op.curves[k].ocv_v[::-1]))
    cells_w = own_share(op, k) * abs(found.into_a * (found.store_v - ocv))
    # All that comes in at the socket, less what the cells store, stays in the case; a pack that still gives adds its own.
    whole = found.bus_v * (found.input_a + (found.system_a if found.layout == "power_path" else 0.0)) - found.into_a * ocv
    watts = np.zeros(len(network.nodes))
    watts[CELLS] = cells_w
    place = {n.element: i for i, n in enumerate(network.nodes) if n.element}
    for c, converter in enumerate(op.network.converters):
        if use and converter.id in place:
            lost = float(np.ravel(found.flow.converter_input_w(c) - found.flow.converter_output_w(c))[0])
            watts[place[converter.id]] += max(lost, 0.0)
    watts[AIR] += max(whole - float(watts.sum()), 0.0)
    return watts
