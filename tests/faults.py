"""A broken build for each rule: what the rule must catch, and its fix must mend."""

from __future__ import annotations

from collections.abc import Callable

from briskcell.core.changes import altered, remade, replaced
from briskcell.library import catalogue
from briskcell.model.plan import Plan
from briskcell.services.demo import sanderling


def weak_boost() -> Plan:
    return replaced(sanderling(), catalogue().part("boost-5v-2a", id="boost", fed_by="fuse"))


def thin_wire_to_a_picky_screen() -> Plan:
    plan = sanderling()
    screen = plan.by_id["screen"]
    picky = altered(screen, window={"low_v": 5.0, "high_v": 5.5})
    return replaced(replaced(plan, picky), altered(plan.by_id["w-screen"], awg=34.0, length_m=0.3))


def long_wish() -> Plan:
    plan = sanderling()
    return remade(plan, {"brief": plan.brief.model_copy(update={"hours": 14.0})})


def slow_charger() -> Plan:
    plan = sanderling()
    brief = plan.brief.model_copy(update={"charge_hours": 6.0})
    slow = altered(plan.chargers[0], current_a=0.6)
    return replaced(remade(plan, {"brief": brief}), slow)


def tired_cell() -> Plan:
    plan = sanderling()
    pack = plan.packs[0]
    return replaced(plan, altered(pack, cell=pack.cell.model_copy(update={"max_discharge_a": pack.cell.max_discharge_a.at(1.5)})))


FAULTS: dict[str, Callable[[], Plan]] = {
    "headroom": weak_boost,
    "load-window": thin_wire_to_a_picky_screen,
    "runtime-brief": long_wish,
    "charge-brief": slow_charger,
    "cell-current": tired_cell,
}
